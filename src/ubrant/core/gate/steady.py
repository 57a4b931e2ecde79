"""Whether a course is steady: by its level, its slope and its scatter, tested and not assumed."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ubrant.core.quantities.readings import Array

STEADY, RAMP, CYCLES, BURSTS, STEP = "steady", "ramp", "cycles", "bursts", "step"
"""One level; on its way somewhere; on and off by a period; on and off now and then; one level and then another."""
_APART, _SHARE = 6.0, 0.15
_RAMP_SHARE, _SURE = 0.2, 4.0
_LEAST = 8
_ALIKE = 0.35


@dataclass(frozen=True)
class Course:
    """What a course is like.

    Attributes
    ----------
    kind : STEADY, RAMP, CYCLES, BURSTS or STEP
    low, high : the two levels; of a ramp where it begins and ends; the same for a steady one
    on_share : part of the time at the higher level
    period_s : of CYCLES
    first, last : readings of the whole periods of CYCLES; all of them else
    spread : relative standard uncertainty of the mean over whole periods, by how they differ
    periods : whole ones of CYCLES
    coarse : relative standard uncertainty of that mean, by how few readings a burst and a period have
    shortest : readings of the shortest time at the higher level
    """

    kind: str
    low: float
    high: float
    on_share: float = 0.0
    period_s: float = 0.0
    first: int = 0
    last: int = 0
    spread: float = 0.0
    shortest: int = 0
    periods: int = 0
    coarse: float = 0.0


def course_of(time_s: Array, values: Array, noise: float = 0.0) -> Course:
    """What a course of readings is like.

    Parameters
    ----------
    time_s, values : (n,) arrays
    noise : what the meter itself may scatter by, in the values' unit
    """
    mean = float(np.mean(values)) if len(values) else 0.0
    steady = Course(STEADY, mean, mean, last=max(len(values) - 1, 0))
    if len(values) < _LEAST:
        return steady
    return _two_levels(time_s, values, noise) or _ramp(time_s, values, noise) or steady


def _two_levels(time_s: Array, values: Array, noise: float) -> Course | None:
    """On and off, where the readings fall into two heaps that are far apart for what each scatters by."""
    cut = _cut(values)
    on = values > cut
    low, high = values[~on], values[on]
    if not len(low) or not len(high):
        return None
    bottom, top = float(np.median(low)), float(np.median(high))
    scatter = max(_within(low), _within(high), noise, 1e-12)
    if top - bottom < max(_APART * scatter, _SHARE * max(abs(top), abs(bottom))):
        return None
    edges = np.flatnonzero(on[1:] != on[:-1]) + 1
    if not len(edges):
        return None
    lengths = np.diff(np.concatenate(([0], edges, [len(on)])))
    states = on[np.concatenate(([0], edges))]
    inner = [int(n) for n, is_on in zip(lengths, states, strict=True) if is_on]
    share = float(np.mean(on))
    if len(edges) == 1:
        return None if min(lengths) < 3 else Course(STEP, bottom, top, share, last=len(values) - 1)
    rising = edges[on[edges]]
    if len(rising) >= 3:
        periods = np.diff(time_s[rising])
        if float(np.std(periods)) < _ALIKE * float(np.mean(periods)):
            means = [float(np.mean(values[a:b])) for a, b in pairwise(rising)]
            mean = float(np.mean(means))
            spread = float(np.std(means, ddof=1)) / abs(mean) / len(means) ** 0.5 if len(means) > 1 and mean else 0.0
            coarse = _coarse(on, rising) * (top - bottom) / abs(mean) if mean else 0.0
            edges_of = int(rising[0]), int(rising[-1]) - 1
            return Course(CYCLES, bottom, top, share, float(np.mean(periods)), *edges_of, spread, min(inner), len(means), coarse)
    if len(edges) == 2 and min(lengths) < 3 and len(inner) == 1 and lengths[1] < 3:
        return None  # one reading that stands alone
    return Course(BURSTS, bottom, top, share, last=len(values) - 1, shortest=min(inner))


def _coarse(on: NDArray[np.bool_], rising: NDArray[np.intp]) -> float:
    """Standard uncertainty of the share of time at the higher level, by the readings that there are.

    An edge lies anywhere between two readings: a burst is as long as its readings, less or more one (triangular). Bursts of which each falls
    elsewhere between the readings average that out; those that all fall alike, as where a period is so many readings, do not.
    """
    lengths = np.diff(rising)
    inside = [int(np.count_nonzero(on[a:b])) for a, b in pairwise(rising)]
    differ = 1 + sum(one != other for one, other in pairwise(zip(lengths.tolist(), inside, strict=True)))
    per_period, span = float(np.mean(lengths)), float(rising[-1] - rising[0])
    of_bursts, of_span = 1 / per_period / differ**0.5, float(np.sum(inside)) / span**2
    return math.hypot(of_bursts, of_span) / math.sqrt(6)


def _cut(values: Array) -> float:
    """Between the two heaps that differ most (Otsu: the largest variance between them)."""
    ordered = np.sort(values)
    n = len(ordered)
    sums = np.cumsum(ordered)
    k = np.arange(1, n)
    left, right = sums[:-1] / k, (sums[-1] - sums[:-1]) / (n - k)
    best = int(np.argmax(k * (n - k) * (right - left) ** 2))
    return float((ordered[best] + ordered[best + 1]) / 2)


def _within(values: Array) -> float:
    return float(np.median(np.abs(values - np.median(values)))) / 0.6745


def _ramp(time_s: Array, values: Array, noise: float) -> Course | None:
    """A straight line that explains more than the scatter around it, and moves it by a fifth of its mean."""
    centred = time_s - float(np.mean(time_s))
    spread = float(np.dot(centred, centred))
    if not spread > 0:
        return None
    slope = float(np.dot(centred, values)) / spread
    mean, length = float(np.mean(values)), float(time_s[-1] - time_s[0])
    left = values - mean - slope * centred
    sigma = max(float(np.std(left, ddof=2)), noise / 10)
    moved = slope * length
    if abs(moved) < max(_RAMP_SHARE * abs(mean), 2 * noise) or abs(slope) < _SURE * sigma / spread**0.5:
        return None
    return Course(RAMP, mean - moved / 2, mean + moved / 2, last=len(values) - 1)
