"""A value of an outlook and what it may be instead, to be drawn from."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, replace

import numpy as np

from ubrant.core.quantities.quantity import NUMBER, QuantityError, parse_quantity, plain
from ubrant.core.quantities.readings import Array
from ubrant.core.uncertainty.contributions import COVERAGE
from ubrant.core.uncertainty.value import rectangular
from ubrant.core.wording import say

ABOUT = 0.10
"""Half-width of what is written with a ``~``, as a share of it. Common practice, no source."""


@dataclass(frozen=True)
class Uncertain:
    """A middle, which the pencil sum takes, and what draws take.

    Attributes
    ----------
    value : the middle
    u : standard uncertainty of a normal distribution; 0 where ``low`` and ``high`` are given
    low, high : ends of a rectangle that need not lie alike about the middle; None for none
    """

    value: float
    u: float = 0.0
    low: float | None = None
    high: float | None = None

    @property
    def standard_u(self) -> float:
        """Standard uncertainty, of either kind."""
        if self.low is None or self.high is None:
            return self.u
        return rectangular((self.high - self.low) / 2)

    @property
    def is_sure(self) -> bool:
        return not self.standard_u > 0

    def times(self, factor: float) -> Uncertain:
        """The same, a factor larger."""
        low, high = (None if end is None else end * factor for end in (self.low, self.high))
        return Uncertain(self.value * factor, self.u * abs(factor), low, high)

    def draw(self, rng: np.random.Generator, count: int) -> Array:
        """(count,) of it, never across zero from its middle."""
        if self.low is not None and self.high is not None:
            found = rng.uniform(self.low, self.high, count)
        elif self.u:
            found = self.value + self.u * rng.standard_normal(count)
        else:
            return np.full(count, self.value)
        return np.maximum(found, 0.0) if self.value >= 0 else found

    def text(self, unit: str) -> str:
        """``62 ± 0.8 W``, ``416 to 640 Wh``."""
        if self.low is not None and self.high is not None and self.high > self.low:
            return say("{low} to {high} {unit}", low=plain(self.low, 3), high=plain(self.high, 3), unit=unit)
        wide = f" ± {plain(COVERAGE * self.u, 2)}" if self.u else ""
        return f"{plain(self.value)}{wide} {unit}"


def parse_spread(text: str, unit: str, *, bare: bool = False) -> Uncertain:
    """Read ``45 W``, ``45 ± 3 W`` (about 95 % of it), ``40..50 W``, ``~45 W`` (± 10 %).

    Parameters
    ----------
    bare : whether a number without a unit is taken in ``unit``

    Raises
    ------
    QuantityError
        Not understood, or without a unit; says how to write it.
    """
    text = text.strip()
    if match := re.fullmatch(rf"({NUMBER})\s*(?:\.\.|…|–|to)\s*({NUMBER})\s*(\D*)", text):
        low, high = (_quantity(f"{part} {match[3]}", unit, bare) for part in (match[1], match[2]))
        if high < low:
            raise QuantityError(say("“{what}”: the smaller value comes first, like “40..50 {unit}”.", what=text, unit=unit))
        return Uncertain((low + high) / 2, 0.0, low, high)
    if match := re.fullmatch(rf"({NUMBER})\s*(?:±|\+/-|\+-)\s*({NUMBER})\s*(\D*)", text):
        value, half = (_quantity(f"{part} {match[3]}", unit, bare) for part in (match[1], match[2]))
        if abs(half) > abs(value):
            raise QuantityError(
                say("“{what}”: what it may be off by is more than it is itself. Write it like “10..90 {unit}”.", what=text, unit=unit)
            )
        return Uncertain(value, abs(half) / COVERAGE)
    if text.startswith("~"):
        value = _quantity(text[1:], unit, bare)
        return Uncertain(value, 0.0, value - abs(value) * ABOUT, value + abs(value) * ABOUT)
    return Uncertain(_quantity(text, unit, bare))


def _quantity(text: str, unit: str, bare: bool) -> float:
    text = text.strip()
    if not bare and re.fullmatch(NUMBER, text):
        raise QuantityError(say("“{what}” has no unit: write it like “{what} {unit}”.", what=text, unit=unit))
    return parse_quantity(text, unit)


def share_of(text: str) -> Uncertain:
    """``80 %``, ``0.8``, ``75..85 %`` as a share of 0 to 1.

    Raises
    ------
    QuantityError
        Not a share.
    """
    text = text.strip()
    if re.fullmatch(r"0?[.,]\d+|[01](?:[.,]0*)?", text):
        return Uncertain(float(text.replace(",", ".")))
    found = parse_spread(text, "%").times(0.01)
    if not 0 <= found.value <= 1 or not math.isfinite(found.value):
        raise QuantityError(say("“{what}” is no share: it lies between 0 and 100 %.", what=text))
    return found


def clipped_to(spread: Uncertain, lowest: float, highest: float) -> Uncertain:
    """With its rectangle kept inside these ends."""
    low, high = (None if end is None else min(max(end, lowest), highest) for end in (spread.low, spread.high))
    return replace(spread, low=low, high=high)


ALL, NONE = Uncertain(1.0), Uncertain(0.0)
"""All of it, and nothing, without a doubt."""
