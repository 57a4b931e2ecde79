"""The sweep as a method: its form, checks, rows, account."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from ubrant.core.account import Account, Group
from ubrant.core.conversion.candidates import candidate_of
from ubrant.core.conversion.holding import lowest_held
from ubrant.core.conversion.sweep import Sweep, analyse_sweep, states_of
from ubrant.core.drawings import Drawing
from ubrant.core.equipment.leads import lead_sentences
from ubrant.core.gate.figures import Doubt
from ubrant.core.gate.readings import Takes
from ubrant.core.quantities.hand_loads import HandLoad
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.quantities.ratings import parse_ratings, rating_sentences
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.record.head import BY_HAND, INSTRUMENTS, SIMULATED, Criteria, Setup
from ubrant.core.record.points import Points
from ubrant.core.record.power_path import PowerPath
from ubrant.core.record.record import Record
from ubrant.core.record.settled import PointRows, points_taken
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST, Finding
from ubrant.core.wording import say, say_many
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
    efficiency_over_load,
    flows_at,
    label_w,
    ladder,
    less_for_more,
    loss_plot,
    meters_of,
    output_criteria,
)
from ubrant.methods.form import CRITERIA, Allowed, Field, Loads, Quantities, QuantityKind, Words
from ubrant.methods.meter_checks import two_meter_checks
from ubrant.methods.method import TAP_LOG, LoadRating, Method, Prepared, Problem, refusals_first
from ubrant.methods.ratings import UnitRatings, labelled, most_at_output, read_ratings, volts_by_tap
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import HandScript, Prompt
from ubrant.methods.steps import Ask, Steps
from ubrant.methods.summary import StepLine, each_caution_once, summarise
from ubrant.methods.sweep.drawings import efficiency_plot, grid
from ubrant.methods.sweep.procedure import SweepPlan, sweep, usual_hand_loads, usual_loads
from ubrant.methods.sweep.wording import sweep_sentence

_MOST_POINTS = 600
_CHAIN = (SOURCE, LEADS, UNIT, LOAD)
_WANTED = (("input", "V"), ("input", "A"), ("output", "V"))
_AC_WANTED = (("input", "V"), ("input", "W"), ("output", "V"))
_EXAMPLE, _AC_EXAMPLE = "input 12.5 V 0.93 A output 5.01 V 2 A", "input 231 V 27.1 W output 12.02 V 2 A"
GROUPS = (
    Group(
        "Losses",
        (
            "peak_at",
            "loss_fixed",
            "loss_proportional",
            "loss_resistive",
            "loss_scatter",
            "half_arrives",
            "weighted_efficiency_european",
            "weighted_efficiency_californian",
        ),
    ),
    Group("Regulation", ("line_regulation", "load_regulation", "headroom")),
    Group("Limits", ("dropout_voltage", "shutoff_voltage", "restart_voltage", "rated_from", "lead_resistance", "unsteady")),
)


_ON_BENCH = (SIMULATED, INSTRUMENTS)


def _known(plan: SweepPlan) -> tuple[float, ...]:
    """What its loads take, as far as somebody knows."""
    return tuple(load.amps for load in plan.hung() if load.amps == load.amps)


class SweepMethod(Method):
    """Of converters; on a bench supply and a load, or by hand."""

    key = "sweep"
    title = "Sweep"
    Plan = SweepPlan
    made_of_points = True
    log = TAP_LOG

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        yield from super().doubts(account, record)
        plan = self.prepared(record.head).plan
        yield from less_for_more(record, plan.points() if plan is not None else [])

    def takes(self, record: Record) -> Takes:
        return replace(super().takes(record), most=most_at_output(record.head.setup.unit))

    def form(self, setup: Setup) -> tuple[Field, ...]:
        """From 15 % over its input down to half of it, loads up to its rating."""
        ratings = read_ratings(setup.unit)
        into, out = ratings.input_v, ratings.output_v
        step = 0.5 if into <= 16 else 1.0
        loads, hand_loads = (", ".join(plain(a) for a in usual(ratings.amps)) + " A" for usual in (usual_loads, usual_hand_loads))
        lowest = f"{plain(max(round(ratings.lowest_v / step) * step, ratings.lowest_v))} V"
        return (
            Field("hand_inputs", "Input", Quantities("V"), f"{plain(into)} V", "12 V, or 12, 10, 8 V from a supply", roads=(BY_HAND,)),
            Field("hand_loads", "Loads", Loads(out), hand_loads, "0, 1 A, 4.7 Ω 10 W, heater low", roads=(BY_HAND,)),
            Field("highest", "Input from", QuantityKind("V"), f"{plain(round(ratings.highest_v, 1))} V", roads=_ON_BENCH),
            Field("lowest", "down to", QuantityKind("V"), lowest, roads=_ON_BENCH),
            Field("step", "in steps of", QuantityKind("V"), f"{plain(step)} V", roads=_ON_BENCH),
            Field("loads", "Loads", Quantities("A"), loads, roads=_ON_BENCH),
            Field("tolerance", "Output may be", Allowed(), f"{plain(out * 0.95)}..{plain(out * 1.05)} V", part=CRITERIA),
            Field("rated_w", "Rated output", QuantityKind("W", may_be_empty=True), f"{plain(ratings.watts)} W", part=CRITERIA),
            Field("most", "Most input current", QuantityKind("A"), f"{plain(round(1.5 * ratings.watts / (0.6 * into), 1))} A"),
            Field("ratings", "Made for", Words(parse_ratings), "", "leads 20 A, fuse 15 A, cord 5 A", CRITERIA),
        )

    def prepare(self, setup: Setup, typed: Mapping[str, str]) -> Prepared:
        """Where only the points of a bench are said, as older notes do, they are those of a person, too."""
        made = super().prepare(setup, typed)
        if "hand_inputs" not in typed and {"highest", "lowest", "step", "loads"} & set(typed):
            return replace(made, plan=replace(made.plan, hand_inputs=(), hand_loads=()))
        written = [part.strip() for part in re.split("[,;]", typed.get("hand_loads", "")) if part.strip()]
        if any(re.search(r"[^\W\d]", part.removesuffix("A")) for part in written):  # other than amperes
            out = read_ratings(setup.unit).output_v
            made = replace(made, plan=replace(made.plan, hand_loads=(), hand_texts=tuple(written), hand_v=out))
        return made

    def typed(self, prepared: Prepared) -> dict[str, str]:
        texts = super().typed(prepared)
        plan: SweepPlan = prepared.plan
        return texts | {"hand_loads": ", ".join(plan.hand_texts)} if plan.hand_texts else texts

    def by_person(self, prepared: Prepared) -> Prepared:
        """Few points, each once; the highest and lowest input are those of its points."""
        plan: SweepPlan = prepared.plan
        if not plan.hand_inputs:
            return replace(prepared, plan=replace(plan, by_hand=True))
        made = replace(plan, by_hand=True, highest=max(plan.hand_inputs), lowest=min(plan.hand_inputs), loads=_known(plan))
        return replace(prepared, plan=made)

    def checks(self, prepared: Prepared, load: LoadRating) -> list[Problem]:
        plan: SweepPlan = prepared.plan
        ratings = read_ratings(prepared.setup.unit)
        if plan.by_hand and not plan.lowest > 0:
            return [Problem(True, say("The input has to be over 0 V."))]
        if not plan.by_hand and (not plan.highest > plan.lowest > 0 or not plan.step > 0):
            return [Problem(True, say("The input has to go from a higher voltage down to a lower one, in steps over 0 V."))]
        problems = []
        if plan.highest > (ratings.window[1] if ratings.window is not None else 1.3 * ratings.input_v):
            text = say(
                "{volts} V is far over the {label} V on its label: over its window is damage.",
                volts=plain(plan.highest),
                label=plain(ratings.window[1] if ratings.window is not None else ratings.input_v),
            )
            problems.append(Problem(True, text))
        if plan.by_hand and plan.hand_inputs and len(plan.hung()) == 1:
            if len(plan.hand_inputs) < _STEPPED:
                problems.append(Problem(True, _step_the_input(ratings)))
        elif len(plan.hung() if plan.by_hand and plan.hand_inputs else plan.loads) < 2:
            problems.append(Problem(True, say("At least two loads are needed, 0 A and another one.")))
        most_a = max((a for a in plan.loads if a == a), default=0.0)
        problems += [Problem(False, said) for load in plan.hung() if plan.by_hand and (said := load.caution())]
        if ratings.amps and most_a > 1.1 * ratings.amps:
            problems.append(
                Problem(False, say("{amps} A is over its rating of {rated} A.", amps=plain(most_a), rated=plain(ratings.amps, 3)))
            )
        problems += two_meter_checks(prepared.setup, (plan.highest, plan.most), (ratings.output_v, most_a))
        if len(plan.points()) > _MOST_POINTS:
            problems.append(Problem(True, say("{count} points are too many: take larger steps or fewer loads.", count=len(plan.points()))))
        parts = parse_ratings(prepared.criteria.ratings)
        problems += [Problem(False, said) for said in rating_sentences(parts, plan.most, most_a, measured=False)]
        return refusals_first(problems)

    def steps(self, prepared: Prepared) -> Steps:
        return sweep(prepared.plan, prepared.criteria.tolerance)

    def length_s(self, prepared: Prepared) -> float | None:
        plan: SweepPlan = prepared.plan
        return len(plan.points()) * (plan.settle_s + 3.0)

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        length = self.length_s(prepared)
        return say("{count} points", count=len(prepared.plan.points())), say("about {time}", time=show_duration(length or 0.0))

    def preview(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[Drawing, ...]:
        return (grid([point for point in prepared.plan.points() if point[1] == point[1]]),)

    def wiring(self, prepared: Prepared) -> PowerPath:
        return chain_path(prepared.setup, _CHAIN, None)

    def step_lines(self, prepared: Prepared, expected: Rehearsal | None) -> list[StepLine]:
        """The points put together."""
        lines = summarise(sweep(replace(prepared.plan, loads=prepared.plan.loads[:1])))
        middle = StepLine(_all_points(prepared.plan), lines[1].cautions, by_person=False, seconds=self.length_s(prepared))
        return each_caution_once([lines[0], middle, *lines[-2:]])

    def by_hand(self, prepared: Prepared) -> HandScript:
        settings, hung = prepared.plan.points(), prepared.plan.hung() if prepared.plan.hand_inputs else ()
        by_watts = read_ratings(prepared.setup.unit, how_much=False).takes_mains  # there amperes tell nothing of the watts
        wanted, example = (_AC_WANTED, _AC_EXAMPLE) if by_watts else (_WANTED, _EXAMPLE)
        ask = Ask(
            say(
                "Connect the supply to the converter's input with a meter at its terminals, the load to its output with a meter there, everything off."
            ),
            (*((cautions.MAINS,) if by_watts else ()), cautions.POLARITY, cautions.WINDOW, cautions.FUSE),
        )
        rows = tuple(
            Prompt(
                say(
                    "Point {number} of {count}: {set}, wait until both meters stand still, then type the four numbers.",
                    number=k,
                    count=len(settings),
                    set=say("{volts} V at the input, {load} at the output", volts=plain(volts), load=load.named())
                    if amps
                    else say("{volts} V at the input, nothing at the output", volts=plain(volts)),
                )
                + (say(" Or what you can read, and “runs”, “falters” or “off”.") if amps != amps or len(hung) == 1 else ""),
                wanted,
                example=example,
                expected={("input", "V"): volts} | ({("output", "A"): amps} if amps == amps else {}),
                short=say("{volts} V, {load} out", volts=plain(volts), load=load.short())
                if amps
                else say("{volts} V, no load", volts=plain(volts)),
                or_fate=wanted[1:],
            )
            for k, (volts, amps) in enumerate(settings, start=1)
            for load in [hung[(k - 1) % len(hung)] if hung else HandLoad(f"{plain(amps)} A", amps, 0.0)]
        )
        return HandScript(
            (ask,),
            rows,
            Prompt(say("That was the last point. Switch load and supply off, and close the run."), wanted, example=example),
            reads=(("output", "A"), *((("source", "V"),) if hung and len(settings) > len(hung) else ())),
        )

    def hand_lines(self, prepared: Prepared) -> list[StepLine]:
        """The points put together."""
        hand, plan = self.by_hand(prepared), prepared.plan
        each = say(
            "At {volts} set {loads} one after the other, wait until both meters stand still, and type the four numbers of each.",
            volts=", ".join(plain(v) for v in dict.fromkeys(v for v, _ in plan.points())) + " V",
            loads=", ".join(load.named() for load in hung)
            if plan.hand_inputs and (hung := plan.hung())
            else ", ".join(plain(a) for a in dict.fromkeys(a for _, a in plan.points())) + " A",
        )
        texts = ((hand.asks[0].text, hand.asks[0].cautions), (each, (cautions.WARM,)), (hand.after.text, ()))
        return [StepLine(text, said, by_person=True, seconds=None) for text, said in texts]

    def of_log(self, setup: Setup, said: Mapping[str, str]) -> tuple[Setup, Criteria]:
        return labelled(setup, said.get("rated", "")), output_criteria(said)

    def older(self, setup: Setup, kept: Mapping[str, Any]) -> Any:
        fields = dict(kept.get("fields", {}))
        return self.prepare(setup, {**fields, "rated_w": fields.get("rated", "")}).plan

    def row_findings(self, record: Record) -> dict[float, str]:
        return each_efficiency(record)

    def account(self, record: Record, expected: Rehearsal | None = None) -> Account:
        prepared = self.prepared(record.head)
        settings = prepared.plan.points() if prepared.plan is not None else []
        criteria = record.head.criteria
        planned = len(settings) if prepared.plan is not None else None
        live = record.state == "running"
        try:
            rows = points_taken(record, settings)
            points = rows.points()
        except ReadingsError as error:
            return Account(trouble=str(error), planned=planned)
        low, low_said = _lowest(record, rows, prepared.plan)
        if low is not None and (points is None or len(points) < 2):
            return Account(
                {low.key: low},
                (low.key,),
                sentence=_held_sentence(low),
                warnings=(*record.head.origin.said, *low_said),
                taken=len(rows.tries),
                planned=planned,
                short=f"{low.name.lower()}: {low.with_uncertainty()}",
                drawings=lambda: _drawn(None, settings, rows, {}, live),
                path=lambda: chain_path(record.head.setup, _CHAIN, None),
            )
        if points is None:
            return Account(
                trouble=" ".join(rows.said) or say("No point was taken yet."),
                lacks=True,
                taken=0,
                planned=planned,
                drawings=lambda: _drawn(None, settings, rows, {}, live),
            )
        try:
            sweep = analyse_sweep(points, meters_of(record), criteria.tolerance, criteria.rated_w, label_w(record.head.setup))
        except ReadingsError as error:
            return Account(
                trouble=str(error),
                taken=len(points),
                planned=planned,
                drawings=lambda: _drawn(None, settings, rows, {}, live),
                path=lambda: chain_path(record.head.setup, _CHAIN, flows_at(record.head.setup, points, len(points) - 1)),
            )
        findings = {**({low.key: low} if low is not None else {}), **sweep.findings, **_unsteady(rows)}
        used = sweep.points
        warnings = [
            *record.head.origin.said,
            *rows.said,
            *low_said,
            *sweep.warnings,
            *_unsteady_said(rows),
            *_sags(points, record.head.setup),
        ]
        if planned is not None and len(points) < planned and not live and record.ended_by != "done":
            warnings.append(say("{taken} of {planned} points were taken: it holds for these.", taken=len(points), planned=planned))
        warnings += (
            lead_sentences(sweep.findings["lead_resistance"], record.head.setup.leads, float(used.input_a.max())) if prepared.plan else []
        )
        warnings += rating_sentences(parse_ratings(criteria.ratings), float(used.input_a.max()), float(used.output_a.max()), measured=True)
        best = len(points) - 1 if live else best_point(sweep)
        shown = points if live else used
        return Account(
            findings,
            (*(key for key in ("lowest_held",) if key in findings), "peak_efficiency", "idle_power", *efficiency_keys(findings)),
            GROUPS,
            None,
            " ".join((*([_held_sentence(low)] if low is not None else []), sweep_sentence(sweep))),
            (*warnings, *disagreements(record)),
            taken=len(points),
            planned=planned,
            drawings=lambda: _drawn(sweep, settings, rows, findings, live),
            shown_at=say("At its best"),
            path=lambda: chain_path(record.head.setup, _CHAIN, flows_at(record.head.setup, shown, best)),
            candidate=candidate_of(record.head.setup.unit.name, sweep, findings),
        )


def _lowest(record: Record, rows: PointRows, plan: SweepPlan | None) -> tuple[Finding | None, tuple[str, ...]]:
    """The lowest input at which it held, where a person said what became of the load."""
    hung = plan.hung() if plan is not None else ()
    loads = {one.place: hung[one.place % len(hung)].text for one in rows.tries} if hung else {}
    return lowest_held(rows.tries, loads, record.quoted("input", "V"), record.head.criteria.tolerance)


def _held_sentence(low: Finding) -> str:
    if low.bound == AT_LEAST:
        return say("It held at no input that was tried, up to {volts} V.", volts=plain(low.value or 0.0))
    if low.bound == AT_MOST:
        return say("It held at every input that was tried, down to {volts} V.", volts=plain(low.value or 0.0))
    return say("Output and load hold down to {volts} at the input.", volts=low.with_uncertainty())


_STEPPED = 3
"""Inputs of one load: full, middle and near empty of the battery it will live on."""


def _step_the_input(ratings: UnitRatings) -> str:
    low, high = ratings.window if ratings.window is not None else (0.0, math.inf)
    steps = [plain(min(max(round(share * ratings.input_v, 1), low), high)) for share in _SHARES]
    return say(
        "One load at one input says little: step the input instead, full, middle and near empty of the battery it will live on, like {steps} V.",
        steps=", ".join(steps),
    )


_SHARES = (1.07, 1.0, 0.9)
"""Of the nominal voltage of a battery: full and at rest, in the middle, near empty. Common practice, no source."""


def best_point(sweep: Sweep) -> int:
    """The measured point of the best efficiency, of those within tolerance where there are some."""
    within = np.where(sweep.in_tolerance, sweep.efficiency, np.nan)
    efficiency = within if np.isfinite(within).any() else sweep.efficiency
    return int(np.nanargmax(efficiency)) if np.isfinite(efficiency).any() else 0


_FEW_INPUTS = 4
"""Of more the map says more than lines do."""


def _drawn(
    sweep: Sweep | None, settings: list[tuple[float, float]], rows: PointRows, findings: dict[str, Finding], live: bool
) -> tuple[Drawing, ...]:
    points = sweep.points if sweep is not None else None
    settings = [point for point in settings if point[1] == point[1]]  # what a load takes that nobody knows is seen when it is read
    few = len({round(v, 2) for v, _ in settings or rows.asked}) <= _FEW_INPUTS if settings or rows.asked else False
    over_load = efficiency_over_load(sweep, _to_come_w(settings, rows, sweep) if live and few else ())
    if few:
        return (over_load, loss_plot(sweep, live=live), *ladder(findings, points))
    if live:
        return (grid(settings, rows.asked, states_of(sweep) if sweep is not None else []), over_load, *ladder(findings, points))
    return (over_load, efficiency_plot(sweep), *ladder(findings, points))


def _to_come_w(settings: list[tuple[float, float]], rows: PointRows, sweep: Sweep | None) -> list[float]:
    """Loads that are still to be set, in W at the output as it is."""
    if sweep is None or not len(sweep.points):
        return []
    volts = float(np.median(sweep.points.output_v))
    return [volts * amps for _, amps in settings[len(rows) :]]


def _all_points(plan: SweepPlan) -> str:
    each = len(plan.points()) // max(len(plan.loads), 1)
    return say(
        "For each load ({loads}): input down from {highest} to {lowest} V until the output is off, and up again, {each} points.",
        loads=", ".join(plain(a) for a in plan.loads) + " A",
        highest=plain(plan.highest),
        lowest=plain(plan.lowest),
        each=each,
    )


_SAGS = 0.85


def _sags(points: Points, setup: Setup) -> list[str]:
    """Loads at which the output stood well under what the label says, though something came out."""
    rated = volts_by_tap(setup, ()).get("output")
    if rated is None:
        return []
    low = (points.output_v < _SAGS * rated[2]) & (points.output_a > 0) & (points.output_v > 0.1 * rated[2])
    if not low.any() or low.all():
        return []
    k = int(np.flatnonzero(low)[0])
    return [
        say(
            "At {a} A the output stood at {v} V, {share} % of the {rated} V on its label: it limits or sags there, and such a point is no efficiency at its volts.",
            a=show(float(points.output_a[k]), 3),
            v=show(float(points.output_v[k]), 3),
            share=show(100 * float(points.output_v[k]) / rated[2], 2),
            rated=plain(rated[2]),
        )
    ]


def _unsteady(rows: PointRows) -> dict[str, Finding]:
    count = rows.settled.count(False)
    if not count:
        return {}
    working = say("of {rows}; the mean of the last seconds was taken", rows=len(rows))
    return {"unsteady": Finding("unsteady", say("Never held still"), float(count), "points", (), working)}


def _unsteady_said(rows: PointRows) -> list[str]:
    never = [rows.asked[k] for k, settled in enumerate(rows.settled) if not settled]
    if not never:
        return []
    volts, amps = never[0]
    return [
        say_many(
            len(never),
            "The output did not hold still at one point: {volts} V in, {amps} A out.",
            "The output never held still at {n} points, first at {volts} V in, {amps} A out.",
            volts=plain(volts),
            amps=plain(amps),
        )
    ]
