"""A converter swept in the window: automatically on stand-ins, and by hand at the jot line."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QFileDialog

from tests.making import setup_for
from tests.window import click, jot, needs, type_into, typed_row
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.models.converter import Converter
from ubrant.demo.kit import WatchedClock
from ubrant.methods.method import Scene
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.kept.accounts import account_of_stored
from ubrant.runs.making.simulated import converter_scenario
from ubrant.ui.window.shell import FINDINGS, RUN

LABEL = "12 V to 5 V, 3 A"


@pytest.fixture
def prepared(window, qtbot):
    """A small sweep of a step-down, about to be started."""
    for name in ("In", "Out"):
        window.bench.logbook.keep_meter(Meter(name, "0.05 % + 2 mV", "0.2 % + 2 mA", max_v=60, max_a=20))
    unit = window.bench.keep_unit(Unit("Step-down", "converter", LABEL))
    window.bench.choose_unit(unit.id)
    click(qtbot, window.shelf, "Prepare a test")
    form = window.prepare.form
    form.bench.setCurrentIndex(form.bench.findData(600.0))
    form.meters["output"].setCurrentIndex(form.meters["output"].findText("Out"))
    for name, text in (("highest", "13 V"), ("lowest", "5 V"), ("step", "0.5 V"), ("loads", "0, 0.5, 1, 2, 3")):
        type_into(qtbot, form.fields[name], text)
    window.prepare.look()
    return window


def scenario(window, run_id):
    """What the stand-ins really are."""
    setup = setup_for("sweep", window.bench.logbook.units()[0], tuple(window.bench.logbook.meters()))
    return converter_scenario(Scene(("input", "output"), supply=True), setup, run_id)


def test_prepare_shows_the_grid_and_what_speaks_against_it(prepared, qtbot):
    window = prepared
    assert "0 of 165 points" in window.prepare.drawn.plot("Points, down and up again").accessibleDescription()
    assert window.prepare.aside.text() == "165 points"
    assert window.prepare.drawn.plot("Points, down and up again").isVisible()
    assert not window.prepare.drawn.trace.isVisible()
    type_into(qtbot, window.prepare.form.fields["highest"], "19 V")
    window.prepare.look()
    assert any("over its window is damage" in p for p in window.prepare.problems())
    assert not window.prepare.start_button.isEnabled()
    type_into(qtbot, window.prepare.form.fields["highest"], "13 A")
    window.prepare.look()
    assert any("is in A" in p for p in window.prepare.problems())


def test_a_full_automatic_sweep(prepared, qtbot, tmp_path, monkeypatch):
    """Every finding within its ± of what the stand-in really is, and the export analysed alike."""
    window = prepared
    click(qtbot, window.prepare, "Start the run")
    assert window.stage() == RUN
    qtbot.waitUntil(lambda: window.run.done_button.isVisible(), timeout=20_000)
    qtbot.keyClick(window.run.done_button, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: window.stage() == FINDINGS, timeout=60_000)
    view = window.findings.account
    truth = scenario(window, window.findings.shown()[0].id)
    p = truth.converter
    told = {
        "idle_power": p.fixed_w,
        "loss_fixed": p.fixed_w,
        "loss_proportional": p.proportional,
        "loss_resistive": p.resistive_per_w,
        "shutoff_voltage": p.shutoff_v,
        "restart_voltage": p.restart_v,
        "lead_resistance": truth.lead_ohm,
    }
    for key, value in told.items():
        finding = view.findings[key]
        assert abs(finding.value - value) <= 1.5 * finding.expanded_uncertainty, key
    assert window.findings.verdict.text().startswith("Best 9")
    assert window.findings.drawn.plot("Efficiency, %").isVisible()
    assert "shuts off: 6." in window.findings.drawn.ladder.accessibleDescription()
    assert "best 9" in window.findings.drawn.plot("Efficiency at each load").accessibleDescription()
    path = tmp_path / "sweep.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(path), "CSV (*.csv)"))
    window.files.export()
    qtbot.waitUntil(path.exists, timeout=10_000)
    again = account_of_stored(read_file(path, LogOptions()).record())
    assert again.taken == view.taken > 100
    report = tmp_path / "sweep.html"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(report), "HTML (*.html)"))
    window.files.report()
    qtbot.waitUntil(report.exists, timeout=10_000)
    assert "Shuts off at" in report.read_text()
    window.files.copy_ledger()
    assert "Lead resistance" in QApplication.clipboard().text()


def test_stopped_half_way_the_supply_is_off_and_the_points_are_kept(prepared, qtbot):
    window = prepared
    window.prepare.form.bench.setCurrentIndex(window.prepare.form.bench.findData(600.0))
    window.prepare.look()
    click(qtbot, window.prepare, "Start the run")
    qtbot.waitUntil(lambda: window.run.done_button.isVisible(), timeout=20_000)
    qtbot.keyClick(window.run.done_button, Qt.Key.Key_Return)
    qtbot.waitUntil(
        lambda: "of 165 points" in window.run.aside.text() and not window.run.aside.text().startswith(("0 ", "1 ", "2 ", "3 ")),
        timeout=30_000,
    )
    click(qtbot, window.run, "Stop")
    qtbot.waitUntil(lambda: window.stage() == FINDINGS, timeout=20_000)
    commands = window.bench.session.commands.text()
    for name in ("Load: INP?", "Supply: OUTP?"):
        last = [line for line in commands.splitlines() if name in line][-1:]
        assert all(line.rstrip().endswith("0") for line in last), name
    assert window.bench.logbook.runs()[0][0].ended_by == "person"


def test_a_sweep_by_hand_is_four_numbers_a_point(prepared, qtbot):
    """From the form to the efficiency at each load: six loads at one input voltage, four numbers and Enter each, and a click to begin and end."""
    window, clock = prepared, WatchedClock()
    window.bench.clock = lambda: clock
    form = window.prepare.form
    form.bench.setCurrentIndex(form.bench.findText("by hand: I type the readings"))
    window.prepare.look()
    assert window.prepare.problems() == []
    click(qtbot, window.prepare, "Start the run")
    window.run.tick()
    click(qtbot, window.run, "Done, go on")
    window.run.tick()
    converter = Converter(scenario(window, 1).converter)
    assert "Point 1 of 6: 12 V at the input, nothing at the output" in window.run.next_note.text()
    for amps in (0.0, 0.15, 0.3, 0.75, 1.5, 3.0):
        clock.time_s += 30.0
        out, into = converter.output(12.0, amps)
        typed_row(qtbot, window, f"12.00 {into:.4f} {out:.3f} {amps:.3f}")
    assert "That was the last point" in window.run.next_note.text()
    table = window.run.table.model
    says = [table.data(table.index(k, table.place_of("says"))) for k in range(6)]
    assert says[0].endswith("W in")
    assert all("±" in text and text.endswith("%") for text in says[1:])
    assert [table.data(table.index(k, table.place_of("asked"))) for k in (0, 1)] == ["12 V, no load", "12 V, 0.15 A out"]
    click(qtbot, window.run, "Close the run")
    window.run.tick()
    QApplication.processEvents()
    found = window.findings.account
    assert found.taken == 6
    assert found.findings["idle_power"].value == pytest.approx(converter.parameters.fixed_w, rel=0.1)
    assert "best" in window.findings.drawn.plot("Efficiency at each load").accessibleDescription()
    assert window.findings.table.isVisible()


def test_what_is_lacking_in_a_row_is_said_and_what_is_too_much(prepared, qtbot):
    window, clock = prepared, WatchedClock()
    window.bench.clock = lambda: clock
    form = window.prepare.form
    form.bench.setCurrentIndex(form.bench.findText("by hand: I type the readings"))
    window.prepare.look()
    click(qtbot, window.prepare, "Start the run")
    window.run.tick()
    click(qtbot, window.run, "Done, go on")
    window.run.tick()
    jot(qtbot, window.run, "input 12 V")
    assert "This point still lacks: input A, output V" in window.run.jot_line.hint.text()
    window.run.jot_line.setText("")
    typed_row(qtbot, window, "12.00 0.02 5.01 0 7")
    assert "5 numbers, and there are 4 columns" in window.run.table.message.text()
    typed_row(qtbot, window, "12.00 fan")
    assert "is no reading in V" in window.run.table.message.text()
    typed_row(qtbot, window, "12.00 0.02")
    qtbot.keyClick(window.run.table.view, Qt.Key.Key_Return)
    assert "still lacks out V" in window.run.table.message.text()
    assert window.run.table.unfinished() == "12.00 0.02"
    click(qtbot, window.run, "Close the run")
    assert "was typed and not taken down" in window.run.notice_note.text()
    assert window.bench.is_running


def test_a_sweep_by_hand_that_was_left_by_a_crash_goes_on(prepared, qtbot):
    window, clock = prepared, WatchedClock()
    window.bench.clock = lambda: clock
    window.prepare.form.bench.setCurrentIndex(window.prepare.form.bench.findText("by hand: I type the readings"))
    window.prepare.look()
    click(qtbot, window.prepare, "Start the run")
    window.run.tick()
    click(qtbot, window.run, "Done, go on")
    clock.time_s += 30.0
    jot(qtbot, window.run, "input 12 V 0.012 A output 5.01 V 0 A", enters=2)
    run_id = window.bench.run.id
    window.bench.session._state = window.bench.session._state.__class__(phase="ended", ended_by="fault")
    window.bench.logbook._db.execute("UPDATE run SET state = 'interrupted', ended_by = 'interrupted' WHERE id = ?", (run_id,))
    window.bench.run_opened.emit(run_id)
    click(qtbot, window.findings, "Go on after the gap")
    assert window.stage() == RUN
    window.run.tick()
    assert "Point 2 of 6: 12 V at the input, 0.15 A" in window.run.next_note.text()
    window.bench.session.end()
    window.run.tick()
    assert window.bench.logbook.run(run_id).state == "done"


def test_instruments_are_chosen_one_by_one(prepared, qtbot):
    """Load and supply by name; a display cannot be asked, so that a meter with a connection takes its place; what is read along is ticked."""
    needs("idle")
    window, form = prepared, prepared.prepare.form
    for name, role, tap in (
        ("Sink", "load", ""),
        ("Sink two", "load", ""),
        ("Feed", "supply", ""),
        ("A", "meter", "input"),
        ("B", "meter", "output"),
        ("C", "meter", "output"),
    ):
        details = MeterDetails(role=role, connection="scpi", address="TCPIP0::127.0.0.1::9::SOCKET", tap=tap or "battery")
        window.bench.keep_meter(Meter(name, "0.1 %", "0.2 %", details=details))
    assert not form.load.isVisible()
    form.bench.setCurrentIndex(form.bench.findText("instruments"))
    window.prepare.look()
    assert form.load.isVisible()
    assert window.prepare.problems() == []
    assert (form.meters["input"].currentText(), form.meters["output"].currentText()) == ("A", "B")
    form.load.setCurrentIndex(form.load.findText("Sink two"))
    choice = form.choice()
    assert (choice.load.name, choice.supply.name, choice.scope) == ("Sink two", "Feed", None)
    assert form.also.text().strip() == "C"
    assert [m.name for m in choice.others] == ["C"]
    form.also.menu().actions()[0].trigger()
    assert form.also.text().strip() == "no other meter"
    assert form.choice().others == ()
    form.meters["output"].setCurrentIndex(form.meters["output"].findText("A"))
    window.prepare.look()
    assert any("A cannot be at both ends by itself" in said for said in window.prepare.problems())
    form.choose_method("idle")
    window.prepare.look()
    assert not form.load.isVisible()
    assert window.prepare.problems() == []
    assert list(form.prepared().setup.meters) == ["input", "C"] or "output" not in form.prepared().setup.meters
    form.supply.setCurrentIndex(form.supply.findText("none"))
    window.prepare.look()
    assert any("no bench supply" in said for said in window.prepare.problems())
