"""One current picture of each main view, from the demo logbook: ``python -m ubrant.ui.shots FOLDER``."""

from __future__ import annotations

import math
import shutil
import sys
import tempfile
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QTimer

from ubrant.bench.engine import Order
from ubrant.core.jot import Jotting
from ubrant.demo.dome import demo_path, make_demo
from ubrant.logbook.logbook import Logbook
from ubrant.ui.application import make_application
from ubrant.ui.shell import FINDINGS, OUTLOOK, PREPARE, RUN, SHELF, MainWindow

_MINUTES_IN = 122.0


def take(folder: Path) -> list[Path]:
    """Write the pictures; returns their paths."""
    app = make_application()
    folder.mkdir(parents=True, exist_ok=True)
    if not demo_path().exists():
        make_demo(demo_path())
    taken: list[Path] = []
    with tempfile.TemporaryDirectory() as spare:
        logbook = Path(spare) / "demo.ubrant"
        shutil.copy(demo_path(), logbook)
        window = MainWindow(Logbook(logbook), "Star-dome kit")
        window.resize(1280, 800)
        window.show()

        def settle(milliseconds: int) -> None:
            loop = QEventLoop()
            QTimer.singleShot(milliseconds, loop.quit)
            loop.exec()

        def shot(name: str, stage: int) -> None:
            window.go_to(stage)
            settle(400)
            path = folder / f"{name}.png"
            window.grab().save(str(path))
            taken.append(path)

        bench = window.bench
        units = {unit.name: unit for unit in bench.logbook.units()}
        bench.choose_unit(units["Dome pack A"].id)
        shot("shelf", SHELF)
        bench.test_wanted.emit(units["Dome pack A"].id)
        settle(400)
        shot("prepare", PREPARE)
        form = window.prepare.form
        form.every.setText("2 s")
        form.speed.setCurrentIndex(form.speed.findData(math.inf))
        window.prepare.start()
        assert bench.session is not None
        for _ in range(2):
            bench.session.order(Order.DONE)
        jotted = False
        while bench.session.progress.time_s < _MINUTES_IN * 60:
            settle(50)
            if not jotted and bench.session.progress.time_s > 1700:
                window.run.jot_line.jotted.emit(Jotting("fan started"))
                jotted = True
        window.run.tick()
        shot("run", RUN)
        bench.session.end()
        settle(800)
        names = {name: run.id for run, name in bench.logbook.runs() if run.state == "done" and run.ended_by == "cut-off"}
        bench.run_opened.emit(names["Dome pack B"])
        window.findings.ledger.row("charge").set_open(True)
        shot("findings", FINDINGS)
        outlook = window.outlook
        window.go_to(OUTLOOK)
        outlook.source_box.setCurrentIndex(outlook.source_box.findText("Dome pack A, run of 17 Oct 2026"))
        for name, text in (("load", "62 ± 2 W"), ("efficiency", "88 ± 2 %"), ("idle", "6 ± 1 W"), ("kept", "10 %"), ("hours", "10 h")):
            outlook.fields[name].setText(text)
        shot("outlook", OUTLOOK)
        window.close()
    app.quit()
    return taken


if __name__ == "__main__":
    for picture in take(Path(sys.argv[1])):
        print(picture)
