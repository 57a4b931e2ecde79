"""The main job, driven through the window: from Shelf to Findings on the simulated bench, and from a dropped log."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QTimer, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QApplication

from tests.making import crossing_s, falling
from tests.window import answered, click, keep_discharge, start, type_into
from ubrant.bench.simulated import open_simulated
from ubrant.core.record.head import Conditions
from ubrant.runs.making import simulated
from ubrant.ui.findings.import_dialog import ImportDialog
from ubrant.ui.findings.mapping_dialog import MappingDialog
from ubrant.ui.shelf.unit_form import UnitForm
from ubrant.ui.window.leaving import Leaving
from ubrant.ui.window.shell import FINDINGS, PREPARE, RUN

LONG_MS = 60_000


@pytest.fixture
def truth(monkeypatch):
    """What the model really gave, asked of the world before it closes."""
    told: list[tuple[float, float, float, float]] = []

    def opened(*arguments, **named):
        bench = open_simulated(*arguments, **named)
        closing = bench.on_close
        object.__setattr__(bench, "on_close", lambda: (told.append(bench.clock.truth()), closing()))
        return bench

    monkeypatch.setattr(simulated, "open_simulated", opened)
    return told


def test_from_shelf_to_verdict(window, qtbot, truth):
    """A person adds a meter and a battery, tests it, and gets its real capacity inside the stated ±."""
    from ubrant.ui.shelf.meter_form import MeterForm

    click(qtbot, window.shelf, "Add a meter")
    meter = window.shelf.findChild(MeterForm)
    qtbot.keyClicks(meter.name, "Bench meter")
    qtbot.keyClicks(meter.volts, "0.05 % + 5 mV")
    qtbot.keyClicks(meter.amps, "0.2 % + 1 mA")
    click(qtbot, meter, "Keep it")
    click(qtbot, window.shelf, "Add a unit")
    form = window.shelf.findChild(UnitForm)
    qtbot.keyClicks(form.name, "Small pack")
    qtbot.keyClicks(form.label_text, "0.5 Ah 12.8 V LiFePO4")
    click(qtbot, form, "Keep it")
    start(window, qtbot, every="20 s", temperature_c="21 °C")
    qtbot.waitUntil(lambda: window.stage() == FINDINGS, timeout=LONG_MS)
    found = window.findings.account
    charge = found.findings["charge"]
    ((really, energy, _, _),) = truth
    assert abs(charge.value - really) <= charge.expanded_uncertainty
    assert abs(found.findings["energy"].value - energy) <= found.findings["energy"].expanded_uncertainty
    assert window.findings.verdict.text() == found.verdict.sentence
    assert found.verdict.word in {"below", "meets", "cannot tell"}
    assert found.ended_by == "cut-off"
    assert "Wh" in window.findings.path_view.words()
    row = window.findings.ledger.row("charge")
    qtbot.mouseClick(row, Qt.MouseButton.LeftButton)
    assert row.is_open()
    assert "÷ √3" in row.arithmetic()
    qtbot.waitUntil(lambda: window.shelf.cards()[0].measured().startswith(f"{charge.value:.2f}"[:3]), timeout=LONG_MS)


def test_while_it_runs_the_window_follows(stocked, qtbot):
    start(stocked, qtbot, speed=600.0, every="1 s")
    run = stocked.run
    qtbot.waitUntil(lambda: "charge" in run.ledger.keys() and run.drawn.trace.drawn("V") > 50, timeout=LONG_MS)  # noqa: SIM118
    assert run.title.text() == "Discharge Small pack to 11 V"
    assert run.aside.text().endswith(" in")
    assert run.aside_quiet.text().endswith("to go")
    assert run.drawn.trace.has_expected("V")
    assert "W" in run.path_view.words()
    stocked.prepare.look()
    assert not stocked.prepare.start_button.isEnabled()
    assert stocked.prepare.problems()[0] == "A run is going on. Wait for its end, or stop it."

    qtbot.keyClick(stocked, Qt.Key.Key_Slash)
    assert run.jot_line.hasFocus()
    qtbot.keyClicks(run.jot_line, "case warm")
    qtbot.keyClick(run.jot_line, Qt.Key.Key_Return)
    assert run.jot_line.text() == ""

    click(qtbot, run, "Pause load")
    qtbot.waitUntil(lambda: run.title.text() == "Load paused", timeout=LONG_MS)
    click(qtbot, run, "Load on again")
    qtbot.waitUntil(lambda: run.title.text().startswith("Discharge"), timeout=LONG_MS)
    click(qtbot, run, "Stop and rest")
    qtbot.waitUntil(lambda: "recovers" in run.title.text(), timeout=LONG_MS)
    click(qtbot, run, "Enough rest")
    qtbot.waitUntil(lambda: stocked.stage() == FINDINGS, timeout=LONG_MS)
    found = stocked.findings.account
    assert (found.verdict.word, found.ended_by) == ("cannot tell", "person")
    assert "at least" in stocked.findings.verdict.text()
    kinds = [e.kind for e in stocked.findings.record.events]
    assert kinds == ["load_on", "note", "paused", "resumed", "load_off"]


def test_closing_the_window_ends_the_run_and_keeps_it(stocked, qtbot, monkeypatch):
    start(stocked, qtbot, speed=60.0, every="1 s")
    session, path = stocked.bench.session, stocked.bench.logbook.path
    qtbot.waitUntil(lambda: session.progress.load_on_s is not None, timeout=LONG_MS)
    monkeypatch.setattr(Leaving, "_may_stop", lambda self: False)
    stocked.close()
    assert stocked.isVisible()
    monkeypatch.setattr(Leaving, "_may_stop", lambda self: True)
    stocked.close()
    qtbot.waitUntil(lambda: not stocked.isVisible(), timeout=LONG_MS)
    assert (session.running, session.progress.ended_by) == (False, "person")
    assert session.live.events()[-1].kind == "load_off"
    assert not path.with_suffix(".ubrant-wal").exists()


@pytest.fixture
def log(tmp_path):
    body = falling()
    path = tmp_path / "workshop log.csv"
    rows = (f"{t:.0f};{v:.4f};{-a:.2f}".replace(".", ",") for t, v, a in zip(body.time_s, body.voltage_v, body.current_a, strict=True))
    path.write_text("Time (s);U (V);I (A)\n" + "\n".join(rows) + "\n")
    return path


def drop(window, path):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    where = QPointF(window.rect().center())
    arguments = Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    entering = QDragEnterEvent(where.toPoint(), *arguments)
    QApplication.sendEvent(window, entering)
    assert entering.isAccepted()
    QApplication.sendEvent(window, QDropEvent(where, *arguments))


def when_the_dialog_is_open(qtbot, act) -> list[str]:
    """Do something in the modal dialog; its refusals are returned."""
    seen: list[str] = []

    def look():
        dialog = QApplication.activeModalWidget()
        if not isinstance(dialog, ImportDialog):
            QTimer.singleShot(50, look)
            return
        try:
            act(dialog, seen)
        except BaseException as error:
            seen.append(repr(error))
            dialog.reject()

    QTimer.singleShot(50, look)
    return seen


def test_a_dropped_log_gets_the_same_findings(window, qtbot, log):
    def fill(dialog, seen):
        assert not dialog.keep.isEnabled()
        qtbot.keyClicks(dialog.new_label, "52 Ah 12.8 V")
        qtbot.keyClicks(dialog.cutoff, "11.0 V")
        qtbot.keyClicks(dialog.volts, "0.1 % + 3 mV")
        qtbot.keyClicks(dialog.amps, "0.5 % + 5 mA")
        dialog.full_box.setCurrentIndex(dialog.full_box.findData(True))
        seen.append("filled")
        qtbot.mouseClick(dialog.keep, Qt.MouseButton.LeftButton)

    seen = when_the_dialog_is_open(qtbot, fill)
    drop(window, log)
    qtbot.waitUntil(lambda: bool(seen), timeout=LONG_MS)
    assert seen == ["filled"]
    qtbot.waitUntil(lambda: window.stage() == FINDINGS, timeout=LONG_MS)
    charge = window.findings.account.findings["charge"]
    assert charge.value == pytest.approx(10 * crossing_s(5, 10.5, 11.0) / 3600, abs=charge.expanded_uncertainty / 10)
    assert window.findings.verdict.text().startswith("Below its label: 48.74 ± 0.29 Ah is 93.7 ± 2.0 %")
    assert "other way round" in window.findings.notes.text()
    assert [card.unit.name for card in window.shelf.cards()] == ["workshop log"]


def test_an_import_can_be_undone(window, qtbot, log):
    test_a_dropped_log_gets_the_same_findings(window, qtbot, log)
    window.bench.undo.undo()
    assert window.bench.logbook.runs() == []
    assert window.findings.title.text() == "No run chosen"
    assert not window.findings.report_button.isEnabled()
    window.bench.undo.redo()
    assert window.findings.verdict.text().startswith("Below its label")


def test_another_cutoff_can_be_tried_and_kept(window, qtbot, log):
    test_a_dropped_log_gets_the_same_findings(window, qtbot, log)
    type_into(qtbot, window.findings.cutoff, "12 V")
    charge = window.findings.account.findings["charge"]
    assert charge.value == pytest.approx(10 * crossing_s(5, 10.5, 12.0) / 3600, rel=1e-3)
    assert window.bench.logbook.run(1).cutoff.voltage_v == 11.0
    click(qtbot, window.findings, "Keep this cut-off")
    assert window.bench.logbook.run(1).cutoff.voltage_v == 12.0


def test_a_broken_log_is_asked_about_and_nothing_changes(window, qtbot, tmp_path):
    broken = tmp_path / "broken.csv"
    broken.write_text("Time (s),Voltage (V),Current (A)\n0,12.8,1\n1,x,1\n2,12.7,1\n3,12.6,1\n")
    told = []

    def leave(dialog) -> None:
        told.extend((dialog.trouble.text(), dialog.beneath["voltage"].text(), dialog.use.isEnabled()))
        dialog.leave_out.setChecked(True)
        told.extend((dialog.trouble.text(), dialog.said.text(), dialog.use.isEnabled()))
        click(qtbot, dialog, "Leave it")

    answered(MappingDialog, leave)
    drop(window, broken)
    qtbot.waitUntil(lambda: len(told) == 6, timeout=LONG_MS)
    assert told[0] == "broken.csv, line 3, column 2 (Voltage (V)): “x” is not a number. Leave such lines out, or correct it."
    assert told[1:3] == ["“x” is not a number", False]
    assert told[3:] == ["", "1 line was left out: line 3 (“x” is not a number).", True]
    assert window.bench.logbook.runs() == []


def test_stages_by_keyboard(window, qtbot):
    for number, stage in ((Qt.Key.Key_2, PREPARE), (Qt.Key.Key_3, RUN), (Qt.Key.Key_4, FINDINGS)):
        qtbot.keyClick(window, number, Qt.KeyboardModifier.ControlModifier)
        assert window.stage() == stage
    assert "No run chosen" in window.findings.title.text()
    assert "No run is going on" in window.run.title.text()


def test_the_temperature_can_be_said_afterwards(stocked, qtbot):
    """It is in the ± as long as nobody knows it; said later, the run is judged at it, and that can be undone."""
    window = stocked
    keep_discharge(window.bench.logbook, window.bench.logbook.units()[0])
    run, _ = window.bench.logbook.runs()[0]
    window.bench.run_opened.emit(run.id)
    before = window.findings.account.findings["label_share"].expanded_uncertainty
    type_into(qtbot, window.findings.warmth.temperature, "20 °C")
    qtbot.keyClick(window.findings.warmth.temperature, Qt.Key.Key_Return)
    assert window.findings.account.findings["label_share"].expanded_uncertainty < 0.8 * before
    assert window.bench.logbook.run(run.id).head.conditions.temperature_c == 20.0
    window.bench.undo.undo()
    assert window.findings.account.findings["label_share"].expanded_uncertainty == pytest.approx(before)
    assert window.findings.warmth.temperature.text() == ""


def test_the_room_is_asked_once_for_a_logbook(stocked, qtbot):
    """Said at one run it counts for all whose temperature nobody wrote down, and for those that come; undone, for none."""
    window = stocked
    book = window.bench.logbook
    for _ in range(2):
        keep_discharge(book, book.units()[0])
    first, second = (run for run, _ in book.runs()[:2])
    book.update_run(second.under(conditions=Conditions(temperature_c=20.0)))
    window.bench.run_opened.emit(first.id)
    before = window.findings.account.findings["label_share"].expanded_uncertainty
    type_into(qtbot, window.findings.warmth.room, "17 bis 23")
    qtbot.keyClick(window.findings.warmth.room, Qt.Key.Key_Return)
    assert "17 to 23 °C" in window.findings.warmth.room.toolTip()
    type_into(qtbot, window.findings.warmth.room, "17 to 23 °C")
    qtbot.keyClick(window.findings.warmth.room, Qt.Key.Key_Return)
    assert window.findings.account.findings["label_share"].expanded_uncertainty < 0.8 * before
    keep_discharge(book, book.units()[0])
    assert [run.head.conditions.room_c for run, _ in book.runs()] == [(17.0, 23.0), (17.0, 23.0), None]
    window.bench.undo.undo()
    assert book.run(first.id).head.conditions.room_c is None
    assert window.findings.warmth.room.text() == ""
