"""The ± once more, by drawing every error at random: a cross-check of the linear propagation. JCGM 101."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.quantity import show
from ubrant.core.record.readings import Array
from ubrant.core.uncertainty.contributions import Contribution, merged
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


NODES = (-1.0, -0.5, 0.0, 0.5, 1.0)
"""Shares of an error's limit at which the account is made again; between them it is read off in straight lines."""
_REPEATED = re.compile(r"\b(?:noise|scatter|unsteadiness|steadiness)\b")
_OF_METERS = re.compile(r"\b(?:voltage|current|power)\b.*\b(?:gain|zero|linearity)\b|\blinearity\b")


def drawn(finding: Finding, by_error: Sequence[Sequence[float | None]]) -> Simulated:
    """A finding by draws of every error: those of meters through what the account said at each of NODES, all others by their own size.

    Parameters
    ----------
    by_error : for each error of a meter the finding's value at each of NODES; None where it said nothing there
    """
    rng = np.random.default_rng(SEED)
    usual = finding.value or 0.0
    draws = np.full(DRAWS, usual)
    for values in by_error:
        said = np.array([usual if v is None else v for v in values])
        draws += np.interp(rng.uniform(-1.0, 1.0, DRAWS), NODES, said) - usual
    for part in merged(finding.contributions or ()):
        if not _OF_METERS.search(part.source):
            draws += _of_part(rng, part)
    return simulated(finding, draws)


def _of_part(rng: np.random.Generator, part: Contribution) -> Array:
    """Draws of an error with this standard uncertainty: what was repeated as normal, a limit as rectangular."""
    if math.isfinite(part.dof) or _REPEATED.search(part.source):
        return np.asarray(rng.normal(0.0, abs(part.amount), DRAWS))
    limit = abs(part.amount) * math.sqrt(3)
    return np.asarray(rng.uniform(-limit, limit, DRAWS))


def simulated(finding: Finding, draws: Array) -> Simulated:
    """A finding against its draws."""
    low, high = np.quantile(draws, (_LOW, _HIGH))
    return Simulated(
        finding.key, finding.name, finding.unit, finding.standard_uncertainty or 0.0, float(np.std(draws)), float(low), float(high)
    )
