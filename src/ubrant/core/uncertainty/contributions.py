"""Uncertainty after JCGM 100 (the GUM): where a ± comes from, and how its parts combine.

A contribution is signed and knows the error it comes from. Two figures made from the same error share its source, so that a ratio of them can cancel it;
different sources are independent.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace

from ubrant.core.uncertainty.sources import ErrorKind, ErrorSource
from ubrant.core.uncertainty.value import Parts

COVERAGE = 2.0
"""k where nothing rests on few repeats: U = k·u covers 95.45 % of a normal distribution."""
_COVERED = 0.954499736
"""What k = 2 covers; the same is asked of Student's t."""


@dataclass(frozen=True)
class Contribution:
    """One error's part in a figure.

    Attributes
    ----------
    source : the error it comes from
    amount : signed standard uncertainty in the figure's own unit (sensitivity × standard uncertainty)
    """

    source: ErrorSource
    amount: float

    def times(self, factor: float) -> Contribution:
        return Contribution(self.source, self.amount * factor)


_ENDLESS = 10_000
Contributions = tuple[Contribution, ...]


def merged(contributions: Iterable[Contribution]) -> Contributions:
    """Contributions with the same source added up, signs kept, largest first."""
    return of_parts(by_source(contributions))


def of_parts(parts: Parts) -> Contributions:
    """Contributions of a value, largest first."""
    return tuple(sorted((Contribution(s, a) for s, a in parts.items() if a), key=lambda c: -abs(c.amount)))


def told_of(contributions: Iterable[Contribution]) -> Contributions:
    """As people are told of them: what many readings were rounded by stands as one, root of the squares."""
    squares: dict[ErrorSource, float] = {}
    told: list[Contribution] = []
    for part in merged(contributions):
        if part.source.kind is ErrorKind.DIGIT and part.source.when:
            all_of_them = replace(part.source, when="", half=math.nan)
            squares[all_of_them] = math.hypot(squares.get(all_of_them, 0.0), part.amount)
        else:
            told.append(part)
    return of_parts({**{c.source: c.amount for c in told}, **squares})


def by_source(contributions: Iterable[Contribution]) -> Parts:
    """By source what contributions come to, as a value carries it."""
    amounts: dict[ErrorSource, float] = {}
    for part in contributions:
        amounts[part.source] = amounts.get(part.source, 0.0) + part.amount
    return amounts


def combined(contributions: Iterable[Contribution]) -> float:
    """Standard uncertainty u of a figure: parts of one source add with their signs, sources add in quadrature."""
    return math.hypot(*(c.amount for c in merged(contributions)))


def effective_dof(contributions: Iterable[Contribution]) -> float:
    """ν_eff = u⁴ ÷ Σ uᵢ⁴ ÷ νᵢ, for parts that are independent of each other. JCGM 100, G.4.1 (Welch-Satterthwaite)."""
    parts = merged(contributions)
    largest = max((abs(c.amount) for c in parts), default=0.0)
    under = sum((c.amount / largest) ** 4 / c.source.dof for c in parts if math.isfinite(c.source.dof) and c.source.dof > 0)
    return sum((c.amount / largest) ** 2 for c in parts) ** 2 / under if under else math.inf


def whole_dof(contributions: Iterable[Contribution]) -> float:
    """ν_eff rounded down (JCGM 100, G.4.2), at least 1; a whole number but for the last digits of a float is that number."""
    nu = effective_dof(contributions)
    return max(math.floor(nu * (1 + 1e-9)), 1) if math.isfinite(nu) else nu


def coverage(contributions: Iterable[Contribution]) -> float:
    """k for U = k·u: Student's t at 95.45 % with the effective degrees of freedom rounded down, 2 where they are infinite."""
    return coverage_of(whole_dof(contributions))


def coverage_of(nu: float) -> float:
    """Student's t at 95.45 % with so many degrees of freedom, which need not be whole; 2 where they are infinite."""
    if nu > _ENDLESS:
        return COVERAGE
    from scipy.special import stdtrit  # slow to load, and seldom needed

    return float(stdtrit(nu, 0.5 + _COVERED / 2))
