"""Internal resistance from steps of the current: R = ΔU/ΔI, by the two-step method of IEC 61960-3 and from every step edge."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array, Readings
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import scattered, within, wrong_by
from ubrant.core.wording import say, words

FIRST_S, SECOND_S = 10.0, 1.0
"""IEC 61960-3, DC internal resistance: 0.2 It for 10 s, then 1.0 It for 1 s. Values from memory."""
FIRST_RATE_C, SECOND_RATE_C = 0.2, 1.0
_STEP_SHARE, _MOST_SHARE = 0.1, 0.5
"""Of the largest current: less is no step, and as much always is one, however noisy it looks."""
_BESIDE = 60
"""So many readings on each side of a step say how noisy they are."""
_MIDDLE = (0.25, 0.5)
_ENOUGH = 40
"""Between which shares of the time under the current of a step its slope is taken, and of how many readings at least."""
JOINTS_OHM = 0.01
"""Of terminals and protection. Common practice, no source."""
_AT_LEADS = 3.0
"""Times the usual resistance of its kind. Common practice, no source."""


@dataclass(frozen=True)
class Edge:
    """One step of the current.

    Attributes
    ----------
    time_s : of the reading after it
    before_v, after_v, before_a, after_a : the readings on both sides
    before_s : of the reading before it
    """

    time_s: float
    before_v: float
    after_v: float
    before_a: float
    after_a: float
    before_s: float = 0.0

    @property
    def resistance_ohm(self) -> float:
        return (self.before_v - self.after_v) / (self.after_a - self.before_a)


def find_edges(readings: Readings, least_a: float) -> list[Edge]:
    """Steps of the current by at least ``least_a`` between one reading and the next, where the voltage went the other way."""
    amps, volts = readings.current_a, readings.voltage_v
    jumps = np.flatnonzero(np.abs(np.diff(amps)) >= least_a)
    edges = []
    for k in map(int, jumps):
        edge = Edge(
            float(readings.time_s[k + 1]),
            float(volts[k]),
            float(volts[k + 1]),
            float(amps[k]),
            float(amps[k + 1]),
            float(readings.time_s[k]),
        )
        settled = k + 2 >= len(amps) or abs(amps[k + 2] - amps[k + 1]) < least_a  # a ramp caught half-way is no edge
        if settled and edge.resistance_ohm > 0:
            edges.append(edge)
    return edges


def resistance_of(
    edge: Edge,
    readings: Readings,
    voltage: Accuracy | None,
    current: Accuracy | None,
    key: str = "resistance",
    name: str = "Internal resistance",
    how: str = "",
) -> Finding:
    """R of one step with its ±: gains count, zeros cancel in the differences, noise and the last digit count twice.

    What a meter is off at one place of its range and not at another is part of its gain here.
    """
    dv, di = edge.before_v - edge.after_v, edge.after_a - edge.before_a
    after = int(np.searchsorted(readings.time_s, edge.time_s))
    noise_v, noise_a = _noise_beside(readings.voltage_v, after), _noise_beside(readings.current_a, after)
    volts, amps = dv + wrong_by(voltage, dv, 0.0), di + wrong_by(current, di, 0.0)
    volts += scattered(
        math.sqrt(2) * noise_v, words("voltage digits and noise"), note=say("{noise} mV, twice", noise=show(1000 * noise_v, 2))
    )
    amps += scattered(math.sqrt(2) * noise_a, words("current digits and noise"), note=say("of both currents"))
    value = volts / amps
    text = f"({show(edge.before_v, 5)} V − {show(edge.after_v, 5)} V) ÷ ({show(edge.after_a)} A − {show(edge.before_a)} A)"
    return Finding.made(key, name, value, "Ω", how or f"step to {show(edge.after_a, 3)} A", (f"{text} = {show(value.value, 3)} Ω",))


def two_step(
    readings: Readings, load_on_s: float, voltage: Accuracy | None, current: Accuracy | None, soc_percent: float | None = None
) -> Finding | None:
    """R = (U₁ − U₂) ÷ (I₂ − I₁), read at the end of 10 s at 0.2 It and of 1 s at 1.0 It; None where the readings hold no such steps.

    It holds part of the slow resistances too, and depends on the state of charge: both are said.

    References
    ----------
    IEC 61960-3, DC internal resistance (times and rates from memory).
    """
    first = _at(readings, load_on_s + FIRST_S)
    second = _at(readings, load_on_s + FIRST_S + SECOND_S)
    if first is None or second is None or second <= first:
        return None
    volts, amps = readings.voltage_v, readings.current_a
    edge = Edge(float(readings.time_s[second]), float(volts[first]), float(volts[second]), float(amps[first]), float(amps[second]))
    if edge.after_a - edge.before_a < 0.3 * abs(edge.after_a):
        return None
    charge = say(" at about {soc_percent} % charged", soc_percent=plain(soc_percent, 2)) if soc_percent is not None else ""
    finding = resistance_of(
        edge, readings, voltage, current, "resistance_two_step", "DC resistance, two steps", f"{FIRST_S:g} s, then {SECOND_S:g} s{charge}"
    )
    note = say("By IEC 61960-3: it holds part of the slow resistances too.")
    return replace(finding, arithmetic=(*finding.arithmetic, note))


def resistance_findings(readings: Readings, load_on_s: float, voltage: Accuracy | None, current: Accuracy | None) -> list[Finding]:
    """Of the first step, named by how long after it was read; ten seconds after it, where it was read then too; and the mean over all step edges.

    What the open-circuit voltage fell meanwhile, by the slope in the middle of that load, is taken off, with half of it in the ±: the step was anywhere between
    two readings.
    """
    largest = float(np.max(np.abs(readings.current_a))) if len(readings) else 0.0
    if not largest > 0:
        return []
    least = max(_STEP_SHARE * largest, min(10 * spread(readings.current_a), _MOST_SHARE * largest))
    edges = find_edges(readings, least)
    if not edges:
        return []
    first = edges[0]
    findings = [_timed(readings, first, first.time_s, voltage, current, "resistance")]
    later = _at(readings, first.before_s + FIRST_S)
    if later is not None and readings.time_s[later] > first.time_s:
        k = int(np.searchsorted(readings.time_s, first.time_s))
        held = np.abs(readings.current_a[k : later + 1] - first.after_a) < least
        if held.all():
            findings.append(_timed(readings, first, float(readings.time_s[later]), voltage, current, "resistance_10s"))
    if len(edges) >= 3:
        values = np.array([e.resistance_ohm for e in edges])
        middle = float(np.median(values))
        text = say(
            "from {show} to {show_2} Ω over {edges} steps",
            show=show(float(values.min()), 3),
            show_2=show(float(values.max()), 3),
            edges=len(edges),
        )
        ohm = middle + wrong_by(voltage, middle, 0.0) - wrong_by(current, middle, 0.0)
        ohm += scattered(float(values.std(ddof=1)) / math.sqrt(len(values)), words("scatter of the steps"), len(values) - 1)
        findings.append(Finding.made("resistance_edges", say("Resistance over all steps"), ohm, "Ω", text, (text,)))
    return findings


def _timed(readings: Readings, edge: Edge, moment_s: float, voltage: Accuracy | None, current: Accuracy | None, key: str) -> Finding:
    """R of a step, read at a moment after it, the slope of the open-circuit voltage taken off."""
    k = int(np.searchsorted(readings.time_s, moment_s))
    after_s = moment_s - edge.before_s
    sagged = _slope_later(readings, k, edge) * after_s / 2
    read = Edge(moment_s, edge.before_v, float(readings.voltage_v[k]) + sagged, edge.before_a, float(readings.current_a[k]), edge.before_s)
    name = say("Resistance R({seconds} s)", seconds=plain(after_s, 2))
    how = say("within {seconds} s of the first step", seconds=plain(after_s, 2))
    found = resistance_of(read, readings, voltage, current, key, name, how)
    if not sagged:
        return found
    slope = within(sagged, words("open-circuit slope"), "V", note=say("as much as was taken off")) / abs(read.after_a - read.before_a)
    text = say(
        "{volts} mV of it were taken off: half of what the voltage falls in {seconds} s",
        volts=show(1000 * sagged, 2),
        seconds=plain(after_s, 2),
    )
    return Finding.made(found.key, found.name, found.known + slope, "Ω", found.working, (*found.arithmetic, text))


def _slope_later(readings: Readings, k: int, edge: Edge) -> float:
    """By how much a second the voltage falls under the current of a step, once slow resistances have long settled; 0 where it was not held so long."""
    amps = readings.current_a[k:]
    other = np.flatnonzero(np.abs(amps - edge.after_a) > _STEP_SHARE * abs(edge.after_a - edge.before_a))
    held = int(other[0]) if len(other) else len(amps)
    if held < _ENOUGH:
        return 0.0
    since, until = (k + int(share * (held - 1)) for share in _MIDDLE)
    fell = float(readings.voltage_v[since] - readings.voltage_v[until])
    return max(fell, 0.0) / float(readings.time_s[until] - readings.time_s[since])


def sag_at_leads(found: Finding, plausible_ohm: float) -> str:
    """A question where the first sag is far more than such a battery's own resistance explains; empty where it is not."""
    u = found.expanded_uncertainty or 0.0
    if found.value is None or not plausible_ohm > 0 or found.value - u <= _AT_LEADS * plausible_ohm:
        return ""
    return say(
        "It sagged at once as by {measured} mΩ, and about {usual} mΩ would be usual: was the voltage read at the leads and not at its terminals, or is a joint poor?",
        measured=show(1000 * found.value, 2),
        usual=show(1000 * plausible_ohm, 2),
    )


def _noise_beside(values: Array, after: int) -> float:
    """Of one reading beside a step; the step itself is none."""
    sides = (values[max(after - _BESIDE, 0) : after], values[after : after + _BESIDE])
    return math.sqrt(sum(spread(side) ** 2 for side in sides) / 2)


def spread(values: Array) -> float:
    """Standard deviation of one reading: reading-to-reading noise (second differences, robust), or the last digit where it hides the noise."""
    if len(values) < 6:
        return 0.0
    bends = np.sort(np.abs(np.diff(values, 2)))
    noise = float(np.median(bends)) / 0.6745 / math.sqrt(6)
    steps = np.diff(np.unique(np.round(values, 9)))
    steps = steps[steps > 1e-8]
    digit = float(steps.min()) if len(steps) else 0.0
    return max(noise, digit / math.sqrt(12)) if digit < 20 * noise or noise == 0 else noise


def _at(readings: Readings, moment_s: float) -> int | None:
    """The reading nearest a moment, within a tenth of a second and never after a step that follows it."""
    k = int(np.argmin(np.abs(readings.time_s - moment_s)))
    return k if abs(float(readings.time_s[k]) - moment_s) <= 0.11 else None
