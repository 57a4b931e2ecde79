"""Load steps as a method: its form, checks, rows, account; with the wave at each step where a scope is there."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from ubrant.core.account import Account, Group, WaveAtLoad
from ubrant.core.conversion.candidates import candidate_of
from ubrant.core.conversion.limits import LeadLimit, against_foretold, limits_plot, order_foretold
from ubrant.core.conversion.load_steps import (
    INVERTER,
    OVERLOAD,
    PROTECTION,
    BatteryBehind,
    Steps,
    analyse_steps,
    carried_by_what,
    held_findings,
)
from ubrant.core.conversion.sweep import Sweep
from ubrant.core.conversion.waveform import analyse_wave
from ubrant.core.drawings import Drawing
from ubrant.core.equipment.leads import heat_in, lead_sentences
from ubrant.core.equipment.unit import Unit
from ubrant.core.gate.figures import Doubt
from ubrant.core.gate.readings import Takes
from ubrant.core.quantities.alternating import AC_FROM_V
from ubrant.core.quantities.label import LabelError, parse_label
from ubrant.core.quantities.quantity import QuantityError, plain, show
from ubrant.core.quantities.ratings import PARTS, Ratings, parse_ratings, rating_sentences
from ubrant.core.quantities.readings import ReadingsError, Series
from ubrant.core.quantities.tolerance import MAINS_120, MAINS_230, Tolerance
from ubrant.core.record.events import HeldOn, HoldBegan, WentOff
from ubrant.core.record.head import SIMULATED, Criteria, Setup, label_of
from ubrant.core.record.points import Points
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.record.record import Record
from ubrant.core.record.settled import PointRows, log_columns, points_taken
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.converting import (
    LEADS,
    LOAD,
    SOURCE,
    UNIT,
    chain_path,
    disagreements,
    each_efficiency,
    efficiency_keys,
    flows_at,
    gives_mains,
    ladder,
    less_for_more,
    loss_plot,
    meters_of,
    output_criteria,
    output_plot,
    upstream_ohm,
    wave_plot,
)
from ubrant.methods.form import CRITERIA, Allowed, Field, Quantities, QuantityKind, Words
from ubrant.methods.load_steps.ending import alarm_v, ending, whose_off
from ubrant.methods.load_steps.procedure import CONNECT, StepsPlan, load_steps
from ubrant.methods.meter_checks import two_meter_checks
from ubrant.methods.method import TAP_LOG, LoadRating, Method, MethodError, Prepared, Problem, Scene, refusals_first
from ubrant.methods.ratings import labelled, most_at_output, read_ratings
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import ANY_MARK, HandScript, Prompt
from ubrant.methods.steps import Ask
from ubrant.methods.steps import Steps as Procedure

_SHARES = (0.0, 0.05, 0.1, 0.2, 0.3, 0.5, 0.75, 1.0)
_EXAMPLE = "input 12.4 V 6.2 A output 229 V 65 W 50.0 Hz"
_WANTED = (("input", "V"), ("input", "A"), ("output", "V"), ("output", "W"))
_DC_EXAMPLE, _DC_WANTED = "input 12.4 V 3.5 A output 19.1 V 2.1 A", (*_WANTED[:3], ("output", "A"))
_AS_USUAL_HZ = {50.0: Tolerance(49.5, 50.5), 60.0: Tolerance(59.3, 60.5)}
_GONE_SHARE = 0.5
"""The load's own cut-off, as a share of the output's voltage: under it the output has gone."""
_STILL_ON = 0.5
"""Share of the load that was asked for, under which it has gone off."""
_CHAIN = (SOURCE, LEADS, UNIT, LOAD)
_GROUPS = (
    Group(
        "Losses",
        (
            "peak_at",
            "loss_fixed",
            "loss_proportional",
            "loss_resistive",
            "half_arrives",
            "weighted_efficiency_european",
            "weighted_efficiency_californian",
        ),
    ),
    Group("Output", ("output_sag", "frequency", "wave_thd", "wave_crest")),
    Group(
        "How it ended",
        ("alarm_voltage", "cutoff_input", "recovered", "charge_left", "overload", "held_for", "held_in", "held_out", "held_efficiency"),
    ),
    Group("Limits", ("lead_resistance",)),
)

_MAINS_HZ = (45.0, 66.0)
"""Mains have 50 or 60 Hz; between so much and so much an inverter of a maker strays. Common practice, no source."""


class LoadStepsMethod(Method):
    """Of inverters, DC and AC side together; and of converters on the battery itself."""

    key = "steps"
    title = "Load steps"
    Plan = StepsPlan
    on_battery = True
    reads_beside = ("source",)
    log = TAP_LOG

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        yield from super().doubts(account, record)
        plan = self.prepared(record.head).plan
        yield from less_for_more(record, [(0.0, w) for w in plan.loads] if plan is not None else [])
        hertz = record.either("output", "Hz").value
        odd = hertz[(hertz > 1.0) & ((hertz < _MAINS_HZ[0]) | (hertz > _MAINS_HZ[1]))]
        if len(odd) and gives_mains(record.head.setup):
            yield Doubt(
                "hertz", say("{hz} Hz is no mains anywhere: did a digit slip, or was something else read?", hz=plain(float(odd[0]), 4))
            )

    def takes(self, record: Record) -> Takes:
        return replace(super().takes(record), most=most_at_output(record.head.setup.unit))

    def form(self, setup: Setup) -> tuple[Field, ...]:
        ratings = read_ratings(setup.unit)
        usual = f"{plain(ratings.output_v * 0.95)}..{plain(ratings.output_v * 1.05)} V"
        if ratings.gives_mains:
            usual = MAINS_230 if ratings.output_v > 200 else MAINS_120
        digits = 0 if ratings.watts >= 100 else 1
        return (
            Field("loads", "Loads", Quantities("W"), ", ".join(plain(round(share * ratings.watts, digits)) for share in _SHARES) + " W"),
            Field("rated_w", "Rated output", QuantityKind("W"), f"{plain(ratings.watts)} W", part=CRITERIA),
            Field("tolerance", "Output may be", Allowed(), usual, part=CRITERIA),
            Field("hold", "then hold", QuantityKind("W", may_be_empty=True), f"{plain(round(0.5 * ratings.watts, digits))} W"),
            Field("ratings", "Made for", Words(parse_ratings), "", "leads 20 A, fuse 15 A, cord 5 A", CRITERIA),
        )

    def prepare(self, setup: Setup, typed: Mapping[str, str]) -> Prepared:
        made = super().prepare(setup, typed)
        ratings = read_ratings(setup.unit)
        return replace(made, plan=replace(made.plan, mains=ratings.gives_mains, own_cutoff_v=round(_GONE_SHARE * ratings.output_v, 2)))

    def checks(self, prepared: Prepared, load: LoadRating) -> list[Problem]:
        plan, setup = prepared.plan, prepared.setup
        ratings, rated_w = read_ratings(setup.unit), prepared.criteria.rated_w or 0.0
        most_w = max((*plan.loads, plan.hold or 0.0), default=0.0)
        input_a = most_w / (_PASSES * _SAGGED * ratings.input_v)
        problems = [] if len(plan.loads) >= 2 else [Problem(True, say("At least two loads are needed, 0 W and another one."))]
        problems += _battery_checks(setup, ratings.input_v, input_a)
        if most_w > 1.02 * rated_w:
            text = say(
                "{watts} W is over its rating of {rated} W: it should protect itself; look at it while it does.",
                watts=plain(most_w),
                rated=plain(rated_w),
            )
            problems.append(Problem(False, text))
        problems += two_meter_checks(setup, (1.25 * ratings.input_v, input_a), (ratings.output_v, most_w / ratings.output_v))
        hot = heat_in(setup.leads, input_a, ratings.input_v)
        problems += [Problem(False, hot.sentence)] if hot is not None else []
        parts = parse_ratings(prepared.criteria.ratings)
        problems += (
            [Problem(False, first)]
            if (first := order_foretold(_limits(setup, parts, rated_w), input_a, _PASSES * _SAGGED * ratings.input_v))
            else []
        )
        problems += [Problem(False, said) for said in rating_sentences(parts, input_a, most_w / ratings.output_v, measured=False)]
        return refusals_first(problems)

    def preview(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[Drawing, ...]:
        limits = _limits(prepared.setup, parse_ratings(prepared.criteria.ratings), prepared.criteria.rated_w or 0.0)
        into = _PASSES * _SAGGED * read_ratings(prepared.setup.unit).input_v
        return (limits_plot(limits, [w / into for w in prepared.plan.loads]),) if len(limits) > 1 else ()

    def steps(self, prepared: Prepared) -> Procedure:
        return load_steps(prepared.plan)

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return say("{count} points", count=len(prepared.plan.loads)), ""

    def scene(self, prepared: Prepared, before: Record | None = None) -> Scene:
        return Scene(self.taps, on_battery=True, scope=prepared.plan.mains, mains=prepared.plan.mains)

    def wiring(self, prepared: Prepared) -> PowerPath:
        return chain_path(prepared.setup, _CHAIN, None)

    def by_hand(self, prepared: Prepared) -> HandScript:
        plan, mains, into_v = prepared.plan, gives_mains(prepared.setup), read_ratings(prepared.setup.unit).input_v
        example, wanted = (_EXAMPLE, _WANTED) if mains else (_DC_EXAMPLE, _DC_WANTED)
        rows = tuple(
            Prompt(
                say(
                    "Step {number} of {count}: {what}, wait until it holds still, and type “{example}”. Add “source 12.6 V” where you read the battery's own terminals.",
                    number=k,
                    count=len(plan.loads),
                    what=say("put {watts} W on", watts=plain(watts)) if watts else say("no load"),
                    example=example,
                ),
                wanted,
                (ANY_MARK,),
                example,
                expected={("input", "V"): into_v, ("output", "W"): watts},
                short=say("{watts} W", watts=plain(watts)) if watts else say("no load"),
            )
            for k, watts in enumerate(plan.loads, start=1)
        )
        held = say("Leave {watts} W on and look in now and then, with the same line.", watts=plain(plan.hold)) + " " if plan.hold else ""
        after = Prompt(
            held
            + say(
                "When the output goes off by itself type “empty”, then the battery: “source 12.1 V”, and once more after ten minutes. “alarm input 10.9 V” when its alarm begins."
            )
        )
        cautious = (cautions.MAINS,) if mains else ()
        return HandScript((Ask(f"{say(CONNECT)} {say('Switch it on.')}", (*cautious, cautions.FUSE, cautions.POLARITY)),), rows, after)

    def of_log(self, setup: Setup, said: Mapping[str, str]) -> tuple[Setup, Criteria]:
        text = said.get("battery", "")
        try:
            battery = Unit("", "battery", text) if text and parse_label(text) else None
        except (LabelError, QuantityError) as error:
            raise MethodError("battery", str(error)) from None
        setup = labelled(setup, said.get("rated", ""))
        return replace(setup, battery=battery) if battery is not None else setup, output_criteria(said)

    def row_findings(self, record: Record) -> dict[float, str]:
        return each_efficiency(record)

    def account(self, record: Record, expected: Rehearsal | None = None) -> Account:
        made = self._account(record, ())
        return made if made.trouble else replace(made, questions=(*made.questions, *whose_off(record)))

    def study(self, account: Account, record: Record, others: Callable[[], Iterable[tuple[Record, Account]]]) -> Account:
        """With the waves that were attached to the unit as runs of their own."""
        attached = () if account.trouble else tuple(w for _, other in others() if other.taken is None for w in other.waves)
        return replace(self._account(record, attached), questions=account.questions) if attached else account

    def _account(self, record: Record, attached: tuple[WaveAtLoad, ...]) -> Account:
        plan = self.prepared(record.head).plan
        settings = [(0.0, w) for w in plan.loads] if plan is not None else []
        planned = len(settings) if plan is not None else None
        setup, live, tolerance = record.head.setup, record.state == "running", record.head.criteria.tolerance
        try:
            rows = points_taken(record, settings)
            points, waves = rows.points(), tuple(_waves(record, rows))
        except ReadingsError as error:
            return Account(trouble=str(error), planned=planned)
        shown = tuple(sorted((*waves, *attached), key=lambda w: w.load_w)) if attached else waves
        if points is None:
            return Account(
                trouble=" ".join(rows.said) or say("No step was taken yet."),
                lacks=True,
                taken=0,
                planned=planned,
                drawings=lambda: _drawn(None, tolerance, shown, {}, live),
            )
        try:
            steps = _analysed(record, rows, (plan.hold or 0.0) if plan is not None else 0.0, planned)
        except ReadingsError as error:
            return Account(
                trouble=str(error),
                taken=len(points),
                planned=planned,
                waves=shown,
                drawings=lambda: _drawn(None, tolerance, shown, {}, live),
            )
        findings = {
            **(steps.findings if plan is not None else steps.sweep.findings | steps.findings),
            **_of_waves(waves),
            **_of_hold(record),
        }
        warnings = [*record.head.origin.said, *rows.said, *steps.warnings, *_nearly_empty(record, steps.ended_by)]
        if plan is not None:
            warnings += lead_sentences(steps.findings["lead_resistance"], setup.leads, float(points.input_a.max()))
        warnings += rating_sentences(
            parse_ratings(record.head.criteria.ratings), float(points.input_a.max()), float(points.output_a.max()), measured=True
        )
        warnings += [f"At {show(w.load_w, 3)} W: {said}" for w in waves[-1:] for said in w.warnings]
        if record.head.origin.road != SIMULATED and float(np.nanmax(points.output_v)) > AC_FROM_V:
            warnings.append(_pulsates(points, upstream_ohm(record)))
        lasted = findings["held_for"].value if "held_for" in findings else None
        differs, limits = _foretold_and_come(record, steps.ended_by, points, lasted) if plan is not None else ([], tuple)
        warnings += differs
        held = not live and "held_in" in findings
        return Account(
            findings,
            ("peak_efficiency", "idle_power", "cutoff_input", "overload", *efficiency_keys(findings)),
            _GROUPS,
            None,
            steps.sentence,
            (*warnings, *disagreements(record)),
            ended_by=steps.ended_by,
            taken=len(points),
            planned=planned,
            waves=shown,
            drawings=lambda: (*_drawn(steps.sweep, tolerance, shown, findings, live), *limits()),
            shown_at=say("While the load was held") if held else say("At its best"),
            path=lambda: _held_path(setup, findings) if held else _path(setup, steps.sweep, points, live=live),
            candidate=candidate_of(setup.unit.name, steps.sweep, findings),
        )

    def older(self, setup: Setup, kept: Mapping[str, Any]) -> Any:
        fields = dict(kept.get("fields", {}))
        return self.prepare(setup, {**fields, "rated_w": fields.get("rated", "")}).plan


def _analysed(record: Record, rows: PointRows, hold_w: float, planned: int | None) -> Steps:
    """Findings of the points, with what ended them.

    Raises
    ------
    ReadingsError
        Too few points, or input and output swapped.
    """
    points, setup = rows.points(), record.head.setup
    assert points is not None
    if not points.has_output:
        raise ReadingsError(say("The output's current or power is missing: without one of them a load step says nothing."))
    battery = setup.battery.label if setup.battery is not None else None
    if float(np.nanmax(points.output_v)) > AC_FROM_V:
        points = replace(points, pulsates_ohm=upstream_ohm(record))
    hertz = rows.column("output", "Hz")
    if record.head.plan:
        source = BatteryBehind(
            read_ratings(setup.unit).input_v, battery.kind_of_cell if battery else None, battery.series if battery else None
        )
        usual_hz = next((t for t in _AS_USUAL_HZ if np.isfinite(hertz).any() and _AS_USUAL_HZ[t].holds(float(np.nanmedian(hertz)))), None)
        frequency = _AS_USUAL_HZ[usual_hz] if usual_hz is not None else None
        ended = ending(record, hold_w)
        return analyse_steps(
            points,
            meters_of(record),
            record.head.criteria.tolerance,
            record.head.criteria.rated_w,
            hertz,
            ended,
            source,
            alarm_v(record),
            frequency,
            planned,
        )
    volts = float(np.nanmedian(log_columns(record)[1][("input", "V")])) if not record.is_typed else float(np.nanmedian(points.input_v))
    known = BatteryBehind(battery.voltage_v or volts, battery.kind_of_cell, battery.series) if battery is not None else None
    return analyse_steps(
        points, meters_of(record), record.head.criteria.tolerance, record.head.criteria.rated_w, hertz, ending(record, hold_w), known
    )


def _nearly_empty(record: Record, ended_by: str) -> list[str]:
    """The volts of the battery that were read once a person had taken the load off, where they say that little is left."""
    battery = record.head.setup.battery
    label = label_of(battery) if battery is not None else None
    off_s = next((e.time_s for e in record.lines if e.jotting.mark == "load off"), None)
    rest = record.either("source", "V")
    if ended_by not in {"", "end of log"} or off_s is None or label is None or not len(rest) or rest.time_s[-1] < off_s:
        return []
    behind = BatteryBehind(label.voltage_v or 0.0, label.kind_of_cell, label.series)
    return list(filter(None, (carried_by_what(float(rest.value[-1]), behind),)))


def _pulsates(points: Points, ohm: float) -> str:
    """What is said of it; empty where it does not."""
    largest = float(np.nanmax(points.input_a))
    if ohm:
        watts = ohm * largest**2 / 4
        return say(
            "The inverter's input current pulsates: R·Ī²/4 was taken off volts × amperes, ± as much ({watts} W at the most), R being what is known of battery and leads.",
            watts=show(watts, 2),
        )
    return say(
        "The inverter's input current pulsates: volts × amperes of slow meters are up to R·Ī²/2 too much, and battery and leads are not known. Say which battery feeds it."
    )


_PASSES, _SAGGED = 0.85, 0.9
"""What an inverter passes on, and what is left of its battery's volts under load, to foretell amperes by. Common practice, no source."""


