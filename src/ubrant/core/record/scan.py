"""Volts and amperes looked through once, block by block: what sums, cut-off and gaps ask of them afterwards costs no second look."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from ubrant.core.quantities.readings import Array, Readings, require_usable
from ubrant.core.record.integrals import NOTHING, Totals, totals

SPAN = 1 << 14
"""Intervals to a block: three columns of this many stay in the processor's cache."""
_ONES = np.ones(SPAN + 1)
"""A sum by a dot product with them takes half of the time."""
_EVEN, _ROUNDED = 1e-10, 4.0
"""A block whose intervals differ by less than this share, or by no more than so many last bits of its times, is evenly spaced: its mean interval stands for each."""


@dataclass(frozen=True, eq=False)
class Scan:
    """(m,) of every block: its sums, its shortest and longest interval, least and most volts and amperes.

    Block ``k`` holds the intervals from reading ``k·SPAN`` to ``(k + 1)·SPAN``, and for extremes the readings up to before the last of these.
    """

    readings: Readings
    coulombs: Array
    volt_seconds: Array
    joules: Array
    shortest_s: Array
    longest_s: Array
    least_v: Array
    most_v: Array
    least_a: Array
    most_a: Array

    def totals(self, first: int, last: int) -> Totals:
        """Charge and energy from one reading to another; see :func:`ubrant.core.record.integrals.totals`."""
        if not last > first:
            return NOTHING
        begin, end = -(-first // SPAN), last // SPAN
        part, t = self.readings, self.readings.time_s
        if begin >= end:
            return _of(part, first, last)
        inside = Totals(
            float(self.coulombs[begin:end].sum()) / 3600,
            float(self.joules[begin:end].sum()) / 3600,
            float(self.volt_seconds[begin:end].sum()) / 3600,
            float(t[end * SPAN] - t[begin * SPAN]) / 3600,
        )
        return _of(part, first, begin * SPAN) + inside + _of(part, end * SPAN, last)

    def least_volts(self, first: int, last: int) -> float:
        """Of the readings from one to another, both included."""
        return self._extreme(self.least_v, self.readings.voltage_v, first, last, np.min)

    def most_volts(self, first: int, last: int) -> float:
        return self._extreme(self.most_v, self.readings.voltage_v, first, last, np.max)

    def least_amps(self, first: int, last: int) -> float:
        return self._extreme(self.least_a, self.readings.current_a, first, last, np.min)

    def most_amps(self, first: int, last: int) -> float:
        return self._extreme(self.most_a, self.readings.current_a, first, last, np.max)

    def first_at_or_below(self, limit_v: float, first: int, last: int) -> int:
        """Index of the first reading at or below so many volts; ``last + 1`` where there is none."""
        volts, at = self.readings.voltage_v, first
        while at <= last:
            block = at // SPAN
            if at == block * SPAN:  # whole blocks above it are passed over
                low = np.flatnonzero(self.least_v[block:] <= limit_v)
                if not len(low):
                    return last + 1
                at = (block + int(low[0])) * SPAN
                if at > last:
                    return last + 1
            part = volts[at : min((at // SPAN + 1) * SPAN, last + 1)] <= limit_v
            if part.any():
                return at + int(np.argmax(part))
            at = (at // SPAN + 1) * SPAN
        return last + 1

    def longer_than(self, limit_s: float, first: int, last: int) -> Array:
        """Indexes of the readings, from one to before another, after which more than so long passes."""
        time = self.readings.time_s
        found = []
        for block in np.flatnonzero(self.longest_s > limit_s):
            begin, end = max(int(block) * SPAN, first), min((int(block) + 1) * SPAN, last)
            if begin < end:
                found.append(begin + np.flatnonzero(np.diff(time[begin : end + 1]) > limit_s))
        return np.concatenate(found) if found else np.empty(0, int)

    @staticmethod
    def _extreme(of_blocks: Array, column: Array, first: int, last: int, pick: Callable[..., Any]) -> float:
        begin, end = -(-first // SPAN), (last + 1) // SPAN
        if begin >= end:
            return float(pick(column[first : last + 1]))
        parts = (of_blocks[begin:end], column[first : begin * SPAN], column[end * SPAN : last + 1])
        return float(pick([pick(part) for part in parts if len(part)]))


def scan(readings: Readings) -> Scan:
    """Look through them once.

    Raises
    ------
    ReadingsError
        Lengths differ, a value is not finite, or time does not increase; says at which reading.
    """
    time, volts, amps = readings.time_s, readings.voltage_v, readings.current_a
    if not len(time) == len(volts) == len(amps):
        require_usable(time, volts, amps)
    count = max(1, -(-len(time) // SPAN))
    made = np.zeros((9, count))
    for k in range(count):
        t, v, i = (column[k * SPAN : (k + 1) * SPAN + 1] for column in (time, volts, amps))
        made[:, k] = _block(t, v, i)
    found = Scan(readings, *made)
    if len(time) > 1 and not (np.isfinite(made[:3].sum()) and found.shortest_s.min() > 0):
        require_usable(time, volts, amps)
    return found


def _block(t: Array, v: Array, i: Array) -> tuple[float, ...]:
    """Sums over the intervals of a block, and its extremes, without what its last reading shares with the next."""
    own = slice(None, SPAN)
    extremes = (v[own].min(), v[own].max(), i[own].min(), i[own].max()) if len(t) else (np.inf, -np.inf, np.inf, -np.inf)
    if len(t) < 2:
        return 0.0, 0.0, 0.0, np.inf, 0.0, *extremes
    dt = t[1:] - t[:-1]
    shortest, longest = dt.min(), dt.max()
    if longest - shortest <= max(
        _EVEN * longest, _ROUNDED * np.spacing(abs(t[-1]))
    ):  # dt/6 · (2V₀I₀ + V₀I₁ + V₁I₀ + 2V₁I₁), added up with one dt
        step = (t[-1] - t[0]) / len(dt)
        squares = 4 * np.dot(v, i) - 2 * (v[0] * i[0] + v[-1] * i[-1])
        across = np.dot(v[:-1], i[1:]) + np.dot(v[1:], i[:-1])
        coulombs = step * (np.dot(i, _ONES[: len(i)]) - (i[0] + i[-1]) / 2)
        volt_seconds = step * (np.dot(v, _ONES[: len(v)]) - (v[0] + v[-1]) / 2)
        return coulombs, volt_seconds, step / 6 * (squares + across), shortest, longest, *extremes
    both = Totals(*_uneven(dt, v, i), 0.0)
    return both.charge_ah, both.volt_hours, both.energy_wh, shortest, longest, *extremes


def _uneven(dt: Array, v: Array, i: Array) -> tuple[float, float, float]:
    """(coulombs, joules, volt-seconds) of intervals that differ."""
    current = i[:-1] + i[1:]
    weighted = dt * (v[:-1] + v[1:])
    power = v * i
    joules = (np.dot(weighted, current) + np.dot(dt, power[:-1]) + np.dot(dt, power[1:])) / 6
    return float(np.dot(dt, current) / 2), float(joules), float(weighted.sum() / 2)


def _of(readings: Readings, first: int, last: int) -> Totals:
    part = readings.between(first, last)
    return totals(part.time_s, part.voltage_v, part.current_a) if last > first else NOTHING
