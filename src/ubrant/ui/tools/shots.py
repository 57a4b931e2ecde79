"""One current picture of each main view, from the demo logbook: ``python -m ubrant.ui.tools.shots FOLDER``."""

from __future__ import annotations

import math
import shutil
import sys
import tempfile
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QEventLoop, Qt, QTimer

from ubrant.bench.orders import Order
from ubrant.bench.standins.world import World
from ubrant.core.quantities.jot import Grammar, TypedLine
from ubrant.demo.dome import demo_path, is_whole, make_demo
from ubrant.demo.kit import CLAMP, LEADS, WatchedClock
from ubrant.demo.outlooks import SHOWINGS
from ubrant.logbook.logbook import Logbook
from ubrant.runs.making.simulated import battery_scenario
from ubrant.runs.typed.typed_session import TypedSession
from ubrant.ui.common.method_form import TYPED
from ubrant.ui.window.application import make_application
from ubrant.ui.window.shell import COMPARE, FINDINGS, OUTLOOK, PREPARE, RUN, SHELF, MainWindow

_MINUTES_IN = 122.0
_SWEEP_S = 420.0


def take(folder: Path) -> list[Path]:
    """Write the pictures; returns their paths."""
    app = make_application()
    folder.mkdir(parents=True, exist_ok=True)
    if not is_whole(demo_path()):
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

        taken.append(shot_days(window, settle, folder / "days.png"))
        shot_discharge(window, settle, shot)
        shot_typed(window, settle, shot)
        shot_anything(window, settle, shot)
        shot_sweep(window, settle, shot)
        shot_outlook(window, settle, shot)
        shot_compare(window, shot)
        shot_findings_by_hand(window, shot)
        taken.append(shot_import(window, Path(spare), settle, folder / "import.png"))
        window.close()
        taken.append(shot_first_page(Path(spare), settle, folder / "first-page.png"))
    app.quit()
    return taken


def shot_discharge(window: MainWindow, settle: Callable[[int], None], shot: Callable[[str, int], None]) -> None:
    """From the shelf over a run that goes on to what one found."""
    bench = window.bench
    units = {unit.name: unit for unit in bench.logbook.units()}
    bench.choose_unit(units["Dome pack A"].id)
    window.go_to(SHELF)
    while window.shelf.is_busy:
        settle(100)
    shot("shelf", SHELF)
    window.shelf.show_meter(next(meter for meter in bench.logbook.meters() if meter.name == CLAMP.name))
    shot("meter", SHELF)
    bench.choose_unit(units["Dome pack A"].id)
    bench.test_wanted.emit(units["Dome pack A"].id)
    settle(400)
    shot("prepare", PREPARE)
    form = window.prepare.form
    form.fields["every"].setText("2 s")  # type: ignore[union-attr]
    form.bench.setCurrentIndex(form.bench.findData(math.inf))
    window.prepare.start()
    assert bench.session is not None
    for _ in range(2):
        bench.session.order(Order.DONE)
    jotted = False
    while bench.session.progress.time_s < _MINUTES_IN * 60:
        settle(50)
        if not jotted and bench.session.progress.time_s > 1700:
            window.run.jot_line.jotted.emit(TypedLine("fan started"))
            jotted = True
    window.run.tick()
    shot("run", RUN)
    bench.session.end()
    settle(800)
    names = {name: run.id for run, name in reversed(bench.logbook.runs()) if run.state == "done" and run.ended_by == "cut-off"}
    bench.run_opened.emit(names["Dome pack B"])
    window.findings.ledger.row("charge").set_open(True)
    shot("findings", FINDINGS)


def shot_findings_by_hand(window: MainWindow, shot: Callable[[str, int], None]) -> None:
    """What was found with displays, a clock and a meter or two."""
    runs = window.bench.logbook.runs()
    for name, (method, unit) in _BY_HAND.items():
        run = next((run for run, of in runs if (run.method, of) == (method, unit)), None)
        if run is not None:
            window.findings.open_run(run.id)
            shot(name, FINDINGS)


_BY_HAND = {
    "output": ("output", "Ticket bank"),
    "ways": ("ways", "Hall station"),
    "balance": ("balance", "Dome pack A"),
    "meter-check": ("meter-check", "Dome pack A"),
    "ladder": ("ladder", "Exit light"),
}


