"""1 000 readings a second from four sources over sockets, in the real window: ``python benchmarks/live.py [SECONDS]``."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import memory
import numpy as np
from beginning import start_discharge
from PyQt6.QtCore import QEvent, QEventLoop, QObject, QTimer

from ubrant.bench.engine import Order
from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.label import parse_label
from ubrant.logbook.logbook import Logbook
from ubrant.methods.discharge.procedure import usual_plan
from ubrant.runs.making.benches import BenchChoice
from ubrant.ui.window.application import make_application
from ubrant.ui.window.shell import RUN, MainWindow

TAPS = ("battery", "load", "input", "output")
PER_SECOND = 62.5  # lines of four readings


class Frames(QObject):
    """When the trace was painted."""

    def __init__(self) -> None:
        super().__init__()
        self.at: list[float] = []

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Paint:
            self.at.append(time.monotonic())
        return False


def wait(seconds: float) -> None:
    loop = QEventLoop()
    QTimer.singleShot(round(seconds * 1000), loop.quit)
    loop.exec()


def main(seconds: float) -> None:
    app = make_application()
    server = subprocess.Popen(
        [sys.executable, str(Path(__file__).with_name("lines.py")), str(PER_SECOND)], stdout=subprocess.PIPE, text=True
    )
    assert server.stdout is not None
    ports = json.loads(server.stdout.readline())
    boards = [
        Meter(
            f"Board {tap}",
            "0.1 %",
            "0.5 %",
            details=MeterDetails(connection="lines", address=f"socket://127.0.0.1:{port}", profile="1 Hz, 2 V, 3 A, 4 Wh", tap=tap),
        )
        for tap, port in zip(TAPS, ports, strict=True)
    ]
    with tempfile.TemporaryDirectory() as spare:
        window = MainWindow(Logbook(Path(spare) / "live.ubrant"), "Live")
        window.resize(1280, 800)
        window.show()
        logbook = window.bench.logbook
        unit = logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
        plan = replace(usual_plan(parse_label(unit.label_text), Leads(0.0)), every_s=0.2, rest_before_s=1.0, by_hand=True)
        run, session = start_discharge(
            logbook, unit, plan, boards[0], Leads(0.0), choice=BenchChoice("bench", 1.0, None, None, tuple(boards[1:]))
        )
        window.bench.begin(run, session, None)
        frames = Frames()
        window.run.drawn.trace.viewport().installEventFilter(frames)
        for _ in range(3):
            session.order(Order.DONE)
            wait(1.0)
        wait(10.0)
        warm, from_n = memory.resident_mb(), len(session.live.series("battery", "V"))
        began = time.monotonic()
        frames.at.clear()
        wait(seconds)
        took, painted = time.monotonic() - began, np.array(frames.at)
        grown = memory.resident_mb() - warm
        assert window.stage() == RUN
        lateness, missing, total = [], 0, 0
        zero = time.clock_gettime(time.CLOCK_BOOTTIME) - session.progress.time_s
        for tap in TAPS:
            sent, volts = session.live.series(tap, "Hz"), session.live.series(tap, "V")
            total += 4 * len(volts)
            lateness.append(volts.time_s + zero - sent.value[: len(volts)])
            missing += int((np.diff(session.live.series(tap, "Wh").value) - 1).sum())
        late = np.concatenate(lateness)
        late -= late.min()  # the run's clock and the boot clock differ by a constant
        data_mb = 4 * 16 * PER_SECOND * len(TAPS) * took / 2**20
        print(
            json.dumps(
                {
                    "readings_per_s": round(total / (session.progress.time_s), 0),
                    "from": from_n,
                    "missing": missing,
                    "p99_late_ms": round(1000 * float(np.percentile(late, 99)), 1),
                    "frames_per_s": round(len(painted) / took, 1),
                    "longest_gap_s": round(float(np.diff(painted).max()), 3),
                    "memory_growth_mb": round(grown, 1),
                    "of_data_mb": round(data_mb, 1),
                }
            ),
            flush=True,
        )
        session.end()
        window.close()
    server.kill()
    app.quit()


if __name__ == "__main__":
    main(float(sys.argv[1]) if len(sys.argv) > 1 else 60.0)
