"""What every trial has in common: what a person chose, what it says, and what a method has to offer."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

from ubrant.bench.bench import Bench
from ubrant.core.accuracy import Accuracy, parse_accuracy
from ubrant.core.finding import Finding
from ubrant.core.jot import Grammar, Jotting
from ubrant.core.leads import Leads
from ubrant.core.meter import Meter, MeterDetails
from ubrant.core.points import Points, SweepMeters
from ubrant.core.protection import CurvePoint, Overload
from ubrant.core.readings import Array, Series
from ubrant.core.sweep import Sweep
from ubrant.core.tolerance import Tolerance
from ubrant.core.unit import Unit
from ubrant.core.waveform import Waveform
from ubrant.logbook.records import Run, StoredEvent
from ubrant.methods.steps import Ask, Steps

Fields = Mapping[str, str]
Problems = list[tuple[bool, str]]
"""(refused, sentence) each."""


@dataclass(frozen=True)
class Told:
    """What a person chose: the unit, the fields of the form as typed, the meters at input and output, the leads, the battery behind it."""

    unit: Unit
    fields: Fields
    meters: tuple[Meter, Meter]
    leads: Leads = field(default_factory=Leads)
    battery: Unit | None = None


@dataclass(frozen=True)
class SeenWave:
    """A scope's record at a load: what it holds and what it says."""

    load_w: float
    time_s: Array
    volts: Array
    found: Waveform


@dataclass(frozen=True)
class TrialView:
    """A trial that was kept or is going on, with everything a window or a report shows of it; what a method does not have is empty.

    Attributes
    ----------
    points, asked : settled points, and the settings they were asked for (V, A or W)
    course : named quantities over time
    ended_by : of load steps, what made the output go off
    taken_in, given_out : (W, V, A) at the input and the output, NaN for what was not read, where there are no points that say so
    """

    run: Run
    findings: Mapping[str, Finding] = field(default_factory=dict)
    sentence: str = ""
    warnings: tuple[str, ...] = ()
    trouble: str = ""
    points: Points | None = None
    asked: tuple[tuple[float, float], ...] = ()
    sweep: Sweep | None = None
    tolerance: Tolerance | None = None
    waves: tuple[SeenWave, ...] = ()
    overloads: tuple[Overload, ...] = ()
    rated_a: float = 0.0
    curve: tuple[CurvePoint, ...] = ()
    course: tuple[tuple[str, Series], ...] = ()
    ended_by: str = ""
    taken_in: tuple[float, float, float] | None = None
    given_out: tuple[float, float, float] | None = None


@dataclass(frozen=True)
class KeptTrial:
    """Everything that was read, noted and typed."""

    series: Mapping[tuple[str, str], Series]
    events: tuple[StoredEvent, ...]
    jots: tuple[tuple[float, str], ...]

    def parsed(self) -> list[tuple[float, Jotting]]:
        """Typed lines in the order of time."""
        grammar = Grammar()
        return [(t, found) for t, line in sorted(self.jots) if (found := grammar.parse(line)) is not None]


SOURCE, MAINS, LEADS, UNIT, LOAD = "source", "mains", "leads", "unit", "load"
"""Places on the path of a trial."""


class Trial:
    """A method. ``fields`` are (name, title) of its form; ``by_hand_only``: no instrument takes part."""

    method = ""
    title = ""
    fields: tuple[tuple[str, str], ...] = ()
    by_hand_only = False
    on_battery = False
    """A battery feeds it, which the form then offers."""
    is_started = True
    """False for what is only imported."""
    chain: tuple[str, ...] = (SOURCE, LEADS, UNIT, LOAD)
    """What stands on its path."""
    shown_at = "At its best"
    """What its path is drawn at, once it was measured."""
    two_ends = True
    """A second meter stands behind the unit, besides the one in front of it."""
    made_of_points = False
    """What is left of it follows from the points that were taken, so that it can go on after an interruption."""

    def suits(self, unit: Unit) -> bool:
        raise NotImplementedError

    def usual(self, unit: Unit) -> dict[str, str]:
        """What the form suggests.

        Raises
        ------
        ValueError
            The label does not say enough.
        """
        raise NotImplementedError

    def problems(self, told: Told) -> Problems:
        """What speaks against it.

        Raises
        ------
        QuantityError
            A field cannot be read; says which.
        """
        raise NotImplementedError

    def settings(self, told: Told) -> list[tuple[float, float]]:
        """The points in their order, (V in, A or W out); empty where it is not made of points."""
        return []

    def steps(self, told: Told) -> Steps:
        raise NotImplementedError

    def length_s(self, told: Told) -> float | None:
        """About how long it takes by itself."""
        return None

    def open(self, told: Told, run_id: int, speed: float) -> Callable[[], Bench]:
        """How its simulated bench is opened."""
        raise NotImplementedError

    def first_ask(self, told: Told) -> Ask:
        """What a person does before the first reading, by hand."""
        raise NotImplementedError

    def callout(self, told: Told, place: int) -> str:
        """By hand: what to set and type after ``place`` lines."""
        raise NotImplementedError

    def lacks(self, told: Told, place: int, jotting: Jotting) -> str:
        """What a typed line lacks to count, in a sentence; empty when it is whole."""
        return ""

    def view(self, run: Run, kept: KeptTrial) -> TrialView:
        """Worked out."""
        raise NotImplementedError


