"""Begin a run on the bench, rehearse one."""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import UTC, datetime

from ubrant.bench.rehearsal import Rehearsal, rehearse
from ubrant.bench.session import RunSession
from ubrant.bench.simulated import open_simulated
from ubrant.bench.standins.scenario import Scenario, scenario_for
from ubrant.core.accuracy import Accuracy
from ubrant.core.cell import Pack, pack_from_label
from ubrant.core.circuit import Circuit
from ubrant.core.label import Label
from ubrant.core.leads import Leads
from ubrant.core.meter import Meter
from ubrant.core.unit import Unit
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.logbook.writer import RunWriter
from ubrant.methods.checks import LoadRating
from ubrant.methods.discharge import DischargePlan, discharge

SIMULATED_LOAD = LoadRating(max_a=60.0, max_v=80.0, max_w=1500.0)
LOAD_NAME = "Load"
SIMULATED = "simulated bench"
_UNKNOWN_METER = (
    Accuracy(0.002, 0.005, "V"),
    Accuracy(0.01, 0.02, "A"),
)  # how wrong a simulated meter is when nobody said


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
    scenario = replace(scenario_of(unit, meter, leads, run.id), step_s=0.1 if plan.every_s <= 2 else 0.5)
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