def shot_outlook(window: MainWindow, settle: Callable[[int], None], shot: Callable[[str, int], None]) -> None:
    """Whether the dome lasts three showings."""
    window.go_to(OUTLOOK)
    outlook = window.outlook
    settle(200)
    kept = outlook.kept_box.findText(SHOWINGS, Qt.MatchFlag.MatchStartsWith)
    outlook.kept_box.setCurrentIndex(kept)
    outlook.kept_box.activated.emit(kept)
    settle(7500)
    shot("outlook", OUTLOOK)


def shot_compare(window: MainWindow, shot: Callable[[str, int], None]) -> None:
    """Two packs, and one of them twice."""
    days = {(name, run.started[:10]): run.id for run, name in window.bench.logbook.runs(limit=-1)}
    for wanted in (("Dome pack A", "2026-10-17"), ("Dome pack B", "2026-09-12"), ("Dome pack A", "2026-08-22")):
        window.bench.compare_wanted.emit(days[wanted])
    shot("compare", COMPARE)


def shot_days(window: MainWindow, settle: Callable[[int], None], path: Path) -> Path:
    """A weekend at the bench, on Sunday afternoon."""
    window.days_in.clock = lambda: datetime(2026, 11, 8, 15, 30).astimezone()
    window.bench.days_changed.emit()
    window.show_days()
    window.days.show_as(1)
    settle(6500)  # until what was told has gone
    window.grab().save(str(path))
    return path


def shot_sweep(window: MainWindow, settle: Callable[[int], None], shot: Callable[[str, int], None]) -> None:
    """A sweep half way through, and one that is done."""
    bench = window.bench
    units = {unit.name: unit for unit in bench.logbook.units()}
    bench.test_wanted.emit(units["Step-down one"].id)
    form = window.prepare.form
    form.bench.setCurrentIndex(form.bench.findData(math.inf))
    form.meters["output"].setCurrentIndex(form.meters["output"].findText("Bench meter two"))
    settle(400)
    window.prepare.start()
    assert bench.session is not None
    bench.session.order(Order.DONE)
    while bench.session.running and bench.session.progress.time_s < _SWEEP_S:
        settle(20)
    for _ in range(20):
        window.run.tick()
    shot("sweep", RUN)
    bench.session.end()
    settle(800)
    for name, unit, method in (("load-steps", "Attic 150", "steps"),):
        done = next(run for run, of in bench.logbook.runs() if run.method == method and of == unit and run.state == "done")
        bench.run_opened.emit(done.id)
        shot(name, FINDINGS)


def shot_typed(window: MainWindow, settle: Callable[[int], None], shot: Callable[[str, int], None]) -> None:
    """A run that is being typed, an hour and a half in, by what a simulated clamp shows."""
    bench = window.bench
    unit = next(u for u in bench.logbook.units() if u.name == "Dome pack A")
    clock = WatchedClock()
    bench.clock = lambda: clock
    bench.test_wanted.emit(unit.id)
    form = window.prepare.form
    form.meters["battery"].setCurrentIndex(form.meters["battery"].findText(CLAMP.name))
    form.bench.setCurrentIndex(form.bench.findData(TYPED))
    settle(300)
    window.prepare.start()
    assert bench.session is not None and bench.run is not None
    world = World(battery_scenario(unit, CLAMP, LEADS.resistance_ohm, 1))
    world.set_load(10.0)
    for _ in range(2):
        bench.session.order(Order.DONE)
    for minutes, words in (
        (1, "{v:.2f} V"),
        (2, "load on {v:.2f} V {a:.2f} A"),
        (25, "{v:.2f} V {a:.2f} A fan started"),
        (55, "{v:.2f} V {a:.2f} A"),
        (80, "{v:.2f} V {a:.2f} A temp {c:.0f} C"),
        (92, ""),
    ):
        clock.time_s = 60.0 * minutes
        world.advance_to(clock.time_s)
        if words:
            line = words.format(v=world.meter_voltage(), a=world.meter_current(), c=world.circuit.pack.temperature_c)
            jotting = Grammar().parse(line)
            assert jotting is not None
            window.run.jot_line.jotted.emit(jotting)
        if minutes == 1:
            world.switch(True)
    window.go_to(RUN)
    window.run.jot_line.setText(f"{world.meter_voltage():.2f} V {world.meter_current():.2f} A case hand-warm")
    for _ in range(20):
        window.run.tick()
    shot("typed", RUN)
    window.run.jot_line.clear()
    bench.session.end()
    settle(600)


