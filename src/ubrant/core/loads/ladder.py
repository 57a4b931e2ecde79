"""The volts at which a thing starts, falters, goes off and comes back: each between the last step at which it did and the first at which it did not."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ubrant.core.quantities.jot import FALTERS, LIMITED, NO_START, OFF, RUNS, STARTS
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST

_SETTLED = 1e-3
"""V by which a step has to be higher before it counts as raised."""


@dataclass(frozen=True)
class LadderStep:
    """One step: ``volts`` at the thing's own terminals, half of their last digit, ``amps`` (None where they were not read), what became of it, and in whose words."""

    volts: float
    half_v: float
    fate: str
    amps: float | None = None
    words: str = ""


@dataclass(frozen=True)
class LadderEdge:
    """Where something changes. ``did`` is the lowest step at which it did above all at which it did not, ``did_not`` the highest of those; None where
    there is none. ``before`` is a step at which it did although it had not at a higher one.
    """

    did: LadderStep | None
    did_not: LadderStep | None
    before: LadderStep | None = None

    @property
    def bound(self) -> str:
        """Which side alone is known; empty where both are."""
        if self.did is not None and self.did_not is not None:
            return ""
        return AT_MOST if self.did is not None else AT_LEAST

    @property
    def middle_v(self) -> float:
        ends = [one.volts for one in (self.did, self.did_not) if one is not None]
        return sum(ends) / len(ends)

    @property
    def half_v(self) -> float:
        """Half of the way between its two steps."""
        return (self.did.volts - self.did_not.volts) / 2 if self.did is not None and self.did_not is not None else 0.0

    @property
    def digit_v(self) -> float:
        return max(one.half_v for one in (self.did, self.did_not) if one is not None)


@dataclass(frozen=True)
class Climbed:
    """What a ladder says.

    Attributes
    ----------
    holds : above it runs as it should, below it does not
    stays_on : above it is on, below it goes off
    starts : switched on anew
    comes_back : by itself, while the volts rise and nobody switches
    on : the steps at which it ran, the highest first
    limited : the steps at which the supply was at its own limit, which say nothing of it
    """

    holds: LadderEdge | None
    stays_on: LadderEdge | None
    starts: LadderEdge | None
    comes_back: LadderEdge | None
    on: tuple[LadderStep, ...]
    limited: tuple[LadderStep, ...]


def climb(steps: Sequence[LadderStep], limit_a: float | None = None) -> Climbed:
    """The edges of a ladder, from steps in their order.

    *runs* and *falters* say that it is on, *off* that it is not: having been on it went off there; having been off, with the volts raised, it did
    not come back by itself. *starts* and *does not start* are said of a step at which it was switched on anew; *runs* at the step above one at which it
    did not start is a start, too.

    Parameters
    ----------
    limit_a : what the supply gives at most; at a step that takes as much it was the supply
    """
    told = _starts_said([one for one in steps if not is_limited(one, limit_a)])
    limited = tuple(one for one in steps if is_limited(one, limit_a))
    fine: list[LadderStep] = []
    not_fine: list[LadderStep] = []
    on: list[LadderStep] = []
    went_off: list[LadderStep] = []
    back: list[LadderStep] = []
    not_back: list[LadderStep] = []
    was: LadderStep | None = None
    for one in told:
        is_on = one.fate in {RUNS, FALTERS, STARTS}
        risen_off = was is not None and was.fate in {OFF, NO_START} and one.volts > was.volts + _SETTLED
        if is_on:
            on.append(one)
            (not_fine if one.fate == FALTERS else fine).append(one)
            if risen_off and one.fate != STARTS:
                back.append(one)
        elif one.fate == OFF and risen_off:
            not_back.append(one)
        elif one.fate == OFF and was is not None and was.fate in {RUNS, FALTERS, STARTS}:
            went_off.append(one)
            if was.fate != FALTERS:
                not_fine.append(one)
        was = one
    tried = [one for one in told if one.fate == STARTS], [one for one in told if one.fate == NO_START]
    return Climbed(
        _edge(fine, not_fine),
        _edge(on, went_off),
        _edge(*tried),
        _edge(back, [*not_back, *(one for one in went_off if back)]),
        tuple(sorted(on, key=lambda one: -one.volts)),
        limited,
    )


def _starts_said(steps: Sequence[LadderStep]) -> list[LadderStep]:
    """*runs* straight after *does not start*, and higher up, is *starts*: it was being tried anew at each."""
    found: list[LadderStep] = []
    for one in steps:
        tried = bool(found) and found[-1].fate == NO_START and one.fate == RUNS and one.volts > found[-1].volts
        found.append(replace(one, fate=STARTS) if tried else one)
    return found


def is_limited(step: LadderStep, limit_a: float | None) -> bool:
    """Whether the supply was at its own limit, by what a person said or by what flowed."""
    return step.fate == LIMITED or (limit_a is not None and step.amps is not None and abs(step.amps) >= 0.97 * limit_a)


def _edge(did: Sequence[LadderStep], did_not: Sequence[LadderStep]) -> LadderEdge | None:
    """The higher failure counts: what fails once may fail again."""
    highest = max(did_not, key=lambda one: one.volts, default=None)
    above = [one for one in did if highest is None or one.volts > highest.volts]
    lowest = min(above, key=lambda one: one.volts, default=None)
    if lowest is None and highest is None:
        return None
    below = [one for one in did if highest is not None and one.volts <= highest.volts]
    return LadderEdge(lowest, highest, max(below, key=lambda one: one.volts, default=None))
