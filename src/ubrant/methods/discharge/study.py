"""What several discharges of one unit say together, and what may be guessed of one that did not reach its end."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from datetime import datetime, timedelta

import numpy as np

from ubrant.core.account import Account
from ubrant.core.battery.ending import EMPTIED
from ubrant.core.battery.peukert import ConstantRun, capacity_at_rated, fit_exponent, repeated, why_no_exponent
from ubrant.core.battery.verdict import BELOW, CANNOT_TELL, MEETS, SPENT, judge
from ubrant.core.equipment.leads import Leads
from ubrant.core.models.cell import Pack, pack_from_label
from ubrant.core.models.circuit import Circuit
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.record.events import Zeroed
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.decision import Repeats, as_judged, decided
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import as_of_run
from ubrant.core.wording import say, words
from ubrant.methods.discharge.asked import discharge_of
from ubrant.methods.discharge.forecast import forecast, running_charge, thinned
from ubrant.methods.discharge.procedure import DischargePlan, discharge
from ubrant.methods.discharge.sums import Discharge, DischargeRecord
from ubrant.methods.method import Prepared
from ubrant.methods.rehearsal import Rehearsal, rehearse

MOST_RUNS = 12
"""Of so many other runs the newest are looked at."""
_STEADY = 0.03


def constant_run(
    record: Record, data: DischargeRecord, findings: Mapping[str, Finding], ended_by: str, span: tuple[float, float], *, gaps: bool
) -> ConstantRun | None:
    """A run as one point of Peukert's law; None where its current did not hold still, or it did not reach its cut-off."""
    readings, given_ah = data.readings, findings["charge"].value
    if ended_by != "cut-off" or gaps or not given_ah:
        return None
    loaded = readings.current_a[(readings.time_s > span[0]) & (readings.time_s < span[1])]
    if len(loaded) < 3 or float(np.std(loaded)) > _STEADY * abs(float(np.mean(loaded))):
        return None
    duration, charge = findings["duration"].in_unit("h", 1 / 3600), findings["charge"]
    hours = duration.value or 0.0
    name = say("of the run at {amps} A, {time}", amps=plain(given_ah / hours, 3), time=show_duration(3600 * hours))
    same, zeros = bool(record.meter("battery").id), not record.of(Zeroed)
    amps, time_h = (as_of_run(v, name, meters=same, zeros=zeros) for v in (charge.known / duration.known, duration.known))
    return ConstantRun(amps, time_h)


def peukert_of(
    record: Record, data: DischargeRecord, discharge: Discharge, others: Callable[[], Iterable[tuple[Record, Account]]]
) -> tuple[list[Finding], str]:
    """Peukert's exponent from this and the other runs of the unit to the same cut-off, and the capacity at the label's own rate by it; why there is none."""
    mine = constant_run(
        record, data, discharge.findings, discharge.ended_by, (discharge.load_on_s, discharge.end_s), gaps=bool(discharge.gaps)
    )
    label, cutoff = data.label, data.cutoff
    if mine is None or cutoff is None or discharge.about.objections:
        return [], ""
    points = [mine, *(p for other, account in others() if (p := _other_point(record, cutoff.voltage_v, other, account)) is not None)]
    try:
        points = repeated(points)
        exponent = fit_exponent(points)
    except ValueError:
        return [], ""
    if why := why_no_exponent(exponent):
        return [], why
    if label is None or not label.charge_ah or not label.standard_rate_c:
        return [exponent], ""
    return [exponent, capacity_at_rated(points[0], 1 / label.standard_rate_c, exponent)], ""


_WITHIN = timedelta(days=183)
"""Runs further apart than half a year are of a battery that may have aged meanwhile. Common practice, no source."""


def with_like_runs(record: Record, discharge: Discharge, others: Callable[[], Iterable[tuple[Record, Account]]]) -> str:
    """What this run and its battery's other runs like it say of the label together, where that is more than it says by itself; else empty."""
    share = discharge.findings["label_share"]
    if discharge.verdict.word != CANNOT_TELL or decided(share, 0.0) <= 0 or discharge.about.objections or discharge.ended_by not in EMPTIED:
        return ""
    ratios = tuple(r for other, account in others() if (r := _ratio(record, discharge, other, account)) is not None)
    if not ratios:
        return ""
    repeats = Repeats(ratios)
    word = judge(discharge.findings, replace(discharge.about, repeats=repeats)).word
    if word not in _SAID:
        return ""
    told = as_judged(share, repeats)
    return say(
        "Together with its {count} other runs like this one, which gave {percent} % of the label in the middle: {word}.",
        count=len(ratios),
        percent=show(told.value or 0.0, 3),
        word=say(_SAID[word]),
    )


