"""A run typed only at the jot line, from Prepare to a report; and what the jot line does on the way."""

from __future__ import annotations

import json
import subprocess
import sys

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QFileDialog

from tests.methods.discharge.making import DISCHARGE, discharging, small_plan
from tests.window import click, jot, type_into
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import BY_HAND, Origin
from ubrant.demo.kit import WatchedClock
from ubrant.logbook.records import new_run
from ubrant.ui.window.shell import FINDINGS, RUN

LINES = (
    (0, "13.34 V"),
    (120, "load on 13.1 V 10.0 A"),
    (3600, "13.05 V 10.0 A"),
    (7200, "12.98 V 10.0 A fan started"),
    (10800, "12.90 V 10.0 A"),
    (14400, "12.75 V 10.0 A"),
    (16200, "12.4 V 10.0 A"),
    (16800, "11.9 V 10.0 A"),
    (17100, "10.9 V 10.0 A"),
)


@pytest.fixture
def typing(window, qtbot):
    """A typed run that has just begun."""
    window.bench.logbook.keep_meter(Meter("Clamp", "0.5 % + 10 mV", "1 % + 20 mA", max_v=60, max_a=40))
    unit = window.bench.keep_unit(Unit("Dome pack", "battery", "50 Ah 12.8 V LiFePO4"))
    clock = WatchedClock()
    window.bench.clock = lambda: clock
    window.bench.test_wanted.emit(unit.id)
    form = window.prepare.form
    form.bench.setCurrentIndex(form.bench.findText("by hand: I type the readings"))
    type_into(qtbot, form.fields["temperature_c"], "20 °C")
    QApplication.processEvents()
    click(qtbot, window.prepare, "Start the run")
    assert window.stage() == RUN
    for _ in range(2):
        window.run.tick()
        click(qtbot, window.run, "Done, go on")
    window.run.tick()
    return window, clock


def type_all(window, clock, qtbot) -> None:
    for moment, line in LINES:
        clock.time_s = float(moment)
        jot(qtbot, window.run, line)
    for _ in range(16):
        window.run.tick()


def test_typed_from_start_to_report(typing, qtbot, tmp_path, monkeypatch):
    """No instrument at all: readings, the load off, recovery, a verdict, a report, and a jot text that says the same."""
    window, clock = typing
    assert "Type the resting voltage" in window.run.title.text()
    type_all(window, clock, qtbot)
    qtbot.waitUntil(lambda: window.run.tick() or window.run.ledger.row("charge").accessibleName().startswith("Charge delivered: 47."))
    assert [b.text() for b in (window.run.load_button, window.run.stop_button)] == ["The load is off", "Close the run"]
    click(qtbot, window.run, "The load is off")
    clock.time_s = 18_000.0
    jot(qtbot, window.run, "12.31 V")
    window.run.tick()
    click(qtbot, window.run, "Close the run")
    window.run.tick()
    assert window.stage() == FINDINGS
    assert "Below its label" in window.findings.verdict.text() or "Meets its label" in window.findings.verdict.text()
    assert "ended by cut-off" in window.findings.aside.text()
    assert "Recovered to" in " ".join(window.findings.ledger.row(k).accessibleName() for k in list(window.findings.ledger.keys()))
    report = tmp_path / "report.html"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(report), "HTML (*.html)"))
    window.files.report()
    qtbot.waitUntil(report.exists, timeout=20_000)
    assert window.findings.verdict.text()[:20] in report.read_text()
    notes = tmp_path / "notes.jot"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(notes), "Jot text (*.jot)"))
    window.files.export()
    qtbot.waitUntil(notes.exists, timeout=20_000)
    notes = notes.rename(tmp_path / "notes.txt")
    done = subprocess.run([sys.executable, "-m", "ubrant", "analyse", str(notes), "--json"], capture_output=True, text=True, check=True)
    said = json.loads(done.stdout)
    for key, finding in window.findings.account.findings.items():
        assert said["findings"][key]["value"] == finding.value, key
        assert said["findings"][key]["expanded_uncertainty"] == finding.expanded_uncertainty, key
    assert said["verdict"]["sentence"] == window.findings.account.verdict.sentence


