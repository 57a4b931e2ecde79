"""The idle draw of a converter or inverter, and once more in its economy setting."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from ubrant.bench.bench import Bench
from ubrant.bench.simulated import Around, open_simulated_converter
from ubrant.core.finding import Finding
from ubrant.core.idle import idle_findings, idle_sentence, level
from ubrant.core.jot import Jotting
from ubrant.core.quantity import parse_quantity, plain, show
from ubrant.core.readings import ReadingsError, Series
from ubrant.core.unit import Unit
from ubrant.logbook.records import Run
from ubrant.methods import cautions
from ubrant.methods.idle_draw import IdlePlan, idle_draw
from ubrant.methods.steps import Ask, Steps
from ubrant.workshop.benches import BY_HAND
from ubrant.workshop.trials.meter_checks import meter_problems
from ubrant.workshop.trials.rows import QUANTITIES, corrected, lacks_of, typed_row
from ubrant.workshop.trials.simulated import scenario_for_trial
from ubrant.workshop.trials.trial import LEADS, SOURCE, UNIT, Fields, KeptTrial, Problems, Told, Trial, TrialView, meters_of, told_of
from ubrant.workshop.trials.unit_ratings import read_ratings

_EXAMPLE = "input 12.81 V 0.18 A"
_YES = ("yes", "y", "1")


class IdleTrial(Trial):
    """Of anything that converts; what it burns with nothing attached."""

    method = "idle"
    title = "Idle draw"
    chain = (SOURCE, LEADS, UNIT)
    shown_at = "With nothing attached"
    two_ends = False
    fields = (("input", "Input"), ("minutes", "Read for"), ("economy", "Economy setting too"), ("battery_wh", "On a battery of"))

    def suits(self, unit: Unit) -> bool:
        return unit.kind in {"converter", "inverter"}

    def usual(self, unit: Unit) -> dict[str, str]:
        ratings = read_ratings(unit)
        return {
            "input": f"{plain(round(ratings.input_v * 1.067, 1))} V", "minutes": "5 min", "economy": "yes" if unit.kind == "inverter" else "no",
            "battery_wh": "640 Wh",
        }  # fmt: skip

    def problems(self, told: Told) -> Problems:
        plan, ratings = read_idle(told.fields, told.unit), read_ratings(told.unit)
        found: Problems = []
        if not plan.minutes > 0 or not plan.input_v > 0:
            found.append((True, "Input and time have to be more than 0."))
        if plan.input_v > 1.3 * ratings.input_v:
            found.append(
                (True, f"{plain(plan.input_v)} V is far over the {plain(ratings.input_v)} V on its label: over its window is damage.")
            )
        found += meter_problems(replace(told, meters=(told.meters[0], told.meters[0])), plan.input_v, 0.0, 0.0, 0.0)
        accuracy = told.meters[0].accuracy("A")
        guess_a = 0.01 * ratings.watts / ratings.input_v
        if accuracy is not None and accuracy.limit(guess_a) > 0.4 * guess_a:
            found.append((False, f"{told.meters[0].name} may be {show(accuracy.limit(guess_a), 2)} A off, and about {show(guess_a, 2)} A will flow: "
                                 "it may settle nothing. A shunt, or an Ah counter over some hours, would."))  # fmt: skip
        return sorted(found, key=lambda f: not f[0])

    def steps(self, told: Told) -> Steps:
        return idle_draw(read_idle(told.fields, told.unit))

    def length_s(self, told: Told) -> float | None:
        plan = read_idle(told.fields, told.unit)
        return 60 * plan.minutes * (2 if plan.economy else 1)

    def open(self, told: Told, run_id: int, speed: float) -> Callable[[], Bench]:
        scenario = scenario_for_trial(told, run_id)
        return lambda: open_simulated_converter(scenario, speed, Around(told.meters[0].name, ""))

    def first_ask(self, told: Told) -> Ask:
        mains = (cautions.MAINS,) if read_ratings(told.unit).gives_mains else ()
        return Ask(
            "Take everything off its output and every other load off the source; leave it switched off, the meter in its input.", mains
        )

    def callout(self, told: Told, place: int) -> str:
        economy = read_idle(told.fields, told.unit).economy
        if place == 0:
            return "Nothing flows: type what the meter shows, like “input 12.8 V 0.02 A”. It is taken off what follows."
        if place == 1:
            return f"Switch it on, nothing attached, wait until it is steady, and type “{_EXAMPLE}”."
        if place == 2 and economy:
            return f"Put it into its sleep or economy setting, wait until it is steady, and type “{_EXAMPLE}”, or “skip”."
        return "That was all. Switch it off, and close the run; or type further readings of the last setting."

    def lacks(self, told: Told, place: int, jotting: Jotting) -> str:
        return lacks_of(jotting, (("input", "A"),) if place == 0 else (("input", "V"), ("input", "A")), _EXAMPLE)

    def view(self, run: Run, kept: KeptTrial) -> TrialView:
        told = told_of(run)
        meters = meters_of(run)
        floor_a = told.meters[0].details.floor_a
        findings: dict[str, Finding] = {}
        warnings: list[str] = []
        course: list[tuple[str, Series]] = []
        taken_in = None
        for setting, (volts, amps) in (_typed(kept) if run.source == BY_HAND else _sampled(run, kept)).items():
            if not len(volts) or not len(amps):
                continue
            count = min(len(volts), len(amps))
            course.append((setting, Series(amps.time_s[:count], volts.value[:count] * amps.value[:count])))
            try:
                found, said = idle_findings(
                    volts.value[:count], amps.value[:count], meters.input_v, meters.input_a, floor_a, battery_wh=_wh(told.fields)
                )
            except ReadingsError:
                continue
            if setting == "normal":
                taken_in = (found["idle_power"].value or 0.0, level(volts.value), level(amps.value))
            suffix, note = ("", "") if setting == "normal" else ("_economy", ", economy setting")
            findings |= {f"{key}{suffix}": replace(f, key=f"{key}{suffix}", name=f.name + note) for key, f in found.items()}
            warnings += [f"Economy setting: {w}" if suffix else w for w in said]
        if "idle_power" not in findings:
            return TrialView(run, trouble="Nothing was read yet with it switched on.", course=tuple(course))
        return TrialView(run, findings, _sentence(findings), tuple(warnings), course=tuple(course), taken_in=taken_in)


def read_idle(fields: Fields, unit: Unit) -> IdlePlan:
    """A plan from the form.

    Raises
    ------
    QuantityError
        A field that cannot be read.
    """
    ratings = read_ratings(unit)
    return IdlePlan(
        parse_quantity(fields["input"], "V"), parse_quantity(fields["minutes"], "s") / 60, economy=fields["economy"].strip().lower() in _YES,
        mains=ratings.gives_mains,
    )  # fmt: skip


def _wh(fields: Fields) -> float | None:
    text = fields.get("battery_wh", "").strip()
    return parse_quantity(text, "Wh") if text else None


def _sampled(run: Run, kept: KeptTrial) -> dict[str, tuple[Series, Series]]:
    """Volts and amperes of each setting: from one request to the person to the next."""
    volts, amps = corrected(run, kept, "input", "V"), corrected(run, kept, "input", "A")
    marks = [(e.time_s, e.text) for e in kept.events if e.kind == "hands" and e.text in {"on", "economy", "off"}]
    found = {}
    for (start, action), end in zip(marks, [t for t, _ in marks[1:]] + [float("inf")], strict=True):
        if action == "off" or volts is None or amps is None:
            continue
        found["normal" if action == "on" else "economy"] = (_between(volts, start, end), _between(amps, start, end))
    return found


def _between(series: Series, start: float, end: float) -> Series:
    inside = (series.time_s >= start) & (series.time_s < end)
    return Series(series.time_s[inside], series.value[inside])


def _typed(kept: KeptTrial) -> dict[str, tuple[Series, Series]]:
    """First the zero, then the normal setting, then the economy one; further lines belong to the last."""
    lines = [(t, j) for t, j in kept.parsed() if j.readings or j.mark == "skip"]
    if not lines:
        return {}
    volt_at, amp_at = QUANTITIES.index(("input", "V")), QUANTITIES.index(("input", "A"))
    zero_a = typed_row(lines[0][1])[amp_at]
    rows: dict[str, list[tuple[float, float, float]]] = {"normal": [], "economy": []}
    for place, (moment, jotting) in enumerate(lines[1:]):
        if jotting.mark != "skip":
            row = typed_row(jotting)
            rows["normal" if place == 0 else "economy"].append((moment, row[volt_at], row[amp_at] - zero_a))
    found = {}
    for name, read in rows.items():
        if read:
            time, volts, amps = (np.array(c) for c in zip(*read, strict=True))
            found[name] = (Series(time, volts), Series(time, amps))
    return found


def _sentence(findings: dict[str, Finding]) -> str:
    said = idle_sentence(findings)
    economy = findings.get("idle_power_economy")
    if economy is not None:
        said += f". In its economy setting {economy.amount_text()}"
    return said + "."
