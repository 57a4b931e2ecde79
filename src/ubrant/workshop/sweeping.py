"""Begin a sweep on a bench or by hand, keep it, work it out."""

from __future__ import annotations

import json
import math
import zlib
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any

import numpy as np

from ubrant.bench.clocks import RealClock
from ubrant.bench.engine import Order
from ubrant.bench.session import RunSession
from ubrant.bench.simulated import open_simulated_converter
from ubrant.bench.standins.converter_world import ConverterScenario
from ubrant.bench.standins.scenario import drawn_inside
from ubrant.core.accuracy import parse_accuracy
from ubrant.core.converter import ConverterParameters
from ubrant.core.jot import Grammar, JotError
from ubrant.core.leads import Leads
from ubrant.core.meter import Meter
from ubrant.core.protocols import Clock
from ubrant.core.quantity import QuantityError, parse_quantity, plain
from ubrant.core.readings import ReadingsError, Series
from ubrant.core.sweep import Points, Sweep, SweepMeters, analyse_sweep, points_of
from ubrant.core.tolerance import Tolerance, parse_tolerance
from ubrant.core.unit import Unit
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, StoredEvent
from ubrant.logbook.writer import RunWriter
from ubrant.methods.steps import Ask
from ubrant.methods.sweep import SweepPlan, sweep, usual_loads
from ubrant.workshop.benches import BY_HAND, SIMULATED
from ubrant.workshop.typed_run import TypedRun

METHOD = "sweep"
_QUANTITIES = (("input", "V"), ("input", "A"), ("output", "V"), ("output", "A"), ("source", "V"))


@dataclass(frozen=True)
class SweepView:
    """A sweep that was kept or is going on: the points taken, the settings asked for, and what they say (None before there is enough)."""

    run: Run
    points: Points | None
    asked: tuple[tuple[float, float], ...]
    found: Sweep | None
    trouble: str = ""


def can_be_swept(unit: Unit) -> bool:
    return unit.kind in {"converter", "inverter"}


def usual_sweep(unit: Unit) -> SweepPlan:
    """What a label asks for: ``12 V to 5 V, 3 A`` from 20 % over its input down to half of it, loads up to its rating.

    Raises
    ------
    ValueError
        The label does not say what goes in and what comes out.
    """
    into, out, amps, watts = read_ratings(unit)
    rated_a = amps if amps is not None else (watts or 0.0) / out
    step = 0.5 if into <= 16 else 1.0
    return SweepPlan(
        round(into * 1.15, 1), round(into * 0.5 / step) * step, step, usual_loads(rated_a), rated_a, watts if watts else rated_a * out,
        Tolerance(out * 0.95, out * 1.05), most_input_a=round(1.5 * out * rated_a / (0.6 * into), 1),
    )  # fmt: skip


def read_ratings(unit: Unit) -> tuple[float, float, float | None, float | None]:
    """(input V, output V, rated A, rated W) from a label like ``12 V to 19 V, 90 W``.

    Raises
    ------
    ValueError
        It does not say so much.
    """
    import re

    volts = [parse_quantity(f"{m[1]} V", "V") for m in re.finditer(r"(\d+(?:[.,]\d+)?)\s*V\b", unit.label_text)]
    if len(volts) < 2:
        raise ValueError(f"The label of {unit.name} has to say what goes in and what comes out, like “12 V to 5 V, 3 A”.")
    amps = re.search(r"(\d+(?:[.,]\d+)?)\s*A\b", unit.label_text)
    watts = re.search(r"(\d+(?:[.,]\d+)?)\s*W\b", unit.label_text)
    if not amps and not watts:
        raise ValueError(f"The label of {unit.name} has to say how much it gives, like “3 A” or “90 W”.")
    return volts[0], volts[1], float(amps[1].replace(",", ".")) if amps else None, float(watts[1].replace(",", ".")) if watts else None


