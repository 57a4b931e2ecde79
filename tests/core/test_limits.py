"""Limits in one lead laid over each other: in which order they are met, how soon each opens, whether what came is what was foretold."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest

from ubrant.core.conversion.limits import USUAL_CURVES, LeadLimit, against_foretold, beside_usual, kind_of, limits_plot, met, order_foretold
from ubrant.core.conversion.protection import Overload
from ubrant.core.drawings import Area, Curve, Dots
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import RunHeader, Setup, head_from_json, head_to_json

FUSE, PACK, HUT = (
    LeadLimit("fuse", 40.0, "fuse"),
    LeadLimit("the most Pack may give", 50.0, "battery"),
    LeadLimit("the rating of Hut", 30.0, "unit"),
)


@pytest.mark.parametrize(
    ("kind", "multiple", "soonest", "latest"), [("fuse", 1.35, 0.75, 600.0), ("fuse", 2.0, 0.15, 5.0), ("breaker", 2.55, 1.0, 60.0)]
)
def test_published_points(kind, multiple, soonest, latest):
    """ISO 8820-3, table of operating times of blade fuses; IEC 60898-1, table 7: 2.55 times within 1 s and 60 s (both from memory)."""
    assert LeadLimit("", 10.0, kind).opens_within(10.0 * multiple) == pytest.approx((soonest, latest))


def test_conventional_currents():
    """IEC 60898-1: a breaker carries 1.13 times its rating for an hour, and has opened within one at 1.45 (from memory); ISO 8820-3: a blade fuse 1.1 for 100 h."""
    breaker, fuse = LeadLimit("", 10.0, "breaker"), LeadLimit("", 10.0, "fuse")
    assert breaker.opens_within(11.0) is None
    assert breaker.opens_within(11.3) == (3600.0, math.inf)
    assert breaker.opens_within(14.5)[1] == 3600.0
    assert fuse.opens_within(11.0) == (360_000.0, math.inf)
    assert fuse.opens_within(1000.0) == (0.02, 0.1), "beyond its curve it is as quick as at its end"
    assert LeadLimit("", 10.0, "leads").opens_within(50.0) is None


@pytest.mark.parametrize("curve", USUAL_CURVES.values())
def test_more_opens_sooner(curve):
    fast, slow = ([getattr(p, name) for p in curve] for name in ("fastest_s", "slowest_s"))
    assert fast == sorted(fast, reverse=True) and slow == sorted(slow, reverse=True)
    assert all(p.fastest_s < p.slowest_s for p in curve)


def test_in_order():
    assert [one.name for one in met((PACK, FUSE, HUT), 45.0)] == ["the rating of Hut", "fuse"]
    text = order_foretold((PACK, FUSE, HUT), 80.0, 9.0)
    assert text.startswith(
        "What gives up first as the load rises: the rating of Hut at about 270 W, fuse at about 360 W, the most Pack may give at about 450 W."
    )
    assert text.endswith("At about 80 A in the lead, fuse opens after 0.1 s to 5 s, as is usual for a blade fuse by ISO 8820-3.")
    assert order_foretold((FUSE,), 80.0, 9.0) == "", "one limit alone is no order"
    assert order_foretold((PACK, FUSE, HUT), 10.0, 9.0) == ""


def test_another_than_was_foretold():
    said = against_foretold((PACK, FUSE, HUT), 62.0, "battery", "the battery's protection")
    assert (
        said
        == "By the labels the rating of Hut would give up first, from 30 A on: it carried 62.0 A, and the battery's protection gave up."
    )
    assert against_foretold((PACK, FUSE, HUT), 62.0, "unit", "the unit") == ""
    assert against_foretold((PACK, FUSE, HUT), 20.0, "battery", "it") == "", "nothing was over its label"
    assert against_foretold((PACK, FUSE, HUT), 62.0, "", "") == "", "it did not go off"


def test_drawn_as_time_over_current():
    drawn = limits_plot((PACK, FUSE, HUT), (5.0, 30.0, 62.0), (62.0, 25.0))
    band = next(layer for layer in drawn.layers if isinstance(layer, Area))
    assert band.x.max() <= 1.3 * 62.0 and band.x.min() == pytest.approx(44.0)
    straight = [layer for layer in drawn.layers if isinstance(layer, Curve) and len(set(layer.x.tolist())) == 1]
    assert sorted(float(layer.x[0]) for layer in straight) == [30.0, 50.0]
    dots = [layer for layer in drawn.layers if isinstance(layer, Dots)]
    assert dots[0].x.tolist() == [5.0, 30.0, 62.0]
    assert (dots[1].x[0], 10 ** dots[1].y[0]) == pytest.approx((62.0, 25.0)) and dots[1].ringed == 0
    assert np.isfinite(band.x).all()
    assert {float(y) for y in dots[0].y} == {drawn.y_span[0]}, "steps have amperes, and no time"
    unknown = limits_plot((PACK, FUSE, HUT), (5.0,), (62.0, None))
    assert [layer.label for layer in unknown.layers if isinstance(layer, Curve) and layer.x[0] == 62.0] == ["went off"], (
        "no time is drawn that nobody read"
    )
    assert sum(isinstance(layer, Dots) for layer in unknown.layers) == 1


def test_beside_what_is_usual():
    """A fuse of 30 A at twice its rating: 0.15 to 5 s (ISO 8820-3, from memory)."""
    assert kind_of("30 A blade fuse") == "fuse" and kind_of("30 A breaker") == "breaker" and kind_of("4 mm² lead") == ""
    late = beside_usual([Overload(60.0, 30.0, 30.0)], 30.0, "fuse")
    assert late == ["At 60.0 A it opened after 30 s; a blade fuse by ISO 8820-3 usually takes 0.1 s to 5 s."]
    assert beside_usual([Overload(60.0, 3.0, 3.0)], 30.0, "fuse") == []
    assert "it held for 1 min" in beside_usual([Overload(60.0, 60.0)], 30.0, "fuse")[0]
    assert beside_usual([Overload(60.0, 2.0)], 30.0, "fuse") == [], "it may open yet"
    assert beside_usual([Overload(60.0, 30.0, 30.0, rested_s=60.0)], 30.0, "fuse") == [], "warm"
    assert beside_usual([Overload(31.0, 7200.0)], 30.0, "fuse") == []


def test_the_most_a_battery_may_give_stays_with_its_run():
    setup = Setup(
        Unit("Hut", "inverter", "12 V to 230 V, 300 W"), {}, battery=Unit("Pack", "battery", "12.8 V 50 Ah LiFePO4", max_current_a=50.0)
    )
    kept = head_from_json(json.loads(json.dumps(head_to_json(RunHeader("steps", setup)))))
    assert kept.setup.battery.max_current_a == 50.0
