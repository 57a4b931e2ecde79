"""Begin a run on the bench, rehearse one."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import asdict, fields, replace
from datetime import UTC, datetime
from typing import Any

from ubrant.bench.bench import Bench
from ubrant.bench.clocks import LaterClock
from ubrant.bench.rehearsal import Rehearsal, rehearse
from ubrant.bench.session import RunSession
from ubrant.bench.simulated import open_simulated
from ubrant.bench.standins.scenario import Scenario, scenario_for
from ubrant.core.accuracy import Accuracy
from ubrant.core.cell import Pack, pack_from_label
from ubrant.core.circuit import Circuit
from ubrant.core.cutoff import Cutoff
from ubrant.core.ending import Ends
from ubrant.core.integrals import charge_ah
from ubrant.core.label import Label
from ubrant.core.leads import Leads
from ubrant.core.meter import Meter, details_from
from ubrant.core.readings import Series, no_readings
from ubrant.core.unit import Unit
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.logbook.writer import RunWriter
from ubrant.methods.checks import LoadRating
from ubrant.methods.discharge import ChargePlan, DischargePlan, after_a_gap, discharge
from ubrant.workshop.benches import INSTRUMENTS, SIMULATED, BenchChoice, instruments_as_json, open_instruments
from ubrant.workshop.going_on import after_gap, begin_with

SIMULATED_LOAD = LoadRating(max_a=60.0, max_v=80.0, max_w=1500.0)
LOAD_NAME = "Load"


def load_rating(choice: BenchChoice) -> LoadRating:
    """What the chosen load can take; of one that a person switches nobody knows."""
    if choice.kind == SIMULATED:
        return SIMULATED_LOAD
    load = choice.load
    return LoadRating((load.max_a if load else None) or math.inf, (load.max_v if load else None) or math.inf, math.inf)


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
    soc = 0.3 if plan.charge_when == "before" else 1.0
    return rehearse(discharge(coarse), Circuit(Pack(pack_from_label(label), soc), leads.resistance_ohm))


def scenario_of(unit: Unit, meter: Meter, leads: Leads, run_number: int) -> Scenario:
    """The simulated bench for a run: the unit's stand-in, meters somewhere inside their accuracy."""
    accuracy_v, accuracy_a = meter.accuracy("V") or _UNKNOWN_METER[0], meter.accuracy("A") or _UNKNOWN_METER[1]
    seed = f"{unit.name}/{unit.label_text}/{run_number}"
    return scenario_for(unit.label, accuracy_v, accuracy_a, leads.resistance_ohm, seed, unit.stand_in)


def start_discharge(
    logbook: Logbook, unit: Unit, plan: DischargePlan, meter: Meter, leads: Leads, *,
    speed: float = math.inf, started: datetime | None = None, choice: BenchChoice | None = None, changes: dict[str, Any] | None = None,
) -> tuple[Run, RunSession]:  # fmt: skip
    """Begin a discharge on the simulated bench, or the one chosen, and its keeping in the logbook. The session still has to be started.

    ``changes`` alters the simulated scenario, for demonstrations and tests.

    Raises
    ------
    LogbookError
        The logbook cannot be written; nothing was begun.
    """
    choice = choice or BenchChoice(SIMULATED, speed)
    blank = new_run(unit, plan, meter, leads, started, choice.kind)
    run = logbook.start_run(replace(blank, plan=blank.plan | instruments_as_json(choice, ((meter, "battery"),))))
    return run, RunSession(
        discharge(plan), _opener(choice, unit, plan, meter, leads, run.id, 0.0, changes), RunWriter(logbook.path, run.id)
    )