def _limits(setup: Setup, parts: Ratings, rated_w: float) -> list[LeadLimit]:
    """Of all that stands in the lead, in amperes there."""
    ratings = read_ratings(setup.unit)

    def amps(watts: float) -> float:
        return watts / (_PASSES * _SAGGED * ratings.input_v)

    found = [LeadLimit(say(part), a if PARTS[part] == "input" else amps(a * ratings.output_v), part) for part, a in parts.amps]
    if setup.battery is not None and setup.battery.max_current_a:
        found.append(LeadLimit(say("the most {battery} may give", battery=setup.battery.name), setup.battery.max_current_a, "battery"))
    if rated_w:
        found.append(LeadLimit(say("the rating of {unit}", unit=setup.unit.name), amps(rated_w), "unit"))
    return found


_GAVE_UP = {
    PROTECTION: ("battery", words("the battery's protection")),
    INVERTER: ("unit", words("the unit")),
    OVERLOAD: ("unit", words("the unit")),
}


def _foretold_and_come(
    record: Record, ended_by: str, points: Points, held_s: float | None
) -> tuple[list[str], Callable[[], tuple[Drawing, ...]]]:
    """What the labels foretold and what gave up: a sentence where they differ, and both drawn; nothing where fewer than two limits are known."""
    limits = _limits(record.head.setup, parse_ratings(record.head.criteria.ratings), record.head.criteria.rated_w or 0.0)
    if len(limits) < 2:
        return [], tuple
    kind, what = _GAVE_UP.get(ended_by, ("", ""))
    end = ending(record, 0.0) if kind else None
    most_a = end.input_a if end is not None and math.isfinite(end.input_a) else float(np.nanmax(points.input_a))
    said = against_foretold(limits, most_a, kind, say(what))
    taken = sorted({round(float(a), 2) for a in points.input_a})
    return [said] if said else [], lambda: (limits_plot(limits, taken, (most_a, held_s) if kind else None),)


