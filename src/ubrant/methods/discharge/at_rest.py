"""Which readings were taken at rest, and what flowed where there should have been none."""

from __future__ import annotations

import numpy as np

from ubrant.core.quantities.readings import Readings

_NO_ZERO = 0.2
"""Over this share of the largest current a reading is none of a meter's zero."""


def flowed_before(readings: Readings, said_on_s: float | None, moment_s: float) -> float:
    """Amperes that a person read last before the load was said to come on, where they are no meter's zero; 0 where nothing flowed."""
    index = int(np.searchsorted(readings.time_s, moment_s, side="left")) - 1
    if index < 0 or said_on_s is None:
        return 0.0
    amps = float(readings.current_a[index])
    return amps if amps > _NO_ZERO * max(float(np.max(readings.current_a)), 0.0) else 0.0


def last_at_rest(readings: Readings, moment_s: float, idle_below: float) -> int:
    """Index of the last reading of the rest that follows, before anything flows again."""
    after = int(np.searchsorted(readings.time_s, moment_s, side="right"))
    flows = np.flatnonzero(readings.current_a[after + 1 :] < -idle_below)
    return after + int(flows[0]) if len(flows) else len(readings) - 1
