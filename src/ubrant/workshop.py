"""Puts a plan, a bench and a logbook together: starts runs, brings logs in, works out what was kept.

The window, the command line and the demo all go through here, so that a run is the same thing wherever it came from.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from datetime import UTC, datetime

from ubrant.bench.rehearsal import Rehearsal, rehearse
from ubrant.bench.session import RunSession
from ubrant.bench.simulated import open_simulated
from ubrant.bench.standins.scenario import Scenario, scenario_for
from ubrant.core.accuracy import Accuracy
from ubrant.core.cell import Pack, pack_from_label
from ubrant.core.circuit import Circuit
from ubrant.core.cutoff import Cutoff
from ubrant.core.discharge import Discharge, DischargeRecord, analyse
from ubrant.core.label import Label, LabelError
from ubrant.core.leads import Leads
from ubrant.core.meter import Meter
from ubrant.core.readings import Readings, ReadingsError, Series, join
from ubrant.core.unit import Unit
from ubrant.logbook.csv_log import LogFile
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, StoredEvent, Summary
from ubrant.logbook.writer import RunWriter
from ubrant.methods.checks import LoadRating
from ubrant.methods.discharge import DischargePlan, discharge

SIMULATED_LOAD = LoadRating(max_a=60.0, max_v=80.0, max_w=1500.0)
LOAD_NAME = "Load"
SIMULATED = "simulated bench"
_UNKNOWN_METER = Accuracy(0.002, 0.005, "V"), Accuracy(0.01, 0.02, "A")  # how wrong a simulated meter is when nobody said


def expected(plan: DischargePlan, label: Label, leads: Leads) -> Rehearsal:
    """The plan rehearsed on a pack as the label claims it, in steps fine enough to draw.

    Raises
    ------
    ValueError
        The label does not say enough for a model.
    """
    hours = (label.charge_ah or 1.0) / plan.current_a
    step_s = max(plan.every_s, hours * 3600 / 3000)
    coarse = replace(plan, every_s=step_s, cutoff=replace(plan.cutoff, hold_s=min(plan.cutoff.hold_s, step_s)))
    return rehearse(discharge(coarse), Circuit(Pack(pack_from_label(label)), leads.resistance_ohm))


def scenario_of(unit: Unit, meter: Meter, leads: Leads, run_number: int) -> Scenario:
    """The simulated bench for a run: the unit's stand-in, meters somewhere inside their accuracy."""
    accuracy_v, accuracy_a = meter.accuracy("V") or _UNKNOWN_METER[0], meter.accuracy("A") or _UNKNOWN_METER[1]
    seed = f"{unit.name}/{unit.label_text}/{run_number}"
    return scenario_for(unit.label, accuracy_v, accuracy_a, leads.resistance_ohm, seed, unit.stand_in)