def shot_import(window: MainWindow, spare: Path, settle: Callable[[int], None], path: Path) -> Path:
    """Logs of three packs on their way in, two of them of one that is new: what the simulated bench read, as loggers write it."""
    from ubrant.runs.coming_in.arriving import FileReader
    from ubrant.ui.findings.import_dialog import ImportDialog

    paths: list[Path] = []
    for run, unit in window.bench.logbook.runs(limit=-1):
        kept = window.bench.logbook.kept(run).readings if run.method == "discharge" and unit in _LOGGED else {}
        volts, amps = kept.get(("battery", "V")), kept.get(("battery", "A"))
        if volts is None or amps is None or len(paths) == _MOST_LOGS:
            continue
        wanted = spare / f"{_LOGGED[unit]} {run.started[:10]}.csv"
        rows = zip(volts.time_s, volts.value, np.interp(volts.time_s, amps.time_s, amps.value), strict=True)
        wanted.write_text("Time (s),Voltage (V),Current (A)\n" + "".join(f"{t:.0f},{v:.3f},{a:.3f}\n" for t, v, a in rows))
        paths.append(wanted)
    dialog = ImportDialog(window.bench, FileReader(paths).read(), window)
    dialog.show()
    dialog.resize(1020, 690)
    for owner in list(dialog.arrivals.new):
        dialog.arrivals.relabel(owner, "12 V 45 Ah lead-acid, 20 h rate, to 10.5 V")
    dialog.table.selectAll()
    dialog.meter_box.setCurrentIndex(0)
    dialog.full_box.setCurrentIndex(dialog.full_box.findData(True))
    while any(row.told is None for row in dialog.arrivals.rows):
        settle(100)
    settle(300)
    dialog.grab().save(str(path))
    dialog.close()
    return path


_LOGGED = {"Dome pack A": "Dome pack A", "Dome pack B": "dome_pack_b", "Hall block": "spare block"}
"""As the files of a unit's runs are called."""
_MOST_LOGS = 9


def shot_first_page(spare: Path, settle: Callable[[int], None], path: Path) -> Path:
    """An empty shelf, and a label that has just been typed."""
    window = MainWindow(Logbook(spare / "empty.ubrant"))
    window.resize(1280, 800)
    window.show()
    window.shelf.first.label_text.setText("12 V 45 Ah lead-acid")
    settle(400)
    window.grab().save(str(path))
    window.close()
    return path


def shot_anything(window: MainWindow, settle: Callable[[int], None], shot: Callable[[str, int], None]) -> None:
    """An inverter on a battery that is charged meanwhile, by whatever meters there are, and one reading that does not go with the rest."""
    bench, clock = window.bench, WatchedClock()
    unit = next(u for u in bench.logbook.units() if u.name == "Attic 150")
    bench.clock = lambda: clock
    bench.test_wanted.emit(unit.id)
    form = window.prepare.form
    form.choose_method("anything")
    for tap in ("battery", "input"):
        form.meters[tap].setCurrentIndex(form.meters[tap].findText(CLAMP.name))
    form.bench.setCurrentIndex(form.bench.findData(TYPED))
    settle(300)
    window.prepare.start()
    assert isinstance(bench.session, TypedSession)
    bench.session.order(Order.DONE)
    lines = (
        "charger 13.40 V 4.02 A battery 13.12 V 6.1 A input 12.98 V 10.1 A output 230 V 112 W",
        "charger 13.38 V 4.00 A battery 13.05 V 9.4 A input 12.9 V 31.4 A",
    )
    for line in lines:
        clock.time_s += 600.0
        jotting = Grammar().parse(line)
        assert jotting is not None
        window.run.jot_line.jotted.emit(jotting)
    for _ in range(20):
        window.run.tick()
    shot("anything", RUN)
    bench.session.end()
    settle(600)


if __name__ == "__main__":
    for picture in take(Path(sys.argv[1])):
        print(picture)
