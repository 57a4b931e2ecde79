"""When a figure lies far enough from a limit for a verdict: further than the ± that is shown, for a wrong verdict costs more than a wide one."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from ubrant.core.uncertainty.contributions import COVERAGE, coverage_of, effective_dof, of_parts
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.sources import ErrorKind
from ubrant.core.uncertainty.value import scattered
from ubrant.core.wording import words

GUARD = 2.2
"""Standard uncertainties between a figure and a limit, with the t of few repeats: JCGM 106, 8.3, guarded acceptance *and* guarded rejection."""
COMMON_SHARE, COMMON_DOF = 0.01, 5
"""How nearly a battery gives the same again, as a standard deviation of one run over its mean, and how much that weighs beside its own runs.
Common practice, no source: the spread from one cycle to the next is kept no closer than that in a room without a chamber."""


NO_ACCURACY = 0.05
"""A figure of a meter of nobody's accuracy is off by no more than this share, for the question whether it can be. Common practice, no source."""


@dataclass(frozen=True)
class Repeats:
    """How nearly a battery gives the same again: its own runs like this one, pooled with what is common.

    Attributes
    ----------
    others : what each of its other runs like this one gave, over what this one gave
    """

    others: tuple[float, ...] = ()

    @property
    def mean(self) -> float:
        """What all of them gave in the middle, over what this one gave."""
        return (1.0 + sum(self.others)) / (1 + len(self.others))

    @property
    def of_one(self) -> float:
        """Relative standard deviation of one run (JCGM 100, 4.2.2, pooled)."""
        return self._pooled[0]

    @property
    def _pooled(self) -> tuple[float, int]:
        squares = sum((ratio / self.mean - 1) ** 2 for ratio in (1.0, *self.others))
        return pooled(squares, len(self.others))

    @property
    def of_mean(self) -> tuple[float, int]:
        """(relative standard uncertainty of the mean, degrees of freedom)."""
        share, dof = self._pooled
        return share / math.sqrt(1 + len(self.others)), dof


ONCE = Repeats()
"""A single run: what is common is all that is known."""


def pooled(squares: float, dof: int) -> tuple[float, int]:
    """(relative standard deviation of one run, degrees of freedom) of one's own repeats, pooled with what is common."""
    return math.sqrt((squares + COMMON_DOF * COMMON_SHARE**2) / (dof + COMMON_DOF)), dof + COMMON_DOF


def as_judged(finding: Finding, repeats: Repeats) -> Finding:
    """The figure as a verdict takes it: in the middle of all runs like it, with how nearly it comes again in its doubt."""
    if finding.value is None or finding.contributions is None:
        return finding
    share, dof = repeats.of_mean
    value = finding.known * repeats.mean
    again = value + scattered(share * abs(value.value), words("what it gives from one run to the next"), dof, kind=ErrorKind.REPEAT)
    return replace(finding, value=value.value, contributions=of_parts(again.parts or {}))


def guard(finding: Finding) -> float | None:
    """How far from a limit the figure has to lie, in its unit; None where nobody knows its ±."""
    u = finding.standard_uncertainty
    return None if u is None else GUARD / COVERAGE * guard_t(finding) * u


def guard_t(finding: Finding) -> float:
    """Student's t by the effective degrees of freedom as they are, not rounded down (JCGM 100, G.4.2): a guard is no ± that is stated."""
    return coverage_of(max(effective_dof(finding.contributions or ()), 1.0))


def decided(finding: Finding, limit: float) -> int:
    """1 where it surely lies above the limit, -1 where it surely lies below, 0 where nobody can tell."""
    room = guard(finding)
    if finding.value is None or room is None:
        return 0
    return 1 if finding.value - room > limit else -1 if finding.value + room < limit else 0


def seems(finding: Finding, limit: float) -> int:
    """As :func:`decided`, for what is only asked: where nobody said how good a meter is, by what such meters usually are."""
    if finding.value is None or guard(finding) is not None:
        return decided(finding, limit)
    room = NO_ACCURACY * max(abs(finding.value), abs(limit))
    return 1 if finding.value - room > limit else -1 if finding.value + room < limit else 0