def scenario_for_converter(unit: Unit, meters: tuple[Meter, Meter], leads: Leads, run_number: int) -> ConverterScenario:
    """A simulated bench for a unit: a converter as its label suggests (or as its stand-in says), meters somewhere inside their accuracy."""
    into, out, amps, watts = read_ratings(unit)
    rated_w = watts or (amps or 1.0) * out
    rng = np.random.default_rng(zlib.crc32(f"{unit.name}/{unit.label_text}/{run_number}".encode()))
    known = unit.stand_in
    up = out > into
    parameters = ConverterParameters(
        out, known.get("fixed_w", rated_w * 0.012), known.get("proportional", 0.05), known.get("resistive", 0.05 / rated_w), nominal_in_v=into,
        output_ohm=known.get("output_ohm", 0.006 * out * out / rated_w), line_per_v=known.get("line_per_v", 2e-4 * out),
        sags_below_v=known.get("sags_below_v", into * (0.72 if up else max(0.6, (out + 1.2) / into))), sags_ohm=0.0,
        shutoff_v=known.get("shutoff_v", into * 0.62 if up else max(out + 0.4, into * 0.5)), restart_v=known.get("restart_v", into * 0.75),
    )  # fmt: skip

    def channel(meter: Meter, unit_of: str, noise: float) -> Any:
        accuracy = meter.accuracy(unit_of) or parse_accuracy("0.5 % + 5 mV" if unit_of == "V" else "0.5 % + 5 mA", unit_of)
        return drawn_inside(accuracy, rng, noise, 0.001)

    return ConverterScenario(
        parameters, leads.resistance_ohm, channel(meters[0], "V", 5e-4), channel(meters[0], "A", 5e-4), channel(meters[1], "V", 5e-4),
        channel(meters[1], "A", 5e-4), channel(meters[0], "V", 5e-4), seed=int(rng.integers(1, 2**31)),
    )  # fmt: skip


def start_sweep(
    logbook: Logbook, unit: Unit, plan: SweepPlan, meters: tuple[Meter, Meter], leads: Leads, *, speed: float = math.inf, started: datetime | None = None,
) -> tuple[Run, RunSession]:  # fmt: skip
    """Begin a sweep on the simulated bench. The session still has to be started.

    Raises
    ------
    LogbookError
        The logbook cannot be written.
    """
    run = logbook.start_run(_run(unit, plan, meters, leads, SIMULATED, started))
    scenario = scenario_for_converter(unit, meters, leads, run.id)
    opener = lambda: open_simulated_converter(scenario, speed, (meters[0].name, meters[1].name))  # noqa: E731
    return run, RunSession(sweep(plan), opener, RunWriter(logbook.path, run.id))


