"""A run that has grown to 10 000 000 readings, in the real window: ``python benchmarks/long_ledger.py [READINGS]``. How long the window is busy with an update."""

from __future__ import annotations

import json
import os
import statistics
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from beginning import start_discharge
from PyQt6.QtCore import QEventLoop, QThreadPool, QTimer

from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.label import parse_label
from ubrant.core.quantities.readings import Series
from ubrant.core.record.events import LoadOn
from ubrant.logbook.logbook import Logbook
from ubrant.methods.discharge.procedure import usual_plan
from ubrant.ui.window.application import make_application
from ubrant.ui.window.shell import MainWindow


def wait(milliseconds: int) -> None:
    loop = QEventLoop()
    QTimer.singleShot(milliseconds, loop.quit)
    loop.exec()


def main(count: int) -> None:
    app = make_application()
    with tempfile.TemporaryDirectory() as spare:
        window = MainWindow(Logbook(Path(spare) / "long.ubrant"), "Long")
        window.resize(1280, 800)
        window.show()
        unit = window.bench.logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4", stand_in={"health": 1.0}))
        plan = usual_plan(parse_label(unit.label_text), Leads(0.0))
        run, session = start_discharge(window.bench.logbook, unit, plan, Meter("M", "0.1 %", "0.5 %"), Leads(0.0))
        window.bench.run, window.bench.session = run, session
        figures = {}
        for n in (count // 100, count):
            time_s = np.arange(n) * (18_000 / n)
            noise = np.random.default_rng(1).normal(0, 0.001, n)
            volts, amps = Series(time_s, 13.0 + noise), Series(time_s, 10 + noise)
            session.live.__init__()  # type: ignore[misc]
            session.live.begin_with({("battery", "V"): volts, ("battery", "A"): amps}, [LoadOn(0.0)])
            window.run.begin()
            window.run._timer.stop()
            busy, updates_ms, updates, last = [], [], 0, time_s[-1]
            pool = QThreadPool.globalInstance()
            assert pool is not None
            while updates < 12:
                for _ in range(3):
                    last += 0.01
                    session.live.reading("battery", "V", last, 13.0)
                    session.live.reading("battery", "A", last, 10.0)
                window.run._sums_due = 0
                began = time.perf_counter()
                window.run.tick()
                took = time.perf_counter() - began
                pool.waitForDone(60_000)
                began = time.perf_counter()
                app.processEvents()  # what came of it is shown
                busy.append(1000 * (took + time.perf_counter() - began))
                updates_ms.append(1000 * took)
                updates += 1
                wait(30)
            figures[n] = [round(statistics.median(part[2:]), 1) for part in (updates_ms, busy)]
        print(json.dumps({"readings": count, "update_ms, with painting": figures[count], "with a hundredth": figures[count // 100]}))
    sys.stdout.flush()
    os._exit(0)  # nothing of it is kept


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 10_000_000)
