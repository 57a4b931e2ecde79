"""The discharge as a method: its form, checks, rows, account."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from functools import cache
from itertools import islice
from typing import Any

import numpy as np

from ubrant.core.account import Account, Ahead, Energy, Group
from ubrant.core.battery.ending import EMPTIED, Ends
from ubrant.core.drawings import Drawing, TraceDrawing
from ubrant.core.equipment.unit import Unit
from ubrant.core.gate.check import AT_LEAST, DECIDES_NOTHING, questions
from ubrant.core.gate.figures import Doubt, of_display
from ubrant.core.models.cell import Pack, pack_from_label
from ubrant.core.models.circuit import Circuit
from ubrant.core.quantities.label import Label, LabelError, parse_label
from ubrant.core.quantities.quantity import QuantityError, parse_quantity, plain, show, show_duration, show_with
from ubrant.core.quantities.readings import Array, Readings, ReadingsError, Series, no_readings
from ubrant.core.record.codec import decode
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.events import LoadOff, mark_of
from ubrant.core.record.head import Conditions, Criteria, Setup
from ubrant.core.record.integrals import charge_ah
from ubrant.core.record.power_path import PowerPath
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.by_eye import ReadLines
from ubrant.methods.discharge.asked import discharge_of, others_of
from ubrant.methods.discharge.checks import discharge_problems
from ubrant.methods.discharge.findings import judged
from ubrant.methods.discharge.following import deviation_of, forecast_of
from ubrant.methods.discharge.forecast import Forecast, forecast_sentence, power_of, running_charge
from ubrant.methods.discharge.form import discharge_fields, plan_of, typed_of
from ubrant.methods.discharge.higher import charges_to_higher
from ubrant.methods.discharge.paths import live_path, stored_path, wiring_path
from ubrant.methods.discharge.procedure import ChargePlan, DischargePlan, after_a_gap, discharge, usual_interval_s
from ubrant.methods.discharge.study import MOST_RUNS, peukert_of, rest_guess, with_like_runs
from ubrant.methods.discharge.sums import Discharge, DischargeRecord
from ubrant.methods.form import CONDITIONS, CRITERIA, ORIGIN, PLAN, Field, read_fields
from ubrant.methods.method import ONE_PLACE, LoadRating, Method, MethodError, OnDemand, Prepared, Problem, Scene
from ubrant.methods.rehearsal import Rehearsal, rehearse
from ubrant.methods.rows import HandScript, Prompt
from ubrant.methods.steps import Ask, Steps
from ubrant.methods.summary import StepLine, each_caution_once, summarise

_GROUPS = (
    Group("State of charge", ("soc_before", "soc_after", "rest_before", "rest_after", "points", "energy_per_point")),
    Group("Resistance", ("resistance", "resistance_10s", "resistance_edges", "resistance_two_step")),
    Group("Charge", ("charge_in", "energy_in", "end_current", "coulombic_efficiency", "energy_efficiency")),
)
_CELLS_V = 4.5
"""Above so many volts it is no cell of a bank that was read."""
_MOST_MARKS = 40
_FORETOLD = 25
"""Readings of a discharge that is only thought of: every twelve minutes of five hours."""


class DischargeMethod(Method):
    """Of batteries, banks and stations."""

    key = "discharge"
    title = "Discharge"
    Plan = DischargePlan
    taps = ("battery",)
    log = ONE_PLACE
    judges_label = True
    empties = True

    def is_log_of(self, unit: Unit, volts: Array) -> bool:
        """Of what converts only where its own cells were reached: at an output its volts are not theirs."""
        return unit.kind == "battery" or (unit.kind == "bank" and len(volts) > 0 and float(np.median(volts)) < _CELLS_V)

    # before a run

    def form(self, setup: Setup) -> tuple[Field, ...]:
        return discharge_fields(setup)

    def prepare(self, setup: Setup, typed: Mapping[str, str]) -> Prepared:
        typed_fields = read_fields(self.form(setup), typed)
        read = typed_fields[PLAN] | typed_fields[CRITERIA]
        plan = plan_of(setup, read)
        return Prepared(
            setup, plan, Criteria(cutoff=plan.cutoff), Conditions(**typed_fields[CONDITIONS]), str(typed_fields[ORIGIN]["between"])
        )

    def typed(self, prepared: Prepared) -> dict[str, str]:
        held = typed_of(prepared.plan, prepared.conditions.temperature_c, prepared.conditions.start, prepared.between)
        return {field.key: field.kind.show(held[field.key]) for field in self.form(prepared.setup)}

    def by_person(self, prepared: Prepared) -> Prepared:
        return replace(prepared, plan=replace(prepared.plan, by_hand=True))

    def checks(self, prepared: Prepared, load: LoadRating) -> list[Problem]:
        setup, label = prepared.setup, prepared.setup.label
        if label is None or label.charge_ah is None:
            return [Problem(True, say("The label gives no capacity in Ah to discharge against."))]
        return discharge_problems(prepared.plan, setup.unit, label, setup.meter("battery"), load, setup.leads)

    def steps(self, prepared: Prepared) -> Steps:
        return discharge(prepared.plan)

    def scene(self, prepared: Prepared, before: Record | None = None) -> Scene:
        plan: DischargePlan = prepared.plan
        amps = before.corrected("battery", "A") if before is not None else None
        given = charge_ah(amps.time_s, amps.value) if amps is not None and len(amps) > 1 else 0.0
        return Scene(
            self.taps,
            battery=True,
            load_is_metered=True,
            by_hand=plan.by_hand,
            supply=plan.charge is not None,
            thermometer=plan.limits.temperature_c is not None,
            full_share=0.3 if plan.charge_when == "before" else 1.0,
            given_ah=given,
            every_s=plan.every_s,
        )

    def expect(self, prepared: Prepared) -> Rehearsal | None:
        """The plan rehearsed on a pack as the label claims it, in steps fine enough to draw."""
        plan, label = prepared.plan, prepared.setup.label
        if label is None:
            return None
        hours = (label.charge_ah or 1.0) / plan.current_a
        step_s = max(plan.every_s, hours * 3600 / 3000)
        coarse = replace(plan, every_s=step_s, cutoff=replace(plan.cutoff, hold_s=min(plan.cutoff.hold_s, step_s)))
        soc = 0.3 if plan.charge_when == "before" else 1.0
        return rehearse(discharge(coarse), Circuit(Pack(pack_from_label(label), soc), prepared.setup.leads.resistance_ohm))

    def foretold_lines(self, prepared: Prepared) -> ReadLines:
        expected = self.expect(prepared)
        if expected is None or expected.load_on_s is None or not expected.until_s or len(expected.readings.time_s) < 2:
            return
        readings = expected.readings
        moments = np.linspace(expected.load_on_s, expected.until_s[0], _FORETOLD)
        volts = np.interp(moments, readings.time_s, readings.voltage_v)
        for place, (volt, step) in enumerate(zip(volts, np.diff(moments, prepend=moments[0]), strict=True)):
            yield float(step), f"{'load on ' if not place else ''}battery {volt:.3f} V {prepared.plan.current_a:.4f} A"

    def usual_readings(self, prepared: Prepared) -> dict[tuple[str, str], float]:
        return {("battery", "A"): prepared.plan.current_a} if prepared.plan is not None else {}

    def preview(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[Drawing, ...]:
        return (_expected_trace(expected, prepared.plan.cutoff),)

    def heading(self, prepared: Prepared, name: str) -> str:
        return say("Discharge {name} to {volts} V", name=name, volts=plain(prepared.plan.cutoff.voltage_v))

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        if expected is None or expected.load_on_s is None or not expected.until_s:
            return "", ""
        first = {
            "cut-off": say("the cut-off"),
            "protection": say("the battery's own protection"),
            "load's own cut-off": say("the load's own cut-off"),
        }.get(expected.ended_by, expected.ended_by)
        time = say("about {time}", time=show_duration(expected.until_s[0]))
        return time, say("first to end it: {what}, at {charge} Ah", what=first, charge=show(expected.charge_ah, 3))

    def wiring(self, prepared: Prepared) -> PowerPath:
        return wiring_path(prepared.setup, prepared.plan)

    def step_lines(self, prepared: Prepared, expected: Rehearsal | None) -> list[StepLine]:
        return summarise(discharge(prepared.plan), expected.until_s if expected is not None else ())

    def by_hand(self, prepared: Prepared) -> HandScript:
        volts = plain(prepared.plan.cutoff.voltage_v)
        rested, first, later = _examples(prepared)
        asks = (
            Ask(say("Charge it fully until the charger stops, let it rest, take every other load off."), (cautions.LOOK_FIRST,)),
            Ask(
                say("Clip the meter on at the battery's terminals, then the load behind its leads, switched off."),
                (cautions.FUSE, cautions.SURFACE),
            ),
            Ask(
                say(
                    "Take down the resting voltage (“{rested}”). Switch the load on and say so with the first reading: “load on {first}”. "
                    "Then look in now and then, more often near {volts} V.",
                    volts=volts,
                    rested=rested,
                    first=first,
                ),
                (cautions.HAND_OFF, cautions.WARM),
            ),
        )
        every_s = usual_interval_s(prepared.plan)
        after = say(
            "Every {time} or so type volts and amperes, like “{later}”; more often once it falls towards {volts} V.",
            later=later,
            time=show_duration(every_s),
            volts=volts,
        )
        return HandScript(asks, (), Prompt(after), marks_load=True, reads=(("battery", "V"), ("battery", "A")), every_s=every_s)

    def hand_lines(self, prepared: Prepared) -> list[StepLine]:
        return each_caution_once([StepLine(ask.text, ask.cautions, by_person=True, seconds=None) for ask in self.by_hand(prepared).asks])

    # a run that is kept, goes on, or was brought in

    def older(self, setup: Setup, kept: Mapping[str, Any]) -> DischargePlan:
        label = setup.label
        names = {
            "current_a",
            "own_cutoff_v",
            "every_s",
            "rest_before_s",
            "rest_after_s",
            "mode",
            "amount",
            "repeats",
            "two_step",
            "rated_ah",
            "charge_when",
            "cycles",
            "stop_share",
            "zero_first",
            "by_hand",
            "take_out_ah",
        }
        return DischargePlan(
            cutoff=Cutoff(float(kept.get("cutoff_v") or 0.0), float(kept.get("hold_s", 1.0))),
            limits=decode(Ends, kept.get("limits", {})),
            charge=decode(ChargePlan, kept["charge"]) if kept.get("charge") else None,
            profile=tuple((s, a) for s, a in kept.get("profile", ())),
            chemistry=label.chemistry if label else None,
            series=label.series if label else None,
            **{key: value for key, value in kept.items() if key in names},
        )

    def rest(self, prepared: Prepared, before: Record) -> Steps | None:
        return after_a_gap(prepared.plan)

    def of_log(self, setup: Setup, said: Mapping[str, str]) -> tuple[Setup, Criteria]:
        text, kind = said.get("rated", "") or setup.unit.label_text, said.get("chemistry", "") or setup.unit.chemistry
        try:
            if text:
                parse_label(text, kind or None)
        except (LabelError, QuantityError) as error:
            raise MethodError("rated", str(error)) from None
        unit = replace(setup.unit, label_text=text, chemistry=kind or None, kind=setup.unit.kind or "battery")
        return replace(setup, unit=unit), Criteria(cutoff=_cutoff(said.get("cutoff", "")))

    def account(self, record: Record, expected: Rehearsal | None = None) -> Account:
        live = record.state == "running"
        plan: DischargePlan | None = self.prepared(record.head).plan
        if live and record.switched()[0] is None and not record.is_typed:
            return Account(
                trouble=say("Nothing flows yet."),
                drawings=lambda: (_raw_trace(record, plan, expected),),
                path=lambda: live_path(record, plan, None, 0.0),
            )
        try:
            data = discharge_of(record)
            discharge = self._judged(record, data)
        except ReadingsError as error:
            return Account(
                trouble=str(error),
                drawings=lambda: (_raw_trace(record, plan, expected),),
                path=lambda: live_path(record, plan, None, 0.0) if live else None,
            )
        forecast = forecast_of(data, expected) if live else None
        warnings = (*record.zero_remarks(), *record.head.origin.said, *discharge.warnings)
        if record.head.criteria.cutoff is None and data.cutoff is not None and not live:
            taken = say("No cut-off was given: {volts} V is taken, the usual one of its label.", volts=plain(data.cutoff.voltage_v))
            warnings = (taken, *warnings)
        if record.head.conditions.start:
            warnings = (say("The start: {told}", told=record.head.conditions.start), *warnings)
        charge = discharge.findings["charge"]
        return Account(
            discharge.findings,
            ("charge", "energy", "label_share", "duration"),
            _GROUPS,
            discharge.verdict,
            discharge.verdict.sentence,
            warnings,
            ended_by=discharge.ended_by,
            gaps=discharge.gaps,
            more=lambda: _higher(data, discharge) if not live else (),
            drawings=lambda: (_trace(record, data, discharge, expected),),
            path=lambda: live_path(record, plan, forecast, charge.value or 0.0) if live else stored_path(record, plan, discharge),
            shown_at=say("From battery to load"),
            energy=_energy(discharge, record.head.setup.label),
            short=_short(discharge),
            bar=(charge.value, charge.expanded_uncertainty) if charge.value is not None else None,
            span=(discharge.load_on_s, discharge.end_s),
            questions=() if live else questions(discharge.about.objections),
            ahead=_ahead(record, data, discharge, expected, forecast) if live else None,
        )

    def _judged(self, record: Record, data: DischargeRecord) -> Discharge:
        return record.once("judged", lambda: judged(data, others_of(record, self.prepared(record.head).plan)))

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        """Its own display falls from load on to load off."""
        yield from super().doubts(account, record)
        on_s, off_s = record.switched()
        tap = next((t for t in ("battery", "bank", "station") if len(record.typed.at(t, "%"))), "")
        if tap and on_s is not None:
            shown = record.typed.at(tap, "%")
            inside = (shown.time_s >= on_s) & (shown.time_s <= (off_s if off_s is not None else math.inf))
            yield from of_display([(t, p, 0.5) for t, p in zip(shown.time_s[inside].tolist(), shown.value[inside].tolist(), strict=True)])

    def row_findings(self, record: Record) -> Mapping[float, str]:
        """How much had flowed by then."""
        try:
            data = discharge_of(record)
        except ReadingsError:
            return {}
        readings, on_s = data.readings, data.load_on_s
        if len(readings) < 2 or on_s is None or on_s >= readings.time_s[-1]:
            return {}
        flowed = running_charge(readings)
        first = int(np.searchsorted(readings.time_s, on_s))
        unread = readings.current_a[first] * (readings.time_s[first] - on_s) / 3600  # from load on to the first reading under it
        from_s, to_s = float(readings.time_s[first]), float(readings.time_s[-1])
        moments = [e.time_s for e in record.lines if from_s <= e.time_s <= to_s and e.jotting.readings]
        so_far = np.abs(np.interp(moments, readings.time_s, flowed) - flowed[first] + unread).tolist()
        return OnDemand(dict(zip(moments, so_far, strict=True)), lambda ah: say("{charge} Ah so far", charge=show(ah, 3)))

    def study(self, account: Account, record: Record, others: Callable[[], Iterable[tuple[Record, Account]]]) -> Account:
        """With Peukert's exponent from other runs of the unit, and a guess at what was left in it."""
        if account.trouble:
            return account
        try:
            data = discharge_of(record)
            discharge = self._judged(record, data)
        except ReadingsError:
            return account
        known = cache(lambda: tuple(islice(others(), MOST_RUNS)))  # an account each: made once, and only where it is asked for
        added, why_not = peukert_of(record, data, discharge, known)
        with_others = with_like_runs(record, discharge, known)
        guess = "" if record.state == "running" else rest_guess(self.prepared(record.head), data, discharge)  # it may still reach its end
        findings = {**account.findings, **{f.key: f for f in added}}
        return replace(
            account, findings=findings, warnings=(*filter(None, (with_others,)), *account.warnings, *filter(None, (guess, why_not)))
        )


