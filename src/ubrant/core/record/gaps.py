"""Stretches without readings: found, bridged by a straight line, and paid for in the ±."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ubrant.core.quantities.readings import Readings, jitter
from ubrant.core.record.integrals import span
from ubrant.core.record.scan import Scan

GAP_FACTOR = 5.0
"""An interval over this many typical ones is a gap."""


@dataclass(frozen=True)
class BridgedGap:
    """One bridged stretch.

    Attributes
    ----------
    from_s, to_s : the readings on its two sides
    charge_ah, energy_wh : what the straight line across it adds to the result
    charge_half_ah, energy_half_wh : rectangular half-widths of what could have happened in it
    may_have_stopped : the load could have been off in it
    counted_share : of the straight line across it: half where the run was interrupted, for nobody knows whether the load stayed on
    """

    from_s: float
    to_s: float
    charge_ah: float
    energy_wh: float
    charge_half_ah: float
    energy_half_wh: float
    may_have_stopped: bool
    counted_share: float = 1.0

    @property
    def length_s(self) -> float:
        return self.to_s - self.from_s


def find_gaps(looked: Scan, first: int, last: int, idle_below_a: float, interrupted: tuple[float, ...] = ()) -> tuple[BridgedGap, ...]:
    """Gaps among the readings from one to another: intervals over five times the typical one.

    In a gap of length Δt the current could have been anything it was within Δt on either side, so the charge is doubted by
    Δt·(max − min)/2, rectangular; from 0 if the load may have stopped in it: it was off near by, or the voltage came back
    higher than it went, by more than it moves from reading to reading.

    ``interrupted`` are moments at which a run went on after an interruption: in the gap before one the load may have been on or off, so the
    middle of the two is counted.
    """
    part = looked.readings.between(first, last)
    limit = GAP_FACTOR * part.typical_interval_s
    if not limit > 0:
        return ()
    gaps = tuple(_gap(part, int(k) - first, idle_below_a) for k in looked.longer_than(limit, first, last))
    return tuple(
        replace(
            gap,
            counted_share=0.5,
            may_have_stopped=True,
            charge_half_ah=max(gap.charge_half_ah, gap.charge_ah / 2),
            energy_half_wh=max(gap.energy_half_wh, gap.energy_wh / 2),
        )
        if any(gap.from_s < moment <= gap.to_s for moment in interrupted)
        else gap
        for gap in gaps
    )


def _gap(readings: Readings, k: int, idle_below_a: float) -> BridgedGap:
    time, volts, amps = readings.time_s, readings.voltage_v, readings.current_a
    start, end = float(time[k]), float(time[k + 1])
    length = end - start
    first = int(np.searchsorted(time, start - length))
    last = int(np.searchsorted(time, end + length, side="right"))
    near_v, near_a = volts[first:last], amps[first:last]
    before, after = volts[first : k + 1], volts[k + 1 : last]
    noise = 3 * jitter(near_v)
    stopped = bool(near_a.min() < idle_below_a) or float(after[:5].mean()) > float(before[-5:].mean()) + noise
    lowest_a = 0.0 if stopped else float(near_a.min())
    power = near_v * near_a
    lowest_w = 0.0 if stopped else float(power.min())
    bridge = span((start, end), (volts[k], volts[k + 1]), (amps[k], amps[k + 1]))
    hours = length / 3600
    return BridgedGap(
        start,
        end,
        bridge.charge_ah,
        bridge.energy_wh,
        hours * (float(near_a.max()) - lowest_a) / 2,
        hours * (float(power.max()) - lowest_w) / 2,
        stopped,
    )
