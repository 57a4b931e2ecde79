"""Uncertainty after JCGM 100 (the GUM): where a ± comes from, and how its parts combine.

A contribution is signed and named after the error it comes from ("current gain of Meter A"). Two figures made from the same
error share its name, so that a ratio of them can cancel it; different names are independent.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

COVERAGE = 2.0
"""k where nothing rests on few repeats: U = k·u covers 95.45 % of a normal distribution."""
LINEARITY = 0.25
"""Of the limit of a meter's gain, that does not cancel between two readings in one range. Common practice, no source."""
_COVERED = 0.954499736
"""What k = 2 covers; the same is asked of Student's t."""


@dataclass(frozen=True)
class Contribution:
    """One error's part in a figure.

    Attributes
    ----------
    source : the error it comes from; the same name means the same error
    amount : signed standard uncertainty in the figure's own unit (sensitivity × standard uncertainty)
    why : the arithmetic, for people
    dof : degrees of freedom behind it: repeats less what was fitted; infinite for limits of error
    """

    source: str
    amount: float
    why: str = ""
    dof: float = math.inf

    def times(self, factor: float) -> Contribution:
        return Contribution(self.source, self.amount * factor, self.why, self.dof)


_ENDLESS = 10_000
Contributions = tuple[Contribution, ...]


def rectangular(half_width: float) -> float:
    """Standard uncertainty of a value anywhere within ± ``half_width``. JCGM 100, 4.3.7."""
    return half_width / math.sqrt(3)


def merged(contributions: Iterable[Contribution]) -> Contributions:
    """Contributions with the same source added up, signs kept, largest first."""
    by_source: dict[str, Contribution] = {}
    for part in contributions:
        known = by_source.get(part.source)
        if known is None:
            by_source[part.source] = part
        else:
            by_source[part.source] = Contribution(
                part.source, known.amount + part.amount, _both(known.why, part.why), min(known.dof, part.dof)
            )
    return tuple(sorted((c for c in by_source.values() if c.amount), key=lambda c: -abs(c.amount)))


def _both(one: str, other: str) -> str:
    return one if not other or one == other else f"{one}; {other}" if one else other


def combined(contributions: Iterable[Contribution]) -> float:
    """Standard uncertainty u of a figure: parts of one source add with their signs, sources add in quadrature."""
    return math.hypot(*(c.amount for c in merged(contributions)))


def effective_dof(contributions: Iterable[Contribution]) -> float:
    """ν_eff = u⁴ ÷ Σ uᵢ⁴ ÷ νᵢ, for parts that are independent of each other. JCGM 100, G.4.1 (Welch-Satterthwaite)."""
    parts = merged(contributions)
    largest = max((abs(c.amount) for c in parts), default=0.0)
    under = sum((c.amount / largest) ** 4 / c.dof for c in parts if math.isfinite(c.dof) and c.dof > 0)
    return sum((c.amount / largest) ** 2 for c in parts) ** 2 / under if under else math.inf


def whole_dof(contributions: Iterable[Contribution]) -> float:
    """ν_eff rounded down (JCGM 100, G.4.2), at least 1; a whole number but for the last digits of a float is that number."""
    nu = effective_dof(contributions)
    return max(math.floor(nu * (1 + 1e-9)), 1) if math.isfinite(nu) else nu


def coverage(contributions: Iterable[Contribution]) -> float:
    """k for U = k·u: Student's t at 95.45 % with the effective degrees of freedom rounded down, 2 where they are infinite."""
    nu = whole_dof(contributions)
    if nu > _ENDLESS:
        return COVERAGE
    from scipy.special import stdtrit  # slow to load, and seldom needed

    return float(stdtrit(nu, 0.5 + _COVERED / 2))


def of_ratio(top: float, top_parts: Contributions, bottom: float, bottom_parts: Contributions) -> Contributions:
    """Contributions of top ÷ bottom; an error that both share cancels as far as it is the same in both."""
    over = [c.times(1 / bottom) for c in top_parts]
    under = [c.times(-top / bottom**2) for c in bottom_parts]
    return merged(over + under)
