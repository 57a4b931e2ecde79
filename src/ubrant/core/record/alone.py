"""Readings that stand alone between two others that agree: more likely a slip of the hand or the line than something that happened."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.readings import Array, Readings

_LEAST_INTERVAL_S = 10.0
"""Read faster than this, one reading can well be a pulse."""
_TIMES_A, _ALIKE_A = 3.0, 0.2
_SHARE_V, _ALIKE_V = 0.3, 0.05
"""How far a reading stands off (times; share) and how near its neighbours are to each other (share). Common practice, no source."""


@dataclass(frozen=True)
class Alone:
    """One such reading. ``charge_ah`` : what it adds to the charge beyond its neighbours; negative where it takes away."""

    time_s: float
    quantity: str
    value: float
    near: float
    charge_ah: float


def standing_alone(readings: Readings) -> tuple[Alone, ...]:
    """Every reading of volts or amperes that stands alone.

    Parameters
    ----------
    readings : (n,) columns, current positive while it flows out; nothing is looked for where they are closer than ten seconds
    """
    if len(readings) < 3 or readings.typical_interval_s < _LEAST_INTERVAL_S:
        return ()
    time, amps = readings.time_s, readings.current_a
    near_a = (amps[:-2] + amps[2:]) / 2
    alike = (near_a > 0) & (np.abs(amps[:-2] - amps[2:]) <= _ALIKE_A * near_a)
    off = alike & ((amps[1:-1] > _TIMES_A * near_a) | (amps[1:-1] < near_a / _TIMES_A))
    charge = (amps[1:-1] - near_a) * (time[2:] - time[:-2]) / 7200
    found = [_alone(readings, k, "A", amps, near_a, float(charge[k])) for k in np.flatnonzero(off)]
    volts = readings.voltage_v
    near_v = (volts[:-2] + volts[2:]) / 2
    off = (np.abs(volts[:-2] - volts[2:]) <= _ALIKE_V * near_v) & (np.abs(volts[1:-1] - near_v) > _SHARE_V * near_v)
    return (*found, *(_alone(readings, k, "V", volts, near_v, 0.0) for k in np.flatnonzero(off)))


def _alone(readings: Readings, k: np.int64, quantity: str, values: Array, near: Array, charge_ah: float) -> Alone:
    return Alone(float(readings.time_s[k + 1]), quantity, float(values[k + 1]), float(near[k]), charge_ah)
