"""The real window with a run going on: ``python -m tests.crash.driver LOGBOOK slot|thread|wait``. Prints when the load is on, then does it."""

from __future__ import annotations

import sys
import threading
from pathlib import Path

from PyQt6.QtCore import QTimer

from tests.methods.discharge.making import begun, small_plan
from ubrant.bench.engine import Order
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.logbook.logbook import Logbook
from ubrant.runs.making.benches import BenchChoice
from ubrant.ui.window.application import guard_slots, make_application
from ubrant.ui.window.shell import MainWindow


def main() -> None:
    path, what = Path(sys.argv[1]), sys.argv[2]
    app = make_application()
    window = MainWindow(Logbook(path))
    guard_slots(app, window)
    window.show()
    bench = window.bench
    if what == "idle":
        QTimer.singleShot(0, lambda: print("load on", flush=True))
        sys.exit(app.exec())
    unit = bench.logbook.keep_unit(Unit("Small cell", "battery", "0.5 Ah 12.8 V LiFePO4"))
    run, session = begun(
        bench.logbook, small_plan(every_s=1.0, rest_before_s=2.0), unit, Meter("Meter", "0.1 %", "1 %"), BenchChoice(speed=100.0)
    )
    for _ in range(2):
        session.order(Order.DONE)
    bench.begin(run, session, None)

    def fail() -> None:
        raise RuntimeError("a slip in a slot")

    def look() -> None:
        if session.progress.load_on_s is None:
            return
        timer.stop()
        print("load on", flush=True)
        if what == "slot":
            QTimer.singleShot(100, fail)
        elif what == "thread":
            threading.Thread(target=fail).start()
        elif what == "session":
            app.commitDataRequest.emit(None)
        if what != "wait":
            reporting.start(50)

    def report() -> None:
        if what in {"slot", "thread"} and window.said() and session.running:
            print(f"going on {session.progress.phase}", flush=True)
            session.order(Order.END)
            return
        if session.running or (what in {"slot", "thread"} and not window.said()):
            return
        reporting.stop()
        kinds = [e.kind for e in session.live.events()]
        print(f"{session.progress.phase} {kinds[-1]} {window.isVisible()} {window.said()}", flush=True)
        window.close()
        app.quit()

    reporting = QTimer()
    reporting.timeout.connect(report)
    timer = QTimer()
    timer.timeout.connect(look)
    timer.start(50)
    sys.exit(app.exec())


main()
