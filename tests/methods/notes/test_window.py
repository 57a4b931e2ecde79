"""A run that begins with a reading at the jot line; what it was is said afterwards, and nothing is typed twice."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt

from tests.making import METER, PACK, STEP_DOWN
from tests.window import click, close, jot, needs, say_line
from ubrant.core.equipment.unit import Unit
from ubrant.demo.kit import WatchedClock
from ubrant.ui.window.shell import FINDINGS, RUN

LINES = ("load on 13.1 V 10 A", "12.95 V 10 A", "12.8 V 10.1 A", "12.5 V 9.9 A", "11.4 V 10 A", "10.9 V 10 A", "load off")


@pytest.fixture
def begun(window, qtbot):
    """An hour apart, from a line of the person's own."""
    needs("discharge")
    for meter in (METER,):
        window.bench.logbook.keep_meter(meter)
    for unit in (PACK, STEP_DOWN, Unit("Blower", "load", "12 V, 65 W")):
        window.bench.keep_unit(unit)
    window.clock = WatchedClock()
    window.bench.clock = lambda: window.clock
    window.go_to(RUN)
    jot(qtbot, window.run, "13.4 V", enters=2)
    window.run.jot_line.clear()
    assert window.bench.is_running
    for line in LINES:
        say_line(window, qtbot, line, after_s=3600.0 if "load" not in line or "off" in line else 60.0)
    close(window, qtbot)
    return window


def test_what_fits_is_offered_and_judged_without_typing_anything_twice(begun, qtbot):
    window, book = begun, begun.bench.logbook
    view = window.findings
    assert "Say what it was, and of what" in view.verdict.text()
    view.what_it_was.unit.setCurrentIndex(view.what_it_was.unit.findText("Blower"))
    assert not view.what_it_was.keep.isEnabled() or view.what_it_was.method.count()
    view.what_it_was.unit.setCurrentIndex(view.what_it_was.unit.findText(PACK.name))
    assert view.what_it_was.method.itemText(0) == "Discharge"
    click(qtbot, view, "It was that")
    (run,) = [run for run, _ in book.runs()]
    assert (run.method, book.unit(run.unit_id).name) == ("discharge", PACK.name)
    assert view.account.findings["charge"].value == pytest.approx(48.0, rel=1e-3)
    assert view.account.findings["charge"].expanded_uncertainty
    assert not view.what_it_was.isVisible()
    window.bench.undo.undo()
    assert view.what_it_was.isVisible()
    assert book.run(run.id).method == "notes"


def test_a_note_begins_no_run(window, qtbot):
    window.go_to(RUN)
    jot(qtbot, window.run, "case warm", enters=2)
    assert not window.bench.is_running
    assert not window.bench.logbook.runs()
    assert "a reading begins one" in window.run.jot_line.hint.text()


def test_without_a_shelf_it_says_what_to_do(window, qtbot):
    window.clock = WatchedClock()
    window.bench.clock = lambda: window.clock
    window.go_to(RUN)
    jot(qtbot, window.run, "12.9 V 5 A", enters=2)
    say_line(window, qtbot, "12.8 V 5 A")
    close(window, qtbot)
    assert window.stage() == FINDINGS
    assert "Put it on the shelf first" in window.findings.what_it_was.trouble.text()
    assert not window.findings.what_it_was.keep.isEnabled()
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)


def test_what_was_read_without_a_place_may_be_an_idle_draw(window, qtbot):
    """Of an inverter: its one place is where it was read."""
    needs("idle")
    window.bench.logbook.keep_meter(METER)
    window.bench.keep_unit(Unit("Hut", "inverter", "12 V to 230 V sine, 300 W"))
    window.clock = WatchedClock()
    window.bench.clock = lambda: window.clock
    window.go_to(RUN)
    jot(qtbot, window.run, "12.8 V 0 A", enters=2)
    say_line(window, qtbot, "12.80 V 0.37 A")
    close(window, qtbot)
    box = window.findings.what_it_was
    assert [box.method.itemText(k) for k in range(box.method.count())] == ["Idle draw"]
    click(qtbot, window.findings, "It was that")
    assert window.findings.account.findings["idle_power"].value == pytest.approx(12.8 * 0.37, rel=1e-3)
