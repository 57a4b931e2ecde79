"""Shared widgets, each by itself."""

from __future__ import annotations

import math
import threading

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QProgressDialog, QWidget

from ubrant.core.quantities.jot import TypedLine
from ubrant.core.quantities.readings import Series
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.uncertainty.contributions import Contribution
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.sources import ErrorKind, ErrorSource
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import QuantityField
from ubrant.ui.widgets.jot_line import JotLine
from ubrant.ui.widgets.ledger import Ledger
from ubrant.ui.widgets.power_path_view import PowerPathView
from ubrant.ui.widgets.theme import color
from ubrant.ui.widgets.trace import Trace
from ubrant.ui.widgets.work import in_background

LONG_MS = 20_000
CHARGE = Finding(
    "charge",
    "Charge delivered",
    48.87,
    "Ah",
    (Contribution(ErrorSource(ErrorKind.GAIN, "one", "A", half=0.005), 0.005 * 48.87 / math.sqrt(3)),),
    "∫ I dt",
    ("10 A × 4.887 h = 48.87 Ah",),
)


@pytest.fixture(autouse=True)
def looks(dressed):
    return dressed


def shown(qtbot, widget: QWidget) -> QWidget:
    qtbot.addWidget(widget)
    widget.resize(900, 400)
    widget.show()
    qtbot.waitExposed(widget)
    return widget


def test_a_ledger_row_opens_by_key_and_stays_open_while_values_change(qtbot):
    ledger = shown(qtbot, Ledger())
    ledger.show_findings([CHARGE])
    row = ledger.row("charge")
    row.setFocus()
    qtbot.keyClick(row, Qt.Key.Key_Return)
    assert row.is_open()
    assert row.arithmetic().splitlines()[0] == "10 A × 4.887 h = 48.87 Ah"
    assert "U = 2 × 0.14 = 0.28 Ah" in row.arithmetic()
    ledger.show_findings([CHARGE, Finding("energy", "Energy", None, "Wh", None, "")])
    assert row.is_open()
    assert ledger.keys() == ["charge"]
    qtbot.keyClick(row, Qt.Key.Key_Space)
    assert not row.is_open()
    assert row.accessibleName() == "Charge delivered: 48.87 ± 0.28 Ah. ∫ I dt"


def test_the_jot_line_records_and_empties(qtbot):
    line = shown(qtbot, JotLine())
    qtbot.keyClicks(line, "-5min fan started")
    with qtbot.waitSignal(line.jotted) as caught:
        qtbot.keyClick(line, Qt.Key.Key_Return)
    assert caught.args == [TypedLine("fan started", 300.0, line="-5min fan started", to_minute=True)]
    qtbot.keyClick(line, Qt.Key.Key_Return)
    assert line.text() == ""


def test_a_callout_without_words_is_not_there(qtbot):
    parent = shown(qtbot, QWidget())
    note = Callout("good", "", parent)
    assert not note.isVisible()
    note.say("bad", "Spent.")
    assert (note.isVisible(), note.text(), note.accessibleName()) == (True, "Spent.", "Spent.")
    note.say("bad", "")
    assert not note.isVisible()


@pytest.mark.parametrize(
    ("text", "value", "amiss"), [("11,5 V", 11.5, False), ("800 mV", 0.8, False), ("two", None, True), ("11 A", None, True)]
)
def test_a_field_says_what_is_amiss(qtbot, text, value, amiss):
    field = shown(qtbot, QuantityField("V", "Cut-off"))
    qtbot.keyClicks(field, text)
    assert field.value() == value
    assert (field.objectName() == "amiss", bool(field.toolTip())) == (amiss, amiss)


def battery_to_load(amount: float | None, meter: str = "Meter") -> PowerPath:
    nodes = (PathNode("battery", "Pack", "50 Ah", 0.5, "half left"), PathNode("leads", "Leads", "thin"), PathNode("load", "Load"))
    flows = (Flow(amount, 13.0, 10.0, meter), Flow(None if amount is None else amount * 0.98, 12.8, 10.0))
    return PowerPath(nodes, flows, (None, "2.6 W lost" if amount else None, None), (0.0, 2.6, 0.0), "W")


