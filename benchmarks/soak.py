"""A run in real time on instruments that run freely: ``python benchmarks/soak.py [MINUTES]`` (20 unless said otherwise)."""

from __future__ import annotations

import json
import sys
import tempfile
import time
from pathlib import Path

import memory
import numpy as np
from beginning import start_discharge

from ubrant.bench.engine import Order
from ubrant.bench.simulated import WorldProcess
from ubrant.bench.standins.scenario import Scenario
from ubrant.core.battery.ending import Ends
from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.models.cell import pack_from_label
from ubrant.core.models.shown import Imperfection
from ubrant.core.quantities.label import parse_label
from ubrant.logbook.logbook import Logbook
from ubrant.methods.discharge.procedure import usual_plan
from ubrant.runs.making.benches import BenchChoice


def main(minutes: float) -> None:
    from dataclasses import replace

    label = parse_label("5 Ah 12.8 V LiFePO4")
    shows = Imperfection(noise=0.0006, digit=0.001)
    world = WorldProcess(
        Scenario(
            pack_from_label(label),
            meter_v=shows,
            meter_a=shows,
            load_v=shows,
            load_a=shows,
            runs_free=True,
            free_speed=1.0,
            board_every_s=0.2,
        )
    )
    scpi = {
        role: MeterDetails(role=role, connection="scpi", address=world.addresses[port])
        for role, port in (("meter", "meter"), ("load", "load"))
    }
    board = Meter("Board", details=MeterDetails(connection="lines", address=world.addresses["terminal"], profile="2 V, 3 A", tap="source"))
    plan = replace(usual_plan(label, Leads(0.0)), every_s=1.0, rest_before_s=10.0, rest_after_s=10.0, limits=Ends(time_s=minutes * 60 - 20))
    with tempfile.TemporaryDirectory() as spare:
        logbook = Logbook(Path(spare) / "soak.ubrant")
        unit = logbook.keep_unit(Unit("Pack", "battery", label.text))
        meter = Meter("Meter", "0.1 %", "0.5 %", details=scpi["meter"])
        run, session = start_discharge(
            logbook, unit, plan, meter, Leads(0.0), choice=BenchChoice("bench", 1.0, Meter("Load", details=scpi["load"]), None, (board,))
        )
        for _ in range(2):
            session.order(Order.DONE)
        session.start()
        began, at_start, cpu = time.monotonic(), 0.0, time.process_time()
        while session.running:
            session.join(5.0)
            if not at_start and time.monotonic() - began > min(60.0, minutes * 20):
                at_start = memory.resident_mb()
        volts, source = logbook.series(run.id, "battery", "V"), logbook.series(run.id, "source", "V")
        late = np.diff(volts.time_s)
        print(
            json.dumps(
                {
                    "minutes": round((time.monotonic() - began) / 60, 2),
                    "ended_by": session.progress.ended_by,
                    "trouble": session.progress.trouble,
                    "readings": len(volts),
                    "board_readings": len(source),
                    "longest_between_s": round(float(late.max()), 3),
                    "p99_between_s": round(float(np.percentile(late, 99)), 3),
                    "memory_growth_mb": round(memory.resident_mb() - at_start, 1),
                    "cpu_share": round((time.process_time() - cpu) / (time.monotonic() - began), 3),
                    "load_off": session.commands.text().splitlines()[-1].endswith("0") if session.commands else None,
                }
            )
        )
        logbook.close()
    world.close()


if __name__ == "__main__":
    main(float(sys.argv[1]) if len(sys.argv) > 1 else 20.0)
