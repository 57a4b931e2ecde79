"""Random keys, clicks, wheel and pastes on the real window, its dialogs among them: nothing breaks, nothing is lost or made."""

from __future__ import annotations

import random
import sys
import traceback
from pathlib import Path

import pytest
from PyQt6.QtCore import QEventLoop, QPoint, QPointF, Qt, QTimer, qInstallMessageHandler
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialog, QFileDialog, QMenu, QMenuBar, QWidget

from tests.making import METER, STEP_DOWN, prepared
from tests.window import keep_discharge, needs
from ubrant.core.equipment.unit import Unit
from ubrant.demo.kit import WatchedClock
from ubrant.methods.registry import entries, method_of
from ubrant.runs.making.begin import start_by_hand

FEW, MANY, WARM, MOST_MB = 200, 10_000, 3000, 10.0
PASTES = (
    "12.05 0.262 5.06 0.5",
    "12.05\t0.03\t5.04\t0\n12.04\t0.26\t5.03\t0.5\n",
    "time,in V\n12:00,1",
    "<b>x</b> & 9",
    "12.9 V 4.1 A",
    "",
)
KEYS = [*"0123456789.,-+/ VAWxeatb", *(Qt.Key.Key_Return, Qt.Key.Key_Tab, Qt.Key.Key_Escape, Qt.Key.Key_Backspace, Qt.Key.Key_Delete)]
KEYS += [Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_F2, Qt.Key.Key_Home]


class Monkey:
    """One action after the other in the event loop, on whatever window is on top."""

    def __init__(self, window, seed: int) -> None:
        self.window, self.chance, self.clock = window, random.Random(seed), WatchedClock()
        self.broken: list[str] = []
        self.sizes: dict[int, float] = {}

    def begin(self) -> None:
        """A run that is typed."""
        bench = self.window.bench
        here = {entry.key for entry in entries()}
        each = (("sweep", STEP_DOWN), ("discharge", Unit("Block", "battery", "12 V 45 Ah lead-acid")), ("idle", STEP_DOWN))
        key, unit = self.chance.choice([one for one in each if one[0] in here])
        method = method_of(key)
        made = prepared(key, unit, (METER, METER))
        run, session = start_by_hand(bench.logbook, method, method.by_person(made), lambda: self.clock)
        bench.begin(run, session, None)

    def act(self) -> None:
        bench = self.window.bench
        self.clock.time_s += self.chance.uniform(0.1, 60.0)
        if not bench.is_running and QApplication.activeModalWidget() is None and self.chance.random() < 0.05:
            self.begin()
        if (popup := QApplication.activePopupWidget()) is not None and self.chance.random() < 0.5:
            popup.close()
            return
        top = QApplication.activeModalWidget() or self.window
        shown = [w for w in top.findChildren(QWidget) if w.isVisible() and w.isEnabled() and not isinstance(w, QMenu | QMenuBar)]
        if not shown:
            return
        target, what = self.chance.choice(shown), self.chance.random()
        place = QPoint(self.chance.randrange(max(target.width(), 1)), self.chance.randrange(max(target.height(), 1)))
        focus = QApplication.focusWidget() or target
        if what < 0.35:
            QTest.mouseClick(target, Qt.MouseButton.LeftButton, pos=place)
        elif what < 0.75:
            QTest.keyClick(focus, self.chance.choice(KEYS))
        elif what < 0.85:
            at = QPointF(place)
            turn = QPoint(0, self.chance.choice((-120, 120)))
            none, no_keys = Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier
            wheel = QWheelEvent(at, QPointF(target.mapToGlobal(place)), turn, turn, none, no_keys, Qt.ScrollPhase.NoScrollPhase, False)
            QApplication.sendEvent(target, wheel)
        elif what < 0.9:
            clipboard = QApplication.clipboard()
            clipboard.setText(self.chance.choice(PASTES))
            QTest.keyClick(focus, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
        elif what < 0.92:
            QTest.keyClick(focus, self.chance.choice((Qt.Key.Key_R, Qt.Key.Key_F, Qt.Key.Key_C)), Qt.KeyboardModifier.ControlModifier)
        elif what < 0.97:
            shift = Qt.KeyboardModifier.ShiftModifier if self.chance.random() < 0.4 else Qt.KeyboardModifier.NoModifier
            QTest.keyClick(focus, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | shift)
        elif isinstance(top, QDialog):
            top.reject()
        else:
            self.window.go_to(self.chance.randrange(6))

    def look(self, number: int) -> None:
        """What the table shows is what is kept."""
        bench = self.window.bench
        if bench.is_running and bench.session.is_typed:
            kept = sorted((j.time_s, j.line) for j in bench.logbook.jots(bench.run.id))
            shown = sorted((time_s, jotting.line) for time_s, jotting in bench.session.live.jots())
            if kept != shown:
                self.broken.append(f"action {number}: kept {kept}, shown {shown}")
        self.sizes[number] = int(Path("/proc/self/statm").read_text("ascii").split()[1]) * 4096 / 1e6


def let_loose(window, monkeypatch, actions: int, seed: int) -> Monkey:
    monkey = Monkey(window, seed)
    for name in ("getOpenFileName", "getSaveFileName"):
        monkeypatch.setattr(QFileDialog, name, lambda *a, **k: ("", ""))
    monkeypatch.setattr(sys, "excepthook", lambda *what: monkey.broken.append("".join(traceback.format_exception(*what)[-3:])))
    before = qInstallMessageHandler(lambda kind, where, text: None if "plugin does not support" in text else monkey.broken.append(text))
    loop, left = QEventLoop(), iter(range(1, actions + 1))

    def step() -> None:
        number = next(left, None)
        if number is None and (above := QApplication.activePopupWidget() or QApplication.activeModalWidget()) is not None:
            above.close()  # each is a loop of its own within this one
            QTimer.singleShot(0, step)
            return
        if number is None:
            loop.quit()
            return
        QTimer.singleShot(1, step)  # what an action has set going is done before the next one: nobody is quicker than the event loop
        monkey.act()
        if number % 100 == 0 or number == actions:
            monkey.look(number)

    QTimer.singleShot(0, step)
    try:
        loop.exec()
    finally:
        qInstallMessageHandler(before)
    return monkey


def stock(window) -> None:
    needs("discharge")
    unit = window.bench.logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    keep_discharge(window.bench.logbook, unit)
    window.bench.logbook.keep_meter(METER)
    window.bench.logbook.keep_unit(STEP_DOWN)
    window.bench.shelf_changed.emit()


@pytest.mark.parametrize("seed", [1, pytest.param(2, marks=pytest.mark.slow)])
def test_some_hundred_actions(window, monkeypatch, seed):
    stock(window)
    assert let_loose(window, monkeypatch, FEW, seed).broken == []


@pytest.mark.slow
@pytest.mark.parametrize("seed", [3, 4])
def test_twenty_thousand_actions(window, monkeypatch, seed):
    """In two halves, each in a window of its own."""
    stock(window)
    monkey = let_loose(window, monkeypatch, MANY, seed)
    assert monkey.broken == []
    assert monkey.sizes[MANY] - monkey.sizes[WARM] < MOST_MB
