"""The ± once more, by drawing every error at random: a cross-check of the linear propagation. JCGM 101."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.quantity import show
from ubrant.core.record.readings import Array
from ubrant.core.uncertainty.contributions import Contribution
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say

DRAWS = 100_000
SEED = 101
AGREE = 0.05
"""Standard uncertainties may differ by so much."""
_LOW, _HIGH = 0.02275, 0.97725


@dataclass(frozen=True)
class Simulated:
    """What the draws say of one finding.

    Attributes
    ----------
    linear_u, drawn_u : standard uncertainties, propagated and drawn
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


def uniform(rng: np.random.Generator, limit: float) -> Array:
    """Draws of an error anywhere within its limit."""
    return np.asarray(rng.uniform(-limit, limit, DRAWS))


def of_part(rng: np.random.Generator, part: Contribution, *, normal: bool) -> Array:
    """Draws of an error with this standard uncertainty: what was repeated as normal, a limit as rectangular."""
    if normal:
        return np.asarray(rng.normal(0.0, abs(part.amount), DRAWS))
    return uniform(rng, abs(part.amount) * 3**0.5)


def simulated(finding: Finding, draws: Array) -> Simulated:
    """A finding against its draws."""
    low, high = np.quantile(draws, (_LOW, _HIGH))
    return Simulated(
        finding.key, finding.name, finding.unit, finding.standard_uncertainty or 0.0, float(np.std(draws)), float(low), float(high)
    )
