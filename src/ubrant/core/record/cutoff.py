"""The cut-off: a voltage, how long it must stay below, and the moment it was reached."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ubrant.core.quantities.readings import Array, Readings
from ubrant.core.record.scan import Scan


@dataclass(frozen=True)
class Cutoff:
    """End of discharge: ``voltage_v`` at the battery's terminals, stayed below for ``hold_s`` seconds."""

    voltage_v: float
    hold_s: float = 1.0

    def watch(self) -> CutoffWatch:
        """A fresh watch, which remembers how long the voltage has stayed below."""
        return CutoffWatch(self)


@dataclass
class CutoffWatch:
    """Follows a voltage as it is read and says when the cut-off is reached."""

    cutoff: Cutoff
    _below_since: float | None = field(default=None, init=False)

    def reached(self, time_s: float, voltage_v: float) -> bool:
        """True once the voltage has stayed at or below the cut-off for the hold time."""
        if voltage_v > self.cutoff.voltage_v:
            self._below_since = None
            return False
        if self._below_since is None:
            self._below_since = time_s
        return time_s - self._below_since >= self.cutoff.hold_s


@dataclass(frozen=True)
class Crossing:
    """Where the cut-off was reached.

    Attributes
    ----------
    time_s : by interpolation between two readings
    after : index of the last reading before that moment
    current_a : at that moment
    how : ``stayed below``, ``load went off``, ``log ends below``
    bracket_s : time between the two readings around it
    """

    time_s: float
    after: int
    current_a: float
    how: str
    bracket_s: float


_NEVER = 1e9
"""So many intervals between readings: where the voltage never came back."""


def find_crossing(looked: Scan, cutoff: Cutoff, first: int, last: int, idle_below_a: float, tolerance_v: float = 0.0) -> Crossing | None:
    """First crossing of the first stay at or below the cut-off.

    A dip shorter than the hold is not the end. A stay that ends because the load went off, or because the log does,
    has reached it: a load that switches off at the cut-off lets the voltage rebound.

    Parameters
    ----------
    first, last : indexes of the first and last reading with the load on
    idle_below_a : a current below this means that the load is off
    tolerance_v : when the load goes off between two readings, how far above the cut-off the straight
        continuation of the voltage may still end and count as reached (the meters' own uncertainty)

    Returns
    -------
    None when the cut-off was not reached.
    """
    readings = looked.readings
    limit, amps = cutoff.voltage_v, readings.current_a
    start = looked.first_at_or_below(limit, first, last)
    if start <= last:
        below = readings.voltage_v[start : last + 1] <= limit
        edges = np.flatnonzero(below[1:] != below[:-1]) + start + 1
        begins = np.concatenate(([start], edges[1::2]))
        ends = np.concatenate((edges[0::2] - 1, [last] if len(edges) % 2 == 0 else []))[: len(begins)].astype(int)
        goes_off = (ends == last) | (amps[np.minimum(ends + 1, len(amps) - 1)] < idle_below_a)
        enough = goes_off | (_lengths(readings, limit, begins, ends, first) >= cutoff.hold_s)
        if enough.any():
            stay = int(np.argmax(enough))
            begin, end = int(begins[stay]), int(ends[stay])
            moment, current, bracket = _crossing_at(readings, limit, begin, first)
            how = "stayed below" if not goes_off[stay] else "log ends below" if end == len(readings) - 1 else "load went off"
            return Crossing(moment, max(begin - 1, 0), current, how, bracket)
    return _reached_between_readings(readings, limit, first, last, tolerance_v)


def _lengths(readings: Readings, limit: float, begins: Array, ends: Array, first: int) -> Array:
    """How long each stay lasted, from interpolated crossing to interpolated crossing."""
    time, volts = readings.time_s, readings.voltage_v
    before, after = np.maximum(begins - 1, first), np.minimum(ends + 1, len(time) - 1)
    with np.errstate(divide="ignore", invalid="ignore"):
        fall = np.nan_to_num((volts[before] - limit) / (volts[before] - volts[begins]), posinf=_NEVER, neginf=-_NEVER)
        rise = np.nan_to_num((limit - volts[ends]) / (volts[after] - volts[ends]), posinf=_NEVER, neginf=-_NEVER)
    down = time[before] + fall * (time[begins] - time[before])
    up = time[ends] + rise * (time[after] - time[ends])
    return np.asarray(up - down)


def _crossing_at(readings: Readings, limit: float, below: int, first: int) -> tuple[float, float, float]:
    """Time, current and bracket of the crossing just before reading ``below``."""
    time, volts, amps = readings.time_s, readings.voltage_v, readings.current_a
    if below == first or below == 0 or volts[below - 1] <= limit:
        return float(time[below]), float(amps[below]), 0.0
    share = (volts[below - 1] - limit) / (volts[below - 1] - volts[below])
    bracket = float(time[below] - time[below - 1])
    moment = float(time[below - 1]) + float(share) * bracket
    return moment, float(amps[below - 1] + share * (amps[below] - amps[below - 1])), bracket


def _reached_between_readings(readings: Readings, limit: float, first: int, last: int, tolerance_v: float) -> Crossing | None:
    """The load went off after ``last``: had the voltage gone on falling as it did, would it have got there?"""
    if last >= len(readings) - 1 or last - first < 2:
        return None
    time, volts = readings.time_s, readings.voltage_v
    back = max(first, last - 5)
    slope = (volts[last] - volts[back]) / (time[last] - time[back])
    bracket = float(time[last + 1] - time[last])
    if slope >= 0 or volts[last] + slope * bracket > limit + tolerance_v:
        return None
    moment = float(time[last]) + min(bracket, max(0.0, float((limit - volts[last]) / slope)))
    return Crossing(moment, last, float(readings.current_a[last]), "load went off", bracket)