def _battery_checks(setup: Setup, input_v: float, input_a: float) -> list[Problem]:
    battery = setup.battery
    if battery is None:
        return [Problem(True, say("Load steps are made on a battery: choose which one feeds it."))]
    volts = battery.label.voltage_v or input_v
    problems = []
    if not 0.75 * input_v < volts < 1.35 * input_v:
        text = say(
            "{battery} has {volts} V, and {unit} takes {input} V.",
            battery=battery.name,
            volts=plain(volts),
            unit=setup.unit.name,
            input=plain(input_v),
        )
        problems.append(Problem(True, text))
    if battery.max_current_a and input_a > battery.max_current_a:
        text = say(
            "About {amps} A will flow, and {battery} may give {most} A.",
            amps=show(input_a, 2),
            battery=battery.name,
            most=plain(battery.max_current_a),
        )
        problems.append(Problem(False, text))
    return problems


def _waves(record: Record, rows: PointRows) -> list[WaveAtLoad]:
    """What the scope saw, the heaviest step last; one that cannot be worked out, or whose load had gone off meanwhile, is left aside."""
    scope = record.readings.get(("scope", "V"))
    if scope is None:
        return []
    waves = []
    accuracy = record.accuracy("scope", "V")
    watts = rows.column("output", "W")
    for k, span in enumerate(rows.waves):
        if span is None:
            continue
        asked_w = rows.asked[k][1]
        load_w = float(watts[k]) if math.isfinite(watts[k]) else asked_w
        if asked_w > 0 and load_w < _STILL_ON * asked_w:
            continue
        start, end = span
        inside = (scope.time_s >= start - 1e-7) & (scope.time_s <= end + 1e-7)
        time, volts = scope.time_s[inside] - start, scope.value[inside]
        try:
            wave = analyse_wave(time, volts, accuracy)
        except ReadingsError:
            continue
        waves.append(WaveAtLoad(load_w, time, volts, wave.kind, wave.findings, wave.warnings, wave.harmonics))
    return sorted(waves, key=lambda w: w.load_w)


