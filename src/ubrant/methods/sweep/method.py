"""The sweep as a method: its form, checks, rows, account."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from ubrant.core.account import Account, Group
from ubrant.core.conversion.candidates import candidate_of
from ubrant.core.conversion.power_path import PowerPath
from ubrant.core.conversion.sweep import Sweep, analyse_sweep, states_of
from ubrant.core.drawings import Drawing
from ubrant.core.equipment.leads import lead_sentences
from ubrant.core.quantities.quantity import plain, show_duration
from ubrant.core.quantities.ratings import parse_ratings, rating_sentences
from ubrant.core.record.head import Criteria, Setup
from ubrant.core.record.points import Rows, points_taken
from ubrant.core.record.readings import ReadingsError
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say
from ubrant.methods import cautions
from ubrant.methods.converting import (
    LEADS,
    LOAD,
    SOURCE,
    UNIT,
    chain_path,
    disagreements,
    flows_at,
    ladder,
    loss_plot,
    meters_of,
    output_criteria,
)
from ubrant.methods.form import CRITERIA, Allowed, Field, Quantities, Quantity, Words
from ubrant.methods.meter_checks import two_meter_checks
from ubrant.methods.method import TAP_LOG, ByHand, LoadRating, Method, Prepared, Problem, Row, refusals_first
from ubrant.methods.ratings import read_ratings
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.steps import Ask, Steps
from ubrant.methods.summary import StepLine, each_caution_once, summarise
from ubrant.methods.sweep.drawings import efficiency_plot, grid
from ubrant.methods.sweep.procedure import SweepPlan, sweep, usual_loads
from ubrant.methods.sweep.wording import sweep_sentence

_MOST_POINTS = 600
_CHAIN = (SOURCE, LEADS, UNIT, LOAD)
_WANTED = (("input", "V"), ("input", "A"), ("output", "V"))
GROUPS = (
    Group(
        "Losses",
        (
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


class SweepMethod(Method):
    """Of converters; on a bench supply and a load, or by hand."""

    key = "sweep"
    title = "Sweep"
    Plan = SweepPlan
    made_of_points = True
    log = TAP_LOG

    def form(self, setup: Setup) -> tuple[Field, ...]:
        """From 15 % over its input down to half of it, loads up to its rating."""
        ratings = read_ratings(setup.unit)
        into, out = ratings.input_v, ratings.output_v
        step = 0.5 if into <= 16 else 1.0
        loads = ", ".join(plain(a) for a in usual_loads(ratings.amps)) + " A"
        return (
            Field("highest", "Input from", Quantity("V"), f"{plain(round(ratings.highest_v, 1))} V"),
            Field("lowest", "down to", Quantity("V"), f"{plain(max(round(ratings.lowest_v / step) * step, ratings.lowest_v))} V"),
            Field("step", "in steps of", Quantity("V"), f"{plain(step)} V"),
            Field("loads", "Loads", Quantities("A"), loads),
            Field("tolerance", "Output may be", Allowed(), f"{plain(out * 0.95)}..{plain(out * 1.05)} V", part=CRITERIA),
            Field("rated_w", "Rated output", Quantity("W", may_be_empty=True), f"{plain(ratings.watts)} W", part=CRITERIA),
            Field("most", "Most input current", Quantity("A"), f"{plain(round(1.5 * ratings.watts / (0.6 * into), 1))} A"),
            Field("ratings", "Made for", Words(parse_ratings), "", "leads 20 A, fuse 15 A, cord 5 A", CRITERIA),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> list[Problem]:
        plan: SweepPlan = prepared.plan
        ratings = read_ratings(prepared.setup.unit)
        if not plan.highest > plan.lowest > 0 or not plan.step > 0:
            return [Problem(True, say("The input has to go from a higher voltage down to a lower one, in steps over 0 V."))]
        problems = []
        if plan.highest > (ratings.window[1] if ratings.window is not None else 1.3 * ratings.input_v):
            text = say(
                "{volts} V is far over the {label} V on its label: over its window is damage.",
                volts=plain(plan.highest),
                label=plain(ratings.window[1] if ratings.window is not None else ratings.input_v),
            )
            problems.append(Problem(True, text))
        if len(plan.loads) < 2:
            problems.append(Problem(True, say("At least two loads are needed, 0 A and another one.")))
        most_a = max(plan.loads, default=0.0)
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
        return (grid(prepared.plan.points()),)

    def wiring(self, prepared: Prepared) -> PowerPath:
        return chain_path(prepared.setup, _CHAIN, None)

    def step_lines(self, prepared: Prepared, expected: Rehearsal | None) -> list[StepLine]:
        """The points put together."""
        lines = summarise(sweep(replace(prepared.plan, loads=prepared.plan.loads[:1])))
        middle = StepLine(_all_points(prepared.plan), lines[1].cautions, by_person=False, seconds=self.length_s(prepared))
        return each_caution_once([lines[0], middle, *lines[-2:]])

    def by_hand(self, prepared: Prepared) -> ByHand:
        settings = prepared.plan.points()
        ask = Ask(
            say(
                "Connect the supply to the converter's input with a meter at its terminals, the load to its output with a meter there, everything off."
            ),
            (cautions.POLARITY, cautions.WINDOW, cautions.FUSE),
        )
        rows = tuple(
            Row(
                say(
                    "Point {number} of {count}: set {volts} V at the input and {amps} A at the output, wait until it holds still, and type “input {volts} V … A output … V {amps} A”.",
                    number=k,
                    count=len(settings),
                    volts=plain(volts),
                    amps=plain(amps),
                ),
                _WANTED,
                example="input 12.5 V 0.93 A output 5.01 V 2 A",
                expected={("input", "V"): volts, ("output", "A"): amps},
            )
            for k, (volts, amps) in enumerate(settings, start=1)
        )
        return ByHand(
            (ask,),
            rows,
            Row(
                say("That was the last point. Switch load and supply off, and close the run."),
                _WANTED,
                example="input 12.5 V 0.93 A output 5.01 V 2 A",
            ),
        )

    def hand_lines(self, prepared: Prepared) -> list[StepLine]:
        first = self.by_hand(prepared).asks[0]
        return [
            StepLine(first.text, first.cautions, by_person=True, seconds=None),
            StepLine(_all_points(prepared.plan), (), by_person=True, seconds=None),
        ]

    def of_log(self, setup: Setup, said: Mapping[str, str]) -> tuple[Setup, Criteria]:
        return setup, output_criteria(said)

    def older(self, setup: Setup, kept: Mapping[str, Any]) -> Any:
        fields = dict(kept.get("fields", {}))
        return self.prepare(setup, {**fields, "rated_w": fields.get("rated", "")}).plan

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
        if points is None:
            return Account(
                trouble=say("No point was taken yet."), taken=0, planned=planned, drawings=lambda: _drawn(None, settings, rows, {}, live)
            )
        try:
            sweep = analyse_sweep(points, meters_of(record.head.setup), criteria.tolerance, criteria.rated_w)
        except ReadingsError as error:
            return Account(
                trouble=str(error),
                taken=len(points),
                planned=planned,
                drawings=lambda: _drawn(None, settings, rows, {}, live),
                path=lambda: chain_path(record.head.setup, _CHAIN, flows_at(record.head.setup, points, len(points) - 1)),
            )
        findings = {**sweep.findings, **_unsteady(rows)}
        used = sweep.points
        warnings = [*record.head.origin.said, *rows.said, *sweep.warnings, *_unsteady_said(rows)]
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
            ("peak_efficiency", "peak_at", "idle_power"),
            GROUPS,
            None,
            sweep_sentence(sweep),
            (*warnings, *disagreements(record)),
            taken=len(points),
            planned=planned,
            drawings=lambda: _drawn(sweep, settings, rows, findings, live),
            shown_at=say("At its best"),
            path=lambda: chain_path(record.head.setup, _CHAIN, flows_at(record.head.setup, shown, best)),
            candidate=candidate_of(record.head.setup.unit.name, sweep, findings),
        )


def best_point(sweep: Sweep) -> int:
    """The measured point of the best efficiency, of those within tolerance where there are some."""
    within = np.where(sweep.in_tolerance, sweep.efficiency, np.nan)
    efficiency = within if np.isfinite(within).any() else sweep.efficiency
    return int(np.nanargmax(efficiency)) if np.isfinite(efficiency).any() else 0


def _drawn(
    sweep: Sweep | None, settings: list[tuple[float, float]], rows: Rows, findings: dict[str, Finding], live: bool
) -> tuple[Drawing, ...]:
    first = grid(settings, rows.asked, states_of(sweep) if sweep is not None else []) if live else efficiency_plot(sweep)
    return (first, loss_plot(sweep, live=live), *ladder(findings, sweep.points if sweep is not None else None))


def _all_points(plan: SweepPlan) -> str:
    each = len(plan.points()) // max(len(plan.loads), 1)
    return say(
        "For each load ({loads}): input down from {highest} to {lowest} V until the output is off, and up again, {each} points.",
        loads=", ".join(plain(a) for a in plan.loads) + " A",
        highest=plain(plan.highest),
        lowest=plain(plan.lowest),
        each=each,
    )


def _unsteady(rows: Rows) -> dict[str, Finding]:
    count = rows.settled.count(False)
    if not count:
        return {}
    working = say("of {rows}; the mean of the last seconds was taken", rows=len(rows))
    return {"unsteady": Finding("unsteady", say("Never held still"), float(count), "points", (), working)}


def _unsteady_said(rows: Rows) -> list[str]:
    never = [rows.asked[k] for k, settled in enumerate(rows.settled) if not settled]
    if not never:
        return []
    volts, amps = never[0]
    plural = "s" if len(never) > 1 else ""
    return [
        say(
            "The output never held still at {never} point{plural}, first at {volts} V in, {amps} A out.",
            never=len(never),
            plural=plural,
            volts=plain(volts),
            amps=plain(amps),
        )
    ]
