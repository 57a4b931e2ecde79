"""Sweep: a converter's input voltage down and up again, its load up, a settled reading at every point."""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantity import plain
from ubrant.core.tolerance import Tolerance
from ubrant.methods import cautions
from ubrant.methods.steps import Ask, LoadOff, Point, Step, SupplyOff

OFF, ON = "off", "on"
"""What a point answers: whether the output is there."""


@dataclass(frozen=True)
class SweepPlan:
    """What a person chose.

    Attributes
    ----------
    highest_v, lowest_v, step_v : of the input
    loads_a : of the output, 0 for no load
    rated_a, rated_w : of the output; None where nobody says
    tolerance : of the output; None for none
    most_input_a : the supply's limit, and what leads and fuse allow: points that would pass it are skipped
    settle_s, at_most_s : a point is settled once its readings hold still for so long; waited for at most so long
    by_hand : a person sets and types
    """

    highest_v: float
    lowest_v: float
    step_v: float
    loads_a: tuple[float, ...]
    rated_a: float | None = None
    rated_w: float | None = None
    tolerance: Tolerance | None = None
    most_input_a: float = 10.0
    settle_s: float = 2.0
    at_most_s: float = 20.0
    by_hand: bool = False

    def inputs_down(self) -> list[float]:
        count = max(round((self.highest_v - self.lowest_v) / self.step_v), 1)
        return [round(float(v), 3) for v in np.linspace(self.highest_v, self.lowest_v, count + 1)]

    def points(self) -> list[tuple[float, float]]:
        """(input V, load A) in the order they are taken, as if the output never went off: for every load down, and up again."""
        down = self.inputs_down()
        return [(v, a) for a in self.loads_a for v in [*down, *down[-2::-1]]]

    def most_s(self) -> float:
        return len(self.points()) * self.at_most_s


def usual_loads(rated_a: float) -> tuple[float, ...]:
    """Where points tell most: none, near idle, and near the rating."""
    return tuple(round(share * rated_a, 3) for share in (0.0, 0.05, 0.1, 0.2, 0.3, 0.5, 0.75, 1.0))


def sweep(plan: SweepPlan) -> Generator[Step, str | None, None]:
    """For every load: input down until the output is off, then up again. What would pass the supply's limit is skipped."""
    yield Ask(
        "Connect the supply to the converter's input with a meter at its terminals, the load to its output with a meter there, everything off.",
        (cautions.POLARITY, cautions.WINDOW, cautions.FUSE),
    )
    taken_w: dict[float, float] = {}
    for load in plan.loads_a:
        down = plan.inputs_down()
        turned = len(down) - 1
        for k, volts in enumerate(down):
            if taken_w.get(load, 0.0) / volts > plan.most_input_a:
                turned = k - 1
                break
            answer = yield _point(plan, volts, load)
            if answer is not None and answer.startswith(ON):
                taken_w[load] = float(answer.removeprefix(ON) or 0.0)
            if answer == OFF:
                turned = k
                break
        for volts in down[max(turned - 1, 0) :: -1] if turned > 0 else []:
            yield _point(plan, volts, load)
    yield LoadOff("Load off.")
    yield SupplyOff("Supply off.")


def _point(plan: SweepPlan, volts: float, load: float) -> Point:
    return Point(
        volts, load, 0.5, plan.settle_s, plan.at_most_s, f"{plain(volts)} V in, {plain(load)} A out.", plan.most_input_a, (cautions.WARM,)
    )
