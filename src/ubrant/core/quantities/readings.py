"""Readings as columns: one tap's voltage and current, each reading with its own time."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ubrant.core.wording import say

Array = NDArray[np.float64]

BLOCK = 1 << 13
"""Readings worked on at once: three columns of this many stay in the processor's cache, and a dot product over them in one thread."""


class ReadingsError(ValueError):
    """Readings no sum can be done on; says which reading and why."""


class LackingError(ReadingsError):
    """A reading is lacking, and nothing speaks against those that are there."""


@dataclass(frozen=True)
class Series:
    """One quantity over time: (n,) seconds and (n,) values in the quantity's base unit."""

    time_s: Array
    value: Array

    def __len__(self) -> int:
        return len(self.time_s)


def no_readings() -> Series:
    """A series with nothing in it."""
    return Series(np.empty(0), np.empty(0))


@dataclass(frozen=True)
class Readings:
    """Voltage and current of one tap on one time base.

    Attributes
    ----------
    time_s, voltage_v, current_a : (n,) arrays; current positive out of the source
    interval_s : typical time between readings of one quantity, seconds; found from ``time_s`` when None
    """

    time_s: Array
    voltage_v: Array
    current_a: Array
    interval_s: float | None = None

    def __len__(self) -> int:
        return len(self.time_s)

    @property
    def typical_interval_s(self) -> float:
        return self.interval_s if self.interval_s is not None else typical_interval(self.time_s)

    def between(self, first: int, last: int) -> Readings:
        """Readings ``first`` to ``last``, both included, without copying."""
        part = slice(first, last + 1)
        return Readings(self.time_s[part], self.voltage_v[part], self.current_a[part], self.interval_s)


def join(voltage: Series, current: Series) -> Readings:
    """Put two series on one time base without making up data.

    Every time at which either was read is kept; the other is the straight line between its neighbours there,
    so sums over the result are exact for both. Times that only one of them covers are left out.

    Raises
    ------
    ReadingsError
        One of them is empty, or they do not overlap.
    """
    if not len(voltage) or not len(current):
        raise ReadingsError(say("There are no readings yet."))
    interval = max(typical_interval(voltage.time_s), typical_interval(current.time_s))
    if len(voltage) == len(current) and np.array_equal(voltage.time_s, current.time_s):
        return Readings(voltage.time_s, voltage.value, current.value, interval)
    start = max(voltage.time_s[0], current.time_s[0])
    end = min(voltage.time_s[-1], current.time_s[-1])
    times = np.union1d(voltage.time_s, current.time_s)
    times = times[(times >= start) & (times <= end)]
    if not len(times):
        raise ReadingsError(say("Voltage and current were not read at the same time: there is nothing to multiply."))
    return Readings(times, np.interp(times, voltage.time_s, voltage.value), np.interp(times, current.time_s, current.value), interval)


_SORTED_UP_TO = 1000


def middle(values: Array) -> float:
    """Median of (n,) values, n ≥ 1; NaN where one is. NumPy's own takes twenty times as long for few."""
    n = len(values)
    if n > _SORTED_UP_TO:
        return float(np.median(values))
    ordered = np.sort(values)
    return math.nan if math.isnan(ordered[-1]) else (float(ordered[(n - 1) // 2]) + float(ordered[n // 2])) / 2


def typical_interval(time_s: Array) -> float:
    """Median time between readings, seconds; over some twenty stretches of a long log, for speed. 0 for fewer than two."""
    n = len(time_s)
    if n < 2:
        return 0.0
    if n <= 50_000:
        return middle(time_s[1:] - time_s[:-1])
    starts = np.linspace(0, n - 1001, 20).astype(int)
    return float(np.median(np.concatenate([np.diff(time_s[s : s + 1001]) for s in starts])))


def jitter(values: Array) -> float:
    """Standard deviation of reading-to-reading noise, from second differences: a straight trend leaves none, and a step now and then little."""
    if len(values) < 5:
        return 0.0
    step = values[1:] - values[:-1]
    return middle(np.abs(step[1:] - step[:-1])) / 0.6745 / math.sqrt(6)


def stepped(readings: Readings, interval_s: float | None) -> Readings:
    """Each value again just before the next one, so that straight lines between readings hold it."""
    time, n = readings.time_s, len(readings)
    edge = np.minimum(1e-3, np.diff(time) / 1e3)
    times = np.empty(2 * n - 1)
    times[::2], times[1::2] = time, time[1:] - edge
    return Readings(times, doubled(readings.voltage_v), doubled(readings.current_a), interval_s)


def doubled(column: Array) -> Array:
    """A column of what :func:`stepped` makes."""
    return np.asarray(np.repeat(column, 2)[:-1])


def blocks(*columns: Array) -> Iterator[tuple[Array, ...]]:
    """The columns in pieces that overlap by one reading, so that every interval is in exactly one piece."""
    n = len(columns[0])
    for start in range(0, max(n - 1, 1), BLOCK):
        yield tuple(column[start : start + BLOCK + 1] for column in columns)


def require_usable(time_s: Array, *columns: Array) -> None:
    """Raise unless lengths agree, every number is finite and time increases.

    Raises
    ------
    ReadingsError
        Says at which reading (counted from 1).
    """
    for column in columns:
        if len(column) != len(time_s):
            raise ReadingsError(
                say("{time_s} times but {column} values: one is needed for the other.", time_s=len(time_s), column=len(column))
            )
    for column in (time_s, *columns):
        bad = np.flatnonzero(~np.isfinite(column))
        if len(bad):
            raise ReadingsError(say("Reading {value} is not a finite number.", value=bad[0] + 1))
    back = np.flatnonzero(np.diff(time_s) <= 0)
    if len(back):
        at = int(back[0]) + 1
        raise ReadingsError(
            say(
                "Time does not increase at reading {value}: {value_2:g} s after {value_3:g} s.",
                value=at + 1,
                value_2=time_s[at],
                value_3=time_s[at - 1],
            )
        )