def _run(unit: Unit, plan: SweepPlan, meters: tuple[Meter, Meter], leads: Leads, source: str, started: datetime | None) -> Run:
    moment = started or datetime.now(UTC).astimezone()
    offset = moment.utcoffset()
    kept = {
        "highest_v": plan.highest_v, "lowest_v": plan.lowest_v, "step_v": plan.step_v, "loads_a": list(plan.loads_a), "rated_a": plan.rated_a,
        "rated_w": plan.rated_w, "tolerance": [plan.tolerance.low, plan.tolerance.high] if plan.tolerance else None,
        "most_input_a": plan.most_input_a, "settle_s": plan.settle_s, "at_most_s": plan.at_most_s, "one_meter": meters[0] == meters[1],
        "lead_length_m": leads.length_m, "lead_area_mm2": leads.area_mm2, "output_meter": meters[1].name,
        "output_voltage_accuracy": meters[1].voltage_accuracy, "output_current_accuracy": meters[1].current_accuracy,
    }  # fmt: skip
    return Run(
        unit.id or None, METHOD, source, moment.astimezone(UTC).isoformat(timespec="seconds"), int(offset.total_seconds() // 60) if offset else 0,
        plan=kept, label_text=unit.label_text, voltage_accuracy=meters[0].voltage_accuracy, current_accuracy=meters[0].current_accuracy,
        meter=meters[0].name,
    )  # fmt: skip


def plan_of(run: Run) -> SweepPlan:
    """The plan a sweep was made by."""
    kept = run.plan
    tolerance = Tolerance(*kept["tolerance"]) if kept.get("tolerance") else None
    names = ("highest_v", "lowest_v", "step_v", "rated_a", "rated_w", "most_input_a", "settle_s", "at_most_s")
    return SweepPlan(loads_a=tuple(kept["loads_a"]), tolerance=tolerance, **{name: kept[name] for name in names})


def meters_of(run: Run) -> SweepMeters:
    """Accuracies at both ends."""

    def read(text: str, unit: str) -> Any:
        return parse_accuracy(text, unit) if text else None

    return SweepMeters(
        read(run.voltage_accuracy, "V"), read(run.current_accuracy, "A"), read(run.plan.get("output_voltage_accuracy", ""), "V"),
        read(run.plan.get("output_current_accuracy", ""), "A"), bool(run.plan.get("one_meter")),
    )  # fmt: skip


def sweep_view(logbook: Logbook, run: Run) -> SweepView:
    """A kept sweep, worked out."""
    series = {key: logbook.series(run.id, *key) for key in logbook.taps(run.id)}
    return _view(run, series, logbook.events(run.id), [(j.time_s, j.line) for j in logbook.jots(run.id)])


def live_sweep(run: Run, session: RunSession | TypedRun) -> SweepView:
    """A sweep that is going on, from what was taken so far."""
    events = [StoredEvent(e.time_s, e.kind, e.text) for e in session.live.events()]
    return _view(run, session.live.all_series(), events, session.live.jots())


def _view(run: Run, series: dict[tuple[str, str], Series], events: list[StoredEvent], jots: list[tuple[float, str]]) -> SweepView:
    asked, rows = _sampled(series, events) if run.source != BY_HAND else _typed(run, jots)
    if not rows:
        return SweepView(run, None, tuple(asked), None)
    vin, iin, vout, iout, source = (np.array(c) for c in zip(*rows, strict=True))
    points = points_of(vin, iin, vout, iout, source_v=source)
    plan = plan_of(run)
    try:
        found = analyse_sweep(points, meters_of(run), plan.tolerance, plan.rated_w)
    except ReadingsError as error:
        return SweepView(run, points, tuple(asked), None, str(error))
    return SweepView(run, points, tuple(asked), found)


def _sampled(series: dict[tuple[str, str], Series], events: list[StoredEvent]) -> tuple[list[tuple[float, float]], list[tuple[float, ...]]]:
    """The settled means of every point."""
    asked, rows = [], []
    for event in events:
        if event.kind != "point":
            continue
        about = json.loads(event.text)
        row = tuple(_mean_between(series.get(key), about["from_s"], event.time_s) for key in _QUANTITIES)
        if not all(math.isfinite(x) for x in row[:4]):
            continue
        asked.append((float(about["input_v"]), float(about["load_a"])))
        rows.append(row)
    return asked, rows


def _mean_between(series: Series | None, from_s: float, to_s: float) -> float:
    if series is None or not len(series):
        return math.nan
    inside = (series.time_s >= from_s - 1e-6) & (series.time_s <= to_s + 1e-6)
    return float(np.mean(series.value[inside])) if inside.any() else math.nan


def _typed(run: Run, jots: list[tuple[float, str]]) -> tuple[list[tuple[float, float]], list[tuple[float, ...]]]:
    """A point a line: what it reads at input and output; a line that says only ``skip`` leaves its point out."""
    settings = plan_of(run).points()
    asked, rows = [], []
    for place, (_, line) in enumerate(sorted(jots)):
        found = Grammar().parse(line)
        if found is None or place >= len(settings):
            continue
        read = {(r.tap, r.quantity): r.value for r in found.readings}
        row = tuple(read.get(key, math.nan) for key in _QUANTITIES)
        if math.isfinite(row[0]) and math.isfinite(row[1]) and math.isfinite(row[2]):
            row = (*row[:3], row[3] if math.isfinite(row[3]) else 0.0, row[4])
            asked.append(settings[place])
            rows.append(row)
    return asked, rows


class TypedSweep(TypedRun):
    """A sweep made by hand: it calls out each setting, a typed line with all four readings answers it and calls out the next."""

    def __init__(self, logbook: Logbook, run: Run, plan: SweepPlan, clock: Clock) -> None:
        self._settings = plan.points()
        super().__init__(logbook, run, None, clock)  # type: ignore[arg-type]  # its own asks stand below

    def first_asks(self) -> list[Ask]:
        from ubrant.methods import cautions

        return [
            Ask("Connect the supply to the converter's input with a meter at its terminals, the load to its output with a meter there, everything off.",
                (cautions.POLARITY, cautions.WINDOW, cautions.FUSE)),
            Ask(self.setting(0), ()),
        ]  # fmt: skip

    def setting(self, place: int) -> str:
        """What to set next, and what to type then."""
        if place >= len(self._settings):
            return "That was the last point. Switch load and supply off, and close the run."
        volts, amps = self._settings[place]
        return (
            f"Point {place + 1} of {len(self._settings)}: set {plain(volts)} V at the input and {plain(amps)} A at the output, wait until it holds still, and type "
            f"“input {plain(volts)} V … A output … V {plain(amps)} A”."
        )

    def said(self, mark: str, time_s: float, has_current: bool) -> None:
        """A line was typed: the next setting is called out."""
        place = len(self.live.jots())
        self._state = replace(
            self._state, phase="sweeping", load_on_s=self._state.load_on_s or time_s, text=self.setting(place), cautions=()
        )

    def order(self, order: Order) -> None:
        if order is Order.DONE and self._state.phase == "asking":
            self._state = replace(self._state, phase="sweeping", text=self.setting(0), cautions=())
        elif order in (Order.STOP, Order.END) and self._state.phase != "ended":
            self._finish()


def check_typed_point(readings: set[tuple[str, str]]) -> str:
    """What a typed point lacks, in a sentence; empty when it is whole."""
    missing = [
        f"{tap} {quantity}" for tap, quantity in (("input", "V"), ("input", "A"), ("output", "V")) if (tap, quantity) not in readings
    ]
    return (
        f"This point still lacks: {', '.join(missing)}. Type it all in one line, like “input 12.5 V 0.93 A output 5.01 V 2 A”."
        if missing
        else ""
    )


def start_typed_sweep(
    logbook: Logbook, unit: Unit, plan: SweepPlan, meters: tuple[Meter, Meter], leads: Leads, clock: Callable[[], Clock] = RealClock,
) -> tuple[Run, TypedSweep]:  # fmt: skip
    """Begin a sweep that is made by hand."""
    run = logbook.start_run(_run(unit, plan, meters, leads, BY_HAND, None))
    return run, TypedSweep(logbook, run, plan, clock())


def read_plan(fields: dict[str, str], unit: Unit) -> SweepPlan:
    """A plan from what was typed into a form.

    Raises
    ------
    QuantityError
        A field that cannot be read; says which.
    """
    usual = usual_sweep(unit)
    try:
        loads = tuple(parse_quantity(part, "A") for part in fields["loads"].replace(";", ",").split(",") if part.strip())
        plan = replace(
            usual, highest_v=parse_quantity(fields["highest"], "V"), lowest_v=parse_quantity(fields["lowest"], "V"), step_v=parse_quantity(fields["step"], "V"),
            loads_a=loads, tolerance=parse_tolerance(fields["tolerance"]) if fields["tolerance"].strip() else None,
            rated_w=parse_quantity(fields["rated"], "W") if fields["rated"].strip() else None, most_input_a=parse_quantity(fields["most"], "A"),
        )  # fmt: skip
    except (QuantityError, JotError) as error:
        raise QuantityError(str(error)) from None
    return plan


def sweep_problems(plan: SweepPlan, unit: Unit, meters: tuple[Meter, Meter]) -> list[tuple[bool, str]]:
    """(refused, sentence) of everything that speaks against a sweep."""
    into, out, _, _ = read_ratings(unit)
    found: list[tuple[bool, str]] = []
    if not plan.highest_v > plan.lowest_v > 0 or not plan.step_v > 0:
        found.append((True, "The input has to go from a higher voltage down to a lower one, in steps over 0 V."))
    elif plan.highest_v > 1.3 * into:
        found.append((True, f"{plain(plan.highest_v)} V is far over the {plain(into)} V on its label: over its window is damage."))
    if len(plan.loads_a) < 2:
        found.append((True, "At least two loads are needed, 0 A and another one."))
    if plan.rated_a and plan.loads_a and max(plan.loads_a) > 1.1 * plan.rated_a:
        found.append((False, f"{plain(max(plan.loads_a))} A is over its rating of {plain(plan.rated_a, 3)} A."))
    for meter, volts, amps in ((meters[0], plan.highest_v, plan.most_input_a), (meters[1], out, max(plan.loads_a, default=0.0))):
        if meter.max_v is not None and volts > meter.max_v:
            found.append((True, f"{meter.name} reads up to {plain(meter.max_v)} V, and {plain(volts)} V are in the plan."))
        if meter.max_a is not None and amps > meter.max_a:
            found.append((False, f"{meter.name} reads up to {plain(meter.max_a)} A, and up to {plain(amps, 3)} A may flow."))
    if len(plan.points()) > 600:
        found.append((True, f"{len(plan.points())} points are too many: take larger steps or fewer loads."))
    unknown = [m.name for m in meters if not (m.voltage_accuracy and m.current_accuracy)]
    if unknown:
        found.append((False, f"Nobody said how accurate {unknown[0]} is: the findings will have no ±."))
    if unit.kind == "inverter":
        found.append((False, "An inverter's output is mains: it kills. Only with covered terminals and meters made for it."))
    return sorted(found, key=lambda f: not f[0])


def predicted_s(plan: SweepPlan) -> float:
    """About how long it takes: three seconds more than it has to hold still, at every point."""
    return len(plan.points()) * (plan.settle_s + 3.0)


def best_point(found: Sweep) -> int:
    """The measured point of the best efficiency."""
    return int(np.nanargmax(found.efficiency)) if np.isfinite(found.efficiency).any() else 0