def _cutoff(text: str) -> Cutoff | None:
    if not text:
        return None
    try:
        volts = parse_quantity(text, "V")
    except QuantityError as error:
        raise MethodError("cutoff", str(error)) from None
    if not volts > 0:
        raise MethodError("cutoff", say("a cut-off of {what} would never be reached: give it in volts above 0.", what=text))
    return Cutoff(volts)


def _energy(discharge: Discharge, label: Label | None) -> Energy | None:
    """What an outlook can rest on: nothing where the gate let nothing be decided, a part of it where it is *at least* so much."""
    energy, about = discharge.findings["energy"], discharge.about
    if not energy.value or about.objection(DECIDES_NOTHING) is not None:
        return None
    whole, rated = discharge.ended_by in EMPTIED and about.objection(AT_LEAST) is None, label.energy_wh if label else None
    return Energy(energy.value, energy.expanded_uncertainty, whole, energy.value / rated if rated and whole else 1.0)


def _short(discharge: Discharge) -> str:
    """What a shelf has room for."""
    charge = discharge.findings["charge"]
    if charge.value is None:
        return discharge.verdict.word
    value, spread = show_with(charge.value, charge.expanded_uncertainty)
    return f"{value} ± {spread} Ah · {discharge.verdict.word}" if spread else f"{value} Ah · {discharge.verdict.word}"


