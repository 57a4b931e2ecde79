"""What an AC appliance draws in each of its modes, and how good an external supply is, read off a plug-in meter."""

from __future__ import annotations

import math
import re

from ubrant.core.accuracy import Accuracy, parse_accuracy
from ubrant.core.appliance import (
    QUARTERS,
    Mode,
    SupplyMeters,
    SupplyStep,
    appliance_findings,
    power_doubt,
    supply_average,
    supply_efficiency,
)
from ubrant.core.finding import Finding
from ubrant.core.jot import Jotting
from ubrant.core.quantity import parse_quantity, plain, show
from ubrant.core.readings import ReadingsError
from ubrant.core.unit import Unit
from ubrant.logbook.records import Run
from ubrant.methods import cautions
from ubrant.methods.steps import Ask
from ubrant.workshop.trials.meter_checks import plug_meter_problems, range_problems
from ubrant.workshop.trials.trial import LOAD, MAINS, UNIT, Fields, KeptTrial, Problems, Told, Trial, TrialView, meters_of, told_of
from ubrant.workshop.trials.unit_ratings import read_ratings

_USUAL_MAINS_V = 230.0
_SAFE = "Mains kills: only through a plug-in meter, nothing open."


class ApplianceTrial(Trial):
    """Of loads: V, A, W in each mode, typed off a plug-in meter."""

    method = "appliance"
    title = "Modes"
    chain = (MAINS, UNIT)
    shown_at = "At its most"
    two_ends = False
    fields = (("modes", "Modes"),)
    by_hand_only = True

    def suits(self, unit: Unit) -> bool:
        return unit.kind == "load"

    def usual(self, unit: Unit) -> dict[str, str]:
        return {"modes": "standby, on, at its most"}

    def problems(self, told: Told) -> Problems:
        found: Problems = [] if _modes(told.fields) else [(True, "Name at least one mode, like “standby, on”.")]
        volts = next((float(m[1]) for m in re.finditer(r"(\d+)\s*V\b", told.unit.label_text)), _USUAL_MAINS_V)
        return found + plug_meter_problems(told.meters[0], volts)

    def first_ask(self, told: Told) -> Ask:
        return Ask(
            "Plug the meter in between the wall and it. Note its settings: brightness, volume, what it does.", (_SAFE, cautions.MAINS)
        )

    def callout(self, told: Told, place: int) -> str:
        modes = _modes(told.fields)
        if place >= len(modes):
            return "That was the last mode. Type further ones the same way, or close the run."
        return f"Put it into “{modes[place]}”, wait until it has settled, and type “230 V 0.31 A 65 W”. Add “peak 90 W” where it starts higher."

    def lacks(self, told: Told, place: int, jotting: Jotting) -> str:
        if jotting.mark == "skip" or any(r.quantity == "W" for r in jotting.readings):
            return ""
        return "The watts are missing: on AC, volts × amperes is not watts. Type “230 V 0.31 A 65 W”."

    def view(self, run: Run, kept: KeptTrial) -> TrialView:
        told = told_of(run)
        names = _modes(told.fields)
        modes = []
        lines = [j for _, j in kept.parsed() if j.readings or j.mark == "skip"]
        for place, jotting in enumerate(lines):
            if jotting.mark == "skip":
                continue
            read = {r.quantity: r.value for r in jotting.readings if r.kind != "peak"}
            peak = next((r.value for r in jotting.readings if r.kind == "peak" and r.quantity == "W"), None)
            name = jotting.text or (names[place] if place < len(names) else f"mode {place + 1}")
            modes.append(Mode(name, read.get("V"), read.get("A"), read.get("W"), peak))
        power = _power(run)
        try:
            findings, warnings = appliance_findings(modes, power, *_volts_and_amps(run))
        except ReadingsError as error:
            return TrialView(run, trouble=str(error))
        watts = [f for key, f in findings.items() if key.startswith("power_")]
        most = max(watts, key=lambda f: f.value or 0.0)
        day = findings.get("standby_day")
        said = f"Draws {most.with_doubt()} at its most ({most.name})"
        said += f"; {day.amount_text()} a day while {day.name.split(',')[0]}." if day is not None else "."
        at_most = max((m for m in modes if m.watts is not None), key=lambda m: m.watts or 0.0)
        taken_in = (at_most.watts or 0.0, at_most.volts or math.nan, at_most.amps or math.nan)
        return TrialView(run, findings, said, tuple(warnings), taken_in=taken_in)


