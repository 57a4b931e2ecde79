"""Pieces of an outlook from what was measured: a battery's run, a converter's losses, an appliance's modes."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from datetime import datetime

import numpy as np

from ubrant.core.account import Account
from ubrant.core.battery.how_full import percents_of
from ubrant.core.battery.label_doubt import LOW_SHARE
from ubrant.core.conversion.appliance import STANDBY
from ubrant.core.gate.steady import BURSTS, CYCLES, STEADY, course_of
from ubrant.core.outlook.duty import Duty
from ubrant.core.outlook.kit import DischargeCurve, Source, Way, exponent_of, usual_ohm
from ubrant.core.outlook.spread import Uncertain
from ubrant.core.quantities.quantity import show_with
from ubrant.core.quantities.readings import Array
from ubrant.core.record.head import label_of
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.contributions import COVERAGE
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say, words
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.methods.ratings import read_ratings
from ubrant.runs.kept.accounts import account_of, summary_of
from ubrant.runs.kits.kit_file import LoadSeen, Measured

_TAPS_OF_LOADS = ("input", "load", "output")
_STEADY = 0.15
"""A current that wanders by less than this share of itself makes one curve."""
_POINTS, _LOOKED_AT, _FULL = 200, 20, 95.0
_SLOW = (1.0, 1.5, 2.2)
"""Times its resistance at a step, that its volts fall by in the end: at least, in the middle, at most. Common practice, no source."""


def measured_in(logbook: Logbook) -> Measured:
    """What the runs of a logbook say, each worked out once."""
    known: dict[int, tuple[Run, Record, Account] | None] = {}

    def of(number: int) -> tuple[Run, Record, Account] | None:
        if number not in known:
            run = next((r for r, _ in logbook.runs(limit=-1) if r.id == number), None)
            known[number] = (run, *account_of(logbook, run)) if run is not None and run.state != "running" else None
        return known[number]

    def source(number: int) -> Source | None:
        found = of(number)
        return source_of(*found) if found is not None else None

    def way(number: int) -> Way | None:
        found = of(number)
        made = way_of(found[0].source, found[2]) if found is not None else None
        if found is None or made is None:
            return None
        with suppress(ValueError):  # a label that does not say its volts has no window
            rated = read_ratings(found[1].head.setup.unit)
            return replace(made, window=rated.window, mains=rated.gives_mains)
        return made

    def load(number: int, mode: str) -> LoadSeen | None:
        found = of(number)
        return load_of(found[1], found[2], mode) if found is not None else None

    def newest(kind: str, name: str) -> int | None:
        unit = next((u for u in logbook.units() if u.name.lower() == name.lower()), None)
        if unit is None:
            return None
        part = None  # what a battery gave in a run that was stopped is the last thing to go by
        for run, _ in logbook.runs(limit=_LOOKED_AT, unit_id=unit.id):
            if run.state == "running":
                continue
            found = source(run.id) if kind == "source" else way(run.id) if kind == "way" else load(run.id, "")
            if found is not None and (kind != "source" or _is_whole(logbook, run)):
                return run.id
            if found is not None and part is None:
                part = run.id
        return part

    def label(name: str) -> str:
        unit = next((u for u in logbook.units() if u.name.lower() == name.lower()), None)
        return unit.printed if unit is not None and label_of(unit) is not None else ""

    def left(number: int) -> Source | None:
        found = of(number)
        return _left_after(found[0], found[2], source, logbook) if found is not None else None

    def not_full(name: str) -> str:
        unit = next((u for u in logbook.units() if u.name.lower() == name.lower()), None)
        last = next((run for run, _ in logbook.runs(limit=_LOOKED_AT, unit_id=unit.id) if run.state != "running"), None) if unit else None
        found = of(last.id) if last is not None else None
        charge = found[2].findings.get("charge_now") if found is not None else None
        if charge is None or last is None or percents_of(charge)[1] >= _FULL:
            return ""
        low, high = (f"{end:.0f}" for end in percents_of(charge))
        text = words(
            "{name} was {low} to {high} % full when it was last looked at ({day}); here it begins full. Write “full {low}..{high} %” to begin with that."
        )
        return say(text, name=name, low=low, high=high, day=datetime.fromisoformat(last.started).astimezone().strftime("%-d %b, %H:%M"))

    return Measured(source, way, load, newest, left, label, not_full)


def _left_after(run: Run, account: Account, source: Callable[[int], Source | None], logbook: Logbook) -> Source | None:
    """What a run that was stopped left in its battery: what another run or the label says it holds, less what this one gave."""
    unit = next((u for u in logbook.units() if u.id == run.unit_id), None)
    given = account.energy
    if unit is None or given is None or given.whole:
        return None
    whole = next(
        (
            other.id
            for other, _ in logbook.runs(limit=_LOOKED_AT, unit_id=unit.id)
            if other.id != run.id and other.state != "running" and _is_whole(logbook, other)
        ),
        None,
    )
    held = source(whole) if whole is not None else None
    if held is None:
        printed = label_of(unit)
        if printed is None or not printed.energy_wh:
            return None
        energy = printed.energy_wh
        held = Source(unit.name, Uncertain(energy, 0.0, LOW_SHARE * energy, energy), why=say("label: {wh} Wh", wh=round(energy)))
    full = 1 - given.energy_wh / held.energy_wh
    if not full > 0:
        return None
    return replace(
        held, full=Uncertain(full), why=say("{why}, less {wh} Wh given", why=held.why, wh=show_with(given.energy_wh, given.energy_u)[0])
    )


def _is_whole(logbook: Logbook, run: Run) -> bool:
    summary = summary_of(logbook, run)
    return summary is not None and summary.energy is not None and summary.energy[2]


def source_of(run: Run, record: Record, account: Account) -> Source | None:
    """A battery as its run showed it: its volts on the way down where its current held still, else its Wh alone."""
    energy = account.energy
    if energy is None or not energy.energy_wh > 0:
        return None
    unit = record.head.setup.unit
    name = unit.name or run.source
    label = label_of(unit)
    u = (energy.energy_u or 0.0) / COVERAGE
    value, spread = show_with(energy.energy_wh, energy.energy_u)
    why = say("measured: {wh} Wh", wh=f"{value} ± {spread}" if spread else value)
    if not energy.whole:
        why = say("at least {wh} Wh, the run did not reach its end", wh=value)
    most_wh = label.energy_wh if label is not None and label.energy_wh else energy.energy_wh
    amount = (
        Uncertain(energy.energy_wh, u)
        if energy.whole
        else Uncertain(energy.energy_wh, 0.0, energy.energy_wh, max(most_wh, energy.energy_wh))
    )
    kind = label.chemistry if label is not None else None
    charge = account.findings.get("charge")
    curve = None
    if kind is not None and label is not None and label.series and charge is not None and charge.value:
        known = _known_ohm(account)
        ohm = known if known is not None else usual_ohm(kind, label.series, label.charge_ah or charge.value)
        curve = _curve_of(record, account, ohm)
    if curve is None or charge is None or charge.value is None:
        hours = _hours(account)
        rate = energy.energy_wh / hours if hours else None
        return Source(name, amount, exponent=exponent_of(kind) if rate and kind else Uncertain(1.0), rate=rate if kind else None, why=why)
    ah = amount.times(charge.value / energy.energy_wh)
    volts, series = (label.voltage_v or 0.0, label.series or 0) if label is not None else (0.0, 0)
    return Source(
        name, ah, curve, nominal_v=volts, chemistry=kind or "", series=series, exponent=_exponent(account, kind), rate=curve.rate_a, why=why
    )


def _hours(account: Account) -> float | None:
    found = account.findings.get("duration")
    return found.value / 3600 if found is not None and found.value else None


def _known_ohm(account: Account) -> Uncertain | None:
    """Its resistance at a step, which holds only part of what is slow in it; None where no step showed it."""
    found = account.findings.get("resistance")
    if found is None or not found.value or found.value <= 0:
        return None
    value, u = found.value, found.expanded_uncertainty or 0.0
    return Uncertain(_SLOW[1] * value, 0.0, max(_SLOW[0] * value - u, 0.0), _SLOW[2] * value + u)


def _exponent(account: Account, kind: str | None) -> Uncertain:
    found: Finding | None = account.findings.get("peukert_exponent")
    if found is not None and found.value and found.standard_uncertainty is not None:
        return Uncertain(found.value, found.standard_uncertainty)
    return exponent_of(kind, beside_sag=True)


def _curve_of(record: Record, account: Account, ohm: Uncertain) -> DischargeCurve | None:
    """Volts over the share of its charge; None where its current did not hold still, or nothing was read."""
    volts, amps = record.corrected("battery", "V"), record.corrected("battery", "A")
    if volts is None or amps is None or len(volts) < 4 or len(amps) < 2:
        return None
    start, end = account.span if account.span is not None else (float(volts.time_s[0]), float(volts.time_s[-1]))
    inside = (volts.time_s >= start) & (volts.time_s <= end)
    time, v = volts.time_s[inside], volts.value[inside]
    if len(time) < 4:
        return None
    a = np.interp(time, amps.time_s, amps.value)
    flows = a > 0.05 * float(np.max(a))
    mean = float(np.mean(a[flows])) if flows.any() else 0.0
    if not mean > 0 or float(np.std(a[flows])) > _STEADY * mean or flows.mean() < 0.9:
        return None
    time, v, a = time[flows], v[flows], a[flows]
    charge = np.concatenate([[0.0], np.cumsum(np.diff(time) * (a[1:] + a[:-1]) / 2)])
    share = charge / charge[-1]
    v = _falling(v + (a - mean) * ohm.value)
    places = np.linspace(0, 1, min(_POINTS, len(share)))
    cutoff = record.head.criteria.cutoff
    return DischargeCurve(places, np.interp(places, share, v), mean, ohm, cutoff.voltage_v if cutoff is not None else 0.0)


def _falling(volts: Array) -> Array:
    """Without the noise that would make it rise: the mean of what never rises from above and from below."""
    down = np.minimum.accumulate(volts)
    up = np.maximum.accumulate(volts[::-1])[::-1]
    return np.asarray((down + up) / 2)


def way_of(name: str, account: Account) -> Way | None:
    """Losses that were fitted, each as uncertain as the efficiency is in the middle of its loads."""
    one = account.candidate
    if one is None:
        return None
    model = one.model
    loads = [load for load, _ in one.uncertainties]
    share = 0.0
    if loads:
        at = loads[len(loads) // 2]
        u = (one.efficiency_u(at) or 0.0) / 100 / COVERAGE
        eta = max(model.efficiency(at), 1e-6)
        share = u / eta**2
    idle = account.findings.get("idle_power")
    fixed = Uncertain(max(one.idle_w, 0.0), (idle.standard_uncertainty or 0.0) if idle is not None else 0.0)
    return Way(
        one.name or name,
        loss=(fixed, Uncertain(model.proportional, share), Uncertain(model.resistive_per_w)),
        cutoff_v=one.dropout_v or 0.0,
        max_w=one.carries_w or float("inf"),
        why=say("losses measured up to {w} W", w=round(one.carries_w)),
    )


def load_of(record: Record, account: Account, mode: str) -> LoadSeen | None:
    """A mode of an appliance; a day by plug meter; or a log in which it comes and goes."""
    found = mode_of(account, mode)
    if found is not None or mode:
        return found
    mean = account.findings.get("mean_power")
    if mean is not None and mean.value:
        return LoadSeen(Uncertain(mean.value, mean.standard_uncertainty or 0.0))
    return _seen_in_log(record)


def _seen_in_log(record: Record) -> LoadSeen | None:
    """W at its input, or amperes times volts there: two levels that come and go are a duty, one is a mean."""
    for tap in _TAPS_OF_LOADS:
        watts, volts, amps = (record.corrected(tap, q) for q in ("W", "V", "A"))
        if watts is None and volts is not None and amps is not None and len(amps) > 2:
            time, values = amps.time_s, amps.value * np.interp(amps.time_s, volts.time_s, volts.value)
        elif watts is not None:
            time, values = watts.time_s, watts.value
        else:
            continue
        course = course_of(time, np.abs(values))
        if course.kind in {CYCLES, BURSTS}:
            turns = max(course.periods, 1)
            u = course.on_share * (1 - course.on_share) / turns**0.5
            duty = Duty((), Uncertain(course.on_share, min(u, 0.2)), course.period_s or None)
            return LoadSeen(Uncertain(course.high), Uncertain(course.low), duty)
        if course.kind == STEADY and course.high > 0:
            return LoadSeen(Uncertain(course.high))
    return None


def mode_of(account: Account, mode: str) -> LoadSeen | None:
    """A mode by its name; the largest where none is named."""
    modes = [f for key, f in account.findings.items() if key.startswith("power_") and f.value is not None]
    if not modes:
        return None
    wanted = [f for f in modes if f.name.lower() == mode.lower()] if mode else [max(modes, key=lambda f: f.value or 0.0)]
    if not wanted:
        return None
    quiet = next((f for f in modes if f.name.lower().startswith(STANDBY)), None)
    standby = (
        Uncertain(quiet.value or 0.0, quiet.standard_uncertainty or 0.0) if quiet is not None and quiet is not wanted[0] else Uncertain(0.0)
    )
    found = wanted[0]
    return LoadSeen(Uncertain(found.value or 0.0, found.standard_uncertainty or 0.0), standby)