def start_discharge(
    logbook: Logbook, unit: Unit, plan: DischargePlan, meter: Meter, leads: Leads, *,
    speed: float = math.inf, started: datetime | None = None,
) -> tuple[Run, RunSession]:  # fmt: skip
    """Begin a discharge on the simulated bench and its keeping in the logbook. The session still has to be started.

    Raises
    ------
    LogbookError
        The logbook cannot be written; nothing was begun.
    """
    moment = started or datetime.now(UTC).astimezone()
    offset = moment.utcoffset()
    run = logbook.start_run(Run(
        unit.id or None, "discharge", SIMULATED, moment.astimezone(UTC).isoformat(timespec="seconds"),
        int(offset.total_seconds() // 60) if offset else 0, plan=_plan_as_json(plan, leads), label_text=unit.label_text,
        chemistry=unit.chemistry, voltage_accuracy=meter.voltage_accuracy, current_accuracy=meter.current_accuracy, meter=meter.name,
    ))  # fmt: skip
    scenario = scenario_of(unit, meter, leads, run.id)
    session = RunSession(
        discharge(plan),
        lambda: open_simulated(scenario, speed, meter.name, LOAD_NAME),
        RunWriter(logbook.path, run.id),
    )
    return run, session


def _plan_as_json(plan: DischargePlan, leads: Leads) -> dict[str, object]:
    return {
        "current_a": plan.current_a, "cutoff_v": plan.cutoff.voltage_v, "hold_s": plan.cutoff.hold_s, "own_cutoff_v": plan.own_cutoff_v,
        "every_s": plan.every_s, "rest_before_s": plan.rest_before_s, "rest_after_s": plan.rest_after_s, "temperature_c": plan.temperature_c,
        "lead_length_m": leads.length_m, "lead_area_mm2": leads.area_mm2,
    }  # fmt: skip


def keep_log(
    logbook: Logbook, log: LogFile, unit: Unit | None, *, cutoff: Cutoff | None, voltage_accuracy: str = "", current_accuracy: str = "",
    temperature_c: float | None = None, meter: str = "",
) -> Run:  # fmt: skip
    """Keep a log from elsewhere as a run, metered at the battery."""
    started = (log.started or datetime.now(UTC)).astimezone(UTC)
    plan: dict[str, object] = {"temperature_c": temperature_c, "warnings": list(log.warnings), "columns": log.columns}
    if cutoff is not None:
        plan |= {"cutoff_v": cutoff.voltage_v, "hold_s": cutoff.hold_s}
    run = Run(
        unit.id if unit else None, "discharge", log.name, started.isoformat(timespec="seconds"), state="done", plan=plan,
        label_text=unit.label_text if unit else "", chemistry=unit.chemistry if unit else None,
        voltage_accuracy=voltage_accuracy, current_accuracy=current_accuracy, meter=meter,
    )  # fmt: skip
    series = {("battery", "V"): Series(log.time_s, log.voltage_v), ("battery", "A"): Series(log.time_s, log.current_a)}
    return logbook.keep_import(run, series)


@dataclass(frozen=True)
class RunView:
    """A run with everything a window or a report shows of it."""

    run: Run
    record: DischargeRecord
    found: Discharge
    load: Readings | None
    events: tuple[StoredEvent, ...]


def view_of(logbook: Logbook, run: Run, cutoff: Cutoff | None = None) -> RunView:
    """Work out a kept run.

    Raises
    ------
    ReadingsError
        Nothing can be said of it: too few readings, or no current.
    """
    events = logbook.events(run.id)
    record = run.record(logbook.series(run.id, "battery", "V"), logbook.series(run.id, "battery", "A"), events, cutoff)
    load_v, load_a = logbook.series(run.id, "load", "V"), logbook.series(run.id, "load", "A")
    load = join(load_v, load_a) if len(load_v) and len(load_a) else None
    return RunView(run, record, analyse(record), load, tuple(events))


def live_view(run: Run, session: RunSession) -> RunView | None:
    """Work out a run that is going on, from what was read so far; None before there is anything."""
    events = tuple(StoredEvent(e.time_s, e.kind, e.text) for e in session.live.events())
    progress = session.progress
    ended_by = progress.ended_by if progress.phase in {"recovering", "ended"} else ""
    try:
        record = replace(run, ended_by=ended_by).record(
            session.live.series("battery", "V"), session.live.series("battery", "A"), list(events)
        )
        if record.load_on_s is None:
            return None
        found = analyse(record)
        load = join(session.live.series("load", "V"), session.live.series("load", "A"))
    except ReadingsError:
        return None
    return RunView(run, record, found, load, events)


def summary_of(logbook: Logbook, run: Run) -> Summary | None:
    """The few figures of a run, from the logbook or worked out now; None when nothing can be said."""
    kept = logbook.summary(run.id)
    if kept is not None or run.state == "running":
        return kept
    try:
        return logbook.keep_summary(run.id, view_of(logbook, run).found)
    except ReadingsError:
        return None


def label_of(unit: Unit) -> Label | None:
    """A unit's label, or None where it claims no capacity."""
    try:
        return unit.label
    except LabelError:
        return None