def _of_waves(waves: tuple[WaveAtLoad, ...]) -> dict[str, Finding]:
    """What its wave is at the heaviest load that was recorded."""
    if not waves:
        return {}
    heaviest = waves[-1]
    where = f"at {show(heaviest.load_w, 3)} W: {heaviest.kind}"
    thd, crest = heaviest.findings["thd"], heaviest.findings["crest_factor"]
    return {
        "wave_thd": replace(thd, key="wave_thd", name="THD of its wave", working=where),
        "wave_crest": replace(crest, key="wave_crest", name="Crest factor of its wave", working=where),
    }


def _of_hold(record: Record) -> dict[str, Finding]:
    """How long it ran under the load that was held, what went in and what came out meanwhile."""
    start = next((e.time_s for e in record.of(HoldBegan)), None)
    end = next((e.time_s for e in record.events if isinstance(e, WentOff | HeldOn) and start is not None and e.time_s >= start), None)
    into, amps, out = record.corrected("input", "V"), record.corrected("input", "A"), record.corrected("output", "W")
    volts, drawn = record.corrected("output", "V"), record.corrected("output", "A")
    if start is None or end is None or into is None or amps is None:
        return {}
    if out is None and volts is not None and drawn is not None:
        out = Series(volts.time_s, volts.value * np.interp(volts.time_s, drawn.time_s, drawn.value))
    if out is None:
        return {}
    return held_findings(into, amps, out, meters_of(record), start, end, volts)


