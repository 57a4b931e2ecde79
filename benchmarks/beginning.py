"""A discharge that is about to be made, for the benchmarks."""

from __future__ import annotations

from ubrant.bench.session import RunSession
from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import Criteria, Setup
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.methods.discharge.method import DischargeMethod
from ubrant.methods.discharge.procedure import DischargePlan
from ubrant.methods.method import Prepared
from ubrant.runs.making.begin import start_by_itself
from ubrant.runs.making.benches import BenchChoice


def start_discharge(
    logbook: Logbook, unit: Unit, plan: DischargePlan, meter: Meter, leads: Leads, choice: BenchChoice | None = None
) -> tuple[Run, RunSession]:
    prepared = Prepared(Setup(unit, {"battery": meter}, leads), plan, Criteria(cutoff=plan.cutoff))
    return start_by_itself(logbook, DischargeMethod(), prepared, choice)
