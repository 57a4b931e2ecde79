"""What a typed row costs, CPU of all threads, once there are many: ``python benchmarks/typed_rows.py [HOW_MANY]``. The 5 000th against the 50th."""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QThreadPool
from PyQt6.QtWidgets import QApplication

from ubrant.bench.orders import Order
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.jot import Grammar
from ubrant.core.record.head import Setup
from ubrant.demo.kit import WatchedClock
from ubrant.logbook.logbook import Logbook
from ubrant.methods.registry import method_of
from ubrant.runs.making.begin import start_by_hand
from ubrant.runs.typed.jotting import take_down
from ubrant.ui.window.application import make_application
from ubrant.ui.window.shell import RUN, MainWindow

EACH = 40


class Desk:
    """A window with a discharge of so many rows, going on."""

    def __init__(self, app: QApplication, folder: Path, rows: int) -> None:
        self.app, self.clock, self.number = app, WatchedClock(), 1
        self.window = MainWindow(Logbook(folder / f"{rows}.ubrant"))
        self.window.show()
        bench = self.window.bench
        unit = bench.keep_unit(Unit("Pack", "battery", "500 Ah 12.8 V LiFePO4"))
        method = method_of("discharge")
        made = method.prepare(Setup(unit), {one.key: one.usual for one in method.form(Setup(unit))})
        run, self.session = start_by_hand(bench.logbook, method, made, lambda: self.clock)
        while self.session.progress.phase == "asking":
            self.session.order(Order.DONE)
        bench.begin(run, self.session, None)
        self.window.go_to(RUN)
        while self.number < rows:
            line = f"{'load on ' if self.number == 1 else ''}{self._volts()} V 5.000 A"
            take_down(bench.logbook, run, Grammar().parse(line), 10.0 * self.number, self.session)
            self._later()
        self._show()

    def row(self) -> tuple[float, float]:
        """CPU seconds of one more, typed into the table and shown: of the window's own thread, and of all, with the account made beside it."""
        for _ in range(3):  # what the other window left to do is not this one's
            self.app.processEvents()
        began, own = time.process_time(), time.thread_time()
        self.window.run.table.take_typed(f"{self._volts()} 5.000")
        self.app.processEvents()
        self._show()
        self._later()
        return time.thread_time() - own, time.process_time() - began

    def _volts(self) -> str:
        return f"{13.2 - 0.0002 * self.number:.4f}"

    def _later(self) -> None:
        self.number += 1
        self.clock.time_s = 10.0 * self.number

    def _show(self) -> None:
        """What is there is in the window, with its account."""
        self.window.run.tick()
        pool = QThreadPool.globalInstance()
        assert pool is not None
        pool.waitForDone()
        self.app.processEvents()


def main(most: int) -> None:
    app = make_application()
    with tempfile.TemporaryDirectory() as folder:
        desks = [Desk(app, Path(folder), rows) for rows in (50, most)]
        costs = np.array([[desk.row() for desk in desks] for _ in range(EACH)])  # in turn, so that a slow moment hits both
        said = []
        for what, place in (("in the window's thread", 0), ("with the account beside it", 1)):
            few, many = 1000 * np.median(costs[:, :, place], axis=0)
            ratio = np.median(costs[:, 1, place] / costs[:, 0, place])
            said.append(f"{what}: {few:.1f} ms CPU at 50 rows, {many:.1f} at {most}: {ratio:.2f} ×")
        print("; ".join(said))
        for desk in desks:
            desk.session.end()


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 5000)