def _drawn(
    sweep: Sweep | None, tolerance: Tolerance | None, waves: tuple[WaveAtLoad, ...], findings: dict[str, Finding], live: bool
) -> tuple[Drawing, ...]:
    drawn: list[Drawing] = [output_plot(sweep, tolerance), loss_plot(sweep, live=live)]
    if waves:
        drawn.append(wave_plot(waves))
    return (*drawn, *ladder(findings, sweep.points if sweep is not None else None))


def _path(setup: Setup, sweep: Sweep, points: Points, *, live: bool) -> PowerPath:
    """At its best, the latest point while it goes on."""
    if live:
        return chain_path(setup, _CHAIN, flows_at(setup, points, len(points) - 1))
    best = int(np.nanargmax(sweep.efficiency)) if np.isfinite(sweep.efficiency).any() else 0
    return chain_path(setup, _CHAIN, flows_at(setup, sweep.points, best))


def _held_path(setup: Setup, findings: Mapping[str, Finding]) -> PowerPath:
    """In watt-hours over the time a load was held."""
    into, out = findings["held_in"].value or 0.0, findings["held_out"].value or 0.0
    battery = setup.battery
    source = PathNode("battery", battery.name, battery.printed) if battery else PathNode("battery", say("Source"))
    nodes = (source, PathNode("converter", setup.unit.name, setup.unit.printed), PathNode("load", say("Load")))
    lost = max(into - out, 0.0)
    output = setup.meter("output") if "output" in setup.meters else setup.meter("input")
    flows = (Flow(into, meter=setup.meter("input").name), Flow(out, meter=output.name))
    return PowerPath(nodes, flows, (None, say("{wh} Wh lost", wh=show(lost, 3)), None), (0.0, lost, 0.0), "Wh")
