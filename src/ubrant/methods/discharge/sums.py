"""What a discharge says of a battery: charge, energy, duration, mean voltage, share of the label, verdict.

The live ledger, the Findings stage, the command line and the tests call :func:`analyse`; nothing else works these out.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ubrant.core.battery.conditions import at_reference
from ubrant.core.battery.ending import EMPTIED, GAVE_UP
from ubrant.core.battery.fullness import against, by_charge, by_rest, fell_plausibly, is_rest, last_alive, went_dark
from ubrant.core.battery.state_of_charge import chart_name, from_resting_voltage
from ubrant.core.battery.verdict import Circumstances, Verdict, judge
from ubrant.core.gate.battery_facts import BatteryFacts
from ubrant.core.gate.check import objections, refuse
from ubrant.core.gate.discharge_checks import AFTER_SUMS, BEFORE_SUMS
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.label import Label
from ubrant.core.quantities.quantity import grouped, show, show_duration
from ubrant.core.quantities.readings import Array, Readings, ReadingsError, Series, require_usable
from ubrant.core.quantities.stand_in import StandIn
from ubrant.core.record.alone import Alone, standing_alone
from ubrant.core.record.cutoff import Crossing, Cutoff, find_crossing
from ubrant.core.record.flowed import AtRest
from ubrant.core.record.gaps import BridgedGap, find_gaps
from ubrant.core.record.integrals import Totals, span
from ubrant.core.record.scan import Scan, scan
from ubrant.core.record.typed import HELD, Widths, held_as_steps
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import Value, as_read
from ubrant.core.wording import say, say_many
from ubrant.methods.discharge.at_rest import flowed_before, last_at_rest
from ubrant.methods.discharge.budget import Bounds, Budget, budget_of
from ubrant.methods.discharge.stood_in import not_read, stood_in

LOAD_ON_SHARE = 0.05
"""The load counts as on while the current is over this share of its usual value."""
_MOST_ALONE, _FEW = 3, 3


@dataclass(frozen=True)
class DischargeRecord:
    """Readings of one discharge at one tap, and what is known about them.

    Attributes
    ----------
    readings : voltage and current at the tap
    voltage_accuracy, current_accuracy : of the meter; None for unknown, and then there is no ±
    power_accuracy : of a meter that reads watts itself, and counts them
    label : what the maker claims
    cutoff : the voltage the discharge is judged to
    temperature_c, room_c : of the battery at the start; between what the room is, where the battery's was not written down
    load_on_s, load_off_s : when the load came on and went off, if that was recorded; otherwise found from the current
    ended : what ended a run on the bench (``cut-off``, ``person``, ``protection``, …); None for a log
    tap : where it was metered; anything but ``battery`` is not like for like
    widths : of readings that a person took down; None for an instrument's
    interrupted_s : when the run went on after an interruption
    full : how it is known that it was full at the start, in a few words; empty where nobody said so
    said_not_full : a person said that it was not, whatever the readings before say
    checked : checks of the gate that a person has looked at
    power : watts logged beside volts and amperes
    on_change : its rows were written where something changed, and are held
    stands_in : what stands in for volts that nobody read
    counts_from_0 : a counter beside the readings began at 0 with them
    amps_once : a person read the amperes once while the load was on, and the volts several times
    flowed : what flowed at rest, before and after, where that was seen
    moment_half_s : how far to each side a typed moment may be off
    """

    readings: Readings
    voltage_accuracy: Accuracy | None = None
    current_accuracy: Accuracy | None = None
    label: Label | None = None
    cutoff: Cutoff | None = None
    temperature_c: float | None = None
    load_on_s: float | None = None
    load_off_s: float | None = None
    ended: str | None = None
    tap: str = "battery"
    widths: Widths | None = None
    interrupted_s: tuple[float, ...] = ()
    full: str = ""
    checked: tuple[str, ...] = ()
    power: Series | None = None
    counts_from_0: bool = False
    on_change: bool = False
    amps_once: bool = False
    said_not_full: bool = False
    room_c: tuple[float, float] | None = None
    stands_in: StandIn | None = None
    flowed: tuple[AtRest, AtRest] = (AtRest(), AtRest())
    power_accuracy: Accuracy | None = None
    moment_half_s: float = 0.0


@dataclass(frozen=True)
class Discharge:
    """The findings of one discharge.

    Attributes
    ----------
    findings : by key, in the order a ledger shows them
    verdict : against the label
    about : what it was judged under
    ended_by : ``cut-off`` or what else
    gaps : bridged stretches inside the result
    warnings : sentences
    load_on_s, end_s : the stretch the result is about, in the readings' own time
    crossing : where the cut-off was reached, None when it was not
    by_counters : it rests on counters alone
    alone : readings that stand alone between others
    full : how it is known that it was full at the start
    """

    findings: dict[str, Finding]
    verdict: Verdict
    about: Circumstances
    ended_by: str
    gaps: tuple[BridgedGap, ...]
    warnings: tuple[str, ...]
    load_on_s: float
    end_s: float
    crossing: Crossing | None
    by_counters: bool = False
    alone: tuple[Alone, ...] = ()
    full: str = ""


def analyse(record: DischargeRecord) -> Discharge:
    """Findings and verdict of a discharge.

    Raises
    ------
    ReadingsError
        Too few readings, a value that is no number, time that does not increase, no current anywhere, or what the gate refuses.
    """
    if len(record.readings) < 2:
        require_usable(record.readings.time_s, record.readings.voltage_v, record.readings.current_a)
        raise ReadingsError(say("Fewer than two readings: there is nothing to add up yet."))
    warnings: list[str] = []
    if record.on_change:
        warnings.append(say("Its rows were written where something changed: each value is held until the next."))
    if record.widths is not None and record.widths.between == HELD:
        stepped, widths = held_as_steps(record.readings, record.widths)
        record = replace(record, readings=stepped, widths=widths)
    readings, typical_a = _as_discharge(record, warnings)
    idle_below = LOAD_ON_SHARE * typical_a
    first, last = _loaded_stretch(record, readings, idle_below)
    looked = scan(readings)
    refuse(objections(BEFORE_SUMS, _facts(record, looked, first, last)))
    looked, put_in = _without_charges(looked, first, last, idle_below)
    readings = looked.readings
    alive = last_alive(readings, first, last)
    dark = alive < last or went_dark(readings, alive)
    if dark:
        last, record = alive, replace(record, load_off_s=None)
    crossing = _crossing(record, looked, first, last, idle_below)
    stretch = _stretch(record, looked, first, last, crossing)
    gaps = () if record.widths else find_gaps(looked, stretch.first, stretch.last, idle_below, record.interrupted_s)
    stretch = _less_uncounted(stretch, gaps)
    budget = budget_of(
        record.voltage_accuracy, record.current_accuracy, looked, stretch.bounds, crossing, record.cutoff, gaps, record.widths
    )
    findings = _figures(record, readings, stretch, crossing, gaps, budget, idle_below)
    if record.stands_in is not None:
        warnings.append(record.stands_in.sentence())
        findings |= {key: not_read(findings[key]) for key in ("mean_voltage", "rest_before", "rest_after")}
        findings["energy"] = stood_in(findings["energy"], record.stands_in)
    # A run that ended at its own cut-off has not reached a lower one that it is judged to now.
    ended_by = "cut-off" if crossing else "a higher cut-off" if record.ended == "cut-off" else record.ended or "end of log"
    if dark and crossing is None and ended_by in {"end of log", "person"}:
        ended_by = GAVE_UP
    _warn(warnings, record, readings, stretch, crossing, gaps, findings, ended_by)
    alone = standing_alone(readings.between(stretch.first, stretch.last))
    warnings += [_about_alone(one, stretch.bounds.load_on_s) for one in alone[:_MOST_ALONE]]
    full = record.full
    if not full and not record.said_not_full:
        full = by_charge(readings, stretch.bounds.load_on_s, record.label)
        full = full or by_rest(readings, stretch.bounds.load_on_s, findings["rest_before"].value, record.label)
    begins_loaded = record.load_on_s is None and first == 0
    facts = replace(
        _facts(record, looked, first, min(last, crossing.after + 1) if crossing is not None else last),
        charge_ah=findings["charge"].value or 0.0,
        share=findings["label_share"].value,
        share_u=findings["label_share"].expanded_uncertainty or 0.0,
        c_rate=findings["c_rate"].value,
        mean_v=findings["mean_voltage"].value,
        begins_loaded=begins_loaded,
        full=full,
        not_full=against(readings, first, findings["rest_before"].value, record.label, begins_loaded=begins_loaded),
        charged_ah=put_in,
        emptied=ended_by in EMPTIED,
        fell_plausibly=record.stands_in is not None
        or ended_by not in {GAVE_UP, "protection"}
        or fell_plausibly(readings, first, last, record.label),
    )
    found = objections(AFTER_SUMS, facts, record.checked)
    about = Circumstances(record.label, record.cutoff, ended_by, record.temperature_c, record.tap, gaps, alone, found)
    return Discharge(
        findings,
        judge(findings, about),
        about,
        ended_by,
        gaps,
        tuple(warnings),
        stretch.bounds.load_on_s,
        stretch.bounds.end_s,
        crossing,
        alone=alone,
        full=full,
    )


def _facts(record: DischargeRecord, looked: Scan, first: int, last: int) -> BatteryFacts:
    """What the gate can look at before anything is added up."""
    return BatteryFacts(
        looked.readings,
        first,
        last,
        record.label,
        full=record.full,
        is_typed=record.widths is not None,
        power=record.power,
        counts_from_0=record.counts_from_0,
        looked=looked,
        amps_once=record.amps_once,
    )


def _without_charges(looked: Scan, first: int, last: int, idle_below: float) -> tuple[Scan, float]:
    """The readings without what was put in between load on and the end, and how much that was, Ah."""
    if last < first or looked.least_amps(first, last) >= -idle_below:
        return looked, 0.0
    readings = looked.readings
    amps = readings.current_a[first : last + 1]
    negative = np.where(amps < -idle_below, -amps, 0.0)
    dt = np.diff(readings.time_s[first : last + 1])
    put_in = float(np.dot(dt, (negative[1:] + negative[:-1]) / 2)) / 3600
    current = readings.current_a.copy()
    current[first : last + 1] = np.where(amps < -idle_below, 0.0, amps)
    return scan(replace(readings, current_a=current)), put_in


def _about_alone(one: Alone, load_on_s: float) -> str:
    return say(
        "The reading of {value} {quantity}, {time} after load on, stands alone between readings of about {near} {quantity}: look whether a digit slipped.",
        value=show(one.value),
        quantity=one.quantity,
        time=show_duration(one.time_s - load_on_s),
        near=show(one.near),
    )


@dataclass(frozen=True)
class _Stretch:
    first: int
    last: int
    bounds: Bounds
    sums: Totals
    off_s: float


def _as_discharge(record: DischargeRecord, warnings: list[str]) -> tuple[Readings, float]:
    """Readings with discharge current positive, and the usual current while the load is on."""
    readings = record.readings
    amps = readings.current_a
    both = record.load_on_s is None and _is_both(readings)
    if record.load_on_s is not None:  # what was charged before or after says nothing of the sign
        first = min(int(np.searchsorted(readings.time_s, record.load_on_s)), len(amps) - 1)
        last = int(np.searchsorted(readings.time_s, record.load_off_s, side="right")) if record.load_off_s is not None else len(amps)
        amps = amps[first : max(last, first + 1)]
    sample = amps[:: max(1, len(amps) // 20_000)]
    largest = float(np.abs(sample).max())
    if np.count_nonzero(np.abs(sample) > LOAD_ON_SHARE * largest) < 0.01 * len(sample):  # a short load in a long log
        largest, sample = max(float(-amps.min()), float(amps.max())), amps
    if not np.isfinite(largest):
        require_usable(readings.time_s, readings.voltage_v, amps)
    loaded = sample[np.abs(sample) > LOAD_ON_SHARE * largest]
    if not largest > 0 or not len(loaded):
        raise ReadingsError(say("No current flows in these readings: is the current column the right one?"))
    typical = float(np.median(loaded))
    if both:  # charged and discharged: the volts rise while it is charged, and are the higher ones
        plus, minus = (readings.voltage_v[way * amps > LOAD_ON_SHARE * largest] for way in (1, -1))
        thin = [volts[:: max(1, len(volts) // 20_000)] for volts in (plus, minus)]
        rises = [float(np.polyfit(np.arange(len(volts)), volts, 1)[0]) if len(volts) > _FEW else 0.0 for volts in thin]
        lower = float(np.median(plus)) < float(np.median(minus))
        sign = 1.0 if (rises[0] < 0 if rises[0] * rises[1] < 0 else lower) else -1.0
        typical = sign * float(np.median(np.abs(loaded[sign * loaded > 0])))
    if typical < 0:
        warnings.append(say("Current was logged as negative while discharging; it is taken the other way round here."))
        readings = replace(readings, current_a=-readings.current_a)
    return readings, abs(typical)


def _is_both(readings: Readings) -> bool:
    """Current flowed both ways, a good part of the time each."""
    amps = readings.current_a[:: max(1, len(readings) // 20_000)]
    largest = float(np.abs(amps).max())
    shares = [float(np.count_nonzero(sign * amps > LOAD_ON_SHARE * largest)) / len(amps) for sign in (1, -1)]
    return min(shares) > 0.02


def _loaded_stretch(record: DischargeRecord, readings: Readings, idle_below: float) -> tuple[int, int]:
    """Indexes of the first and last reading with the load on: by when it was switched, where that is known, else by the current."""
    first, last = _by_current(readings.current_a, idle_below)
    if record.load_on_s is not None and record.load_on_s <= readings.time_s[-1]:
        first = int(np.searchsorted(readings.time_s, record.load_on_s, side="left"))
        if record.load_off_s is not None and record.load_off_s > record.load_on_s:
            last = int(np.searchsorted(readings.time_s, record.load_off_s, side="right")) - 1
    return first, max(first, last)


def _by_current(amps: Array, idle_below: float) -> tuple[int, int]:
    step = 1 << 16
    first = next(k + int(np.argmax(on)) for k in range(0, len(amps), step) if (on := amps[k : k + step] > idle_below).any())
    for end in range(len(amps), 0, -step):
        on = amps[max(0, end - step) : end] > idle_below
        if on.any():
            return first, end - 1 - int(np.argmax(on[::-1]))
    raise ReadingsError(say("No current flows in these readings."))


def _crossing(record: DischargeRecord, looked: Scan, first: int, last: int, idle_below: float) -> Crossing | None:
    if record.cutoff is None:
        return None
    volts = record.cutoff.voltage_v
    tolerance = record.voltage_accuracy.limit(volts) if record.voltage_accuracy else 0.001 * volts
    return find_crossing(looked, record.cutoff, first, last, idle_below, tolerance)


_LONG_UNSEEN = 3.0
"""Times the usual interval, after which the moment between two readings is none that could be guessed. Common practice, no source."""


def _stretch(record: DischargeRecord, looked: Scan, first: int, last: int, crossing: Crossing | None) -> _Stretch:
    """Charge and energy from load on to the end, with the odd pieces at both ends."""
    readings = looked.readings
    time, volts, amps = readings.time_s, readings.voltage_v, readings.current_a
    known = record.load_on_s is not None and record.load_on_s <= time[first]
    if known:
        load_on, half, start = float(record.load_on_s or 0.0), 0.0, first
        head = span((load_on, time[first]), (volts[first], volts[first]), (amps[first], amps[first]))
    else:
        start = max(first - 1, 0)  # the straight line from rest to load is part of the readings
        half = float(time[first] - time[start]) / 2
        load_on = float(time[first]) - half
        if not first:  # it may have come on at any moment since the reading that would have been before
            half = readings.typical_interval_s
        head = span((time[0], time[0]), (0, 0), (0, 0))
    end_half = 0.0
    if crossing is None:
        known = record.load_off_s is not None and record.load_off_s >= time[last]
        end = float(record.load_off_s or 0.0) if known else float(time[last])
        stop = last if known or record.ended == "running" else min(last + 1, len(time) - 1)
        if record.widths is not None and stop > last and time[stop] - time[last] > _LONG_UNSEEN * readings.typical_interval_s:
            stop = last  # somebody came back hours later and found it off: when it went off nobody knows
        sums = head + looked.totals(start, stop)
        sums += span((time[last], end), (volts[last], volts[last]), (amps[last], amps[last]))
        if not known and stop > last:
            end_half = float(time[stop] - time[last]) / 2
            end += end_half
    else:
        stop = max(crossing.after, start)
        tail_v = (volts[stop], record.cutoff.voltage_v if record.cutoff else volts[stop])
        sums = head + looked.totals(start, stop) + span((time[stop], crossing.time_s), tail_v, (amps[stop], crossing.current_a))
        end = crossing.time_s
    if end > load_on:
        half, end_half = max(half, record.moment_half_s), max(end_half, record.moment_half_s)
    off = _time_off(looked, first, min(stop, last), LOAD_ON_SHARE * looked.most_amps(first, last))
    return _Stretch(start, min(stop + 1, len(time) - 1), Bounds(load_on, half, end, float(amps[first]), end_half), sums, off)


def _less_uncounted(stretch: _Stretch, gaps: tuple[BridgedGap, ...]) -> _Stretch:
    """Without the part of gaps that is not counted."""
    charge = sum((1 - g.counted_share) * g.charge_ah for g in gaps)
    energy = sum((1 - g.counted_share) * g.energy_wh for g in gaps)
    return replace(stretch, sums=stretch.sums + Totals(-charge, -energy, 0.0, 0.0)) if charge else stretch


def _time_off(looked: Scan, first: int, last: int, idle_below: float) -> float:
    """Seconds between load on and the end in which the load was off (paused)."""
    if last < first or looked.least_amps(first, last) >= idle_below:
        return 0.0
    readings = looked.readings
    amps = readings.current_a[first : last + 1]
    off = amps < idle_below
    both = off[:-1] & off[1:]
    dt = np.diff(readings.time_s[first : last + 1])
    return float(dt[both].sum() + dt[off[:-1] ^ off[1:]].sum() / 2)


def _figures(
    record: DischargeRecord,
    readings: Readings,
    stretch: _Stretch,
    crossing: Crossing | None,
    gaps: tuple[BridgedGap, ...],
    budget: Budget | None,
    idle_below: float,
) -> dict[str, Finding]:
    sums, bounds = stretch.sums, stretch.bounds
    hours = max((bounds.end_s - bounds.load_on_s) / 3600, 1e-12)
    count = say("{n} readings", n=grouped(stretch.last - stretch.first + 1, 0))
    bridged = say_many(len(gaps), "one gap bridged", "{n} gaps bridged") if gaps else say("no gaps")
    start_text = (
        say("Read while the load was on, joined by straight lines, from load on to the cut-off")
        if crossing
        else say("Read while the load was on, joined by straight lines, from load on to the last reading under load")
    )
    off_q, off_e, off_t = budget.errors(sums, bounds) if budget else (Value(0.0, None),) * 3
    charge = Finding.made(
        "charge",
        "Charge delivered",
        sums.charge_ah + off_q,
        "Ah",
        f"∫ I dt, {count}, {bridged}",
        (
            f"{start_text}: {count}, {bridged}.",
            f"mean {show(sums.charge_ah / hours, 5)} A × {show(hours, 5)} h = {show(sums.charge_ah, 5)} Ah",
        ),
    )
    energy = Finding.made(
        "energy",
        "Energy delivered",
        sums.energy_wh + off_e,
        "Wh",
        say("∫ V·I dt at the battery terminals"),
        (
            say("V and I both as straight lines between readings: Δt/6 · (2V₀I₀ + V₀I₁ + V₁I₀ + 2V₁I₁) for each interval."),
            f"mean {show(sums.energy_wh / hours, 5)} W × {show(hours, 5)} h = {show(sums.energy_wh, 5)} Wh",
        ),
    )
    on_s = bounds.end_s - bounds.load_on_s - stretch.off_s
    paused = say(", less {off_s} with the load off", off_s=show_duration(stretch.off_s)) if stretch.off_s else ""
    duration = Finding.made(
        "duration",
        "Duration",
        on_s + off_t,
        "s",
        (
            say("load on to the cut-off{paused}", paused=paused)
            if crossing
            else say("load on to the last reading under load{paused}", paused=paused)
        ),
        (f"{grouped(bounds.end_s, 1)} s − {grouped(bounds.load_on_s, 1)} s{paused} = {grouped(on_s, 1)} s",),
    )
    findings = {f.key: f for f in (charge, energy, duration)}
    findings["mean_voltage"] = _ratio("mean_voltage", "Mean voltage", energy, charge, "V")
    findings["label_share"] = label_share(record, charge, energy, max(hours - stretch.off_s / 3600, 0.0))
    findings["c_rate"] = _c_rate(record.label, sums, hours - stretch.off_s / 3600, budget)
    findings["rest_before"] = _rest(readings, record, bounds.load_on_s, idle_below, before=True)
    findings["rest_after"] = _rest(readings, record, bounds.end_s, idle_below, before=False)
    return findings


def _ratio(key: str, name: str, top: Finding, bottom: Finding, unit: str) -> Finding:
    if not top.value or not bottom.value:
        return Finding(key, name, None, unit, None, say("nothing delivered yet"))
    value = top.known / bottom.known
    working = f"{show(top.value)} {top.unit} ÷ {show(bottom.value)} {bottom.unit}"
    return Finding.made(
        key,
        name,
        value,
        unit,
        working,
        (
            f"{show(top.value, 5)} {top.unit} ÷ {show(bottom.value, 5)} {bottom.unit} = {show(value.value, 5)} {unit}",
            say("What is wrong with the current is wrong in both and cancels."),
        ),
    )


def label_share(record: DischargeRecord, charge: Finding, energy: Finding, hours: float) -> Finding:
    """Measured over claimed, by charge or else by energy, at the temperature that the label holds at."""
    name, label = say("Share of the label"), record.label
    if label is None:
        return Finding("label_share", name, None, "%", None, say("no label given"))
    pairs = ((charge, label.charge_ah), (energy, label.energy_wh))
    measured, rated = next(((m, r) for m, r in pairs if m.value is not None and r), (charge, None))
    if not rated or measured.value is None:
        return Finding("label_share", name, None, "%", None, say("the label gives no capacity"))
    at = at_reference(label, record.temperature_c, hours, record.room_c)
    share = 100 * measured.known / rated / at.factor
    sum_text = say("{value} ÷ {rated} {unit} on the label", value=show(measured.value), rated=show(rated), unit=measured.unit)
    whole = f"{sum_text} {at.sentence}".strip()
    rule = say(
        "Rule: it meets the label where value − U is over 100 %, is below it where value + U is under (JCGM 106, guard band U): a wrong word in fewer than 1 of 40."
    )
    return Finding.made("label_share", name, share, "%", whole, (f"{whole} = {show(share.value)} %", rule))


def _c_rate(label: Label | None, sums: Totals, hours_on: float, budget: Budget | None) -> Finding:
    if label is None or not label.charge_ah or hours_on <= 0 or not sums.charge_ah > 0:
        return Finding("c_rate", "Rate", None, "C", None, say("no rated Ah to compare with"))
    amps = sums.charge_ah / hours_on
    rate = as_read(amps, budget.current if budget else None) / label.charge_ah
    working = f"mean {show(amps)} A ÷ {show(label.charge_ah)} Ah"
    return Finding.made("c_rate", "Rate", rate, "C", working, (f"{working} = {show(rate.value)} C",))


def _rest(readings: Readings, record: DischargeRecord, moment_s: float, idle_below: float, *, before: bool) -> Finding:
    """Voltage with the load off: the last reading before it came on, or the last one after it went off."""
    key, name = ("rest_before", "At rest before") if before else ("rest_after", "Recovered to")
    time, amps = readings.time_s, readings.current_a
    index = int(np.searchsorted(time, moment_s, side="left")) - 1 if before else last_at_rest(readings, moment_s, idle_below)
    switched = record.load_on_s if before else record.load_off_s  # a meter with a zero error shows current at rest too
    known_off = switched is not None and (time[index] < switched if before else time[index] > switched)
    if index < 0 or (amps[index] >= idle_below and not known_off) or (not before and time[index] <= moment_s):
        return Finding(key, name, None, "V", None, say("not read with the load off"))
    if before and (flowed_then := flowed_before(readings, record.load_on_s if record.widths is not None else None, moment_s)):
        return Finding(key, name, None, "V", None, say("{amps} A flowed then, before “load on”", amps=show(flowed_then)))
    if not known_off and not is_rest(readings, index, idle_below):
        return Finding(key, name, None, "V", None, say("it was charged less than five minutes before"))
    if (flowed := record.flowed[0 if before else 1]).sentence and not flowed.known:
        return Finding(key, name, None, "V", None, flowed.sentence)
    volts = float(readings.voltage_v[index])
    if not before and volts < 0.5 * float(np.interp(moment_s, time, readings.voltage_v)):
        return Finding(key, name, None, "V", None, say("it had switched itself off"))
    shown = as_read(volts, record.voltage_accuracy)
    apart = abs(moment_s - float(time[index]))
    working = f"{show_duration(apart)} {'before load on' if before else 'after the load went off'}{flowed.aside}"
    lines = [f"read {working}: {show(volts, 5)} V"]
    label = record.label
    if before and label is not None and label.kind_of_cell is not None and label.series:
        kind = label.kind_of_cell
        charged = from_resting_voltage(volts, label.series, kind, shown.u or 0.0)
        lines.append(
            say(
                "If it had rested {rest_hours:g} h, by {chart}: {lower}{value}",
                rest_hours=kind.rest_hours,
                chart=chart_name(kind),
                lower=charged.sentence[0].lower(),
                value=charged.sentence[1:],
            )
        )
    return Finding.made(key, name, shown, "V", working, tuple(lines))


def _warn(
    warnings: list[str],
    record: DischargeRecord,
    readings: Readings,
    stretch: _Stretch,
    crossing: Crossing | None,
    gaps: tuple[BridgedGap, ...],
    findings: dict[str, Finding],
    ended_by: str,
) -> None:
    total = findings["charge"].value or 0.0
    if gaps and total:
        share = 100 * sum(g.counted_share * g.charge_ah for g in gaps) / total
        longest = max(g.length_s for g in gaps)
        stopped = say(" The load may have stopped in one.") if any(g.may_have_stopped for g in gaps) else ""
        if any(g.counted_share < 1 for g in gaps):
            stopped = say(
                " Nobody knows whether the load stayed on while the run was interrupted: half of what could have flowed is counted."
            )
        plural = say("{gaps} gaps, the longest of", gaps=len(gaps)) if len(gaps) > 1 else "A gap of"
        warnings.append(
            say(
                "{plural} {longest}, bridged by a straight line: {share:.1f} % of the charge lies there.{stopped}",
                plural=plural,
                longest=show_duration(longest),
                share=share,
                stopped=stopped,
            )
        )
    if flowed := flowed_before(readings, record.load_on_s if record.widths is not None else None, stretch.bounds.load_on_s):
        warnings.append(
            say(
                "{amps} A was read before “load on” was said, and is not in the charge: mend whichever time is wrong, in the table.",
                amps=show(flowed),
            )
        )
    if record.voltage_accuracy is None or record.current_accuracy is None:
        warnings.append(say("No accuracy was given for the meter: the figures have no ±."))
    if record.cutoff is not None and crossing is None and ended_by == "end of log":
        warnings.append(
            say("The voltage never stayed at or below {voltage_v} V: this is at least so much.", voltage_v=show(record.cutoff.voltage_v))
        )
    if crossing is not None and crossing.bracket_s == 0.0 and crossing.time_s <= stretch.bounds.load_on_s:
        warnings.append(say("The voltage was below the cut-off from the first reading under load."))
    if record.temperature_c is None and record.room_c is None and record.label is not None and record.ended is None:
        warnings.append(say("The battery's temperature is not known; capacities are quoted at 20 °C."))
