"""A label used as a value: the pencil sum stays, and what comes out may be a good deal less, never much more."""

from __future__ import annotations

from dataclasses import dataclass

from ubrant.core.quantities.label import Label
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.uncertainty.contributions import Contribution, Contributions
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say

LOW_SHARE = 0.65
"""Of the label, at least so much comes out of a thing that works. Common practice, no source."""


@dataclass(frozen=True)
class Holds:
    """What a battery, bank or station holds in Wh.

    Attributes
    ----------
    energy_wh : measured, or as its label says
    contributions : of a measured figure; empty for a label, None for a measured one without a ±
    lower_wh : by how much it may hold less, one-sided; 0 for a measured figure
    why : where it comes from, in a few words
    """

    energy_wh: float
    contributions: Contributions | None
    lower_wh: float
    why: str

    @property
    def is_label(self) -> bool:
        return self.lower_wh > 0


def of_label(energy_wh: float, low_share: float = LOW_SHARE) -> Holds:
    why = say("{wh} Wh on its label, {low} to 100 % of it", wh=show(energy_wh), low=plain(100 * low_share))
    return Holds(energy_wh, (), (1 - low_share) * energy_wh, why)


def measured(energy_wh: float, expanded_u: float | None, whose: str = "") -> Holds:
    """``whose`` it is tells its error from that of another that was measured."""
    parts = None if expanded_u is None else (Contribution(say("measured usable energy {whose}", whose=whose).strip(), expanded_u / 2),)
    return Holds(energy_wh, parts, 0.0, say("{wh} Wh, measured", wh=show(energy_wh)))


def held(label: Label | None, usable_wh: float | None = None, expanded_u: float | None = None) -> Holds | None:
    """As it was measured, where it was; else as its label says; None where neither is known."""
    if usable_wh:
        return measured(usable_wh, expanded_u)
    return of_label(label.energy_wh) if label is not None and label.energy_wh else None


def product(
    key: str, name: str, value: float, unit: str, factors: tuple[tuple[Contributions | None, float, float, float], ...], working: str
) -> Finding:
    """A product or quotient of several figures with ± and one-sided doubts.

    Parameters
    ----------
    factors : for each its contributions (None for no ±), its value, and by how much it lowers and raises the result, as shares of it: the
        contributions with the sign of its exponent in the value given (negative for a divisor)
    """
    parts: list[Contribution] = []
    known = all(factor[0] is not None for factor in factors)
    down = up = 0.0
    for contributions, of, lower, higher in factors:
        parts += [part.times(value / of) for part in contributions or ()]
        down += (lower * value) ** 2
        up += (higher * value) ** 2
    return Finding(key, name, value, unit, tuple(parts) if known else None, working, sides=(down**0.5, up**0.5))


def in_quarters(value: float) -> str:
    """As people say it: ``about 1¾``, ``about 6``."""
    if value >= 5:
        return say("about {n}", n=round(value))
    whole, part = divmod(round(4 * value), 4)
    shown = f"{whole if whole or not part else ''}{('', '¼', '½', '¾')[part]}"
    return say("about {n}", n=shown) if value > 0.12 else say("hardly any")
