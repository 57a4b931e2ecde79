"""Builds the star-dome logbook."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

import platformdirs

from ubrant import __version__
from ubrant.bench.engine import Order
from ubrant.bench.session import RunSession
from ubrant.core.cutoff import Cutoff
from ubrant.core.leads import Leads
from ubrant.core.meter import Meter
from ubrant.core.unit import Unit
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, StoredEvent
from ubrant.methods.discharge import own_cutoff, usual_plan
from ubrant.workshop.running import start_discharge
from ubrant.workshop.views import summary_of

BENCH_METER = Meter("Bench meter", "0.05 % + 5 mV", "0.2 % + 5 mA", max_v=60.0, max_a=20.0)
CLAMP = Meter("Clamp meter", "0.8 % + 2 digits of 10 mV", "2 % + 5 digits of 10 mA", max_v=600.0, max_a=400.0)

UNITS = (
    Unit("Dome pack A", "battery", "12.8 V 50 Ah LiFePO4", note="The one with the blue tape.", stand_in={"health": 1.035}),
    Unit(
        "Dome pack B",
        "battery",
        "12.8 V 50 Ah LiFePO4",
        note="Bought second-hand with the dome.",
        stand_in={"health": 0.71},
    ),
    Unit("Hall block", "battery", "12 V 45 Ah lead-acid, 20 h rate, to 10.5 V", stand_in={"health": 0.97}),
    Unit(
        "Exit-light backup",
        "battery",
        "12 V 7.2 Ah AGM, 20 h rate",
        note="Inside the backup unit of the exit lights.",
        stand_in={"health": 0.985},
    ),
    Unit("Head-torch cells", "battery", "8 × 1.2 V 2500 mAh NiMH", stand_in={"health": 0.9}),
    Unit("Ticket bank", "bank", "24 000 mAh / 88.8 Wh", note="Fills the ticket tablet."),
    Unit("Hut 300", "inverter", "12 V to 230 V sine, 300 W"),
    Unit("Hall 1000", "inverter", "12 V to 230 V sine, 1000 W"),
    Unit("Laptop step-up", "converter", "12 V to 19 V, 90 W"),
    Unit("Step-down one", "converter", "12 V to 5 V, 3 A"),
    Unit("Step-down two", "converter", "12 V to 5 V, 5 A"),
    Unit("Blower", "load", "12 V or 230 V, 65 W"),
    Unit("Projector", "load", "230 V, 52 W"),
    Unit("Show laptop", "load", "19 V, 45 W"),
    Unit("Dew heaters", "load", "12 V, 2 × 8 W"),
    Unit("Roof panel", "charger", "60 W panel, 12 V class"),
)


@dataclass(frozen=True)
class _Planned:
    """One run of the demo. ``current_a`` None for the label's own."""

    unit: str
    meter: Meter
    day: datetime
    every_s: float
    current_a: float | None = None
    cutoff_v: float | None = None
    temperature_c: float | None = 20.0
    jottings: tuple[tuple[float, str], ...] = ()


RUNS = (
    _Planned("Exit-light backup", CLAMP, datetime(2026, 9, 2, 8, 5, tzinfo=UTC), 30.0, jottings=((3600.0, "clamp re-zeroed before the start"),)),
    _Planned("Dome pack B", BENCH_METER, datetime(2026, 9, 12, 7, 40, tzinfo=UTC), 10.0, jottings=((5400.0, "case warm at one end"),)),
    _Planned("Head-torch cells", BENCH_METER, datetime(2026, 9, 19, 9, 15, tzinfo=UTC), 10.0),
    _Planned("Hall block", BENCH_METER, datetime(2026, 10, 3, 8, 30, tzinfo=UTC), 10.0, current_a=9.0, jottings=((1800.0, "hall heating off"),)),
    _Planned("Dome pack A", BENCH_METER, datetime(2026, 10, 17, 8, 10, tzinfo=UTC), 10.0,
             jottings=((2700.0, "fan of the load started"), (10800.0, "terminals cool"))),
)  # fmt: skip


def demo_path() -> Path:
    """Where the demo logbook is kept, one for each version."""
    return platformdirs.user_cache_path("ubrant") / f"demo-{__version__}.ubrant"


def make_demo(path: Path, tell: Callable[[str], None] = lambda _: None) -> None:
    """Write the demo logbook; it appears under its name only once it is whole."""
    path.parent.mkdir(parents=True, exist_ok=True)
    unfinished = path.with_suffix(f".{os.getpid()}.part")
    unfinished.unlink(missing_ok=True)
    logbook = Logbook(unfinished)
    for meter in (BENCH_METER, CLAMP):
        logbook.keep_meter(meter)
    units = {unit.name: logbook.keep_unit(unit) for unit in UNITS}
    sessions = []
    for planned in RUNS:
        tell(planned.unit)
        sessions.append((planned, *_begin(logbook, units[planned.unit], planned)))
        if len(sessions) % 2 == 0:
            sessions[-2][2].join()  # two at a time
    for planned, run, session in sessions:
        session.join()
        for moment, text in planned.jottings:
            logbook.add_event(run.id, StoredEvent(moment, "jotting", text))
        summary_of(logbook, logbook.run(run.id))
    logbook.close()
    unfinished.rename(path)


def _begin(logbook: Logbook, unit: Unit, planned: _Planned) -> tuple[Run, RunSession]:
    leads = Leads(1.5, 4.0)
    plan = usual_plan(unit.label, leads)
    current, volts = planned.current_a or plan.current_a, planned.cutoff_v or plan.cutoff.voltage_v
    plan = replace(
        plan, current_a=current, cutoff=Cutoff(volts, plan.cutoff.hold_s), own_cutoff_v=own_cutoff(volts, current, leads),
        every_s=planned.every_s, rest_after_s=1800.0, temperature_c=planned.temperature_c,
    )  # fmt: skip
    run, session = start_discharge(logbook, unit, plan, planned.meter, leads, started=planned.day)
    for _ in range(2):
        session.order(Order.DONE)
    session.start()
    return run, session
