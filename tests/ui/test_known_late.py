"""What becomes known after a run was begun: the meter and how good it is. Through the window, with one undo; a new run begins with an empty stage."""

from __future__ import annotations

from dataclasses import replace

import pytest
from PyQt6.QtCore import QThreadPool
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel, QScrollArea

from tests.making import by_hand
from tests.methods.samples import SAMPLES
from tests.window import click
from ubrant.core.battery.verdict import CANNOT_TELL
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.usual_meters import USUAL
from ubrant.core.quantities.accuracy import parse_accuracy
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.kept.accounts import account_of, account_of_stored, live_account, other_runs
from ubrant.runs.typed.jot_heads import export_jots
from ubrant.ui.window.shell import FINDINGS, RUN

pytestmark = pytest.mark.needs("discharge")

HOURS = {
    0.0: "13.34 V",
    60.0: "load on 13.10 V 10.00 A",
    **{1800.0 * k: f"{13.0 - 0.05 * k:.2f} V 10.00 A" for k in range(1, 11)},
    18500.0: "11.60 V 10.00 A",
    18900.0: "10.90 V 10.00 A load off",
}


@pytest.fixture
def run(window):
    sample = SAMPLES["discharge"]
    unit = replace(sample.unit, label_text="50 Ah 12.8 V LiFePO4", name="Big pack")
    typed = {**sample.typed, "load": "10 A"}
    prepared = replace(sample, unit=unit, typed=typed, meters=(Meter(""), Meter(""))).prepared("discharge", by_hand=True)
    made, _ = by_hand(window.bench.logbook, "discharge", prepared, HOURS)
    window.findings.open_run(made.id)
    window.go_to(FINDINGS)
    return made


def account(window, run):
    return account_of(window.bench.logbook, window.bench.logbook.run(run.id))[1]


def test_a_discharge_of_five_hours_by_a_meter_of_no_accuracy_is_given_one(window, qtbot, run, tmp_path):
    before = account(window, run)
    assert before.verdict.word == CANNOT_TELL
    assert before.findings["charge"].expanded_uncertainty is None

    def choose(dialog) -> bool:
        choice = dialog.taps[0].choice
        choice.setCurrentIndex(choice.findText("as good as a cheap hand meter (assumed)"))
        choice.activated.emit(choice.currentIndex())
        assert dialog.field("battery", "A").text() == "1.5 % + 3 digits of 10 mA"
        click(qtbot, dialog, "Judge it by these") if dialog.isVisible() else dialog.keep.click()
        return bool(dialog.result())

    window.findings.open_dialog = choose
    click(qtbot, window.findings, "Its meters …")
    after = account(window, run)
    assert after.findings["charge"].expanded_uncertainty > 0
    assert after.verdict.word != CANNOT_TELL or "accurate" not in after.verdict.sentence
    assert after.warnings[0].startswith(
        "Assumed: the meter at the battery is as good as a cheap hand meter usually is (V ± 0.5 % + 2 digits of 10 mV"
    )
    assert "± assumed" in after.findings["charge"].working
    assert "Assumed: the meter" in window.findings.notes.text()
    logbook = window.bench.logbook
    export_jots(logbook.kept(logbook.run(run.id)), tmp_path / "late.jot", "Big pack")  # what is assumed stays so on every road
    again = account_of_stored(read_file(tmp_path / "late.jot", LogOptions()).record())
    assert (again.sentence, again.warnings[0]) == (after.sentence, after.warnings[0])
    window.bench.undo.undo()
    assert account(window, run).findings["charge"].expanded_uncertainty is None
    window.bench.undo.redo()

    def type_own(dialog) -> bool:
        field = dialog.field("battery", "A")
        field.setText("1 % of what")
        assert not dialog.keep.isEnabled()
        assert "is not understood in an accuracy in A" in dialog.trouble.text()
        field.setText("0.2 % + 5 mA")
        dialog.keep.click()
        return bool(dialog.result())

    window.findings.open_dialog = type_own
    click(qtbot, window.findings, "Its meters …")
    own = account(window, run)
    assert own.warnings[0].endswith("usually is (V ± 0.5 % + 2 digits of 10 mV).")  # of its volts nobody said anything
    assert own.findings["charge"].expanded_uncertainty < after.findings["charge"].expanded_uncertainty


@pytest.mark.parametrize("usual", USUAL, ids=lambda u: u.kind)
def test_what_is_usual_can_be_read(usual):
    for text, unit in ((usual.volts, "V"), (usual.amps, "A"), (usual.watts, "W")):
        assert not text or parse_accuracy(text, unit).gain > 0


def test_a_new_run_begins_with_an_empty_stage(window, qtbot):
    """Nothing of the run before: no watts of another battery on the path, no ledger, no drawing."""
    sample = SAMPLES["discharge"]
    run, session = by_hand(window.bench.logbook, "discharge", sample.prepared("discharge", by_hand=True), sample.lines)
    window.bench.begin(run, session, None)
    QApplication.processEvents()
    window.run.tick()
    QTest.qWait(50)
    shown = window.run.path_view.grab().toImage()
    again, fresh = by_hand(window.bench.logbook, "discharge", sample.prepared("discharge", by_hand=True), {}, end=False)
    window.bench.begin(again, fresh, None)
    assert window.run.path_view.grab().toImage() != shown
    assert not window.run.path_view.accessibleDescription() or "W" not in window.run.path_view.accessibleDescription()
    fresh.end()