def ends_of(told: Told) -> tuple[tuple[Meter, str], ...]:
    """The meters, and the tap each is read at; one where both are the same."""
    ends = (told.meters[0], "input"), (told.meters[1], "output")
    return ends if ends[0][0].name != ends[1][0].name else ends[:1]


def plan_as_json(told: Told) -> dict[str, Any]:
    """What a run keeps of what was chosen."""
    battery = told.battery
    into, out = told.meters
    return {
        "fields": dict(told.fields), "unit_kind": told.unit.kind, "unit_name": told.unit.name, "one_meter": into.name == out.name,
        "lead_length_m": told.leads.length_m, "lead_area_mm2": told.leads.area_mm2, "output_meter": out.name,
        "output_voltage_accuracy": out.voltage_accuracy, "output_current_accuracy": out.current_accuracy,
        "output_power_accuracy": out.details.power_accuracy, "input_power_accuracy": into.details.power_accuracy, "floor_a": into.details.floor_a, "corrections": [m.details.to_json() for m in told.meters],
        **({"battery": {"name": battery.name, "label": battery.label_text, "chemistry": battery.chemistry}} if battery else {}),
    }  # fmt: skip


def told_of(run: Run) -> Told:
    """What was chosen for a kept run."""
    plan = run.plan
    kept = plan.get("battery")
    battery = Unit(kept["name"], "battery", kept["label"], kept.get("chemistry")) if kept else None
    unit = Unit(plan.get("unit_name", ""), plan.get("unit_kind", "converter"), run.label_text, id=run.unit_id or 0)
    into = Meter(run.meter, run.voltage_accuracy, run.current_accuracy, details=MeterDetails(floor_a=float(plan.get("floor_a", 0.0))))
    out = Meter(plan.get("output_meter", ""), plan.get("output_voltage_accuracy", ""), plan.get("output_current_accuracy", ""),
                details=MeterDetails(power_accuracy=plan.get("output_power_accuracy", "")))  # fmt: skip
    leads = Leads(float(plan.get("lead_length_m", 1.5)), float(plan.get("lead_area_mm2", 4.0)))
    return Told(unit, plan.get("fields", {}), (into, out), leads, battery)


def new_trial_run(told: Told, method: str, source: str, started: datetime | None) -> Run:
    """A run that is about to begin."""
    moment = started or datetime.now(UTC).astimezone()
    offset = moment.utcoffset()
    into = told.meters[0]
    return Run(
        told.unit.id or None, method, source, moment.astimezone(UTC).isoformat(timespec="seconds"), int(offset.total_seconds() // 60) if offset else 0,
        plan=plan_as_json(told), label_text=told.unit.label_text, voltage_accuracy=into.voltage_accuracy, current_accuracy=into.current_accuracy,
        meter=into.name,
    )  # fmt: skip


def meters_of(run: Run) -> SweepMeters:
    """Accuracies at both ends."""

    def read(text: str, unit: str) -> Accuracy | None:
        return parse_accuracy(text, unit) if text else None

    plan = run.plan
    return SweepMeters(
        read(run.voltage_accuracy, "V"), read(run.current_accuracy, "A"), read(plan.get("output_voltage_accuracy", ""), "V"),
        read(plan.get("output_current_accuracy", ""), "A"), bool(plan.get("one_meter")), read(plan.get("output_power_accuracy", ""), "W"),
    )  # fmt: skip
