"""How it is known that a battery was full when its discharge began, and whether it was empty when it went dark."""

from __future__ import annotations

import math

import numpy as np

from ubrant.core.battery.state_of_charge import chart_name, from_resting_voltage
from ubrant.core.quantities.chemistry import Chemistry
from ubrant.core.quantities.label import Label
from ubrant.core.quantities.quantity import show
from ubrant.core.quantities.readings import Readings
from ubrant.core.wording import say

FULL_PERCENT = 97.0
"""By its resting voltage, from here on a chart says full. Common practice, no source."""
SETTLES_S = 300.0
"""So long after it was charged or loaded a voltage is none at rest. Common practice, no source."""
_NEARLY_FULL = 90.0
_BEGINS_AT = 70.0
"""By its first volts under load a full one is over this row of its chart; twice the usual resistance is allowed for."""
_GONE = 0.5
_SAMPLE = 20_000
_CHARGES = 0.002
"""Of its Ah in A: less is a meter's zero. Common practice, no source."""
_SURFACE = 1.02
_TAPERED = 0.5
_END_RATE_C = 0.1
_EMPTY_ABOVE = {"lifepo4": 1.1, "li-ion": 1.12, "lead-acid": 1.1, "nimh": 1.12}
_FELL = 0.92


def by_rest(readings: Readings, load_on_s: float, rest_v: float | None, label: Label | None) -> str:
    """A sentence where the resting voltage before says that it was full; empty where it does not, or voltage cannot tell.

    Not where a charge was recorded less than its kind's time of rest before, nor above the top of its chart: that is surface charge.
    ``readings`` have discharge current positive.
    """
    kind = label.kind_of_cell if label else None
    if rest_v is None or label is None or kind is None or not label.series or not kind.rest_chart:
        return ""
    here = slice(*np.searchsorted(readings.time_s, (load_on_s - 3600 * kind.rest_hours, load_on_s)))
    charged = readings.current_a[here] < -_CHARGES * (label.charge_ah or 0.0)
    if charged.any() or rest_v > _SURFACE * kind.rest_chart[0][0] * label.series:
        return ""
    percent = from_resting_voltage(rest_v, label.series, kind).percent
    if percent is None or percent < FULL_PERCENT:
        return ""
    return say("full by its resting voltage of {rest} V ({chart})", rest=show(rest_v), chart=chart_name(kind))


def by_charge(readings: Readings, load_on_s: float, label: Label | None) -> str:
    """A sentence where a charge that tapered to its end was recorded before load on; ``readings`` have discharge current positive."""
    before = int(np.searchsorted(readings.time_s, load_on_s))
    amps = -readings.current_a[:before]
    flows = np.flatnonzero(amps > 0.02 * float(amps.max())) if len(amps) and amps.max() > 0 else np.empty(0, dtype=int)
    if len(flows) < 5 or not label or not label.charge_ah:
        return ""
    end_a = float(amps[flows[-1]])
    if end_a > _TAPERED * float(amps.max()) or end_a > _END_RATE_C * label.charge_ah:
        return ""
    return say("charged before, until {end} A flowed", end=show(end_a, 2))


def against(readings: Readings, first: int, rest_v: float | None, label: Label | None, *, begins_loaded: bool) -> str:
    """What speaks against a battery that was said to be full: its resting voltage, or its first volts and I·R; empty where nothing does."""
    kind = label.kind_of_cell if label else None
    if label is None or kind is None or not label.series or not kind.rest_chart:
        return ""
    if rest_v is not None:
        read = from_resting_voltage(rest_v, label.series, kind)
        if read.percent is not None and read.percent + (read.expanded_points or 0.0) < _NEARLY_FULL:
            return say(
                "it is said to have been full, and its resting voltage of {rest} V says about {percent:.0f} %",
                rest=show(rest_v),
                percent=read.percent,
            )
    elif begins_loaded and len(readings) > first:
        ohm = 2 * kind.usual_ohm(label.series, label.charge_ah or math.inf)
        volts = float(readings.voltage_v[first] + readings.current_a[first] * ohm)
        least = label.series * min(v for v, percent in kind.rest_chart if percent >= _BEGINS_AT)
        if volts < least:
            return say("it is said to have been full, and it begins at {volts} V under load", volts=show(float(readings.voltage_v[first])))
    return ""


def is_rest(readings: Readings, index: int, idle_below: float) -> bool:
    """Whether nothing flowed at a reading, and nothing was put in or taken out in the five minutes before it, as far as it was read."""
    time = readings.time_s
    since = int(np.searchsorted(time, time[index] - SETTLES_S))
    return bool(abs(readings.current_a[index]) < idle_below and not (readings.current_a[since : index + 1] < -idle_below).any())


def last_alive(readings: Readings, first: int, last: int) -> int:
    """The last reading before both volts and amperes are gone for good; ``last`` where they are not."""
    volts, amps = readings.voltage_v[first : last + 1], readings.current_a[first : last + 1]
    half = max(len(volts) // 2, 1)
    usual = float(np.median(volts[: half : max(1, half // _SAMPLE)])) if len(volts) else 0.0
    if not len(volts) or volts[-1] >= _GONE * usual:
        return last
    alive = np.flatnonzero((volts >= _GONE * usual) | (np.abs(amps) > 0.05 * np.median(amps)))
    return first + int(alive[-1]) if len(alive) else last


def went_dark(readings: Readings, last: int) -> bool:
    """After its last reading under load both volts and amperes are gone: it switched itself off."""
    after = slice(last + 1, last + 4)
    volts, amps = readings.voltage_v[after], readings.current_a[after]
    return bool(len(volts) and volts.max() < _GONE * readings.voltage_v[last] and np.abs(amps).max() < 0.05 * readings.current_a[last])


def fell_plausibly(readings: Readings, first: int, last: int, label: Label | None) -> bool:
    """Whether the voltage under load had come down to where a protection opens because it is empty."""
    kind: Chemistry | None = label.kind_of_cell if label else None
    lowest = float(readings.voltage_v[max(last - 2, first) : last + 1].min())
    typical = float(np.median(readings.voltage_v[first : last + 1 : max(1, (last - first) // _SAMPLE)]))
    if label is not None and label.voltage_v and not label.is_like(typical):
        return True  # metered behind a converter: its own output stands until it goes
    if kind is not None and label is not None and label.series:
        return lowest <= _EMPTY_ABOVE[kind.key] * kind.usual_cutoff_v * label.series
    return lowest < _FELL * typical
