"""A run without a window, to be killed: ``python -m tests.crash.child LOGBOOK``. Prints what it shows, with the wall clock."""

from __future__ import annotations

import sys
import time
from dataclasses import replace
from pathlib import Path

from tests.methods.discharge.making import begun, small_plan
from ubrant.bench import simulated
from ubrant.bench.engine import Order
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.logbook.logbook import Logbook
from ubrant.runs.making.benches import BenchChoice


def main() -> None:
    opened: list[simulated.WorldProcess] = []

    class LogOptions(simulated.WorldProcess):
        def __init__(self, scenario) -> None:  # type: ignore[no-untyped-def]
            super().__init__(replace(scenario, free_speed=20_000.0))
            opened.append(self)

    simulated.WorldProcess = LogOptions  # type: ignore[misc]
    logbook = Logbook(Path(sys.argv[1]))
    unit = logbook.keep_unit(Unit("Small cell", "battery", "0.5 Ah 12.8 V LiFePO4"))
    plan = small_plan(every_s=1.0, rest_before_s=5.0)
    _, session = begun(logbook, plan, unit, Meter("Meter", "0.1 %", "1 %"), BenchChoice(speed=300.0))
    for _ in range(2):
        session.order(Order.DONE)
    session.start()
    while not opened:
        session.join(0.005)
    print(f"world {opened[0].addresses['load']} {opened[0].pid}", flush=True)
    while session.running:
        seen = session.live.series("battery", "V")
        if len(seen):
            print(f"shown {seen.time_s[-1]:.3f} {time.time():.3f}", flush=True)
        session.join(0.02)
    print(f"ended {session.progress.ended_by} | {session.progress.trouble}", flush=True)
    logbook.close()


main()
