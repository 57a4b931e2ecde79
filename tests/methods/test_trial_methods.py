"""The methods of trials, walked without any bench: what comes in which order, what is skipped, what is said of danger, and that all ends switched off."""

from __future__ import annotations

import itertools

import pytest

from ubrant.core.circuit import CURRENT, POWER
from ubrant.core.tolerance import Tolerance
from ubrant.methods import cautions
from ubrant.methods.idle.procedure import IdlePlan, idle_draw
from ubrant.methods.load_steps.procedure import StepsPlan, load_steps
from ubrant.methods.steps import Ask, Hold, LoadOff, Point, ReadRest, SupplyOff, SwitchOn, Zero, walk
from ubrant.methods.summary import summarise
from ubrant.methods.sweep.procedure import SweepPlan, sweep, usual_loads
from ubrant.methods.trip.procedure import TripPlan, trip

TOLERANCE = Tolerance(4.75, 5.25)


def walked(steps, answer=lambda step: None):
    """Every step in turn, answered by a function."""
    seen = []

    def carry_out(step):
        seen.append(step)
        return answer(step)

    walk(steps, carry_out)
    return seen


def converter(*, off_below=5.5, out_below=7.0, power_w=10.0):
    """Answers as a converter would: off under one voltage until the input is 2 V higher again, out of tolerance under another."""
    state = {"on": True}

    def answer(step):
        if not isinstance(step, Point):
            return None
        if step.input_v < off_below:
            state["on"] = False
        elif step.input_v > off_below + 2:
            state["on"] = True
        if not state["on"]:
            return "off"
        volts = 5.0 if step.input_v >= out_below else 4.5
        return f"on{power_w if step.load else 0.1:.4f} {volts:.5f}"

    return answer


def points(seen):
    return [(p.input_v, p.load) for p in seen if isinstance(p, Point)]


def test_a_sweep_goes_down_until_the_output_is_off_and_up_again():
    plan = SweepPlan(9.0, 4.0, 1.0, (0.0, 1.0))
    seen = walked(sweep(plan), converter())
    assert isinstance(seen[0], Ask)
    assert isinstance(seen[-2], LoadOff)
    assert isinstance(seen[-1], SupplyOff)
    assert points(seen) == [(v, a) for a in (0.0, 1.0) for v in (9, 8, 7, 6, 5, 6, 7, 8, 9)]
    assert all(p.mode == CURRENT for p in seen if isinstance(p, Point))


def test_the_stretch_in_which_it_leaves_tolerance_is_halved_twice():
    plan = SweepPlan(9.0, 4.0, 1.0, (1.0,), tolerance=TOLERANCE)
    down = [v for v, _ in points(walked(sweep(plan), converter()))]
    closer = down[down.index(6.0) : down.index(5.0)]
    assert closer == [6.0, 7.0, 6.5, 7.0, 6.75, 6.0]
    falling = [(a, b) for a, b in itertools.pairwise(down) if a >= 7.0 > b]
    assert min(a - b for a, b in falling) == 0.25


def test_what_would_pass_the_supplys_limit_is_skipped():
    plan = SweepPlan(9.0, 4.0, 1.0, (0.0, 2.0), most_input_a=1.4)
    seen = points(walked(sweep(plan), converter(off_below=1.0, power_w=10.0)))
    assert min(v for v, a in seen if a == 2.0) == 8.0  # 10 W at 7 V would be 1.43 A
    assert min(v for v, a in seen if a == 0.0) == 4.0
    assert all(p.most_input_a == 1.4 for p in walked(sweep(plan)) if isinstance(p, Point))


def test_a_sweep_without_a_bench_is_its_plan():
    plan = SweepPlan(13.0, 5.0, 1.0, (0.0, 1.0), tolerance=TOLERANCE)
    assert points(walked(sweep(plan))) == plan.points()
    assert usual_loads(3.0) == (0.0, 0.15, 0.3, 0.6, 0.9, 1.5, 2.25, 3.0)
    lines = summarise(sweep(plan))
    assert lines[0].by_person
    assert cautions.WINDOW in lines[0].cautions
    assert cautions.SUPPLY_ALONE in lines[0].cautions


def inverter(gives_up_over=320.0):
    def answer(step):
        if isinstance(step, Point):
            return "off" if step.load > gives_up_over else f"on{step.load * 1.1 + 5:.3f} 229.00000"
        return "off120.000" if isinstance(step, Hold) else None

    return answer


def test_load_steps_from_a_battery():
    plan = StepsPlan((0.0, 100.0, 300.0), 300.0, hold_w=150.0, own_cutoff_v=115.0)
    seen = walked(load_steps(plan), inverter())
    kinds = [type(s) for s in seen]
    assert kinds == [Ask, Ask, Point, Point, Point, Hold, LoadOff, ReadRest, Ask, SupplyOff]
    assert [s.action for s in seen if isinstance(s, Ask)] == ["", "on", "off"]
    for step in seen:
        if isinstance(step, Point | Hold):
            assert step.mode == POWER
            assert step.own_cutoff_v == 115.0
        if isinstance(step, Point):
            assert step.input_v == 0.0
    assert cautions.MAINS in seen[0].cautions
    assert cautions.OWN_CUTOFF in seen[1].cautions


def test_an_overload_that_switches_it_off_ends_the_steps():
    seen = walked(load_steps(StepsPlan((0.0, 300.0, 360.0, 420.0), 300.0, hold_w=150.0)), inverter())
    assert [s.load for s in seen if isinstance(s, Point)] == [0.0, 300.0, 360.0]
    assert not any(isinstance(s, Hold) for s in seen)
    assert any(isinstance(s, ReadRest) for s in seen)


def test_no_mains_caution_where_there_is_none():
    seen = walked(load_steps(StepsPlan((0.0, 10.0), 10.0, mains=False)))
    assert not any(cautions.MAINS in s.cautions for s in seen)


@pytest.mark.parametrize("economy", [True, False])
def test_idle_draw(economy):
    seen = walked(idle_draw(IdlePlan(12.8, 3.0, economy=economy, mains=True)))
    kinds = [type(s) for s in seen]
    reading = [Ask, ReadRest]
    assert kinds == [Ask, Zero, SwitchOn, *reading, *(reading if economy else []), Ask, SupplyOff]
    assert [s.action for s in seen if isinstance(s, Ask)] == ["", "on", *(["economy"] if economy else []), "off"]
    assert next(s for s in seen if isinstance(s, Zero)).quantities == "A"
    assert all(s.seconds == 180 for s in seen if isinstance(s, ReadRest))
    assert cautions.MAINS in seen[0].cautions
    by_battery = walked(idle_draw(IdlePlan(0.0)))
    assert not any(isinstance(s, SwitchOn) for s in by_battery)


def test_overloads_one_after_the_other():
    def answer(step):
        return ("off12.000" if step.load > 40 else "held") if isinstance(step, Hold) else None

    seen = walked(trip(TripPlan(30.0, (31.5, 45.0, 60.0), 600.0)), answer)
    assert [s.load for s in seen if isinstance(s, Hold)] == [31.5, 45.0, 60.0]
    assert [s.action for s in seen if isinstance(s, Ask)] == ["", "cool", "reset", "cool", "reset"][
        : len([s for s in seen if isinstance(s, Ask)])
    ]
    assert [s.action for s in seen if isinstance(s, Ask)].count("reset") == 2
    assert all(not s.keep for s in seen if isinstance(s, Hold)), "the load is off while it is reset"
    assert isinstance(seen[-1], SupplyOff)
    assert cautions.SUPPLY_ALONE in seen[0].cautions
