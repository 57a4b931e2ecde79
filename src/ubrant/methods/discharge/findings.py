"""Everything a discharge says of a battery: the discharge itself, and what else was read or done while it lasted."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np

from ubrant.core.battery.cells import cell_findings
from ubrant.core.battery.recharge import recharge_of, round_trip
from ubrant.core.battery.resistance import JOINTS_OHM, resistance_findings, sag_at_leads, two_step
from ubrant.core.battery.state_of_charge import charge_by, chart_name, from_resting_voltage
from ubrant.core.battery.temperature import capacity_at_reference
from ubrant.core.battery.verdict import Circumstances, Verdict, judge
from ubrant.core.gate.battery_facts import BatteryFacts
from ubrant.core.gate.check import objections
from ubrant.core.gate.discharge_checks import AFTER_SUMS
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.chemistry import CHEMISTRIES, Chemistry
from ubrant.core.quantities.label import Label
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.quantities.readings import Array, Readings, ReadingsError, Series, no_readings
from ubrant.core.record.counters import agreement, counted, counted_finding, energy_per_point, points_used
from ubrant.core.record.integrals import off_in_count, totals
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.second_meter import disagreement
from ubrant.core.uncertainty.value import Value, wrong_by
from ubrant.core.wording import say
from ubrant.methods.discharge.sums import Discharge, DischargeRecord, analyse, label_share

Add = Callable[..., None]

MOST_FOR_STEPS = 2_000_000
"""Steps are looked for in runs up to this many readings; a longer log is looked through around its first step only."""


@dataclass(frozen=True)
class Counter:
    """One counter's readings, the half of their last digits, where it runs over (None for unknown), and where it counts."""

    series: Series
    half_width: Array
    full_scale: float | None = None
    tap: str = "battery"


@dataclass(frozen=True)
class Others:
    """What else was read or done while a discharge lasted.

    Attributes
    ----------
    counters : by unit, Ah or Wh
    percent : a display in whole percent
    cells : volts of single cells by their number
    temperature : of the battery
    charges : (from, to) of every charge, seconds
    discharges : (load on, load off) of every discharge, where there were several
    two_step : the run began with the two steps of IEC 61960-3
    start_ah : taken out before, counted, so that the run began part way down
    amps : read beside counters, for the rate alone
    other_v, other_a : the same quantities by another meter at the same tap; other_accuracies : its, in V and in A
    """

    counters: dict[str, Counter] = field(default_factory=dict)
    percent: Series = field(default_factory=no_readings)
    cells: dict[int, Series] = field(default_factory=dict)
    temperature: Series = field(default_factory=no_readings)
    charges: tuple[tuple[float, float], ...] = ()
    discharges: tuple[tuple[float, float], ...] = ()
    two_step: bool = False
    start_ah: float | None = None
    amps: Series = field(default_factory=no_readings)
    other_v: Series = field(default_factory=no_readings)
    other_a: Series = field(default_factory=no_readings)
    other_accuracies: tuple[Accuracy | None, Accuracy | None] = (None, None)


def judged(record: DischargeRecord, others: Others | None = None) -> Discharge:
    """Findings, verdict and warnings of a run.

    Raises
    ------
    ReadingsError
        Nothing can be said: too few readings, no current anywhere and no counter either.
    """
    others = others or Others()
    try:
        discharge = analyse(record)
    except ReadingsError:
        if not any(len(c.series) > 1 for c in others.counters.values()):
            raise
        discharge = _by_counters(record, others)
    findings, warnings = dict(discharge.findings), list(discharge.warnings)

    def add(*more: Finding) -> None:
        findings.update({f.key: f for f in more if f.value is not None})

    disagree = _add_counters(record, others, discharge, add, warnings)
    if len(others.percent):
        points = points_used(others.percent)
        add(points, energy_per_point(findings["energy"], points))
    if others.cells:
        kind = record.label.kind_of_cell if record.label else None
        cells, said = cell_findings(others.cells, kind.floor_v if kind else None)
        add(*cells)
        warnings += said
    _add_rest(record, discharge, add)
    _add_resistance(record, others, discharge, add, warnings)
    _add_temperature(record, others, findings, add)
    _add_charges(record, others, discharge, add)
    _add_cycles(record, others, add)
    disagree += _other_meter(record, others)
    warnings += disagree
    if disagree:
        discharge = _doubted(record, discharge, findings, disagree)
    if others.start_ah:
        warnings.append(
            say(
                "{start_ah} Ah had been taken out before, counted: what is found here comes on top of that.",
                start_ah=plain(others.start_ah),
            )
        )
    verdict = discharge.verdict
    if others.start_ah and record.label is not None:
        verdict = _judged_with_start(record, discharge, findings, others.start_ah)
    return replace(discharge, findings=findings, warnings=tuple(warnings), verdict=verdict)


