"""Discharges that tests need."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from typing import Any

from tests.making import AMPS, VOLTS, falling
from ubrant.bench.session import RunSession
from ubrant.core.account import Account
from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.label import parse_label
from ubrant.core.quantities.readings import Readings
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.head import Conditions, Criteria, Setup
from ubrant.core.record.record import Record
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.methods.discharge.method import DischargeMethod
from ubrant.methods.discharge.procedure import DischargePlan, usual_plan
from ubrant.methods.discharge.sums import DischargeRecord
from ubrant.methods.method import Prepared
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.making.begin import start_by_itself
from ubrant.runs.making.benches import BenchChoice

DISCHARGE = DischargeMethod()
SMALL = Unit("Small pack", "battery", "0.5 Ah 12.8 V LiFePO4", stand_in={"health": 0.97})
FINE = Meter("Meter", "0.05 % + 2 mV", "0.2 % + 1 mA")


def record(readings: Readings | None = None, **changes: object) -> DischargeRecord:
    """A discharge of a 50 Ah pack to 11 V with a usual meter, at the label's rate."""
    made = DischargeRecord(
        readings or falling(), VOLTS, AMPS, parse_label("50 Ah 12.8 V LiFePO4"), Cutoff(11.0), temperature_c=20.0, full="said"
    )
    return replace(made, **changes)  # type: ignore[arg-type]


def small_plan(label_text: str = "0.5 Ah 12.8 V LiFePO4", **changes: object) -> DischargePlan:
    """A short discharge: half an hour of rest-free model time at 1 C, read every 5 s."""
    plan = usual_plan(parse_label(label_text), Leads())
    plan = replace(plan, current_a=0.5, own_cutoff_v=10.7, every_s=5.0, rest_before_s=20.0, rest_after_s=60.0)
    return replace(plan, **changes)  # type: ignore[arg-type]


def discharging(
    unit: Unit, plan: DischargePlan, meter: Meter = FINE, temperature_c: float | None = None, leads: Leads | None = None
) -> Prepared:
    """A discharge as it was decided on."""
    return Prepared(Setup(unit, {"battery": meter}, leads or Leads()), plan, Criteria(cutoff=plan.cutoff), Conditions(temperature_c))


def begun(
    book: Logbook,
    plan: DischargePlan,
    unit: Unit = SMALL,
    meter: Meter = FINE,
    choice: BenchChoice | None = None,
    started: datetime | None = None,
    changes: dict[str, Any] | None = None,
) -> tuple[Run, RunSession]:
    """A discharge on the simulated bench that is not started yet."""
    kept = unit if unit.id else book.keep_unit(unit)
    return start_by_itself(book, DISCHARGE, discharging(kept, plan, meter), choice, started=started, changes=changes)


def discharged(book: Logbook, plan: DischargePlan, unit: Unit = SMALL, meter: Meter = FINE, **changes: Any) -> tuple[Record, Account, Run]:
    """A whole one, and what it says."""
    run, session = begun(book, plan, unit, meter, BenchChoice(unattended=True), changes=changes or None)
    session.start()
    session.join(60)
    assert session.progress.trouble == ""
    record, account = account_of(book, book.run(run.id))
    return record, account, book.run(run.id)