def _higher(data: DischargeRecord, discharge: Discharge) -> tuple[Finding, ...]:
    """Capacities to a few higher cut-offs."""
    pairs = (
        charges_to_higher(data, discharge.findings["mean_voltage"].value or 0.0)
        if not discharge.by_counters and data.stands_in is None
        else []
    )
    return tuple(replace(charge, key=f"charge_to_{volts:g}", name=say("to {volts} V", volts=plain(volts))) for volts, charge in pairs)


def _ahead(record: Record, data: DischargeRecord, discharge: Discharge, expected: Rehearsal | None, forecast: Forecast | None) -> Ahead:
    delivered = discharge.findings["charge"].value or 0.0
    if record.of(LoadOff) or data.load_off_s is not None:
        return Ahead(discharge.verdict.sentence)
    if discharge.crossing is not None and record.is_typed:
        text = words("The cut-off is reached: {charge} so far. Take the load off, then close the run.")
        return Ahead(say(text, charge=discharge.findings["charge"].with_uncertainty()), 0.0)
    left = forecast.left_s if forecast is not None else None
    return Ahead(forecast_sentence(forecast, delivered, data.label), left, deviation_of(data, discharge, expected))


# what it is drawn as


def _expected_trace(expected: Rehearsal | None, cutoff: Cutoff | None) -> TraceDrawing:
    limit = cutoff.voltage_v if cutoff is not None else None
    if expected is None or expected.load_on_s is None or not expected.until_s:
        return TraceDrawing(limit_v=limit)
    readings = expected.readings
    columns = {"V": readings.voltage_v, "A": readings.current_a, "W": power_of(readings)}
    series = {key: Series(readings.time_s, column) for key, column in columns.items()}
    return TraceDrawing({}, series, expected.load_on_s, (0.0, expected.length_s), limit)