def test_says_what_it_understands_while_one_types(typing, qtbot):
    window, _ = typing
    type_into(qtbot, window.run.jot_line, "12,94 V 4.1 A temp 24 C")
    assert window.run.jot_line.hint.text() == "Read as 12.94 V · 4.1 A · battery 24 °C."
    type_into(qtbot, window.run.jot_line, "case warm")
    assert window.run.jot_line.hint.text() == "A note."
    jot(qtbot, window.run, "@27:10 12 V")
    assert "no time of day" in window.run.jot_line.hint.text()
    assert window.run.jot_line.text() == "@27:10 12 V"


def test_a_slip_is_asked_about_once(typing, qtbot):
    window, clock = typing
    jot(qtbot, window.run, "13.34 V")
    clock.time_s = 60.0
    jot(qtbot, window.run, "13340 V")
    assert "A factor of 1000 away" in window.run.jot_line.hint.text() or "a factor of 1000 away" in window.run.jot_line.hint.text()
    assert len(window.bench.session.live.jots()) == 1
    qtbot.keyClick(window.run.jot_line, Qt.Key.Key_Return)
    assert len(window.bench.session.live.jots()) == 2


def test_correct_and_undo(typing, qtbot):
    window, clock = typing
    jot(qtbot, window.run, "13.43 V")
    qtbot.keyClick(window.run.jot_line, Qt.Key.Key_Up)
    assert window.run.jot_line.text() == "fix 13.43 V"
    jot(qtbot, window.run, "fix 13.34 V")
    assert [row.line for _, row in window.bench.session.live.jots()] == ["13.34 V"]
    window.bench.undo.undo()
    assert [row.line for _, row in window.bench.session.live.jots()] == ["13.43 V"]
    window.bench.undo.redo()
    clock.time_s = 300.0
    jot(qtbot, window.run, "+2h 12 V")
    assert "lies ahead" in window.run.jot_line.hint.text()


def test_look_in_again_reminds(typing, qtbot):
    window, _ = typing
    jot(qtbot, window.run, "look in again in 20 min")
    assert [t.interval() for t in window.reminders.timers] == [1_200_000]
    assert "You will be told in 20 min" in window.said()
    window.reminders.timers[0].timeout.emit()
    assert "Look in again" in window.said()


def test_held_or_straight_is_chosen_for_a_run(typing, qtbot):
    window, clock = typing
    for moment, line in ((0, "load on 13.0 V 10 A"), (3600, "12.9 V 2 A"), (7200, "12.9 V 2 A load off")):
        clock.time_s = float(moment)
        jot(qtbot, window.run, line)
    window.bench.session.end()
    window.run.tick()
    before = window.findings.account.findings["charge"].value
    window.findings.between.setCurrentIndex(window.findings.between.findData("held"))
    after = window.findings.account.findings["charge"]
    assert (before, after.value) == (pytest.approx(8.0, abs=0.01), pytest.approx(12.0, abs=0.02))
    window.bench.undo.undo()
    assert window.findings.account.findings["charge"].value == before


def test_a_typed_run_left_by_a_crash_goes_on(typing, qtbot):
    window, clock = typing
    type_all(window, clock, qtbot)
    run_id = window.bench.run.id
    window.bench.session._state = window.bench.session._state.__class__(phase="ended", ended_by="fault")
    window.bench.logbook._db.execute("UPDATE run SET state = 'interrupted', ended_by = 'interrupted' WHERE id = ?", (run_id,))
    window.bench.run_opened.emit(run_id)
    assert window.findings.go_on.isVisible()
    click(qtbot, window.findings, "Go on after the gap")
    assert window.stage() == RUN
    assert window.bench.session.progress.phase == "load on"
    assert len(window.bench.session.live.jots()) == len(LINES)
    window.bench.session.end()
    window.run.tick()
    assert window.bench.logbook.run(run_id).state == "done"


def test_an_interrupted_run_can_be_closed(window, qtbot):
    run = window.bench.logbook.start_run(_interrupted())
    window.bench.run_opened.emit(run.id)
    click(qtbot, window.findings, "Close it with what it has")
    assert window.bench.logbook.run(run.id).state == "done"
    window.bench.undo.undo()
    assert window.bench.logbook.run(run.id).state == "interrupted"


def _interrupted():
    head = DISCHARGE.head(discharging(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"), small_plan()), Origin(BY_HAND))
    return new_run(head, BY_HAND, state="interrupted")
