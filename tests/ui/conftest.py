"""A real window on a logbook, driven by keys and clicks."""

from __future__ import annotations

import gc

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QPushButton, QWidget

from ubrant.core.meter import Meter
from ubrant.core.unit import Unit
from ubrant.logbook.logbook import Logbook
from ubrant.ui import theme
from ubrant.ui.shell import MainWindow


@pytest.fixture(scope="session")
def dressed(qapp):
    theme.apply(qapp)
    gc.freeze()  # what is imported by now stays: the collections below are quick then
    return qapp


@pytest.fixture
def window(dressed, qtbot, tmp_path):
    made = MainWindow(Logbook(tmp_path / "bench.ubrant"))
    qtbot.addWidget(made, before_close_func=lambda w: w.bench.session and w.bench.session.end())
    made.show()
    with qtbot.waitActive(made):
        made.activateWindow()
    yield made
    gc.collect()  # here, in the window's own thread, and not in whichever thread the next collection falls into


@pytest.fixture
def stocked(window):
    """The window with one small pack and one good meter on the shelf."""
    window.bench.logbook.keep_meter(Meter("Bench meter", "0.05 % + 5 mV", "0.2 % + 5 mA", max_v=60, max_a=20))
    window.bench.keep_unit(Unit("Small pack", "battery", "0.5 Ah 12.8 V LiFePO4", stand_in={"health": 0.97}))
    return window


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
