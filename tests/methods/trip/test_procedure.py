"""Overloads, walked without any bench."""

from __future__ import annotations

from tests.making import walked
from ubrant.methods import cautions
from ubrant.methods.steps import Ask, Hold, ReadRest, SupplyOff
from ubrant.methods.trip.procedure import TripPlan, trip


def test_overloads_one_after_the_other():
    def answer(step):
        return ("off12.000" if step.load > 40 else "held") if isinstance(step, Hold) else None

    seen = walked(trip(TripPlan(30.0, (31.5, 45.0, 60.0), 600.0)), answer)
    assert [s.load for s in seen if isinstance(s, Hold)] == [31.5, 45.0, 60.0]
    assert [s.action for s in seen if isinstance(s, Ask)] == ["", "cool", "reset", "reset"], (
        "one that held is let cool, one that opened is waited for"
    )
    assert [s.seconds for s in seen if isinstance(s, ReadRest)] == [900.0]
    assert all(not s.keep for s in seen if isinstance(s, Hold)), "the load is off while it is reset"
    assert isinstance(seen[-1], SupplyOff)
    assert cautions.SUPPLY_ALONE in seen[0].cautions
