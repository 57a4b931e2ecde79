"""Load steps on an inverter, from a battery, until something gives up; with the wave at each step where a scope is there."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from ubrant.bench.bench import Bench
from ubrant.bench.simulated import Around, open_simulated_converter
from ubrant.core.accuracy import parse_accuracy
from ubrant.core.finding import Finding
from ubrant.core.jot import Jotting
from ubrant.core.leads import lead_sentences
from ubrant.core.load_steps import Ending, Source, analyse_steps, held_findings
from ubrant.core.points import SweepMeters
from ubrant.core.quantity import parse_quantity, plain, show
from ubrant.core.ratings import parse_ratings, rating_sentences
from ubrant.core.readings import ReadingsError, Series
from ubrant.core.tolerance import MAINS_120, MAINS_230, Tolerance, parse_tolerance
from ubrant.core.unit import Unit
from ubrant.core.waveform import analyse_wave
from ubrant.logbook.records import Run
from ubrant.methods import cautions
from ubrant.methods.load_steps import CONNECT, StepsPlan, load_steps
from ubrant.methods.steps import Ask, Steps
from ubrant.workshop.benches import BY_HAND
from ubrant.workshop.trials.meter_checks import meter_problems
from ubrant.workshop.trials.rows import QUANTITIES, Rows, corrected, lacks_of, rows_of, typed_row
from ubrant.workshop.trials.simulated import scenario_for_trial
from ubrant.workshop.trials.trial import Fields, KeptTrial, Problems, SeenWave, Told, Trial, TrialView, meters_of, told_of
from ubrant.workshop.trials.unit_ratings import read_ratings

_SHARES = (0.0, 0.05, 0.1, 0.2, 0.3, 0.5, 0.75, 1.0)
_EXAMPLE = "input 12.4 V 6.2 A output 229 V 65 W 50.0 Hz"
_NEEDED = (("input", "V"), ("input", "A"), ("output", "V"), ("output", "W"))
_DC_EXAMPLE, _DC_NEEDED = "input 12.4 V 3.5 A output 19.1 V 2.1 A", (*_NEEDED[:3], ("output", "A"))
_AS_USUAL_HZ = {50.0: Tolerance(49.5, 50.5), 60.0: Tolerance(59.3, 60.5)}
_OFF_SHARE = 0.3
_LOADED_SHARE = 0.02
_GONE_SHARE = 0.5
"""The load's own cut-off, as a share of the output's voltage: under it the output has gone."""


class StepsTrial(Trial):
    """Of inverters, DC and AC side together; and of converters on the battery itself."""

    method = "steps"
    title = "Load steps"
    fields = (
        ("loads", "Loads"), ("rated", "Rated output"), ("tolerance", "Output may be"), ("hold", "then hold"), ("ratings", "Made for"),
    )  # fmt: skip
    on_battery = True

    def suits(self, unit: Unit) -> bool:
        return unit.kind in {"inverter", "converter"} and not _takes_mains(unit)

    def usual(self, unit: Unit) -> dict[str, str]:
        ratings = read_ratings(unit)
        usual = f"{plain(ratings.output_v * 0.95)}..{plain(ratings.output_v * 1.05)} V"
        if ratings.gives_mains:
            usual = MAINS_230 if ratings.output_v > 200 else MAINS_120
        digits = 0 if ratings.watts >= 100 else 1
        return {
            "loads": ", ".join(plain(round(share * ratings.watts, digits)) for share in _SHARES) + " W", "rated": f"{plain(ratings.watts)} W",
            "tolerance": usual, "hold": f"{plain(round(0.5 * ratings.watts, digits))} W", "ratings": "",
        }  # fmt: skip

    def problems(self, told: Told) -> Problems:
        plan, ratings = read_steps(told.fields), read_ratings(told.unit)
        parse_tolerance(told.fields["tolerance"])
        parts = parse_ratings(told.fields.get("ratings", ""))
        most_w = max((*plan.loads_w, plan.hold_w), default=0.0)
        input_a = most_w / 0.85 / (0.9 * ratings.input_v)
        found: Problems = []
        if len(plan.loads_w) < 2:
            found.append((True, "At least two loads are needed, 0 W and another one."))
        if told.battery is None:
            found.append((True, "Load steps are made on a battery: choose which one feeds it."))
        else:
            volts = told.battery.label.voltage_v or ratings.input_v
            if not 0.75 * ratings.input_v < volts < 1.35 * ratings.input_v:
                found.append((True, f"{told.battery.name} has {plain(volts)} V, and {told.unit.name} takes {plain(ratings.input_v)} V."))
            if told.battery.max_current_a and input_a > told.battery.max_current_a:
                found.append(
                    (
                        False,
                        f"About {show(input_a, 2)} A will flow, and {told.battery.name} may give {plain(told.battery.max_current_a)} A.",
                    )
                )
        if most_w > 1.02 * plan.rated_w:
            found.append(
                (
                    False,
                    f"{plain(most_w)} W is over its rating of {plain(plan.rated_w)} W: it should protect itself; look at it while it does.",
                )
            )
        found += meter_problems(told, 1.25 * ratings.input_v, input_a, ratings.output_v, most_w / ratings.output_v)
        found += [(False, said) for said in rating_sentences(parts, input_a, most_w / ratings.output_v, measured=False)]
        return sorted(found, key=lambda f: not f[0])

    def settings(self, told: Told) -> list[tuple[float, float]]:
        return [(0.0, w) for w in read_steps(told.fields).loads_w]

    def steps(self, told: Told) -> Steps:
        ratings = read_ratings(told.unit)
        return load_steps(
            replace(read_steps(told.fields), mains=ratings.gives_mains, own_cutoff_v=round(_GONE_SHARE * ratings.output_v, 2))
        )

    def open(self, told: Told, run_id: int, speed: float) -> Callable[[], Bench]:
        scenario = scenario_for_trial(told, run_id, battery=True)
        into, out = told.meters
        mains = read_ratings(told.unit).gives_mains
        around = Around(into.name, out.name, out.name if mains else "", "Battery terminals", "Scope" if mains else "", "")
        return lambda: open_simulated_converter(scenario, speed, around)

    def first_ask(self, told: Told) -> Ask:
        mains = (cautions.MAINS,) if read_ratings(told.unit).gives_mains else ()
        return Ask(f"{CONNECT} Switch it on.", (*mains, cautions.FUSE, cautions.POLARITY))

    def callout(self, told: Told, place: int) -> str:
        plan = read_steps(told.fields)
        if place < len(plan.loads_w):
            watts = plan.loads_w[place]
            put = f"put {plain(watts)} W on" if watts else "no load"
            example = _EXAMPLE if read_ratings(told.unit).gives_mains else _DC_EXAMPLE
            return f"Step {place + 1} of {len(plan.loads_w)}: {put}, wait until it holds still, and type “{example}”. Add “source 12.6 V” where you read the battery's own terminals."
        held = f"Leave {plain(plan.hold_w)} W on and look in now and then, with the same line. " if plan.hold_w else ""
        return (
            f"{held}When the output goes off type “load off”, then the battery: “source 12.1 V”, and once more after ten minutes. "
            "“alarm input 10.9 V” when its alarm begins."
        )

    def lacks(self, told: Told, place: int, jotting: Jotting) -> str:
        if place >= len(read_steps(told.fields).loads_w) or jotting.mark:
            return ""
        mains = read_ratings(told.unit).gives_mains
        return lacks_of(jotting, _NEEDED if mains else _DC_NEEDED, _EXAMPLE if mains else _DC_EXAMPLE)

    def view(self, run: Run, kept: KeptTrial) -> TrialView:
        told = told_of(run)
        plan = read_steps(told.fields)
        tolerance = parse_tolerance(told.fields["tolerance"])
        typed = run.source == BY_HAND
        rows = rows_of(run, kept, typed=typed, settings=[(0.0, w) for w in plan.loads_w])
        points = rows.points()
        waves = tuple(_waves(run, kept, rows))
        if points is None:
            return TrialView(run, trouble="No step was taken yet.", tolerance=tolerance)
        ending = _typed_ending(kept, plan) if typed else _sampled_ending(run, kept, plan)
        label = told.battery.label if told.battery is not None else None
        source = Source(read_ratings(told.unit).input_v, label.kind_of_cell if label else None, label.series if label else None)
        hertz = rows.column("output", "Hz")
        usual_hz = next((t for f, t in _AS_USUAL_HZ.items() if np.isfinite(hertz).any() and t.holds(float(np.nanmedian(hertz)))), None)
        try:
            found = analyse_steps(points, meters_of(run), tolerance, plan.rated_w, hertz, ending, source, _alarm(run, kept), usual_hz)
        except ReadingsError as error:
            return TrialView(run, points=points, asked=rows.asked, trouble=str(error), tolerance=tolerance, waves=waves)
        used = points
        parts = parse_ratings(told.fields.get("ratings", ""))
        warnings = [
            *found.warnings, *lead_sentences(found.findings["lead_resistance"], told.leads, float(used.input_a.max())),
            *rating_sentences(parts, float(used.input_a.max()), float(used.output_a.max()), measured=True),
        ]  # fmt: skip
        warnings += [f"At {show(w.load_w, 3)} W: {said}" for w in waves[-1:] for said in w.found.warnings]
        return TrialView(
            run, found.findings | _of_waves(waves) | _of_hold(run, kept, meters_of(run)), found.sentence, tuple(warnings), points=points, asked=rows.asked, sweep=found.sweep, tolerance=tolerance, waves=waves,
            ended_by=found.ended_by,
        )  # fmt: skip


def read_steps(fields: Fields) -> StepsPlan:
    """A plan from the form.

    Raises
    ------
    QuantityError
        A field that cannot be read.
    """
    loads = [part for part in fields["loads"].replace(" W", "").replace(";", ",").split(",") if part.strip()]
    hold = fields.get("hold", "").strip()
    return StepsPlan(
        tuple(parse_quantity(w, "W") for w in loads), parse_quantity(fields["rated"], "W"), parse_quantity(hold, "W") if hold else 0.0
    )


def _takes_mains(unit: Unit) -> bool:
    try:
        return read_ratings(unit).takes_mains
    except ValueError:
        return False


def _waves(run: Run, kept: KeptTrial, rows: Rows) -> list[SeenWave]:
    """What the scope saw at each step; one that cannot be worked out is left aside."""
    scope = kept.series.get(("scope", "V"))
    if scope is None:
        return []
    found = []
    text = run.plan.get("scope_accuracy")
    scope_is = parse_accuracy(text, "V") if text else None
    gain, zero = (scope_is.gain, scope_is.zero) if scope_is is not None else (None, 0.0)
    watts = rows.column("output", "W")
    for k, about in enumerate(rows.about):
        if not about.get("wave"):
            continue
        start, end = about["wave"]
        inside = (scope.time_s >= start - 1e-7) & (scope.time_s <= end + 1e-7)
        time, volts = scope.time_s[inside] - start, scope.value[inside]
        try:
            found.append(
                SeenWave(
                    float(watts[k]) if math.isfinite(watts[k]) else rows.asked[k][1], time, volts, analyse_wave(time, volts, gain, zero)
                )
            )
        except ReadingsError:
            continue
    return found


def _of_waves(waves: tuple[SeenWave, ...]) -> dict[str, Finding]:
    """What its wave is at the heaviest load that was recorded."""
    if not waves:
        return {}
    heaviest = waves[-1]
    where = f"at {show(heaviest.load_w, 3)} W: {heaviest.found.kind}"
    thd, crest = heaviest.found.findings["thd"], heaviest.found.findings["crest_factor"]
    return {
        "wave_thd": replace(thd, key="wave_thd", name="THD of its wave", working=where),
        "wave_crest": replace(crest, key="wave_crest", name="Crest factor of its wave", working=where),
    }


def _of_hold(run: Run, kept: KeptTrial, meters: SweepMeters) -> dict[str, Finding]:
    """How long it ran under the load that was held, what went in and what came out meanwhile."""
    start = next((e.time_s for e in kept.events if e.kind == "hold"), None)
    end = next((e.time_s for e in kept.events if e.kind in {"off", "held"} and start is not None and e.time_s >= start), None)
    series = {key: corrected(run, kept, *key) for key in QUANTITIES}
    into, amps, out = series[("input", "V")], series[("input", "A")], series[("output", "W")]
    if start is None or end is None or into is None or amps is None:
        return {}
    if out is None and (volts := series[("output", "V")]) is not None and (drawn := series[("output", "A")]) is not None:
        out = Series(volts.time_s, volts.value * np.interp(volts.time_s, drawn.time_s, drawn.value))
    if out is None:
        return {}
    return held_findings(into, amps, out, meters, start, end, series[("output", "V")])


def _sampled_ending(run: Run, kept: KeptTrial, plan: StepsPlan) -> Ending | None:
    """The moment the output went off: in the hold, or at a step that was too much."""
    off = next((e for e in kept.events if e.kind == "off"), None)
    series = {key: corrected(run, kept, *key) for key in QUANTITIES}
    out, amps_out = series[("output", "V")], series[("output", "A")]
    if out is None or not len(out):
        return None
    alive = out.value > _OFF_SHARE * float(out.value.max())
    drawn = np.interp(out.time_s, amps_out.time_s, amps_out.value) if amps_out is not None and len(amps_out) else np.ones(len(out))
    if off is None:
        points = [e for e in kept.events if e.kind == "point"]
        if not points:
            return None
        load_w, until = float(json.loads(points[-1].text)["load_a"]), points[-1].time_s
        last = out.time_s <= until
        if not load_w or (bool(alive[last][-1:].all()) and float(drawn[last][-1]) * float(out.value[last][-1]) > _OFF_SHARE * load_w):
            return None
    else:
        load_w, until = float(json.loads(off.text)["load"]), off.time_s
    alive &= drawn * out.value > _LOADED_SHARE * load_w  # one that started again, the load having gone, is not what is looked for
    last_on = out.time_s[alive & (out.time_s <= until)]
    if not len(last_on):
        return None
    moment = float(last_on[-1])
    volts, amps, source = series[("input", "V")], series[("input", "A")], series[("source", "V")]
    earlier = float(last_on[-2]) if len(last_on) > 1 else moment
    after = (source.value[source.time_s > until] if source is not None else np.array([])).tolist()
    return Ending(
        load_w, _near(volts, moment), _near(volts, earlier), _near(amps, moment), _near(source, moment), after[0] if after else math.nan,
        after[-1] if after else math.nan,
    )  # fmt: skip


def _near(series: Series | None, moment: float) -> float:
    if series is None or not len(series):
        return math.nan
    return float(series.value[int(np.argmin(np.abs(series.time_s - moment)))])


def _typed_ending(kept: KeptTrial, plan: StepsPlan) -> Ending | None:
    """The last line with the output on, and what the battery read after “load off”."""
    lines = kept.parsed()
    off = next((k for k, (_, j) in enumerate(lines) if j.mark in {"load off", "empty"}), None)
    if off is None:
        return None
    place = {name: k for k, name in enumerate(QUANTITIES)}
    before = [typed_row(j) for _, j in lines[:off] if j.readings and j.mark != "alarm"]
    before = [r for r in before if math.isfinite(r[place[("input", "V")]])]
    after = [typed_row(j)[place[("source", "V")]] for _, j in lines[off:]]
    after = [v for v in after if math.isfinite(v)]
    if not before:
        return None
    last = before[-1]
    earlier = before[-2] if len(before) > 1 else last
    watts = last[place[("output", "W")]]
    return Ending(
        watts if math.isfinite(watts) else plan.hold_w, last[place[("input", "V")]], earlier[place[("input", "V")]], last[place[("input", "A")]],
        last[place[("source", "V")]], after[0] if after else math.nan, after[-1] if after else math.nan,
    )  # fmt: skip


def _alarm(run: Run, kept: KeptTrial) -> float | None:
    """The input voltage at which somebody noted the alarm."""
    for moment, jotting in kept.parsed():
        if jotting.mark == "alarm":
            volts = typed_row(jotting)[0]
            if math.isfinite(volts):
                return volts
            found = _near(corrected(run, kept, "input", "V"), moment)
            return found if math.isfinite(found) else None
    return None