def _raw_trace(record: Record, plan: DischargePlan | None, expected: Rehearsal | None) -> TraceDrawing:
    """Before anything can be said: what was read."""
    made = _expected_trace(expected, record.head.criteria.cutoff)
    measured = {q: record.either("battery", q) for q in "VA"} | {"W": no_readings()}
    zero = made.zero_s
    if not made.expected and record.state == "running" and not record.is_typed:
        zero = plan.rest_before_s if plan is not None else 0.0
    return replace(made, measured=measured, zero_s=zero, span=made.span or (0.0, 600.0))


def _examples(prepared: Prepared) -> tuple[str, str, str]:
    """Readings as they could be of this battery at this load: at rest, as the load comes on, later. They are in no sum."""
    label = prepared.setup.label
    usual_v = (label.voltage_v if label is not None else None) or 1.15 * prepared.plan.cutoff.voltage_v
    amps = f"{plain(prepared.plan.current_a, 3)} A"
    rested, first, later = (f"{share * usual_v:.2f} V" for share in (1.04, 1.02, 1.0))
    return rested, f"{first} {amps}", f"{later} {amps}"


def _from_load_on(data: DischargeRecord) -> Readings:
    """For drawing: the current of the first typed reading under load flowed from load on, and none before it."""
    readings, on_s = data.readings, data.load_on_s
    if data.widths is None or on_s is None or not len(readings) or not readings.time_s[0] < on_s < readings.time_s[-1]:
        return readings
    k = int(np.searchsorted(readings.time_s, on_s))
    if k >= len(readings) or readings.time_s[k] == on_s:
        return readings
    at = [k, k]
    return Readings(
        np.insert(readings.time_s, at, on_s),
        np.insert(readings.voltage_v, at, [readings.voltage_v[k - 1], readings.voltage_v[k]]),
        np.insert(readings.current_a, at, [readings.current_a[k - 1], readings.current_a[k]]),
        readings.interval_s,
    )


def _trace(record: Record, data: DischargeRecord, discharge: Discharge, expected: Rehearsal | None) -> TraceDrawing:
    readings = _from_load_on(data)
    live = record.state == "running"
    measured = {
        "V": Series(readings.time_s, readings.voltage_v),
        "A": Series(readings.time_s, readings.current_a),
        "W": Series(readings.time_s, power_of(readings)),
    }
    marks = [(e.time_s, words) for e in record.events if (words := mark_of(e))][:_MOST_MARKS]
    marks += [(t, text) for t, text in record.typed.notes]
    if discharge.crossing is not None and not live:
        marks.append((discharge.crossing.time_s, say("cut-off")))
    gaps = tuple((g.from_s, g.to_s) for g in discharge.gaps) if not live else ()
    span = (float(readings.time_s[0]), float(readings.time_s[-1])) if len(readings) and not live else None
    before = _expected_trace(expected, data.cutoff)
    if live:
        span = (0.0, max(float(readings.time_s[-1]) if len(readings) else 0.0, expected.length_s if expected is not None else 600.0))
    return TraceDrawing(
        measured, before.expected, discharge.load_on_s, span, data.cutoff.voltage_v if data.cutoff else None, tuple(marks), gaps
    )
