"""Trials in the window: load steps by themselves and by hand, idle draw, a breaker, modes, a scope's record, ranking, judging a display."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QFileDialog

from tests.ui.conftest import click, type_into
from tests.ui.test_typed import jot
from ubrant.core.meter import Meter, MeterDetails
from ubrant.core.unit import Unit
from ubrant.demo.kit import WatchedClock
from ubrant.ui.findings.rank_dialog import RankDialog
from ubrant.ui.findings.wave_dialog import WaveDialog
from ubrant.ui.shelf.judge_dialog import JudgeDialog
from ubrant.ui.shelf.meter_form import MeterForm
from ubrant.ui.shell import FINDINGS, RUN

PLUG = Meter("Plug", "0.5 % + 0.5 V", "1 % + 10 mA", max_v=250, max_a=16, details=MeterDetails(power_accuracy="1 % + 0.3 W"))


@pytest.fixture
def bench(window):
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
    form = window.prepare.trial_form
    form.choose_method(method)
    if by_hand and not form.trial.by_hand_only:
        form.bench.setCurrentIndex(form.bench.findText("none: I set and type"))
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


def say(window, qtbot, line: str, after_s: float = 60.0) -> None:
    window.clock.time_s += after_s
    jot(qtbot, window.run, line, enters=2)
    window.run.jot_line.clear()
    window.run.tick()


def close(window, qtbot):
    click(qtbot, window.run, "Close the run")
    window.run.tick()
    QApplication.processEvents()
    assert window.stage() == FINDINGS
    return window.findings.trial


def test_load_steps_by_themselves_with_a_report(bench, qtbot, tmp_path, monkeypatch):
    window = bench
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
    assert window.prepare.trial_form.output_meter.currentText() == "Plug"
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
    view = window.findings.trial
    assert "It carried every step" in window.findings.verdict.text()
    assert "sine, THD 1.44 %" in window.findings.trial_page.wave.accessibleDescription()
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


def test_load_steps_by_hand_until_the_leads_give_up(bench, qtbot):
    window = bench
    prepare(window, Unit("Hut", "inverter", "12 V to 230 V sine, 300 W"), "steps", loads="0, 100, 200, 250 W", hold="200 W")
    begin(window, qtbot)
    assert "Step 1 of 4: no load" in window.run.course_note.text()
    jot(qtbot, window.run, "input 12.5 V 0.4 A")
    assert "still lacks: output V, output W" in window.run.jot_line.hint.text()
    window.run.jot_line.clear()
    for line in ("input 12.60 V 0.36 A output 231 V 0 W 50.0 Hz source 12.61 V", "dc 12.00 V 9.2 A ac 229.6 V 100 W 50.0 Hz source 12.45 V",
                 "dc 11.40 V 19.4 A ac 228 V 200 W 50.0 Hz source 12.30 V", "dc 11.05 V 25.4 A ac 227 V 250 W 50.0 Hz source 12.25 V"):  # fmt: skip
        say(window, qtbot, line)
    assert "Leave 200 W on" in window.run.course_note.text()
    for line in ("input 11.1 V 20.0 A output 228 V 200 W source 12.00 V", "alarm input 10.9 V", "input 10.52 V 21.1 A output 227 V 200 W source 11.50 V",
                 "load off", "source 11.9 V", "source 12.15 V"):  # fmt: skip
        say(window, qtbot, line, 900)
    view = close(window, qtbot)
    assert view.ended_by == "leads"
    assert "The leads ended it" in window.findings.verdict.text()
    assert view.findings["alarm_voltage"].value == pytest.approx(10.9)
    assert view.findings["cutoff_input"].value == pytest.approx(10.52)
    assert "cuts out" in window.findings.trial_page.ladder.accessibleDescription()


def test_idle_draw_by_hand(bench, qtbot):
    window = bench
    prepare(window, Unit("Hut", "inverter", "12 V to 230 V sine, 300 W"), "idle", battery_wh="640 Wh")
    begin(window, qtbot)
    assert "Nothing flows" in window.run.course_note.text()
    say(window, qtbot, "input 12.8 V 0.02 A")
    say(window, qtbot, "input 12.80 V 0.37 A")
    assert "economy setting" in window.run.course_note.text()
    say(window, qtbot, "skip")
    view = close(window, qtbot)
    assert view.findings["idle_power"].value == pytest.approx(12.8 * 0.35)
    assert "a day: alone it empties the battery in" in window.findings.verdict.text()
    assert "normal" in window.findings.trial_page.course.accessibleDescription()


def test_a_breaker_by_hand(bench, qtbot):
    window = bench
    prepare(window, Unit("Breaker", "lead", "30 A breaker"), "trip", amps="31, 45 A", longest="10 min")
    begin(window, qtbot)
    say(window, qtbot, "31 A")
    jot(qtbot, window.run, "45 A", enters=2)
    assert "Type “tripped”" in window.run.jot_line.hint.text()
    window.run.jot_line.clear()
    say(window, qtbot, "held", 600)
    say(window, qtbot, "45 A", 300)
    say(window, qtbot, "tripped peak 80 A", 75)
    assert "last overload" in window.run.course_note.text()
    view = close(window, qtbot)
    assert view.findings["opens_2"].value == pytest.approx(75)
    assert view.findings["inrush"].value == 80
    assert "1.5 ×: 1 min 15 s" in window.findings.trial_page.trip.accessibleDescription()
    assert "Reset it only with the load off" in window.findings.notes.text()


def test_modes_and_an_external_supply(bench, qtbot):
    window = bench
    prepare(window, Unit("Lamp", "load", "230 V, 52 W"), "appliance", modes="standby, on")
    window.prepare.trial_form.input_meter.setCurrentIndex(window.prepare.trial_form.input_meter.findText("Plug"))
    window.prepare.look()
    begin(window, qtbot)
    jot(qtbot, window.run, "230 V 0.31 A", enters=2)
    assert "volts × amperes is not watts" in window.run.jot_line.hint.text()
    window.run.jot_line.clear()
    say(window, qtbot, "231 V 0.01 A 0.5 W")
    say(window, qtbot, "231 V 0.39 A 51 W peak 70 W")
    view = close(window, qtbot)
    assert view.findings["standby_day"].value == pytest.approx(12.0)
    assert view.findings["factor_2"].value == pytest.approx(51 / 231 / 0.39)
    assert "on: 51.0" in window.findings.trial_page.bars.accessibleDescription()
    prepare(window, Unit("Brick", "charger", "230 V to 19 V, 65 W"), "supply", rated="3.4 A")
    begin(window, qtbot)
    for line in ("input 73.0 W output 19.0 V 3.4 A", "input 54.0 W output 19.0 V 2.55 A", "input 36.3 W output 19.1 V 1.7 A", "input 18.6 W output 19.1 V 0.85 A",
                 "input 0.21 W"):  # fmt: skip
        say(window, qtbot, line)
    view = close(window, qtbot)
    expected = 100 * np.mean([19 * 3.4 / 73, 19 * 2.55 / 54, 19.1 * 1.7 / 36.3, 19.1 * 0.85 / 18.6])
    assert view.findings["average_efficiency"].value == pytest.approx(expected)
    assert view.findings["no_load_power"].value == pytest.approx(0.21)


def wave_file(tmp_path, columns=1):
    time = np.arange(2000) / 2000 * 0.06
    half = (time * 50 % 1) % 0.5
    volts = 281 * np.where((half > 1 / 12) & (half < 5 / 12), np.where(time * 50 % 1 < 0.5, 1, -1), 0)
    path = tmp_path / "wave.csv"
    heads = "Time (s),Voltage (V)" + (",Voltage 2 (V)" if columns == 2 else "")
    rows = [f"{t:.6f},{v:.2f}" + (f",{2 * v:.2f}" if columns == 2 else "") for t, v in zip(time, volts, strict=True)]
    path.write_text("\n".join([heads, *rows]))
    return path


def test_a_scopes_record_is_attached_to_its_load(bench, qtbot, tmp_path):
    window = bench
    unit = window.bench.keep_unit(Unit("Attic", "inverter", "12 V to 230 V, 150 W"))
    dialog = WaveDialog(window.bench, wave_file(tmp_path, 2), window)
    dialog.show()
    assert "2 traces" in dialog.note.text()
    assert not dialog.keep_button.isEnabled()
    type_into(qtbot, dialog.trace, "Voltage (V)")
    dialog.unit_box.setCurrentIndex(dialog.unit_box.findData(unit.id))
    type_into(qtbot, dialog.load, "65 W")
    click(qtbot, dialog, "Keep it")
    view = window.findings.trial
    assert view.waves[0].load_w == 65
    assert "A stepped wave" in window.findings.verdict.text()
    assert "Keep off it: motors" in window.findings.notes.text()
    assert "number 5" in window.findings.trial_page.harmonics.accessibleDescription()
    dc = tmp_path / "dip.csv"
    time = np.linspace(0, 0.01, 1000)
    volts = 5.0 + 0.01 * np.sin(2 * np.pi * 20_000 * time) - 0.6 * np.where(time > 0.003, np.exp(-(time - 0.003) / 0.0005), 0)
    dc.write_text("\n".join(["Time (s),Voltage (V)", *(f"{t:.7f},{v:.4f}" for t, v in zip(time, volts, strict=True))]))
    window.bench.logbook.keep_meter(Meter("Scope", "2 % + 10 mV", details=MeterDetails(role="scope")))
    dialog = WaveDialog(window.bench, dc, window)
    dialog.show()
    assert dialog.accuracy.text() == "2 % + 10 mV"
    type_into(qtbot, dialog.tolerance, "5 parsec")
    assert not dialog.keep_button.isEnabled()
    type_into(qtbot, dialog.tolerance, "4.75..5.25 V")
    click(qtbot, dialog, "Keep it")
    assert "4.75 to 5.25 V" in window.findings.verdict.text() + window.findings.notes.text()
    view = window.findings.trial
    assert view.findings["dip"].value == pytest.approx(4.4, abs=0.03)
    assert view.findings["recovery"].value == pytest.approx(0.0005 * np.log(0.6 / 0.1), abs=0.0002)
    flat = tmp_path / "flat.csv"
    flat.write_text("\n".join(["Time (s),Voltage (V)", *(f"{k / 1e5},{100 * np.sin(k / 900):.3f}" for k in range(900))]))
    assert "no whole cycle" in WaveDialog(window.bench, flat, window).note.text()


def test_ranking_says_what_is_wrong_with_a_field(bench, qtbot):
    dialog = RankDialog(bench.bench.logbook, bench)
    assert "Nothing that was swept" in dialog.sentence.text()
    type_into(qtbot, dialog.fields["load"], "ten")
    assert "is not a value in W" in dialog.sentence.text()
    type_into(qtbot, dialog.fields["load"], "0 W")
    assert "more than 0" in dialog.sentence.text()


def test_a_display_judged_against_a_meter_is_corrected_from_then_on(bench, qtbot):
    meters = bench.bench.logbook.meters()
    dialog = JudgeDialog("Bank's display", meters, bench)
    dialog.pairs.setPlainText("12.3 12.42\n13.1")
    assert "Line 2 holds 1 values" in dialog.note.text()
    dialog.pairs.setPlainText("4.0 V 4.06 V\n12.3 V 12.42 V\n13.1 V 13.22 V")
    assert "shows" in dialog.note.text()
    assert dialog.keep_button.isEnabled()
    form = MeterForm(Meter("Bank's display"), judges=meters)
    qtbot.addWidget(form)
    form.take_correction("V", dialog.found)
    meter = form.meter()
    corrected = meter.details.correct("V", _series([12.3])).value[0]
    assert corrected == pytest.approx(12.415, abs=0.02)
    assert meter.accuracy("V").limit(12.3) < 0.1


def _series(values):
    from ubrant.core.readings import Series

    return Series(np.arange(len(values), dtype=float), np.array(values))