def _rate_read(record: DischargeRecord, amps: Series) -> Finding:
    """By amperes that were read beside a counter."""
    flowing, label = amps.value[amps.value > 0], record.label
    if not len(flowing) or label is None or not label.charge_ah:
        return Finding("c_rate", "Rate", None, "C", None, say("no current was read"))
    mean = float(flowing.mean())
    working = f"mean {show(mean)} A ÷ {show(label.charge_ah)} Ah"
    return Finding("c_rate", "Rate", mean / label.charge_ah, "C", None, working, (f"{working} = {show(mean / label.charge_ah)} C",))


def _by_counters(record: DischargeRecord, others: Others) -> Discharge:
    """A run of which only counters were read."""
    findings: dict[str, Finding] = {}
    ends: list[float] = []
    starts: list[float] = []
    for unit, key, name in (("Ah", "charge", "Charge delivered"), ("Wh", "energy", "Energy delivered")):
        counter = others.counters.get(unit)
        if counter is None or len(counter.series) < 2:
            findings[key] = Finding(key, name, None, unit, None, say("no counter for it"))
            continue
        count = counted(counter.series, counter.half_width, counter.full_scale)
        made = counted_finding(count, unit, _off(record, unit, count.amount))
        findings[key] = replace(made, key=key, name=name)
        starts.append(float(counter.series.time_s[0]))
        ends.append(float(counter.series.time_s[-1]))
    start, end = min(starts), max(ends)
    findings["duration"] = Finding("duration", "Duration", end - start, "s", None, say("first reading of the counter to the last"))
    charge, energy = findings["charge"], findings["energy"]
    mean = energy.value / charge.value if energy.value and charge.value else None
    findings["mean_voltage"] = Finding("mean_voltage", "Mean voltage", mean, "V", None, say("Wh ÷ Ah of the counters"))
    findings["label_share"] = label_share(record, charge, energy, (end - start) / 3600)
    findings["c_rate"] = _rate_read(record, others.amps)
    ended = "cut-off" if record.ended in {"cut-off", "empty"} else record.ended or "end of log"
    share = findings["label_share"]
    facts = BatteryFacts(
        label=record.label,
        charge_ah=charge.value or 0.0,
        share=share.value,
        share_u=share.expanded_uncertainty or 0.0,
        mean_v=mean,
        full=record.full,
        unread=_unread(record, start, end),
        behind=next((c.tap for c in others.counters.values() if c.tap in _BEHIND), ""),
    )
    found = objections(AFTER_SUMS, facts, record.checked)
    about = Circumstances(record.label, record.cutoff, ended, record.temperature_c, record.tap, (), objections=found)
    return Discharge(findings, judge(findings, about), about, ended, (), (), start, end, None, by_counters=True, full=record.full)


_UNREAD_SHARE = 0.01
_BEHIND = ("ac", "output", "load")
"""Taps at which less arrives than the battery gives."""


def _unread(record: DischargeRecord, start_s: float, end_s: float) -> str:
    """How long the load was on before the counter's first reading or after its last, in words; empty where that is next to nothing."""
    before = start_s - record.load_on_s if record.load_on_s is not None else 0.0
    after = record.load_off_s - end_s if record.load_off_s is not None else 0.0
    least = _UNREAD_SHARE * max(end_s - start_s, 1.0)
    if after > least:
        return say("its counter was last read {time} before the load went off", time=show_duration(after))
    if before > least:
        return say("its counter was first read {time} after the load came on", time=show_duration(before))
    return ""


