"""A real window on a logbook, driven by keys and clicks."""

from __future__ import annotations

import gc
import math
import shutil
from pathlib import Path

import pytest
from PyQt6.QtCore import QSettings, Qt, QThreadPool, QTimer
from PyQt6.QtWidgets import QApplication, QPushButton, QWidget

from tests.making import PLUG, falling
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.demo.kit import WatchedClock
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.logs.log_file import LogFile
from ubrant.logbook.records import Run
from ubrant.methods.registry import entries
from ubrant.runs.coming_in.bringing_in import LogOptions, from_log, keep, under_options
from ubrant.ui.widgets import theme
from ubrant.ui.window.shell import FINDINGS, RUN, MainWindow


@pytest.fixture(scope="session")
def dressed(qapp):
    theme.apply(qapp)
    gc.freeze()  # what is imported by now stays: the collections below are quick then
    return qapp


def let_go() -> None:
    """What is still done in the background holds the window: wait for it, then collect here, in the window's own thread, and not in whichever comes next."""
    pool = QThreadPool.globalInstance()
    assert pool is not None
    pool.waitForDone(10_000)
    QApplication.processEvents()
    gc.collect()
    gc.enable()  # the window that has gone collected by itself
    gc.freeze()  # what has lasted until here lasts: the next collection need not look through it again


@pytest.fixture
def window(dressed, qtbot, tmp_path, empty_logbook):
    for kept_as in (QSettings.Format.NativeFormat, QSettings.Format.IniFormat):  # what one test sets is not what the next one finds
        QSettings.setPath(kept_as, QSettings.Scope.UserScope, str(tmp_path / "settings"))
    made = MainWindow(Logbook(Path(shutil.copy(empty_logbook, tmp_path))))
    qtbot.addWidget(made, before_close_func=lambda w: w.bench.session and w.bench.session.end())
    made.show()
    with qtbot.waitActive(made):
        made.activateWindow()
    yield made
    let_go()


@pytest.fixture
def stocked(window):
    """The window with one small pack and one good meter on the shelf."""
    window.bench.logbook.keep_meter(Meter("Bench meter", "0.05 % + 5 mV", "0.2 % + 5 mA", max_v=60, max_a=20))
    window.bench.keep_unit(Unit("Small pack", "battery", "0.5 Ah 12.8 V LiFePO4", stand_in={"health": 0.97}))
    return window


def needs(key: str) -> None:
    """Leave out what is shown with a method that is not here."""
    if key not in {entry.key for entry in entries()}:
        pytest.skip(f"{key} is not here")


def click(qtbot, within: QWidget, text: str) -> None:
    """Press the button that says this."""
    QApplication.processEvents()
    shown = [b for b in within.findChildren(QPushButton) if b.isVisible()]
    found = [b for b in shown if b.text() == text]
    assert found, f"no button says “{text}”; there are {[b.text() for b in shown]}"
    qtbot.mouseClick(found[0], Qt.MouseButton.LeftButton)
    QApplication.processEvents()


def type_into(qtbot, field, text: str) -> None:
    """Replace what a field says, key by key."""
    field.setFocus()
    field.selectAll()
    qtbot.keyClick(field, Qt.Key.Key_Delete)
    qtbot.keyClicks(field, text)


def jot(qtbot, stage, line: str, *, enters: int = 1) -> None:
    """Type a line at a stage's jot line."""
    type_into(qtbot, stage.jot_line, line)
    for _ in range(enters):
        qtbot.keyClick(stage.jot_line, Qt.Key.Key_Return)


@pytest.fixture
def bench_window(window):
    """A window with meters, a battery and a clock that the test turns."""
    window.bench.logbook.keep_meter(Meter("In", "0.05 % + 5 mV", "0.2 % + 5 mA", max_v=60, max_a=100))
    window.bench.logbook.keep_meter(PLUG)
    window.bench.keep_unit(Unit("Block", "battery", "12 V 45 Ah lead-acid, 20 h rate, to 10.5 V"))
    window.clock = WatchedClock()
    window.bench.clock = lambda: window.clock
    return window


