"""What stands on the path of each trial, where its meters are clipped, and which meters it is best made with."""

from __future__ import annotations

import pytest

from tests.workshop.test_trial_rows import HUT, METER, PLUG, STEP_DOWN, kept, run_of
from ubrant.core.meter import Meter
from ubrant.core.unit import Unit
from ubrant.logbook.records import Run
from ubrant.runs.benches import BY_HAND
from ubrant.workshop.paths import found_path, trial_path
from ubrant.workshop.trials.choosing import best_meters
from ubrant.workshop.trials.registry import trial_of
from ubrant.workshop.trials.trial import Told, plan_as_json, told_of

CLAMP = Meter("Clamp", "0.8 %", "2 % + 50 mA", max_v=600.0, max_a=400.0)
BREAKER = Unit("Breaker", "lead", "30 A breaker")
PROJECTOR = Unit("Projector", "load", "230 V, 52 W")
BRICK = Unit("Brick", "charger", "230 V to 19 V, 65 W")


def told(unit, method, meters=(METER, METER)):
    return Told(unit, trial_of(method).usual(unit), meters)


@pytest.mark.parametrize(
    ("unit", "method", "boxes", "taps"),
    [
        (STEP_DOWN, "sweep", ["Supply", "Leads", "Step-down", "Load"], ["its own display", "Meter: V across, A through", "Plug: V, A, W"]),
        (HUT, "idle", ["Supply", "Leads", "Hut"], ["its own display", "Meter: V across, A through"]),
        (BREAKER, "trip", ["Supply", "Breaker", "Load"], ["Meter: V across, A through", "the load's own display"]),
        (PROJECTOR, "appliance", ["Mains", "Projector"], ["Meter: V across, A through"]),
        (BRICK, "supply", ["Mains", "Brick", "Load"], ["Meter: V across, A through", "Plug: V, A, W"]),
    ],
)
def test_where_to_clip_each_meter(unit, method, boxes, taps):
    path = trial_path(trial_of(method), told(unit, method, (METER, PLUG)), None)
    assert [node.title for node in path.nodes] == boxes
    assert [flow.meter for flow in path.flows] == taps
    assert all(flow.amount is None for flow in path.flows)


def typed_view(unit, method, lines, meters):
    plan = told(unit, method, meters)
    run = Run(None, method, BY_HAND, "2026-11-01T10:00:00+00:00", plan=plan_as_json(plan), label_text=unit.label_text, meter=meters[0].name)
    view = trial_of(method).view(run, kept(jots=[(10.0 * k, line) for k, line in enumerate(lines)]))
    return told_of(run), view


def test_an_idle_draw_all_of_it_lost():
    path = found_path(*typed_view(HUT, "idle", ["input 12.8 V 0.00 A", "input 12.80 V 0.50 A"], (METER, METER)))
    assert path.flows[-1].amount == pytest.approx(6.4)
    assert path.flows[0].meter == ""
    assert path.losses[-1] == "all lost"


def test_an_appliance_at_its_most_and_a_supply_at_its_heaviest():
    path = found_path(*typed_view(PROJECTOR, "appliance", ["230 V 0.01 A 0.5 W", "231 V 0.4 A 51 W", "230 V 0.3 A 40 W"], (PLUG, PLUG)))
    assert [(f.amount, f.volts, f.meter) for f in path.flows] == [(51.0, 231.0, "Plug")]
    path = found_path(*typed_view(BRICK, "supply", ["input 72 W output 19 V 3.4 A", "input 54 W output 19 V 2.5 A"], (PLUG, METER)))
    assert [round(f.amount, 1) for f in path.flows] == [72.0, 64.6]
    assert path.losses[1] == "−7.40 W lost"


def test_nothing_taken_is_no_path():
    assert found_path(told(STEP_DOWN, "sweep"), trial_of("sweep").view(run_of(plan_as_json(told(STEP_DOWN, "sweep"))), kept())) is None


@pytest.mark.parametrize(
    ("unit", "method", "names"),
    [
        (STEP_DOWN, "sweep", ("Meter", "Clamp")),
        (HUT, "idle", ("Meter", "Meter")),
        (BREAKER, "trip", ("Clamp", "Clamp")),
        (PROJECTOR, "appliance", ("Plug", "Plug")),
        (BRICK, "supply", ("Plug", "Meter")),
    ],
)
def test_the_meters_that_least_speaks_against(unit, method, names):
    trial, offered = trial_of(method), [METER, CLAMP, PLUG]
    chosen = best_meters(trial, lambda into, out: told(unit, method, (into, out)), offered)
    assert tuple(m.name for m in chosen) == names


def test_mains_on_a_meter_that_cannot_take_it_is_refused():
    for unit, method in ((PROJECTOR, "appliance"), (BRICK, "supply")):
        problems = trial_of(method).problems(told(unit, method))
        assert (True, "Meter reads up to 60 V, and 230 V are in the plan.") in problems
