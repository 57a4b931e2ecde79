"""Anything on a path, typed in the real window from an empty logbook: a slip is asked about at its row, mended, and the rest follows."""

from __future__ import annotations

import json

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QPushButton

from tests.command_line import ubrant
from tests.window import click, close, needs, prepare, say_line
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.ui.widgets.power_path_view import PowerPathView

HUT = Unit("Hut", "inverter", "12 V to 230 V sine, 300 W")
NOTES = """method: anything
unit: Hut
kind: inverter
label: 12 V to 230 V sine, 300 W
volts: 0.05 % + 5 mV
amps: 0.2 % + 5 mA
volts output: 0.5 % + 0.5 V
watts output: 1 % + 0.3 W

"""


@pytest.fixture(autouse=True)
def needed():
    needs("anything")


def test_a_slip_is_asked_at_its_row_mended_and_taken_back(bench_window, qtbot, tmp_path):
    window = bench_window
    prepare(window, HUT, "anything")
    click(qtbot, window.prepare, "Start the run")
    window.run.tick()
    say_line(window, qtbot, "battery 12.61 V 8.20 A output 230 V 85.0 W", after_s=60)
    assert "do not" not in window.run.warning_note.text()
    say_line(window, qtbot, "charger 13.40 V 4.00 A battery 13.35 V 4.10 A input 13.2 V 81.0 A", after_s=600)
    told = window.run.warning_note.text()
    assert "do not add up" in told
    assert "is input 81 A ten times what was there?" in told
    (mend,) = window.run.mends.findChildren(QPushButton)
    assert mend.text() == "Make it 8.1 A"
    window.run.jot_line.setFocus()
    QTest.keyClicks(window.run.jot_line, "charger")
    qtbot.keyClick(window, Qt.Key.Key_M, Qt.KeyboardModifier.ControlModifier)
    assert "do not add up" not in window.run.warning_note.text()
    assert window.run.mends.isHidden()
    assert window.run.jot_line.text() == "charger", "what is being typed stays"
    window.bench.undo.undo()
    window.run._sums_due = 0
    window.run.tick()
    assert "do not add up" in window.run.warning_note.text(), "one undo"
    qtbot.keyClick(window, Qt.Key.Key_M, Qt.KeyboardModifier.ControlModifier)
    assert "do not add up" not in window.run.warning_note.text()
    window.run.jot_line.setText("")
    close(window, qtbot)
    stage = window.findings
    assert "Cannot tell" not in stage.verdict.text()
    groups = [group.title for group in stage.account.groups]
    assert "What was read, and what the rest says" in groups
    assert any("agrees" in finding.working for finding in stage.account.findings.values())
    told = stage.drawn.agreements
    assert told.isVisible()
    assert "Charger, amperes after 10 min: 4.000 A" in told.accessibleDescription()
    assert "does not agree" not in told.accessibleDescription()
    assert "Charger" in stage.findChild(PowerPathView).words()


def test_what_contradicts_itself_waits_for_a_person(bench_window, qtbot):
    window = bench_window
    prepare(window, HUT, "anything")
    click(qtbot, window.prepare, "Start the run")
    window.run.tick()
    say_line(window, qtbot, "battery 12.61 V 8.20 A input 12.5 V output 230 V 140 W", after_s=60)
    close(window, qtbot)
    stage = window.findings
    assert stage.verdict.text().startswith("Cannot tell yet: More comes out than goes in")
    assert not stage.account.answers
    click(qtbot, stage, "It is so")
    assert stage.account.answers
    window.bench.undo.undo()
    assert stage.verdict.text().startswith("Cannot tell yet")


def test_the_same_from_a_file(tmp_path):
    path = tmp_path / "notes.jot"
    path.write_text(NOTES + "@10:00 battery 12.61 V 8.20 A\n@10:01 output 230 V 85.0 W\n", "utf-8")
    said = json.loads(ubrant("analyse", str(path), "--json").stdout)
    assert said["sentence"].startswith("Converter with its leads 82.2")
    assert said["findings"]["input_W"]["working"].startswith("bounded")
    path.write_text(NOTES + "@10:00 battery 12.61 V 8.20 A input 12.5 V output 230 V 140 W\n", "utf-8")
    said = json.loads(ubrant("analyse", str(path), "--json").stdout)
    assert said["sentence"].startswith("Cannot tell yet: More comes out")
    flag, key = said["questions"][0]["flag"].split()
    assert key.startswith("limit-output-W-")
    confirmed = json.loads(ubrant("analyse", str(path), flag, key, "--json").stdout)
    assert not confirmed["sentence"].startswith("Cannot")
    assert "converter_efficiency" not in confirmed["findings"], "no converter gives 137 %, whoever says so"
    path.write_text(NOTES + "@10:00 battery 12.61 V 8.20 A input 12.5 V output 230 V 150 W\n", "utf-8")
    again = json.loads(ubrant("analyse", str(path), flag, key, "--json").stdout)
    assert again["sentence"].startswith("Cannot tell yet"), "what was confirmed was another figure"


def test_from_a_log_with_its_places_in_the_headings(tmp_path):
    path = tmp_path / "log.csv"
    rows = "\n".join(f"{60 * k},12.6,{8 + 0.01 * k:.2f},5.0,{17 + 0.02 * k:.2f}" for k in range(20))
    path.write_text(f"Time (s),battery V (V),battery A (A),output V (V),output A (A)\n{rows}\n", "utf-8")
    said = json.loads(ubrant("analyse", str(path), "--method", "anything", "--json").stdout)
    assert said["findings"]["converter_efficiency"]["value"] == pytest.approx(100 * 5 * 17.38 / (12.6 * 8.19), rel=1e-3)


def test_a_slip_of_a_meter_that_reads_high_is_mended_as_it_was_typed(bench_window, qtbot):
    """Its clamp is known to read 2 % high: what is asked and mended are the figures that stand in the row."""
    window = bench_window
    clamp = Meter("Clamp", "0.5 % + 10 mV", "1 % + 20 mA", details=MeterDetails(gain_a=0.98))
    window.bench.keep_meter(clamp)
    prepare(window, HUT, "anything")
    kept = next(meter for meter in window.bench.logbook.meters() if meter.name == "Clamp")
    window.prepare.form.choose_meter("input", kept.uid)
    click(qtbot, window.prepare, "Start the run")
    window.run.tick()
    say_line(window, qtbot, "charger 13.40 V 4.00 A battery 13.35 V 4.10 A input 13.2 V 83.0 A", after_s=60)
    told = window.run.warning_note.text()
    assert "is input 83 A ten times what was there?" in told, "and not 81.3 A, which it counts as"
    (mend,) = window.run.mends.findChildren(QPushButton)
    assert mend.text() == "Make it 8.3 A"
    mend.click()
    assert "do not add up" not in window.run.warning_note.text()
    assert window.run.table.model.sheet.rows[0].jotting.line.endswith("input 13.2 V 8.30 A")