_SAID = {MEETS: words("it meets its label"), BELOW: words("it is below its label"), SPENT: words("it is spent")}


def _ratio(record: Record, discharge: Discharge, other: Record, account: Account) -> float | None:
    """What another run gave over what this one gave; None where it was not like it: method, cut-off, rate, whole, not long ago."""
    mine, theirs = record.head.criteria.cutoff, other.head.criteria.cutoff
    if other.head.method != record.head.method or mine is None or theirs is None or abs(theirs.voltage_v / mine.voltage_v - 1) > 0.01:
        return None
    if account.energy is None or not account.energy.whole or not account.findings.get("label_share"):
        return None
    rate, their_rate = discharge.findings["c_rate"].value, account.findings["c_rate"].value
    if not rate or not their_rate or abs(their_rate / rate - 1) > 0.1 or not _soon_after(record, other):
        return None
    given, their_share = discharge.findings["label_share"].value, account.findings["label_share"].value
    return their_share / given if given and their_share else None


def _soon_after(record: Record, other: Record) -> bool:
    try:
        return abs(datetime.fromisoformat(record.started) - datetime.fromisoformat(other.started)) <= _WITHIN
    except (TypeError, ValueError):  # no date, or one without its offset
        return False


def _other_point(record: Record, cutoff_v: float, other: Record, account: Account) -> ConstantRun | None:
    theirs = other.head.criteria.cutoff
    if other.head.method != record.head.method or theirs is None or abs(theirs.voltage_v - cutoff_v) > 0.01 * cutoff_v or account.trouble:
        return None
    if account.energy is None or not account.energy.whole:  # the gate let it be no capacity
        return None
    try:
        data = discharge_of(other)
    except ReadingsError:
        return None
    return constant_run(other, data, account.findings, account.ended_by, account.span or (0.0, 0.0), gaps=bool(account.gaps))


def _expected(plan: DischargePlan, prepared: Prepared) -> Rehearsal:
    """Its plan on a pack as the label claims it.

    Raises
    ------
    ValueError
        The label does not say enough for a model.
    """
    label, leads = prepared.setup.label, prepared.setup.leads
    if label is None:
        raise ValueError(say("There is no label."))
    step_s = max(plan.every_s, (label.charge_ah or 1.0) / plan.current_a * 3600 / 3000)
    coarse = replace(plan, every_s=step_s, cutoff=replace(plan.cutoff, hold_s=min(plan.cutoff.hold_s, step_s)))
    ohm = leads.resistance_ohm if leads.length_m else Leads().resistance_ohm
    return rehearse(discharge(coarse), Circuit(Pack(pack_from_label(label), 0.3 if plan.charge_when == "before" else 1.0), ohm))


def rest_guess(prepared: Prepared, data: DischargeRecord, discharge: Discharge) -> str:
    """How much may have been left in a battery whose run was stopped before its cut-off, by the expected curve; empty where nobody can say."""
    charge, plan, label = discharge.findings["charge"].value, prepared.plan, prepared.setup.label
    if discharge.crossing is not None or not charge or plan is None or label is None or data.cutoff is None:
        return ""
    if plan.charge is not None or plan.profile or not plan.current_a > 0 or not len(data.readings):
        return ""
    try:
        expected = _expected(plan, prepared)
    except ValueError:
        return ""
    if expected.load_on_s is None or not expected.until_s:
        return ""
    part, model = thinned(data.readings), expected.readings
    loaded = (part.time_s >= discharge.load_on_s) & (part.time_s <= discharge.end_s)
    in_model = (model.time_s >= expected.load_on_s) & (model.time_s <= expected.load_on_s + expected.until_s[0])
    if loaded.sum() < 5 or in_model.sum() < 5:
        return ""
    so_far, foreseen = running_charge(part), running_charge(model)
    guess = forecast(so_far[loaded], part.voltage_v[loaded], foreseen[in_model], model.voltage_v[in_model], plan.current_a)
    if guess is None:
        return ""
    low, high = max(guess.low_ah - charge, 0.0), max(guess.high_ah - charge, 0.0)
    return say(
        "It did not reach its cut-off: by the expected curve perhaps {low} to {high} Ah were left in it. That is a guess, not a finding.",
        low=plain(low, 2),
        high=plain(high, 2),
    )
