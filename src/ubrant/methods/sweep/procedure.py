"""Sweep: a converter's input voltage down and up again, its load up, a settled reading at every point."""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.hand_loads import HandLoad, parse_loads
from ubrant.core.quantities.quantity import plain
from ubrant.core.quantities.tolerance import Tolerance
from ubrant.core.wording import say
from ubrant.methods import cautions
from ubrant.methods.steps import Ask, Point, Step, SupplyOff, SwitchLoadOff

OFF, ON = "off", "on"
"""What a point answers: whether the output is there."""
_HALVINGS = 2
"""How often the stretch in which the output leaves tolerance is halved."""


@dataclass(frozen=True)
class SweepPlan:
    """What a person chose.

    Attributes
    ----------
    highest, lowest, step : of the input, V
    loads : of the output, A, 0 for no load
    most : the supply's limit, and what leads and fuse allow, A: points that would pass it are skipped
    hand_inputs, hand_loads : V and A of a sweep by hand, which are few
    hand_texts, hand_v : its loads as they were written, instead of amperes, and the output's volts they are meant for
    by_hand : a person sets the points
    settle_s, at_most_s : a point is settled once its readings hold still for so long; waited for at most so long
    """

    highest: float
    lowest: float
    step: float
    loads: tuple[float, ...]
    most: float = 10.0
    settle_s: float = 2.0
    at_most_s: float = 20.0
    hand_inputs: tuple[float, ...] = ()
    hand_loads: tuple[float, ...] = ()
    by_hand: bool = False
    hand_texts: tuple[str, ...] = ()
    hand_v: float = 0.0

    def hung(self) -> tuple[HandLoad, ...]:
        """What a person hangs on the output, one after the other."""
        if self.hand_texts:
            return parse_loads(", ".join(self.hand_texts), self.hand_v)
        return tuple(HandLoad(f"{plain(amps)} A", amps, 0.0) for amps in self.hand_loads)

    def inputs_down(self) -> list[float]:
        count = max(round((self.highest - self.lowest) / self.step), 1)
        return [round(float(v), 3) for v in np.linspace(self.highest, self.lowest, count + 1)]

    def points(self) -> list[tuple[float, float]]:
        """(input V, load A) in the order they are taken, as if the output never went off: for every load down, and up again; by hand each load once."""
        if self.by_hand and self.hand_inputs:
            return [(v, load.amps) for v in self.hand_inputs for load in self.hung()]
        down = self.inputs_down()
        return [(v, a) for a in self.loads for v in [*down, *down[-2::-1]]]


def usual_loads(rated_a: float) -> tuple[float, ...]:
    """Where points tell most: none, near idle, and near the rating."""
    return tuple(round(share * rated_a, 3) for share in (0.0, 0.05, 0.1, 0.2, 0.3, 0.5, 0.75, 1.0))


def usual_hand_loads(rated_a: float) -> tuple[float, ...]:
    """As many as a person sets by hand without losing patience."""
    return tuple(round(share * rated_a, 3) for share in (0.0, 0.05, 0.1, 0.25, 0.5, 1.0))


def sweep(plan: SweepPlan, tolerance: Tolerance | None = None) -> Generator[Step, str | None, None]:
    """For every load: input down until the output is off, then up again. What would pass the supply's limit is skipped."""
    yield Ask(
        say(
            "Connect the supply to the converter's input with a meter at its terminals, the load to its output with a meter there, everything off."
        ),
        (cautions.POLARITY, cautions.WINDOW, cautions.FUSE, cautions.SUPPLY_ALONE),
    )
    taken_w: dict[float, float] = {}
    for load in plan.loads:
        down = plan.inputs_down()
        turned = len(down) - 1
        before: tuple[float, bool] | None = None  # the last input, and whether the output was within tolerance there
        for k, volts in enumerate(down):
            if taken_w.get(load, 0.0) / volts > plan.most:
                turned = k - 1
                break
            seen = _seen((yield _point(plan, volts, load)))
            if seen is None:
                turned = k
                break
            taken_w[load], within = seen[0], tolerance is None or tolerance.holds(seen[1])
            if before is not None and before[1] and not within:
                yield from _closer(plan, tolerance, load, before[0], volts)
                yield _point(plan, volts, load)
            before = volts, within
        for volts in down[max(turned - 1, 0) :: -1] if turned > 0 else []:
            yield _point(plan, volts, load)
    yield SwitchLoadOff(say("Load off."))
    yield SupplyOff(say("Supply off."), (), (("input", "A"), ("output", "A")))


def _closer(plan: SweepPlan, tolerance: Tolerance | None, load: float, good_v: float, bad_v: float) -> Generator[Step, str | None, None]:
    """Halve the stretch in which the output leaves tolerance, as long as it is on."""
    for _ in range(_HALVINGS):
        middle = round((good_v + bad_v) / 2, 3)
        yield _point(plan, good_v, load)
        seen = _seen((yield _point(plan, middle, load)))
        if seen is None or tolerance is None:
            return
        if tolerance.holds(seen[1]):
            good_v = middle
        else:
            bad_v = middle


def _seen(answer: str | None) -> tuple[float, float] | None:
    """(input W, output V) of a point, None where the output is off; without a bench all is well."""
    if answer is None:
        return 0.0, float("nan")
    if answer == OFF:
        return None
    watts, _, volts = answer.removeprefix(ON).partition(" ")
    return float(watts or 0.0), float(volts or "nan")


def _point(plan: SweepPlan, volts: float, load: float) -> Point:
    return Point(volts, load, 0.5, plan.settle_s, plan.at_most_s, f"{plain(volts)} V in, {plain(load)} A out.", plan.most, (cautions.WARM,))
