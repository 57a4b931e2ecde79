"""Load steps in the window, by themselves and by hand."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QFileDialog

from tests.window import begin, click, close, jot, prepare, say_line
from ubrant.core.equipment.unit import Unit
from ubrant.ui.window.shell import FINDINGS


def test_load_steps_by_themselves_with_a_report(bench_window, qtbot, tmp_path, monkeypatch):
    window = bench_window
    prepare(
        window,
        Unit("Hut", "inverter", "12 V to 230 V sine, 300 W"),
        "steps",
        by_hand=False,
        loads="0, 30, 65, 150, 300 W",
        hold="",
        ratings="fuse 20 A",
    )
    assert any("The fuse will carry" in p for p in window.prepare.problems())
    QApplication.processEvents()
    texts = window.prepare.steps.findChildren(type(window.prepare.title))
    assert sum("it kills" in label.text() for label in texts if label.isVisibleTo(window)) == 1, "each caution once"
    assert window.prepare.form.meters["output"].currentText() == "Plug"
    click(qtbot, window.prepare, "Start the run")
    for _ in range(3):
        qtbot.waitUntil(lambda: window.stage() == FINDINGS or window.run.done_button.isVisible(), timeout=30_000)
        asked = window.run.ask_text.text()
        if window.stage() == FINDINGS:
            break
        qtbot.keyClick(window.run.done_button, Qt.Key.Key_Return)
        qtbot.waitUntil(
            lambda asked=asked: window.stage() == FINDINGS or not window.run.done_button.isVisible() or window.run.ask_text.text() != asked,
            timeout=30_000,
        )
    qtbot.waitUntil(lambda: window.stage() == FINDINGS, timeout=30_000)
    view = window.findings.account
    assert "It carried every step" in window.findings.verdict.text()
    assert "sine, THD 1.44 %" in window.findings.drawn.plot("Wave").accessibleDescription()
    assert "The fuse carried" in window.findings.notes.text()
    assert view.findings["output_sag"].value == pytest.approx(4.6, abs=0.5)
    report = tmp_path / "steps.html"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(report), "HTML (*.html)"))
    window.files.report()
    qtbot.waitUntil(report.exists, timeout=15_000)
    page = report.read_text()
    assert "Sags by" in page
    assert "On the battery" in page
    figure = tmp_path / "steps.svg"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(figure), "SVG (*.svg)"))
    window.files.figures()
    qtbot.waitUntil(lambda: "steps.svg" in window.said(), timeout=15_000)


def test_load_steps_by_hand_until_the_leads_give_up(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Hut", "inverter", "12 V to 230 V sine, 300 W"), "steps", loads="0, 100, 200, 250 W", hold="200 W")
    begin(window, qtbot)
    assert "Step 1 of 4: no load" in window.run.next_note.text()
    jot(qtbot, window.run, "input 12.5 V 0.4 A")
    assert "still lacks: output V, output W" in window.run.jot_line.hint.text()
    window.run.jot_line.clear()
    for line in (
        "input 12.60 V 0.36 A output 231 V 0 W 50.0 Hz source 12.61 V",
        "dc 12.00 V 9.2 A ac 229.6 V 100 W 50.0 Hz source 12.45 V",
        "dc 11.40 V 19.4 A ac 228 V 200 W 50.0 Hz source 12.30 V",
        "dc 11.05 V 25.4 A ac 227 V 250 W 50.0 Hz source 12.25 V",
    ):
        say_line(window, qtbot, line)
    assert "Leave 200 W on" in window.run.next_note.text()
    for line in (
        "input 11.1 V 20.0 A output 228 V 200 W source 12.00 V",
        "alarm input 10.9 V",
        "input 10.52 V 21.1 A output 227 V 200 W source 11.50 V",
        "empty",
        "source 11.9 V",
        "source 12.15 V",
    ):
        say_line(window, qtbot, line, 900)
    view = close(window, qtbot)
    assert view.ended_by == "leads"
    assert "The leads ended it" in window.findings.verdict.text()
    assert view.findings["alarm_voltage"].value == pytest.approx(10.9)
    assert view.findings["cutoff_input"].value == pytest.approx(10.52)
    assert "cuts out" in window.findings.drawn.ladder.accessibleDescription()
