"""What a typed row costs, CPU of all threads, once there are many: ``python benchmarks/typed_rows.py [HOW_MANY]``. The 5 000th against the 50th."""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

from PyQt6.QtCore import QThreadPool
from PyQt6.QtWidgets import QApplication

from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.jot import Grammar
from ubrant.core.record.head import Setup
from ubrant.demo.kit import WatchedClock
from ubrant.logbook.logbook import Logbook
from ubrant.methods.registry import method_of
from ubrant.runs.begin import start_by_hand
from ubrant.runs.jotting import take_down
from ubrant.ui.application import make_application
from ubrant.ui.shell import RUN, MainWindow

EACH = 20


def volts(k: int) -> str:
    return f"{13.2 - 0.0002 * k:.4f}"


def typed(window: MainWindow, app: QApplication, clock: WatchedClock, first: int) -> tuple[float, float]:
    """CPU seconds of one row, typed into the table and shown: of the window's own thread, and of all, with the account made beside it."""
    table, began, own = window.run.table, time.process_time(), time.thread_time()
    for k in range(first, first + EACH):
        clock.time_s = 10.0 * k
        table.take_typed(f"{volts(k)} 5.000")
        app.processEvents()
        window.run.tick()
        pool = QThreadPool.globalInstance()
        assert pool is not None
        pool.waitForDone()
        app.processEvents()
    return (time.thread_time() - own) / EACH, (time.process_time() - began) / EACH


def main(most: int) -> None:
    app = make_application()
    with tempfile.TemporaryDirectory() as folder:
        window = MainWindow(Logbook(Path(folder) / "rows.ubrant"))
        window.show()
        unit = window.bench.keep_unit(Unit("Pack", "battery", "500 Ah 12.8 V LiFePO4"))
        method, clock = method_of("discharge"), WatchedClock()
        made = method.prepare(Setup(unit), {one.key: one.usual for one in method.form(Setup(unit))})
        run, session = start_by_hand(window.bench.logbook, method, made, lambda: clock)
        while session.progress.phase == "asking":
            session.order(session_done())
        window.bench.begin(run, session, None)
        window.go_to(RUN)
        costs = {}
        k = 1
        for until in (50, most):
            while k < until:
                take_down(
                    window.bench.logbook, run, Grammar().parse(f"{'load on ' if k == 1 else ''}{volts(k)} V 5.000 A"), 10.0 * k, session
                )
                clock.time_s = 10.0 * k
                k += 1
            window.run.tick()
            app.processEvents()
            costs[until] = typed(window, app, clock, k)
            k += EACH
        said = []
        for what, place in (("in the window's thread", 0), ("with the account beside it", 1)):
            few, many = (1000 * costs[n][place] for n in (50, most))
            said.append(f"{what}: {few:.1f} ms CPU at 50 rows, {many:.1f} at {most}: {many / few:.2f} ×")
        print("; ".join(said))
        session.end()


def session_done():  # type: ignore[no-untyped-def]
    from ubrant.bench.orders import Order

    return Order.DONE


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 5000)