def prepare(window, unit: Unit, method: str, *, by_hand: bool = True, **fields) -> None:
    kept = window.bench.keep_unit(unit)
    window.bench.test_wanted.emit(kept.id)
    form = window.prepare.form
    form.choose_method(method)
    if len(form.method.roads) > 1:
        form.bench.setCurrentIndex(form.bench.findText("by hand: I type the readings") if by_hand else form.bench.findData(600.0))
    for name, text in fields.items():
        form.fields[name].setText(text)
    window.prepare.look()


def begin(window, qtbot) -> None:
    assert window.prepare.start_button.isEnabled(), window.prepare.problems()
    click(qtbot, window.prepare, "Start the run")
    assert window.stage() == RUN
    window.run.tick()
    click(qtbot, window.run, "Done, go on")
    window.run.tick()


def say_line(window, qtbot, line: str, after_s: float = 60.0) -> None:
    window.clock.time_s += after_s
    jot(qtbot, window.run, line, enters=2)
    window.run.jot_line.clear()
    window.run.tick()


def typed_row(qtbot, window, line: str) -> None:
    """Numbers typed into the row at the foot of the table, and Enter."""
    _type_over(qtbot, window.run.table.view, line)
    window.run.tick()


def write_cell(qtbot, table, place: int, key, text: str) -> None:
    """Type over one cell of a row that is there."""
    table._go(place, key)
    _type_over(qtbot, table.view, text)


def _type_over(qtbot, view, text: str) -> None:
    view.setFocus()
    qtbot.keyClicks(view, text[0])
    editor = QApplication.focusWidget()
    qtbot.keyClicks(editor, text[1:])
    qtbot.keyClick(editor, Qt.Key.Key_Return)
    settle()


def settle() -> None:
    """A cell is left, then what was written into it is looked at, then the table is shown anew: each in its turn."""
    for _ in range(3):
        QApplication.processEvents()


def close(window, qtbot):
    click(qtbot, window.run, "Close the run")
    window.run.tick()
    QApplication.processEvents()
    assert window.stage() == FINDINGS
    return window.findings.account


def answered(kind, answer) -> list:
    """Answer the next dialog of a kind."""
    seen = []

    def look() -> None:
        for widget in QApplication.topLevelWidgets():
            if isinstance(widget, kind) and widget.isVisible():
                seen.append(widget)
                try:
                    answer(widget)
                except BaseException:
                    widget.close()  # whatever went wrong: it must not stand open
                    raise
                return
        QTimer.singleShot(20, look)

    QTimer.singleShot(20, look)
    return seen


def keep_discharge(book: Logbook, unit: Unit | None = None, hours: float = 5.0) -> Run:
    """A log of five hours at 10 A, kept as a unit's run."""
    needs("discharge")
    body = falling(hours)
    kept = from_log(LogFile("pack.csv", body.time_s, body.voltage_v, body.current_a))
    told = LogOptions(
        said={"cutoff": "11 V"}, meters={"battery": Meter("Bench meter", "0.1 % + 3 mV", "0.5 % + 5 mA")}, unit=unit, full=True
    )
    return keep(book, under_options(kept, told), unit)


def start(window, qtbot, speed=math.inf, **fields):
    """From the shelf to a run whose questions are answered with Enter."""
    needs("discharge")
    click(qtbot, window.shelf, "Prepare a test")
    form = window.prepare.form
    for name, text in fields.items():
        type_into(qtbot, form.fields[name], text)
    form.bench.setCurrentIndex(form.bench.findData(speed))
    window.prepare.look()
    click(qtbot, window.prepare, "Start the run")
    assert window.stage() == RUN
    for text in ("Charge it fully", "Connect the meter"):
        qtbot.waitUntil(lambda t=text: window.run.done_button.isVisible() and window.run.ask_text.text().startswith(t), timeout=60_000)
        qtbot.keyClick(window.run.done_button, Qt.Key.Key_Return)
