"""Logs that have a row only where something changed: each value holds until the next."""

from __future__ import annotations

import numpy as np

from ubrant.core.quantities.readings import Readings, stepped

_FEWEST = 8
_MOST = 20_000
_IRREGULAR = 0.15


def is_on_change(readings: Readings) -> bool:
    """Whether rows were written on change: no two alike follow each other, and the time between them is anything.

    A logger that looks at a fixed pace has most intervals alike, and rows that say the same again.
    """
    time, volts, amps = readings.time_s, readings.voltage_v, readings.current_a
    if not _FEWEST <= len(time) <= _MOST:
        return False
    dt = np.diff(time)
    middle = float(np.median(dt))
    irregular = min(float(np.mean(dt < 0.5 * middle)), float(np.mean(dt > 2 * middle))) > _IRREGULAR
    return irregular and bool(((np.diff(volts) != 0) | (np.diff(amps) != 0)).all())


def as_steps(readings: Readings) -> Readings:
    """Each value held until the next; the longest time between two rows is none that lacks any."""
    return stepped(readings, float(np.max(np.diff(readings.time_s))))