def new_run(unit: Unit, plan: DischargePlan, meter: Meter, leads: Leads, started: datetime | None, source: str) -> Run:
    """A run that begins, with everything it is made under."""
    moment = started or datetime.now(UTC).astimezone()
    offset = moment.utcoffset()
    details = meter.details.to_json()
    return Run(
        unit.id or None, "discharge", source, moment.astimezone(UTC).isoformat(timespec="seconds"),
        int(offset.total_seconds() // 60) if offset else 0,
        plan=plan_as_json(plan, leads) | ({"meter_details": details} if details else {}), label_text=unit.label_text,
        chemistry=unit.chemistry, voltage_accuracy=meter.voltage_accuracy, current_accuracy=meter.current_accuracy, meter=meter.name,
    )  # fmt: skip


def _opener(
    choice: BenchChoice, unit: Unit, plan: DischargePlan, meter: Meter, leads: Leads, run_number: int, from_s: float,
    changes: dict[str, Any] | None = None,
) -> Callable[[], Bench]:  # fmt: skip
    if choice.kind == INSTRUMENTS:
        return lambda: open_instruments(choice, meter, from_s)
    scenario = replace(scenario_of(unit, meter, leads, run_number), step_s=0.1 if plan.every_s <= 2 else 0.5)
    if plan.charge_when == "before":
        scenario = replace(scenario, soc=0.3)
    scenario = replace(scenario, **(changes or {}))

    def open_it() -> Bench:
        bench = open_simulated(
            scenario, choice.speed, meter.name, LOAD_NAME, charger=plan.charge is not None, thermometer=plan.limits.temperature_c is not None,
            max_v=meter.max_v, max_a=meter.max_a,
        )  # fmt: skip
        return replace(bench, clock=LaterClock(bench.clock, from_s)) if from_s else bench

    return open_it


def continue_discharge(
    logbook: Logbook, run: Run, unit: Unit, *, choice: BenchChoice | None = None, now: datetime | None = None, meter: Meter | None = None,
) -> tuple[Run, RunSession]:  # fmt: skip
    """Go on with an interrupted run after the gap; its readings go on in the same run, with the gap marked.

    On the simulated bench the pack stands where the readings left it.

    Raises
    ------
    LogbookError
        The logbook cannot be written.
    ValueError
        The run is not an interrupted discharge of the bench.
    """
    if run.state != "interrupted" or run.source not in (SIMULATED, INSTRUMENTS):
        raise ValueError("Only a run of the bench that was interrupted can go on.")
    choice = choice or BenchChoice(run.source)
    plan, leads = plan_from_json(run.plan, unit)
    meter = meter or Meter(run.meter, run.voltage_accuracy, run.current_accuracy, details=details_from(run.plan.get("meter_details", {})))
    gap = after_gap(logbook, run, now)
    changes: dict[str, Any] = {}
    if choice.kind == SIMULATED:
        given_ah = _given_ah(gap.before)
        capacity = scenario_of(unit, meter, leads, run.id).pack.capacity_ah
        changes["soc"] = max(0.02, 1 - given_ah / capacity)
    opener = _opener(choice, unit, plan, meter, leads, run.id, gap.from_s, changes)
    session = RunSession(after_a_gap(plan), opener, RunWriter(logbook.path, run.id))
    begin_with(session.live, logbook, run, gap.before)
    return gap.run, session


def _given_ah(series: Mapping[tuple[str, str], Series]) -> float:
    amps = series.get(("battery", "A"), no_readings())
    return charge_ah(amps.time_s, amps.value) if len(amps) > 1 else 0.0


def plan_as_json(plan: DischargePlan, leads: Leads) -> dict[str, Any]:
    """What a run keeps of its plan; what is not said is left out."""
    usual = DischargePlan(plan.current_a, plan.cutoff, plan.own_cutoff_v)
    more = {
        key: value for key in ("mode", "amount", "profile", "repeats", "two_step", "rated_ah", "charge_when", "cycles", "stop_share", "zero_first",
                               "by_hand", "take_out_ah", "told") if (value := getattr(plan, key)) != getattr(usual, key)
    }  # fmt: skip
    limits = {key: value for key, value in asdict(plan.limits).items() if value is not None and key != "cutoff"}
    return {
        "current_a": plan.current_a, "cutoff_v": plan.cutoff.voltage_v, "hold_s": plan.cutoff.hold_s, "own_cutoff_v": plan.own_cutoff_v,
        "every_s": plan.every_s, "rest_before_s": plan.rest_before_s, "rest_after_s": plan.rest_after_s, "temperature_c": plan.temperature_c,
        "lead_length_m": leads.length_m, "lead_area_mm2": leads.area_mm2, **more,
        **({"limits": limits} if limits else {}), **({"charge": asdict(plan.charge)} if plan.charge else {}),
        **({"start_ah": plan.take_out_ah} if plan.take_out_ah else {}),
    }  # fmt: skip


def plan_from_json(kept: dict[str, Any], unit: Unit) -> tuple[DischargePlan, Leads]:
    """The plan a run was made by."""
    leads = Leads(float(kept.get("lead_length_m", 0.0)), float(kept.get("lead_area_mm2", 4.0)))
    label = unit.label
    names = {f.name for f in fields(DischargePlan)} - {"cutoff", "limits", "charge", "profile"}
    plan = DischargePlan(
        cutoff=Cutoff(float(kept["cutoff_v"]), float(kept.get("hold_s", 1.0))), limits=Ends(**kept.get("limits", {})),
        charge=ChargePlan(**kept["charge"]) if kept.get("charge") else None, profile=tuple((s, a) for s, a in kept.get("profile", ())),
        **{key: value for key, value in kept.items() if key in names},
    )  # fmt: skip
    return replace(plan, chemistry=label.chemistry, series=label.series), leads
