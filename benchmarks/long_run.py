"""A 24 h run with the clock sped up, 1 Hz on three meters (battery, load, thermometer): ``python benchmarks/long_run.py [HOURS]``."""

from __future__ import annotations

import json
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import memory
from beginning import start_discharge

from ubrant.bench.engine import Order
from ubrant.core.battery.ending import Ends
from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.label import parse_label
from ubrant.logbook.logbook import Logbook
from ubrant.methods.discharge.procedure import usual_plan
from ubrant.runs.kept.accounts import account_of


def main(hours: float) -> None:
    label = parse_label("100 Ah 12.8 V LiFePO4")
    plan = replace(usual_plan(label, Leads()), current_a=3.8, every_s=1.0, limits=Ends(time_s=hours * 3600, temperature_c=80.0))
    with tempfile.TemporaryDirectory() as spare:
        logbook = Logbook(Path(spare) / "day.ubrant")
        unit = logbook.keep_unit(Unit("Pack", "battery", label.text, stand_in={"health": 1.0}))
        run, session = start_discharge(logbook, unit, plan, Meter("Meter", "0.1 %", "0.5 %"), Leads())
        for _ in range(2):
            session.order(Order.DONE)
        began = time.monotonic()
        session.start()
        held: list[tuple[float, float]] = []
        while session.running:
            session.join(0.5)
            held.append((session.progress.time_s / 3600, memory.resident_mb()))
        took = time.monotonic() - began
        count = sum(len(logbook.series(run.id, *key)) for key in logbook.taps(run.id))
        after_one_hour = next(mb for h, mb in held if h > hours / 24)
        _, found = account_of(logbook, logbook.run(run.id))
        print(
            json.dumps(
                {
                    "hours": hours,
                    "took_s": round(took, 1),
                    "ended_by": session.progress.ended_by,
                    "trouble": session.progress.trouble,
                    "readings": count,
                    "memory_after_1_h_mb": round(after_one_hour, 1),
                    "memory_at_end_mb": round(max(mb for _, mb in held), 1),
                    "of_data_mb": round(count * 16 / 2**20, 1),
                    "charge_ah": round(found.findings["charge"].value or 0.0, 3),
                    "gaps": len(found.gaps),
                }
            )
        )
        logbook.close()


if __name__ == "__main__":
    main(float(sys.argv[1]) if len(sys.argv) > 1 else 24.0)