def _doubted(record: DischargeRecord, discharge: Discharge, findings: dict[str, Finding], disagree: list[str]) -> Discharge:
    """Judged again, now that two measurements of the same thing do not agree."""
    about = discharge.about
    facts = BatteryFacts(disagreements=tuple(disagree))
    found = objections((c for c in AFTER_SUMS if c.key == "disagree"), facts, record.checked)
    about = replace(about, objections=(*found, *about.objections))
    return replace(discharge, about=about, verdict=judge(findings, about))


def _off(record: DischargeRecord, unit: str, amount: float) -> Value:
    """What a counter's meter is off by in an amount."""
    return off_in_count(unit, amount, record.voltage_accuracy, record.current_accuracy, record.power_accuracy)


def _add_counters(record: DischargeRecord, others: Others, discharge: Discharge, add: Add, warnings: list[str]) -> list[str]:
    """Counters as findings; what they say otherwise than the readings do."""
    disagree = []
    for unit, key in (("Ah", "charge"), ("Wh", "energy")):
        counter = others.counters.get(unit)
        if counter is None or len(counter.series) < 2:
            continue
        count = counted(counter.series, counter.half_width, counter.full_scale)
        made = counted_finding(count, unit, _off(record, unit, count.amount))
        if said := count.sentence(unit):
            warnings.append(said)
        integral = discharge.findings[key]
        if discharge.by_counters:
            continue
        add(made)
        inside = (float(counter.series.time_s[0]) <= discharge.load_on_s + 60) and (
            float(counter.series.time_s[-1]) >= discharge.end_s - 60
        )
        if inside and (said := agreement(_until(counter, record, discharge, unit), integral)):
            disagree.append(said)
    return disagree


def _until(counter: Counter, record: DischargeRecord, discharge: Discharge, unit: str) -> Finding:
    """What the counter says of the stretch that the integral is about: neither what came before load on, nor what came after the end."""
    time, value = counter.series.time_s, counter.series.value
    inside = (time > discharge.load_on_s) & (time < discharge.end_s)
    ends = np.array([max(discharge.load_on_s, float(time[0])), min(discharge.end_s, float(time[-1]))])
    times = np.concatenate((ends[:1], time[inside], ends[1:]))
    half = np.full(len(times), float(np.median(counter.half_width)))
    series = Series(times, np.interp(times, time, value))
    count = counted(series, half, counter.full_scale)
    return counted_finding(count, unit, _off(record, unit, count.amount))


def _add_rest(record: DischargeRecord, discharge: Discharge, add: Add) -> None:
    """State of charge by the resting voltage before and after, with its band; nothing where voltage cannot tell."""
    label = record.label
    if label is None or label.kind_of_cell is None or not label.series:
        return
    for key, name, rest in (
        ("soc_before", "Charged, by its rest before", "rest_before"),
        ("soc_after", "Charged, by its rest after", "rest_after"),
    ):
        volts = discharge.findings.get(rest)
        if volts is None or volts.value is None:
            continue
        for kind in _charts(label):
            read = from_resting_voltage(volts.value, label.series, kind, volts.standard_uncertainty or 0.0)
            if (charged := charge_by(volts.known, label.series, kind)) is None:
                continue
            working = say("{chart}, if it had rested {rest_hours:g} h", chart=chart_name(kind), rest_hours=kind.rest_hours)
            usual = len(_charts(label)) > 1 and not kind.own_chart
            found = Finding.made(
                f"{key}_usual" if usual else key,
                say("{name}, by the usual chart", name=name) if usual else name,
                charged,
                "%",
                working,
                (say("{volts}, by {chart}: {sentence}", volts=volts.value_text(), chart=chart_name(kind), sentence=read.sentence),),
            )
            add(found)


def _charts(label: Label) -> tuple[Chemistry, ...]:
    """The person's own chart, and the usual one: where they disagree both answers stand."""
    own = label.kind_of_cell
    return () if own is None else (own, CHEMISTRIES[own.key]) if own.own_chart else (own,)


