"""How much a test would narrow an answer, from draws of the answer and of what the test would read.

A preposterior analysis (Raiffa & Schlaifer, *Applied Statistical Decision Theory*, 1961; Howard, "Information Value Theory", 1966). Nothing is walked a second
time: the draws near a result are moved onto it along the local slope (the regression adjustment of Beaumont, Zhang & Balding 2002), and what the test itself
may be off by is put in its place. So a few hundred draws of an answer do for every test there is.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import NormalDist

import numpy as np

from ubrant.core.quantities.quantity import show_duration
from ubrant.core.quantities.readings import Array

LOOKS = 15
"""Results of a test that are thought through, each as likely as the others."""
_NEAR = 0.25
"""Of a spread: draws that lie so near a result speak for it, as a standard deviation."""
BAND = (5.0, 95.0)
_FEWEST = 30


def half_width_told(seconds: float) -> str:
    """A half-width as people say it: ``7 h``, ``1 h 25 min``, ``12 min``."""
    step = 3600 if seconds >= 10 * 3600 else 300 if seconds >= 3600 else 60 if seconds >= 600 else 30 if seconds >= 120 else 1
    return show_duration(round(seconds / step) * step)


@dataclass(frozen=True, eq=False)
class TestReading:
    """What a test would read, draw by draw.

    Attributes
    ----------
    values : (N,) of what it reads, as it truly is
    u : standard uncertainty with which the test says it
    """

    __test__ = False
    values: Array
    u: float

    @property
    def tells(self) -> bool:
        """Whether it says more of it than is known already."""
        return float(np.std(self.values)) > max(self.u, 0.0) * (1 + 1e-9)


@dataclass(frozen=True)
class Narrowed:
    """Half-widths of an answer's band: as it stands, and as it would be in the mean over what the test may say.

    Attributes
    ----------
    changes : chance that the test would change what one decides; None where nothing is to be decided
    """

    before: float
    after: float
    changes: float | None = None

    @property
    def share(self) -> float:
        """What would be left of the doubt; 1 where there is none."""
        return self.after / self.before if self.before > 0 else 1.0


def half_width(outcomes: Array, weights: Array | None = None) -> float:
    """Half of what lies between the 5th and the 95th of a hundred."""
    low, high = weighted_percentiles(outcomes, weights, BAND)
    return (high - low) / 2


def weighted_percentiles(values: Array, weights: Array | None, percents: Sequence[float]) -> tuple[float, ...]:
    """Percentiles of values that weigh unalike, interpolated between their middles; ``weights`` None for all alike."""
    if weights is None:
        return tuple(float(x) for x in np.percentile(values, percents))
    order = np.argsort(values)
    steps = weights[order]
    reached = (np.cumsum(steps) - steps / 2) / steps.sum()
    return tuple(float(np.interp(p / 100, reached, values[order])) for p in percents)


def results_of(reading: TestReading, looks: int = LOOKS) -> Array:
    """(looks,) of what the test may say: as it truly may be, and off by what it may be off."""
    places = (np.arange(looks) + 0.5) / looks
    off = np.random.default_rng(0).permutation([NormalDist().inv_cdf(float(place)) for place in places])
    return np.asarray(np.quantile(reading.values, places) + reading.u * off)


@dataclass(frozen=True, eq=False)
class AnswerAfter:
    """An answer as it would be after one result: (N,) outcomes and how much each weighs."""

    outcomes: Array
    weights: Array

    def half_width(self) -> float:
        return half_width(self.outcomes, self.weights)

    def chance(self, at_least: float) -> float:
        return float(self.weights @ (self.outcomes >= at_least) / self.weights.sum())

    def mean(self) -> float:
        return float(self.weights @ self.outcomes / self.weights.sum())


def told(outcomes: Array, reading: TestReading, result: float, seed: int = 0) -> AnswerAfter:
    """What draws of an answer become where a test says ``result``."""
    spread = float(np.std(reading.values))
    if not spread > 0 or len(outcomes) < _FEWEST:
        return AnswerAfter(outcomes, np.ones(len(outcomes)))
    apart = reading.values - result
    near = _NEAR * spread
    middle = apart[np.argmin(np.abs(apart))]  # a result beyond all draws is told by the nearest of them
    weights = np.exp(-0.5 * ((apart - middle) / near) ** 2)
    total = weights.sum()
    at, mean = float(weights @ apart / total), float(weights @ outcomes / total)
    slope = float(weights @ ((apart - at) * (outcomes - mean)) / max(float(weights @ (apart - at) ** 2), 1e-300))
    off = reading.u * np.random.default_rng(seed).standard_normal(len(outcomes))
    return AnswerAfter(np.asarray(outcomes + slope * (off - apart)), np.asarray(weights))


def narrowed(outcomes: Array, reading: TestReading, wanted: float | None = None, confidence: float = 0.9) -> Narrowed:
    """How much narrower one answer becomes by a test.

    Parameters
    ----------
    outcomes : (N,) of the answer
    wanted : what it has to reach; one goes ahead where that is at least ``confidence`` likely
    """
    before = half_width(outcomes)
    if not reading.tells:
        return Narrowed(before, before, None if wanted is None else 0.0)
    after = [told(outcomes, reading, float(result), seed) for seed, result in enumerate(results_of(reading))]
    width = float(np.mean([one.half_width() for one in after]))
    if wanted is None:
        return Narrowed(before, min(width, before))
    goes = float(np.mean(outcomes >= wanted)) >= confidence
    changes = float(np.mean([(one.chance(wanted) >= confidence) != goes for one in after]))
    return Narrowed(before, min(width, before), changes)


def read_together(outcomes: Array, readings: Sequence[TestReading]) -> TestReading:
    """Several things that are read together, as the one figure of them that tells most of the answer: each times what the answer hangs on it."""
    if len(readings) == 1:
        return readings[0]
    spreads = np.array([max(float(np.std(one.values)), 1e-300) for one in readings])
    table = np.stack([(one.values - one.values.mean()) / spread for one, spread in zip(readings, spreads, strict=True)], axis=1)
    slopes = np.linalg.lstsq(table, outcomes - outcomes.mean(), rcond=None)[0]
    u = float(np.sqrt(np.sum((slopes * np.array([one.u for one in readings]) / spreads) ** 2)))
    return TestReading(np.asarray(table @ slopes), u)


# among several


def choice_changes(options: Sequence[Array], readings: Sequence[TestReading | None]) -> float:
    """Chance that a test makes one take another than now, where one takes what is largest in the mean.

    Parameters
    ----------
    options : (N,) draws of each, what one takes now among them
    readings : of each option, what the test would read of it; None where it has nothing to do with it
    """
    now = int(np.argmax([float(np.mean(one)) for one in options]))
    first = next((one for one in readings if one is not None and one.tells), None)
    if first is None:
        return 0.0
    changed = 0
    for seed, result in enumerate(results_of(first)):
        means = [
            float(np.mean(option)) if reading is None else told(option, reading, float(result), seed).mean()
            for option, reading in zip(options, readings, strict=True)
        ]
        changed += int(np.argmax(means)) != now
    return changed / LOOKS
