"""The ± once more, by drawing every error at once: a cross-check of what sensitivities make of it. JCGM 101."""

from __future__ import annotations

import math
import zlib
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ubrant.core.quantities.quantity import show
from ubrant.core.quantities.readings import Array
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.sources import ErrorSource
from ubrant.core.uncertainty.value import Draw
from ubrant.core.wording import say

DRAWS = 512
"""Of a Sobol sequence: a power of two. Standard uncertainties come out to about 1 %."""
SEED = 101
AGREE = 0.05
"""Standard uncertainties may differ by so much."""
_LOW, _HIGH = 0.02275, 0.97725
_SKEWED = 0.2
"""Where the middle of what 95 % of the draws lie between is off the mean by over this share of half of it, its width counts."""
_MOST_SOURCES = 32
_SELDOM = 0.98
"""A finding that fewer of the draws have has no spread to speak of."""


class Draws:
    """So many draws of any errors, evenly spread: the same in every order and every process."""

    def __init__(self, count: int = DRAWS, seed: int = SEED) -> None:
        self.count, self._seed = count, seed
        self._places: dict[Hashable, int] = {}

    @cached_property
    def _sobol(self) -> Array:
        from scipy.stats import qmc  # all of SciPy is slow to load, and this seldom needed

        return np.asarray(qmc.Sobol(_MOST_SOURCES, seed=self._seed).random(self.count))

    def share(self, what: Hashable, k: int) -> float:
        """Between 0 and 1, of one error in one draw."""
        place = self._places.setdefault(what, len(self._places))
        if place < _MOST_SOURCES:
            return float(self._sobol[k, place])
        order = np.random.default_rng((self._seed, zlib.crc32(repr(what).encode()))).permutation(self.count)
        return (float(order[k]) + 0.5) / self.count

    def within(self, what: Hashable, k: int) -> float:
        """Anywhere from −1 to 1."""
        return 2 * self.share(what, k) - 1

    def drawing(self, k: int, sizes: Mapping[ErrorSource, Sequence[float]]) -> Draw:
        """Errors that come in with the sums, in one draw."""

        from scipy.special import ndtri

        def of(source: ErrorSource) -> float:
            if source.half > 0:
                return self.within(source, k) * math.sqrt(3)
            return float(ndtri(min(max(self.share(source, k), 1e-9), 1 - 1e-9)))

        return Draw(of, sizes)


@dataclass(frozen=True)
class Simulated:
    """What the draws say of one finding.

    Attributes
    ----------
    linear_u, drawn_u : standard uncertainties, propagated and drawn; NaN where too few of the draws had it
    low, high : 95.45 % of the draws lie between
    """

    key: str
    name: str
    unit: str
    linear_u: float
    drawn_u: float
    low: float
    high: float

    @property
    def agrees(self) -> bool:
        return abs(self.drawn_u - self.linear_u) <= AGREE * max(self.linear_u, 1e-300)

    def sentence(self) -> str:
        """Whether both agree; where they do not, between what it lies."""
        if math.isnan(self.drawn_u):
            return say("{name}: with other errors there is often none, and no ± by draws.", name=self.name)
        if self.agrees:
            return say(
                "{name}: u = {drawn} {unit} by {draws} draws, {linear} by propagation: they agree.",
                name=self.name,
                drawn=show(self.drawn_u, 3),
                unit=self.unit,
                draws=DRAWS,
                linear=show(self.linear_u, 3),
            )
        return say(
            "{name}: u = {drawn} {unit} by {draws} draws, {linear} by propagation: it lies between {low} and {high} {unit} (95 %).",
            name=self.name,
            drawn=show(self.drawn_u, 3),
            unit=self.unit,
            draws=DRAWS,
            linear=show(self.linear_u, 3),
            low=show(self.low, 5),
            high=show(self.high, 5),
        )


def simulated(finding: Finding, draws: Sequence[float | None]) -> Simulated:
    """A finding against what it was in each draw; half of what 95.45 % lie between stands for 2 u where that is skewed."""
    found = np.array([v for v in draws if v is not None and math.isfinite(v)])
    linear = finding.standard_uncertainty or 0.0
    if len(found) < _SELDOM * len(draws):
        return Simulated(finding.key, finding.name, finding.unit, linear, math.nan, math.nan, math.nan)
    low, high = (float(v) for v in np.quantile(found, (_LOW, _HIGH)))
    u, half = float(np.std(found)), (high - low) / 2
    if abs((high + low) / 2 - float(np.mean(found))) > _SKEWED * half:
        u = half / 2
    return Simulated(finding.key, finding.name, finding.unit, linear, u, low, high)


def draws_in_short(found: Sequence[Simulated]) -> str:
    """What the draws say of all of them, a line each for those whose ± is too small; empty for none."""
    if not found:
        return ""
    short = [one for one in found if not one.agrees and not one.drawn_u < one.linear_u]
    wide = sum(one.drawn_u < one.linear_u for one in found if not one.agrees)
    alike = len(found) - len(short) - wide
    said = [
        say(
            "By {draws} draws of every error at once {n} of {m} figures have the ± they should have, within 5 %: they agree.",
            draws=DRAWS,
            n=alike,
            m=len(found),
        )
    ]
    if wide:
        said.append(say("{n} have one that is wider than need be.", n=wide))
    return "\n".join((" ".join(said), *(one.sentence() for one in short)))