def _add_resistance(record: DischargeRecord, others: Others, discharge: Discharge, add: Add, warnings: list[str]) -> None:
    readings = record.readings
    if record.widths is not None or len(readings) < 4:
        return
    if len(readings) > MOST_FOR_STEPS:
        k = int(np.searchsorted(readings.time_s, discharge.load_on_s))
        readings = readings.between(max(k - 1000, 0), min(k + 1000, len(readings) - 1))
    if others.two_step:
        made = two_step(
            readings, discharge.load_on_s, record.voltage_accuracy, record.current_accuracy, 100.0 if not others.start_ah else None
        )
        if made is not None:
            add(made)
    found = resistance_findings(readings, discharge.load_on_s, record.voltage_accuracy, record.current_accuracy)
    add(*found)
    label, kind = record.label, record.label.kind_of_cell if record.label else None
    if found and label is not None and kind is not None and label.series and label.charge_ah:
        usual = kind.usual_ohm(label.series, label.charge_ah) + JOINTS_OHM
        if question := sag_at_leads(found[0], usual):
            warnings.append(question)


def _add_temperature(record: DischargeRecord, others: Others, findings: dict[str, Finding], add: Add) -> None:
    if len(others.temperature):
        hottest = float(others.temperature.value.max())
        add(Finding("hottest", "Warmest", hottest, "°C", None, say("the highest reading")))
    kind = record.label.kind_of_cell if record.label else None
    if kind is not None and kind.key == "lead-acid" and record.temperature_c is not None and findings["charge"].value:
        hours = (findings["duration"].value or 0.0) / 3600
        add(capacity_at_reference(findings["charge"], hours, record.temperature_c))


def _add_charges(record: DischargeRecord, others: Others, discharge: Discharge, add: Add) -> None:
    if not others.charges:
        return
    after = [c for c in others.charges if c[0] >= discharge.end_s]
    chosen = after[0] if after else others.charges[-1]
    put_in = recharge_of(record.readings, record.voltage_accuracy, record.current_accuracy, *chosen)
    if put_in is not None:
        add(put_in.charge, put_in.energy, put_in.end_current)
        add(*round_trip(discharge.findings["charge"], discharge.findings["energy"], put_in))


def _add_cycles(record: DischargeRecord, others: Others, add: Add) -> None:
    if len(others.discharges) < 2:
        return
    first: float | None = None
    for number, (on_s, off_s) in enumerate(others.discharges, start=1):
        part = _between(record.readings, on_s, off_s)
        if len(part) < 2:
            continue
        charge = totals(part.time_s, part.voltage_v, part.current_a).charge_ah
        given = charge + wrong_by(record.current_accuracy, charge, (off_s - on_s) / 3600)
        first = first or charge
        working = say("{show} % of the first", show=show(100 * charge / first, 3))
        add(Finding.made(f"cycle_{number}", f"Cycle {number}", given, "Ah", working))


def _between(readings: Readings, from_s: float, to_s: float) -> Readings:
    first = int(np.searchsorted(readings.time_s, from_s))
    last = int(np.searchsorted(readings.time_s, to_s, side="right")) - 1
    return readings.between(first, max(last, first))


def _other_meter(record: DischargeRecord, others: Others) -> list[str]:
    """Whether two meters at the battery are further apart than they may be."""
    sentences = []
    for unit, series, accuracy, other_accuracy, ours in (
        ("V", others.other_v, record.voltage_accuracy, others.other_accuracies[0], record.readings.voltage_v),
        ("A", others.other_a, record.current_accuracy, others.other_accuracies[1], record.readings.current_a),
    ):
        if len(series) and len(record.readings) > 1:
            there = np.interp(series.time_s, record.readings.time_s, ours, math.nan, math.nan)
            sentences.append(disagreement(there, series.value, unit, accuracy, other_accuracy))
    return [text for text in sentences if text]


def _judged_with_start(record: DischargeRecord, discharge: Discharge, findings: dict[str, Finding], start_ah: float) -> Verdict:
    """The verdict on what was counted before and what was found now, together."""
    charge, label = findings["charge"], record.label
    if charge.value is None or label is None or not label.charge_ah:
        return discharge.verdict
    whole = replace(charge, value=charge.value + start_ah, name="Charge with what was taken out before")
    given = findings["label_share"].value or 0.0
    share = replace(findings["label_share"], value=given * (charge.value + start_ah) / charge.value if charge.value else None)
    findings["whole_charge"] = replace(
        whole,
        key="whole_charge",
        working=say("{start_ah} Ah counted before + {value} Ah", start_ah=plain(start_ah), value=show(charge.value)),
    )
    findings["label_share"] = share
    return judge({**findings, "charge": whole}, discharge.about)
