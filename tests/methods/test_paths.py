"""What stands on the path of each method, where its meters are clipped, and which meters it is best made with."""

from __future__ import annotations

import pytest

from tests.making import BREAKER, BRICK, HUT, METER, PLUG, PROJECTOR, STEP_DOWN, prepared, problems, record_for
from ubrant.core.equipment.meter import Meter
from ubrant.methods.registry import entries, method_of
from ubrant.runs.making.which_meters import best_meters

CLAMP = Meter("Clamp", "0.8 %", "2 % + 50 mA", max_v=600.0, max_a=400.0)
HERE = {e.key for e in entries()}


def of_methods(*rows):
    """Those of methods that are here."""
    return [row for row in rows if row[1] in HERE]


@pytest.mark.parametrize(
    ("unit", "key", "boxes", "taps"),
    of_methods(
        (STEP_DOWN, "sweep", ["Supply", "Leads", "Step-down", "Load"], ["its own display", "Meter: V across, A through", "Plug: V, A, W"]),
        (HUT, "idle", ["Supply", "Leads", "Hut"], ["its own display", "Meter: V across, A through"]),
        (BREAKER, "trip", ["Supply", "Breaker", "Load"], ["Meter: V across, A through", "the load's own display"]),
        (PROJECTOR, "appliance", ["Mains", "Projector"], ["Meter: V across, A through"]),
        (BRICK, "external-supply", ["Mains", "Brick", "Load"], ["Meter: V across, A through", "Plug: V, A, W"]),
    ),
)
def test_where_to_clip_each_meter(unit, key, boxes, taps):
    path = method_of(key).wiring(prepared(key, unit, (METER, PLUG)))
    assert [node.title for node in path.nodes] == boxes
    assert [flow.meter for flow in path.flows] == taps
    assert all(flow.amount is None for flow in path.flows)


@pytest.mark.parametrize(
    ("unit", "key", "names"),
    of_methods(
        (STEP_DOWN, "sweep", ["Meter", "Clamp"]),
        (HUT, "idle", ["Meter"]),
        (BREAKER, "trip", ["Clamp"]),
        (PROJECTOR, "appliance", ["Plug"]),
        (BRICK, "external-supply", ["Plug", "Meter"]),
    ),
)
def test_the_meters_that_least_speaks_against(unit, key, names):
    method = method_of(key)
    chosen = best_meters(method, lambda meters: prepared(key, unit, tuple(meters[tap] for tap in method.taps)), [METER, CLAMP, PLUG])
    assert [chosen[tap].name for tap in method.taps] == names


@pytest.mark.parametrize(("unit", "key"), of_methods((PROJECTOR, "appliance"), (BRICK, "external-supply")))
def test_mains_on_a_meter_that_cannot_take_it_is_refused(unit, key):
    assert (True, "Meter reads up to 60 V, and 230 V are in the plan.") in problems(key, prepared(key, unit))


@pytest.mark.parametrize("key", [e.key for e in entries() if e.method.is_started and e.key in {"sweep", "idle", "trip"}])
def test_nothing_taken_is_no_path(key):
    unit = {"sweep": STEP_DOWN, "idle": HUT, "trip": BREAKER}[key]
    account = method_of(key).account(record_for(key, prepared(key, unit)))
    assert account.trouble
    assert account.path() is None