class SupplyTrial(Trial):
    """Of external supplies: a quarter, half, three quarters and all of its current, and none."""

    method = "supply"
    title = "External supply"
    chain = (MAINS, UNIT, LOAD)
    shown_at = "At its heaviest load"
    fields = (("rated", "Rated current"), ("output", "Output"))
    by_hand_only = True

    def suits(self, unit: Unit) -> bool:
        if unit.kind not in {"charger", "converter"}:
            return False
        try:
            return read_ratings(unit).takes_mains
        except ValueError:
            return False

    def usual(self, unit: Unit) -> dict[str, str]:
        ratings = read_ratings(unit)
        return {"rated": f"{plain(ratings.amps)} A", "output": f"{plain(ratings.output_v)} V"}

    def problems(self, told: Told) -> Problems:
        amps, volts = parse_quantity(told.fields["rated"], "A"), parse_quantity(told.fields["output"], "V")
        found: Problems = [] if amps > 0 else [(True, "The rated current has to be more than 0 A.")]
        out = told.meters[1]
        found += plug_meter_problems(told.meters[0], read_ratings(told.unit).input_v)
        found += range_problems(out, volts, amps)
        if not (out.voltage_accuracy and out.current_accuracy):
            found.append((False, f"Nobody said how accurate {out.name} is: the findings will have no ±."))
        return sorted(found, key=lambda f: not f[0])

    def settings(self, told: Told) -> list[tuple[float, float]]:
        rated = parse_quantity(told.fields["rated"], "A")
        return [(0.0, q * rated) for q in (*reversed(QUARTERS), 0.0)]

    def first_ask(self, told: Told) -> Ask:
        return Ask(
            "Plug the meter in between the wall and it, the load and a meter at its output. Let it run half an hour at full load first.",
            (_SAFE,),
        )

    def callout(self, told: Told, place: int) -> str:
        settings = self.settings(told)
        if place >= len(settings):
            return "That was the last step. Close the run."
        amps = settings[place][1]
        put = f"draw {plain(amps)} A" if amps else "take the load off"
        return (
            f"Step {place + 1} of {len(settings)}: {put}, wait until it holds still, and type “input 72.4 W output 19.1 V {plain(amps)} A”."
        )

    def lacks(self, told: Told, place: int, jotting: Jotting) -> str:
        read = {(r.tap, r.quantity) for r in jotting.readings}
        loaded = place < len(self.settings(told)) and self.settings(told)[place][1] > 0
        needed = [("input", "W")] + ([("output", "V"), ("output", "A")] if loaded else [])
        missing = [f"{t} {q}" for t, q in needed if (t, q) not in read]
        if jotting.mark == "skip" or not missing:
            return ""
        return f"This step still lacks: {', '.join(missing)}. Type it all in one line, like “input 72.4 W output 19.1 V 3.4 A”, or “skip”."

    def view(self, run: Run, kept: KeptTrial) -> TrialView:
        steps: dict[float, SupplyStep] = {}
        slips: list[str] = []
        no_load: float | None = None
        lines = [j for _, j in kept.parsed() if j.readings or j.mark == "skip"]
        shares = (*reversed(QUARTERS), 0.0)
        for share, jotting in zip(shares, lines, strict=False):
            read = {(r.tap, r.quantity): r.value for r in jotting.readings}
            if ("input", "W") not in read:
                continue
            if share == 0:
                no_load = read[("input", "W")]
            elif read[("input", "W")] <= 0:
                slips.append(f"At {100 * share:.0f} % nothing goes in: a slip. It was left out.")
            else:
                steps[share] = SupplyStep(read[("input", "W")], read.get(("output", "V"), 0.0), read.get(("output", "A"), 0.0))
        power, ends = _power(run), meters_of(run)
        meters = SupplyMeters(power, ends.output_v, ends.output_a)
        findings: dict[str, Finding] = {}
        for number, (share, step) in enumerate(steps.items()):
            key, working = f"efficiency_{number}", f"{show(step.output_w)} W ÷ {show(step.input_w)} W"
            findings[key] = supply_efficiency(key, f"At {100 * share:.0f} % of its current", [step], meters, working)
        if not findings and no_load is None:
            return TrialView(run, trouble=slips[0] if slips else "No step was typed yet.")
        average = supply_average(steps, meters)
        findings["average_efficiency"] = average
        if no_load is not None:
            findings["no_load_power"] = Finding(
                "no_load_power", "With no load", no_load, "W", power_doubt(no_load, power), "as the meter reads"
            )
        warnings = slips + [
            f"At {100 * s:.0f} % more comes out than goes in: a slip, or input and output swapped."
            for s, step in steps.items()
            if step.percent > 100
        ]
        said = f"Average efficiency {average.with_doubt()}" if average.value is not None else "The average needs all four steps"
        said += f"; {findings['no_load_power'].amount_text()} with no load." if no_load is not None else "."
        heaviest = steps.get(max(steps, default=0.0))
        taken_in = (heaviest.input_w, math.nan, math.nan) if heaviest is not None else None
        given = (heaviest.output_w, heaviest.output_v, heaviest.output_a) if heaviest is not None else None
        return TrialView(run, findings, said, tuple(warnings), taken_in=taken_in, given_out=given)


def _volts_and_amps(run: Run) -> tuple[Accuracy | None, Accuracy | None]:
    ends = meters_of(run)
    return ends.input_v, ends.input_a


def _modes(fields: Fields) -> list[str]:
    return [part.strip() for part in fields.get("modes", "").split(",") if part.strip()]


def _power(run: Run) -> Accuracy | None:
    """The plug-in meter stands at the input."""
    text = run.plan.get("input_power_accuracy", "")
    return parse_accuracy(text, "W") if text else None
