"""What is left of a method after an interruption."""

from __future__ import annotations

import pytest

from tests.making import walked
from ubrant.core.quantities.tolerance import Tolerance
from ubrant.methods.steps import Ask, Point, rest_of
from ubrant.methods.sweep.procedure import SweepPlan, sweep

PLAN = SweepPlan(13.0, 9.0, 1.0, (0.0, 1.0, 2.0))
TOLERANCE = Tolerance(4.9, 5.1)


def answer(step):
    """A converter whose output sags below 10.3 V and goes off below 9.5 V."""
    if not isinstance(step, Point):
        return None
    if step.input_v < 9.5:
        return "off"
    return f"on{5.2 * step.load:.4f} {5.0 if step.input_v > 10.3 else 4.8:.5f}"


@pytest.mark.parametrize("taken", [0, 1, 7, 20, 10_000])
def test_the_rest_and_what_was_taken_are_the_whole(taken):
    whole = walked(sweep(PLAN, TOLERANCE), answer)
    points = [s for s in whole if isinstance(s, Point)]
    before = points[:taken]
    rest = walked(rest_of(sweep(PLAN, TOLERANCE), [answer(p) for p in before]), answer)
    assert before + [s for s in rest if isinstance(s, Point)] == points
    assert isinstance(rest[0], Ask)
    assert rest[-2:] == whole[-2:], "load and supply go off at its end"


def test_a_fault_reaches_the_method():
    steps = rest_of(sweep(PLAN, TOLERANCE), ["on0.0000 5.00000"])
    next(steps)
    steps.send(None)
    with pytest.raises(ValueError, match="cable"):
        steps.throw(ValueError("cable"))