def test_what_is_said_meanwhile_is_what_is_said_ever_after_by_a_meter_off_its_standard(window):
    """A check standard that the meter is off decides nothing, while the run goes on as well as afterwards."""
    from ubrant.core.equipment.meter import MeterDetails

    logbook, sample = window.bench.logbook, SAMPLES["discharge"]
    off = Meter("Bench meter", "0.05 % + 2 mV", "0.2 % + 2 mA", max_v=60, max_a=20, details=MeterDetails(standard="2.500 V ± 1 mV"))
    prepared = replace(sample, meters=(off, off)).prepared("discharge", by_hand=True)
    run, session = by_hand(logbook, "discharge", prepared, sample.lines)
    logbook.note(run.id, 5.0, "standard 2.613 V")
    session.live.event(logbook.events(run.id)[-1].event)
    live = live_account(run, session, others=other_runs(logbook, run))
    kept = account_of(logbook, logbook.run(run.id))[1]
    assert live.verdict.word == CANNOT_TELL
    assert (live.verdict, live.sentence, live.warnings) == (kept.verdict, kept.sentence, kept.warnings)


def test_what_is_left_is_guessed_once_it_has_ended(window):
    """While it goes on nobody says that it did not reach its cut-off."""
    sample = SAMPLES["discharge"]
    unit = replace(sample.unit, label_text="50 Ah 12.8 V LiFePO4", name="Big pack")
    prepared = replace(sample, unit=unit, typed={**sample.typed, "load": "10 A"}).prepared("discharge", by_hand=True)
    run, going = by_hand(window.bench.logbook, "discharge", prepared, {t: line for t, line in HOURS.items() if t < 8000}, end=False)
    assert going.running
    assert not any("did not reach its cut-off" in w for w in live_account(run, going).warnings)
    going.end()
    assert any("did not reach its cut-off" in w for w in live_account(run, going).warnings)


def test_findings_begin_at_their_top(window, qtbot, run):
    """Another run is shown from its verdict on; the same one, judged anew, stays where it was scrolled to."""
    window.resize(1000, 500)
    QApplication.processEvents()
    bar = window.findings.panel.findChild(QScrollArea).verticalScrollBar()
    assert bar.maximum() > 0
    bar.setValue(bar.maximum())
    window.findings.open_run(run.id)
    assert bar.value() > 0
    other, _ = by_hand(
        window.bench.logbook, "discharge", SAMPLES["discharge"].prepared("discharge", by_hand=True), SAMPLES["discharge"].lines
    )
    window.findings.open_run(other.id)
    QApplication.processEvents()
    assert bar.value() == 0


def test_all_rows_undone_nothing_is_drawn(window, qtbot):
    from ubrant.core.quantities.jot import Grammar

    sample = SAMPLES["discharge"]
    run, session = by_hand(window.bench.logbook, "discharge", sample.prepared("discharge", by_hand=True), {}, end=False)
    window.bench.begin(run, session, None)
    window.go_to(RUN)

    def seen() -> tuple[object, ...]:
        for _ in range(30):
            window.run.tick()
            QThreadPool.globalInstance().waitForDone()
            QApplication.processEvents()
        drawn = [d.grab().toImage() for d in (window.run.path_view, window.run.drawn)]
        return (*drawn, window.run.ledger.findChildren(QLabel) and [x.text() for x in window.run.ledger.findChildren(QLabel)])

    before = seen()
    for moment, line in ((60.0, "load on 13.10 V 0.50 A"), (1800.0, "12.98 V 0.50 A"), (2900.0, "12.60 V 0.50 A")):
        session.clock.time_s = moment
        assert not window.bench.jot(run, Grammar().parse(line), moment)
    assert seen()[:2] != before[:2]
    while window.bench.undo.canUndo() and "note" in window.bench.undo.undoText():
        window.bench.undo.undo()
    session.clock.time_s = 0.0
    after = seen()
    assert window.bench.logbook.jots(run.id) == []
    assert after[0] == before[0], "the path"
    assert after[1] == before[1], "the drawing"
    session.end()


def test_what_is_doubted_is_said_while_it_runs_as_it_is_afterwards(window):
    sample = SAMPLES["discharge"]
    prepared = sample.prepared("discharge", by_hand=True)
    typed = {0.0: "load on 13.10 V 10.00 A", 60.0: "13.0 V 10.00 A 45 W", 120.0: "battery 12.9 V 10.00 A battery 9.0 A"}
    run, session = by_hand(window.bench.logbook, "discharge", prepared, typed, end=False)
    window.bench.begin(run, session, None)
    window.go_to(RUN)
    window.run.tick()
    said = window.run.warning_note.text()
    assert window.run.warning_note.isVisible()
    assert "battery 13 V, battery 10 A and battery 45 W do not go together: volts times amperes are 130.0" in said
    assert "In one row battery A stands twice" in said
    session.end()
    window.findings.open_run(run.id)
    shown = {*window.findings.notes.text().splitlines(), window.findings.verdict.text().removeprefix("Cannot tell yet: ")}
    assert set(said.splitlines()) <= shown
