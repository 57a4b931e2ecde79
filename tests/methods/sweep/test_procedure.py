"""A sweep, walked without any bench: what comes in which order, what is skipped, and that all ends switched off."""

from __future__ import annotations

import itertools

from tests.making import walked
from ubrant.core.models.circuit import CURRENT
from ubrant.core.quantities.tolerance import Tolerance
from ubrant.methods import cautions
from ubrant.methods.steps import Ask, Point, SupplyOff, SwitchLoadOff
from ubrant.methods.summary import summarise
from ubrant.methods.sweep.procedure import SweepPlan, sweep, usual_loads

TOLERANCE = Tolerance(4.75, 5.25)


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
    assert isinstance(seen[-2], SwitchLoadOff)
    assert isinstance(seen[-1], SupplyOff)
    assert points(seen) == [(v, a) for a in (0.0, 1.0) for v in (9, 8, 7, 6, 5, 6, 7, 8, 9)]
    assert all(p.mode == CURRENT for p in seen if isinstance(p, Point))


def test_the_stretch_in_which_it_leaves_tolerance_is_halved_twice():
    plan = SweepPlan(9.0, 4.0, 1.0, (1.0,))
    down = [v for v, _ in points(walked(sweep(plan, TOLERANCE), converter()))]
    closer = down[down.index(6.0) : down.index(5.0)]
    assert closer == [6.0, 7.0, 6.5, 7.0, 6.75, 6.0]
    falling = [(a, b) for a, b in itertools.pairwise(down) if a >= 7.0 > b]
    assert min(a - b for a, b in falling) == 0.25


def test_what_would_pass_the_supplys_limit_is_skipped():
    plan = SweepPlan(9.0, 4.0, 1.0, (0.0, 2.0), most=1.4)
    seen = points(walked(sweep(plan), converter(off_below=1.0, power_w=10.0)))
    assert min(v for v, a in seen if a == 2.0) == 8.0  # 10 W at 7 V would be 1.43 A
    assert min(v for v, a in seen if a == 0.0) == 4.0
    assert all(p.most_input_a == 1.4 for p in walked(sweep(plan)) if isinstance(p, Point))


def test_a_sweep_without_a_bench_is_its_plan():
    plan = SweepPlan(13.0, 5.0, 1.0, (0.0, 1.0))
    assert points(walked(sweep(plan, TOLERANCE))) == plan.points()
    assert usual_loads(3.0) == (0.0, 0.15, 0.3, 0.6, 0.9, 1.5, 2.25, 3.0)
    lines = summarise(sweep(plan, TOLERANCE))
    assert lines[0].by_person
    assert cautions.WINDOW in lines[0].cautions
    assert cautions.SUPPLY_ALONE in lines[0].cautions