def test_a_path_can_be_read_in_words_and_is_drawn(qtbot):
    view = PowerPathView()
    qtbot.addWidget(view)
    view.resize(900, 168)
    view.show_path(battery_to_load(130.0))
    assert view.isVisible()
    assert view.words() == "Pack 50 Ah, 130.0 W, Leads thin, 2.6 W lost, 127.4 W, Load"
    image = view.grab().toImage()
    copper = color("current").hue()
    drawn = [image.pixelColor(x, 93).hue() for x in range(0, image.width(), 7)]
    assert drawn.count(copper) > 20 or sum(abs(h - copper) < 8 for h in drawn) > 20
    view.show_path(battery_to_load(None), wiring=True)
    assert view.words().count("→") == 2


def test_an_empty_path_draws_nothing(qtbot):
    view = PowerPathView()
    qtbot.addWidget(view)
    view.show_path(PowerPath((), (), (), (), "Wh"))
    assert (view.words(), view.isVisible()) == ("", False)
    view.grab()


def test_a_trace_shows_measured_expected_and_marks(qtbot):
    trace = shown(qtbot, Trace())
    time = np.linspace(60, 18000, 5000)
    trace.set_zero(60.0)
    trace.set_measured("V", Series(time, 13 - time / 9000))
    trace.set_expected("V", Series(time, 13 - time / 9500))
    trace.set_cutoff(11.0)
    trace.set_marks([(3660.0, "fan started")], [(7000.0, 8000.0)])
    trace.set_span(0.0, 18000.0)
    assert trace.has_expected("V")
    assert trace.drawn("V") > 200
    assert trace.drawn("A") == 0
    words = [item.label.format for _, item in trace._marks if getattr(item, "label", None) is not None]
    assert words == ["fan started"]
    places = [item.value() for _, item in trace._marks if hasattr(item, "label")]
    assert places == pytest.approx([1.0])
    trace.activateWindow()
    trace.setFocus()
    qtbot.waitUntil(trace.hasFocus, timeout=LONG_MS)
    whole = trace.visible_area()
    qtbot.keyClick(trace, Qt.Key.Key_Plus)
    assert trace.visible_area().width() == pytest.approx(0.6 * whole.width())
    qtbot.keyClick(trace, Qt.Key.Key_Right)
    assert trace.visible_area().left() > whole.left() + 0.3 * whole.width()
    framed = trace.grab().toImage().pixelColor(1, 200)
    assert framed == color("voltage")
    trace.clearFocus()
    assert trace.grab().toImage().pixelColor(1, 200) != framed
    trace.setFocus()
    closer = trace.visible_area()
    trace.grow_span(0.0, 20000.0)
    assert trace.visible_area() == closer, "a person who has gone closer is left there"
    qtbot.keyClick(trace, Qt.Key.Key_Home)
    trace.grow_span(0.0, 18000.0)
    assert trace.visible_area().width() == pytest.approx(whole.width())
    trace.set_span(60.0, 160.0)
    assert trace.drawn("V") < 60


def test_work_beside_the_window_gives_its_result_or_its_error(qtbot):
    parent = shown(qtbot, QWidget())
    done, failed = [], []
    in_background(parent, "Working …", lambda: 41 + 1, done.append, failed.append)
    qtbot.waitUntil(lambda: done == [42], timeout=LONG_MS)
    in_background(parent, "Working …", lambda: 1 / 0, done.append, failed.append)
    qtbot.waitUntil(lambda: len(failed) == 1, timeout=LONG_MS)
    assert isinstance(failed[0], ZeroDivisionError)


def test_work_that_is_left_gives_nothing(qtbot):
    parent = shown(qtbot, QWidget())
    go_on, ended, done = threading.Event(), threading.Event(), []

    def work() -> int:
        go_on.wait(20)
        ended.set()
        return 1

    in_background(parent, "Working …", work, done.append, done.append)
    dialog = parent.findChild(QProgressDialog)
    qtbot.waitUntil(dialog.isVisible, timeout=LONG_MS)
    dialog.cancel()
    go_on.set()
    qtbot.waitUntil(ended.is_set, timeout=LONG_MS)
    qtbot.waitUntil(lambda: parent.findChild(QProgressDialog) is None, timeout=LONG_MS)
    assert done == []
