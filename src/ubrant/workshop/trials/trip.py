"""Breakers and protection: overload steps and what becomes of each."""

from __future__ import annotations

import json
import re
from collections.abc import Callable

from ubrant.bench.bench import Bench
from ubrant.bench.simulated import Around, open_simulated_converter
from ubrant.bench.standins.converter_world import BreakerParameters
from ubrant.core.jot import Jotting
from ubrant.core.protection import Overload, parse_curve, trip_findings
from ubrant.core.quantity import parse_quantity, plain, show_duration
from ubrant.core.readings import ReadingsError
from ubrant.core.unit import Unit
from ubrant.logbook.records import Run
from ubrant.methods import cautions
from ubrant.methods.steps import Ask, Steps
from ubrant.methods.trip import TripPlan, trip
from ubrant.workshop.benches import BY_HAND
from ubrant.workshop.trials.simulated import scenario_for_trial
from ubrant.workshop.trials.trial import LOAD, SOURCE, UNIT, Fields, KeptTrial, Problems, Told, Trial, TrialView, meters_of, told_of

_USUAL_CURVE = "1.05: over 1 h; 1.35: 60 s..30 min; 2: 4 s..60 s"


class TripTrial(Trial):
    """Of anything on the shelf that protects: a lead with its breaker, a battery's or converter's own protection."""

    method = "trip"
    title = "Protection"
    chain = (SOURCE, UNIT, LOAD)
    two_ends = False
    fields = (("rated", "Rated"), ("amps", "Overloads"), ("longest", "Each at most"), ("input", "Supply"), ("curve", "Its curve"))

    def suits(self, unit: Unit) -> bool:
        return unit.kind == "lead"

    def usual(self, unit: Unit) -> dict[str, str]:
        found = re.search(r"(\d+(?:[.,]\d+)?)\s*A\b", unit.label_text)
        if found is None:
            raise ValueError(f"The label of {unit.name} has to say at how much it opens, like “30 A breaker”.")
        rated = float(found[1].replace(",", "."))
        amps = ", ".join(plain(round(share * rated, 1)) for share in (1.05, 1.35, 2.0, 3.0))
        return {"rated": f"{plain(rated)} A", "amps": f"{amps} A", "longest": "30 min", "input": "12 V", "curve": _USUAL_CURVE}

    def problems(self, told: Told) -> Problems:
        plan = read_trip(told.fields)
        parse_curve(told.fields["curve"])
        found: Problems = []
        if not plan.amps or not plan.rated_a > 0:
            found.append((True, "A rating and at least one overload are needed."))
        meter = told.meters[0]
        if meter.max_a is not None and plan.amps and max(plan.amps) > meter.max_a:
            found.append((True, f"{meter.name} reads up to {plain(meter.max_a)} A, and {plain(max(plan.amps))} A are in the plan."))
        if not told.fields["curve"].strip():
            found.append((False, "Without its maker's curve the times stand for themselves."))
        return found

    def steps(self, told: Told) -> Steps:
        return trip(read_trip(told.fields))

    def open(self, told: Told, run_id: int, speed: float) -> Callable[[], Bench]:
        plan = read_trip(told.fields)
        known = {k: v for k, v in told.unit.stand_in.items() if k in BreakerParameters.__dataclass_fields__}
        scenario = scenario_for_trial(told, run_id, breaker=BreakerParameters(**{"rated_a": plan.rated_a, **known}))
        return lambda: open_simulated_converter(scenario, speed, Around(told.meters[0].name, ""))

    def first_ask(self, told: Told) -> Ask:
        return Ask("Put it between supply and load, with thick leads and nothing that burns beside it, everything off.",
                   (cautions.FUSE, cautions.SURFACE, cautions.WARM))  # fmt: skip

    def callout(self, told: Told, place: int) -> str:
        plan = read_trip(told.fields)
        number, phase = place // 2, place % 2
        if number >= len(plan.amps):
            return "That was the last overload. Switch everything off, and close the run."
        amps = plan.amps[number]
        if phase == 0:
            return f"Overload {number + 1} of {len(plan.amps)}: cooled down and reset, switch {plain(amps)} A on and type “{plain(amps)} A” at that moment."
        return (
            f"Type “tripped” at the moment it opens, or “held” after {show_duration(plan.at_most_s)}. "
            "Where you saw the inrush on a reset: “tripped peak 80 A”."
        )

    def lacks(self, told: Told, place: int, jotting: Jotting) -> str:
        if place % 2 == 0 and not any(r.quantity == "A" for r in jotting.readings):
            return "Type the current as you switch it on, like “45 A”."
        if place % 2 == 1 and jotting.mark not in {"tripped", "held", "skip"}:
            return "Type “tripped” when it opens, or “held”."
        return ""

    def view(self, run: Run, kept: KeptTrial) -> TrialView:
        told = told_of(run)
        plan, curve = read_trip(told.fields), parse_curve(told.fields["curve"])
        steps = _typed(kept) if run.source == BY_HAND else _sampled(kept)
        timing = 0.5 if run.source == BY_HAND else plan.every_s / 2
        try:
            findings, sentence, warnings = trip_findings(steps, plan.rated_a, curve, meters_of(run).input_a, timing)
        except ReadingsError as error:
            return TrialView(run, trouble=str(error), rated_a=plan.rated_a, curve=curve)
        return TrialView(run, findings, sentence, tuple(warnings), overloads=tuple(steps), rated_a=plan.rated_a, curve=curve)


def read_trip(fields: Fields) -> TripPlan:
    """A plan from the form.

    Raises
    ------
    QuantityError
        A field that cannot be read.
    """
    amps = [part for part in fields["amps"].replace(" A", "").replace(";", ",").split(",") if part.strip()]
    return TripPlan(parse_quantity(fields["rated"], "A"), tuple(parse_quantity(a, "A") for a in amps), parse_quantity(fields["longest"], "s"),
                    parse_quantity(fields["input"], "V"))  # fmt: skip


def _sampled(kept: KeptTrial) -> list[Overload]:
    found = []
    for event in kept.events:
        if event.kind in {"off", "held"}:
            about = json.loads(event.text)
            found.append(Overload(float(about["load"]), float(about["after_s"]), float(about["after_s"]) if event.kind == "off" else None))
    return found


def _typed(kept: KeptTrial) -> list[Overload]:
    found: list[Overload] = []
    began: tuple[float, float] | None = None
    for moment, jotting in kept.parsed():
        amps = next((r.value for r in jotting.readings if r.quantity == "A" and r.kind != "peak"), None)
        inrush = next((r.value for r in jotting.readings if r.quantity == "A" and r.kind == "peak"), None)
        if jotting.mark in {"tripped", "held"} and began is not None:
            lasted = moment - began[0]
            found.append(Overload(began[1], lasted, lasted if jotting.mark == "tripped" else None, inrush))
            began = None
        elif amps is not None:
            began = moment, amps
    return found
