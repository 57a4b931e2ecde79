"""A label used as a value: the pencil sum stays, and what comes out may be a good deal less, never much more."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ubrant.core.quantities.label import Label
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import Value, exactly, scattered
from ubrant.core.wording import say, words

Shares = tuple[float, ...]
LOW_SHARE = 0.65
"""Of the label, at least so much comes out of a thing that works. Common practice, no source."""


@dataclass(frozen=True)
class Holds:
    """What a battery, bank or station holds in Wh.

    Attributes
    ----------
    energy : measured, or as its label says
    lower_wh : by how much it may hold less, one-sided; 0 for a measured figure
    why : where it comes from, in a few words
    """

    energy: Value
    lower_wh: float
    why: str

    @property
    def energy_wh(self) -> float:
        return self.energy.value

    @property
    def lower(self) -> float:
        """By what share of it it may hold less."""
        return self.lower_wh / self.energy_wh if self.energy_wh else 0.0

    @property
    def is_label(self) -> bool:
        return self.lower_wh > 0


def held_by_label(energy_wh: float, low_share: float = LOW_SHARE) -> Holds:
    why = say("{wh} Wh on its label, {low} to 100 % of it", wh=show(energy_wh), low=plain(100 * low_share))
    return Holds(exactly(energy_wh), (1 - low_share) * energy_wh, why)


def measured(energy_wh: float, expanded_u: float | None, whose: str = "") -> Holds:
    """``whose`` it is tells its error from that of another that was measured."""
    energy = (
        Value(energy_wh, None) if expanded_u is None else energy_wh + scattered(expanded_u / 2, words("measured usable energy"), when=whose)
    )
    return Holds(energy, 0.0, say("{wh} Wh, measured", wh=show(energy_wh)))


def held_by_source(label: Label | None, usable_wh: float | None = None, expanded_u: float | None = None) -> Holds | None:
    """As it was measured, where it was; else as its label says; None where neither is known."""
    if usable_wh:
        return measured(usable_wh, expanded_u)
    return held_by_label(label.energy_wh) if label is not None and label.energy_wh else None


def doubtful(key: str, name: str, value: Value, unit: str, working: str, *, lower: Shares = (), higher: Shares = ()) -> Finding:
    """A figure with what may make it less or more for reasons that lie on one side only.

    Parameters
    ----------
    lower, higher : by what shares of it each reason lowers or raises it; they are independent
    """
    down, up = (math.hypot(*shares) * value.value if shares else 0.0 for shares in (lower, higher))
    return Finding.made(key, name, value, unit, working, sides=(down, up))


def in_quarters(value: float) -> str:
    """As people say it: ``about 1¾``, ``about 6``."""
    if value >= 5:
        return say("about {n}", n=round(value))
    whole, part = divmod(round(4 * value), 4)
    shown = f"{whole if whole or not part else ''}{('', '¼', '½', '¾')[part]}"
    return say("about {n}", n=shown) if value > 0.12 else say("hardly any")
