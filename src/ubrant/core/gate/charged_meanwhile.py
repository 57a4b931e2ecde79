"""Whether a battery that was discharged was charged meanwhile, by its volts."""

from __future__ import annotations

import numpy as np

from ubrant.core.gate.battery_facts import MOST_FOR_STEPS, BatteryFacts
from ubrant.core.gate.check import if_it_is_so
from ubrant.core.quantities.quantity import show, show_duration
from ubrant.core.quantities.readings import jitter
from ubrant.core.wording import say


def fresh_after_a_break(facts: BatteryFacts) -> tuple[str, str] | None:
    """After a break the voltage under load is higher than before it, and stays so: it was charged meanwhile."""
    if facts.last - facts.first < 6 or len(facts.readings) > MOST_FOR_STEPS:
        return None
    part = slice(facts.first, facts.last + 1)
    time, volts, amps = facts.readings.time_s[part], facts.readings.voltage_v[part], facts.readings.current_a[part]
    usual = float(np.median(amps[amps > 0])) if (amps > 0).any() else 0.0
    on = amps > 0.5 * usual
    loaded = np.flatnonzero(on)
    if not usual > 0 or len(loaded) < 6:
        return None
    typical = float(np.median(np.diff(time)))
    for k in np.flatnonzero(np.diff(time[loaded]) > max(5 * typical, 600.0))[:50]:
        before, after = loaded[max(k - 2, 0) : k + 1], loaded[k + 1 :]
        if len(after) < 3:
            continue
        flowed = np.concatenate(([0.0], np.cumsum(np.diff(time[after]) * amps[after][:-1]))) / 3600
        later = after[int(np.argmax(flowed >= min(0.05 * facts.charge_ah, flowed[-1])))]
        alike = abs(amps[later] / amps[before[-1]] - 1) < 0.2
        rise = float(volts[later]) - float(volts[before].mean())
        if alike and rise > 0.02 * float(volts[before].mean()):
            return (
                say(
                    "after the break of {length} its voltage under load is {rise} V higher than before, and stays so: it was charged meanwhile",
                    length=show_duration(float(time[loaded[k + 1]] - time[loaded[k]])),
                    rise=show(rise, 2),
                ),
                say("Bring each discharge in by itself."),
            )
    return None


_STRETCH_S, _BACK, _FALL = 300.0, 0.3, 0.0015


def turned_round(facts: BatteryFacts) -> tuple[str, str] | None:
    """Before it or after it as much flows the other way, and the volts fall all the same: that is no charge."""
    readings = facts.readings
    amps = readings.current_a[facts.first : facts.last + 1]
    usual = float(np.median(amps[amps > 0])) if (amps > 0).any() else 0.0
    for start, end in ((0, facts.first), (facts.last + 1, len(readings))):
        back = readings.current_a[start:end] < -_BACK * usual
        edges = np.flatnonzero(np.diff(np.concatenate(([0], back.astype(np.int8), [0]))))
        if not usual or not len(edges):
            continue
        longest = int(np.argmax(edges[1::2] - edges[::2]))
        part = slice(start + int(edges[::2][longest]), start + int(edges[1::2][longest]))
        time, volts, flows = readings.time_s[part], readings.voltage_v[part], -readings.current_a[part]
        quarter = max(len(volts) // 4, 1)
        if len(volts) < 3 or time[-1] - time[0] < _STRETCH_S or not abs(flows[-quarter:].mean() / flows[:quarter].mean() - 1) < _LIKE:
            continue
        fell = float(volts[:quarter].mean() - volts[-quarter:].mean())
        if fell > max(_FALL * float(volts[:quarter].mean()), 2 * jitter(volts)):
            return (
                say(
                    "for {time} {amps} A flow the other way, and its volts fall from {a} to {b} V as if it gave: was the clamp turned round, or a sign lost?",
                    time=show_duration(float(time[-1] - time[0])),
                    amps=show(float(np.median(flows)), 3),
                    a=show(float(volts[0]), 4),
                    b=show(float(volts[-1]), 4),
                ),
                say("Look at the sign of its amperes.") + if_it_is_so(),
            )
    return None


_LIKE = 0.2
_HIGHER, _HIGHER_EARLY, _EARLY_S = 0.015, 0.03, 900.0
"""At first a battery recovers: lead from its dip, lithium as it gets warm. Common practice, no source."""


def rises_meanwhile(facts: BatteryFacts) -> tuple[str, str] | None:
    """Typed, at the same current: volts that are higher after it has given more, later than a cold battery takes to get warm."""
    if not facts.is_typed or facts.last - facts.first < 2:
        return None
    part = slice(facts.first, facts.last + 1, max(1, (facts.last - facts.first) // _MOST_ROWS))
    time, volts, amps = facts.readings.time_s[part], facts.readings.voltage_v[part], facts.readings.current_a[part]
    for k in range(1, len(time)):
        before = np.flatnonzero((np.abs(amps[:k] / amps[k] - 1) < _SAME) & (amps[:k] > 0)) if amps[k] > 0 else np.array([], int)
        room = np.where(time[before] < time[0] + _EARLY_S, _HIGHER_EARLY, _HIGHER)
        higher = before[volts[k] > (1 + room) * volts[before]]
        if len(higher):
            low = higher[int(np.argmin(volts[higher]))]
            return (
                say(
                    "its voltage under {amps} A is {after} V, higher than the {before} V of {time} before: it was charged meanwhile, or a digit slipped",
                    amps=show(float(amps[k]), 3),
                    after=show(float(volts[k]), 4),
                    before=show(float(volts[low]), 4),
                    time=show_duration(float(time[k] - time[low])),
                ),
                say("Look at its row, and whether a charger, the sun or an engine was on.") + if_it_is_so(),
            )
    return None


_SAME, _MOST_ROWS = 0.05, 150
"""Currents that are one; of more rows some are looked at, for a charge lasts."""
