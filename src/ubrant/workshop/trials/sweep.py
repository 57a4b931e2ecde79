"""The sweep: input voltage down and up again, load up, a settled reading at every point."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ubrant.bench.bench import Bench
from ubrant.bench.simulated import Around, open_simulated_converter
from ubrant.core.finding import Finding
from ubrant.core.jot import JotError, Jotting
from ubrant.core.leads import lead_sentences
from ubrant.core.quantity import QuantityError, parse_quantity, plain
from ubrant.core.ratings import parse_ratings, rating_sentences
from ubrant.core.readings import ReadingsError
from ubrant.core.sweep import Sweep, analyse_sweep
from ubrant.core.tolerance import parse_tolerance
from ubrant.core.unit import Unit
from ubrant.logbook.records import Run
from ubrant.methods import cautions
from ubrant.methods.steps import Ask, Steps
from ubrant.methods.sweep import SweepPlan, sweep, usual_loads
from ubrant.workshop.benches import BY_HAND
from ubrant.workshop.conversion import sweep_sentence
from ubrant.workshop.trials.meter_checks import meter_problems
from ubrant.workshop.trials.rows import Rows, lacks_of, rows_of
from ubrant.workshop.trials.simulated import scenario_for_trial
from ubrant.workshop.trials.trial import Fields, KeptTrial, Problems, Told, Trial, TrialView, meters_of, told_of
from ubrant.workshop.trials.unit_ratings import read_ratings

_MOST_POINTS = 600
_CONNECT = (
    "Connect the supply to the converter's input with a meter at its terminals, the load to its output with a meter there, everything off."
)


class SweepTrial(Trial):
    """Of converters; on a bench supply and a load, or by hand."""

    method = "sweep"
    title = "Sweep"
    made_of_points = True
    fields = (
        ("highest", "Input from"), ("lowest", "down to"), ("step", "in steps of"), ("loads", "Loads"), ("tolerance", "Output may be"),
        ("rated", "Rated output"), ("most", "Most input current"), ("ratings", "Made for"),
    )  # fmt: skip

    def suits(self, unit: Unit) -> bool:
        return unit.kind == "converter"

    def usual(self, unit: Unit) -> dict[str, str]:
        """From 15 % over its input down to half of it, loads up to its rating."""
        ratings = read_ratings(unit)
        into, out = ratings.input_v, ratings.output_v
        step = 0.5 if into <= 16 else 1.0
        return {
            "highest": f"{plain(round(into * 1.15, 1))} V", "lowest": f"{plain(round(into * 0.5 / step) * step)} V", "step": f"{plain(step)} V",
            "loads": ", ".join(plain(a) for a in usual_loads(ratings.amps)) + " A", "tolerance": f"{plain(out * 0.95)}..{plain(out * 1.05)} V",
            "rated": f"{plain(ratings.watts)} W", "most": f"{plain(round(1.5 * ratings.watts / (0.6 * into), 1))} A", "ratings": "",
        }  # fmt: skip

    def problems(self, told: Told) -> Problems:
        plan, ratings = read_plan(told.fields, told.unit), read_ratings(told.unit)
        parts = parse_ratings(told.fields.get("ratings", ""))
        found: Problems = []
        if not plan.highest_v > plan.lowest_v > 0 or not plan.step_v > 0:
            return [(True, "The input has to go from a higher voltage down to a lower one, in steps over 0 V.")]
        if plan.highest_v > 1.3 * ratings.input_v:
            found.append(
                (True, f"{plain(plan.highest_v)} V is far over the {plain(ratings.input_v)} V on its label: over its window is damage.")
            )
        if len(plan.loads_a) < 2:
            found.append((True, "At least two loads are needed, 0 A and another one."))
        most_a = max(plan.loads_a, default=0.0)
        if plan.rated_a and most_a > 1.1 * plan.rated_a:
            found.append((False, f"{plain(most_a)} A is over its rating of {plain(plan.rated_a, 3)} A."))
        found += meter_problems(told, plan.highest_v, plan.most_input_a, ratings.output_v, most_a)
        if len(plan.points()) > _MOST_POINTS:
            found.append((True, f"{len(plan.points())} points are too many: take larger steps or fewer loads."))
        found += [(False, said) for said in rating_sentences(parts, plan.most_input_a, most_a, measured=False)]
        return sorted(found, key=lambda f: not f[0])

    def settings(self, told: Told) -> list[tuple[float, float]]:
        return read_plan(told.fields, told.unit).points()

    def steps(self, told: Told) -> Steps:
        return sweep(read_plan(told.fields, told.unit))

    def length_s(self, told: Told) -> float | None:
        plan = read_plan(told.fields, told.unit)
        return len(plan.points()) * (plan.settle_s + 3.0)

    def open(self, told: Told, run_id: int, speed: float) -> Callable[[], Bench]:
        scenario = scenario_for_trial(told, run_id)
        return lambda: open_simulated_converter(scenario, speed, Around(told.meters[0].name, told.meters[1].name))

    def first_ask(self, told: Told) -> Ask:
        return Ask(_CONNECT, (cautions.POLARITY, cautions.WINDOW, cautions.FUSE))

    def callout(self, told: Told, place: int) -> str:
        settings = self.settings(told)
        if place >= len(settings):
            return "That was the last point. Switch load and supply off, and close the run."
        volts, amps = settings[place]
        return (
            f"Point {place + 1} of {len(settings)}: set {plain(volts)} V at the input and {plain(amps)} A at the output, wait until it holds still, and type "
            f"“input {plain(volts)} V … A output … V {plain(amps)} A”."
        )

    def lacks(self, told: Told, place: int, jotting: Jotting) -> str:
        return lacks_of(jotting, (("input", "V"), ("input", "A"), ("output", "V")), "input 12.5 V 0.93 A output 5.01 V 2 A")

    def view(self, run: Run, kept: KeptTrial) -> TrialView:
        told = told_of(run)
        plan = read_plan(told.fields, told.unit)
        rows = rows_of(run, kept, typed=run.source == BY_HAND, settings=plan.points())
        points = rows.points()
        if points is None:
            return TrialView(run, trouble="No point was taken yet.", tolerance=plan.tolerance)
        try:
            found = analyse_sweep(points, meters_of(run), plan.tolerance, plan.rated_w)
        except ReadingsError as error:
            return TrialView(run, points=points, asked=rows.asked, trouble=str(error), tolerance=plan.tolerance)
        findings = {**found.findings, **_unsteady(rows)}
        used = found.points
        parts = parse_ratings(told.fields.get("ratings", ""))
        warnings = [
            *found.warnings, *_unsteady_said(rows), *lead_sentences(found.findings["lead_resistance"], told.leads, float(used.input_a.max())),
            *rating_sentences(parts, float(used.input_a.max()), float(used.output_a.max()), measured=True),
        ]  # fmt: skip
        return TrialView(
            run, findings, sweep_sentence(found), tuple(warnings), points=points, asked=rows.asked, sweep=found, tolerance=plan.tolerance
        )


def _unsteady(rows: Rows) -> dict[str, Finding]:
    count = sum(1 for about in rows.about if about.get("settled") is False)
    if not count:
        return {}
    return {
        "unsteady": Finding(
            "unsteady", "Never held still", float(count), "points", (), f"of {len(rows)}; the mean of the last seconds was taken"
        )
    }


def _unsteady_said(rows: Rows) -> list[str]:
    never = [rows.asked[k] for k, about in enumerate(rows.about) if about.get("settled") is False]
    if not never:
        return []
    volts, amps = never[0]
    return [
        f"The output never held still at {len(never)} point{'s' if len(never) > 1 else ''}, first at {plain(volts)} V in, {plain(amps)} A out."
    ]


def read_plan(fields: Fields, unit: Unit) -> SweepPlan:
    """A plan from what was typed into a form.

    Raises
    ------
    QuantityError
        A field that cannot be read; says which.
    """
    ratings = read_ratings(unit)
    try:
        texts = fields["loads"].replace(" A", "").replace(";", ",").split(",")
        return SweepPlan(
            parse_quantity(fields["highest"], "V"), parse_quantity(fields["lowest"], "V"), parse_quantity(fields["step"], "V"),
            tuple(parse_quantity(part, "A") for part in texts if part.strip()), ratings.amps,
            parse_quantity(fields["rated"], "W") if fields["rated"].strip() else None,
            parse_tolerance(fields["tolerance"]) if fields["tolerance"].strip() else None, parse_quantity(fields["most"], "A"),
        )  # fmt: skip
    except (QuantityError, JotError) as error:
        raise QuantityError(str(error)) from None


def best_point(found: Sweep) -> int:
    """The measured point of the best efficiency."""
    return int(np.nanargmax(found.efficiency)) if np.isfinite(found.efficiency).any() else 0
