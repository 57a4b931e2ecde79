"""The Shelf: entering a unit from its label, editing, undo, search."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLabel

from tests.window import click, keep_discharge, needs, type_into
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.jot import Jotting
from ubrant.core.record.cutoff import Cutoff
from ubrant.logbook.records import StoredOutlook
from ubrant.ui.shelf.meter_form import MeterForm
from ubrant.ui.shelf.unit_form import UnitForm
from ubrant.ui.shell import FINDINGS, PREPARE


def seen(widget) -> str:
    QApplication.processEvents()
    return " | ".join(w.text() for w in widget.findChildren(QLabel) if w.isVisible())


def names(window) -> list[str]:
    return [card.unit.name for card in window.shelf.cards()]


def open_form(window, qtbot) -> UnitForm:
    click(qtbot, window, "Add a unit")
    return window.shelf.findChild(UnitForm)


def test_an_empty_shelf_says_what_to_do(window):
    assert "The shelf is empty. Add a battery from its label" in seen(window.shelf)


def test_a_unit_is_entered_by_keyboard_from_its_label(window, qtbot):
    form = open_form(window, qtbot)
    qtbot.keyClicks(form.name, "Dome pack")
    qtbot.keyClick(form.name, Qt.Key.Key_Return)
    assert form.label_text.hasFocus()
    qtbot.keyClicks(form.label_text, "50 Ah 12.8 V")
    assert "Read as 50 Ah · 12.8 V · 640 Wh" in form.read_as()
    qtbot.keyClick(form.label_text, Qt.Key.Key_Return)
    assert names(window) == ["Dome pack"]
    card = window.shelf.cards()[0]
    assert (card.is_chosen, card.measured()) == (True, "not tested yet")
    assert "4 iron phosphate cells in series" in card.claim()


def test_a_slip_of_unit_is_questioned_while_typing(window, qtbot):
    form = open_form(window, qtbot)
    qtbot.keyClicks(form.label_text, "12 V 45 mAh lead-acid 7 kg")
    assert "45 mAh for a 7 kg block? 45 Ah would fit its weight." in form.queries()


def test_a_label_without_capacity_cannot_be_kept(window, qtbot):
    form = open_form(window, qtbot)
    qtbot.keyClicks(form.name, "Mystery")
    qtbot.keyClicks(form.label_text, "shiny")
    assert "No capacity found in “shiny”" in seen(form)
    qtbot.keyClick(form.label_text, Qt.Key.Key_Return)
    assert names(window) == []


def test_adding_editing_and_removing_can_be_undone(window, qtbot):
    window.bench.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V"))
    click(qtbot, window.shelf, "Edit")
    form = window.shelf.findChild(UnitForm)
    type_into(qtbot, form.name, "Better name")
    click(qtbot, form, "Keep it")
    assert names(window) == ["Better name"]
    click(qtbot, window.shelf, "Remove")
    assert names(window) == []
    for expected in (["Better name"], ["Pack"], []):
        qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        assert names(window) == expected
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert names(window) == ["Pack"]


def test_meters_jottings_cutoffs_and_outlooks_can_be_undone(window, qtbot):
    bench, logbook = window.bench, window.bench.logbook
    bench.keep_meter(Meter("Bench meter", "0.1 %", "1 %"))
    bench.keep_meter(Meter("Better meter", "0.1 %", "1 %", id=1))
    run = keep_discharge(logbook)
    bench.jot(run, Jotting("case warm"), 60.0)
    bench.keep_criteria(run, replace(run.head.criteria, cutoff=Cutoff(12.0)))
    bench.keep_outlook(StoredOutlook("x", run.id, "2026-11-01", {}, "Runs on."))

    def state() -> tuple[object, ...]:
        meters = [m.name for m in logbook.meters()]
        return meters, [e.event.text for e in logbook.events(run.id)], logbook.run(run.id).cutoff.voltage_v, len(logbook.outlooks())

    after = state()
    assert after == (["Better meter"], ["case warm"], 12.0, 1)
    for _ in range(4):
        bench.undo.undo()
    assert state() == (["Bench meter"], [], 11.0, 0)
    bench.undo.undo()
    assert logbook.meters() == []
    for _ in range(5):
        bench.undo.redo()
    assert state() == after
    assert window.findings.account.findings["duration"].value < 18000


def test_search_narrows_the_shelf(window, qtbot):
    for name in ("Dome pack", "Gate block"):
        window.bench.keep_unit(Unit(name, "battery", "50 Ah 12.8 V"))
    qtbot.keyClicks(window.shelf.search, "gate")
    assert names(window) == ["Gate block"]
    type_into(qtbot, window.shelf.search, "zebra")
    assert "Nothing on the shelf fits “zebra”" in seen(window.shelf)


def test_a_meter_is_entered_with_its_accuracy(window, qtbot):
    click(qtbot, window.shelf, "Add a meter")
    form = window.shelf.findChild(MeterForm)
    qtbot.keyClicks(form.name, "Bench meter")
    qtbot.keyClicks(form.volts, "0.1 % + 3 digits")
    assert "of what size?" in form.trouble()
    type_into(qtbot, form.volts, "0.1 % + 3 mV")
    qtbot.keyClicks(form.amps, "0.5 % + 5 mA")
    click(qtbot, form, "Keep it")
    assert window.bench.logbook.meters() == [Meter("Bench meter", "0.1 % + 3 mV", "0.5 % + 5 mA", id=1)]
    assert "± (0.10 % + 3.0 mV)" in seen(window.shelf)


def test_a_thing_without_capacity_has_a_small_card_and_no_test(window):
    window.bench.keep_unit(Unit("Blower", "load", "12 V, 65 W"))
    assert not window.shelf.cards()[0].has_bar
    assert "Prepare a test" not in [b.text() for b in window.shelf.findChildren(type(window.shelf.add)) if b.isVisible()]


def test_a_double_click_prepares_a_test(stocked, qtbot):
    needs("discharge")
    qtbot.mouseDClick(stocked.shelf.cards()[0], Qt.MouseButton.LeftButton)
    assert stocked.stage() == PREPARE
    assert stocked.prepare.unit_box.currentText() == "Small pack"


def test_what_is_not_worked_out_yet_is_between_events(window, qtbot):
    """After an update every run is due again: the shelf is there at once, and fills."""
    run = keep_discharge(window.bench.logbook, window.bench.keep_unit(Unit("Dome pack", "battery", "50 Ah 12.8 V LiFePO4")))
    assert window.bench.logbook.summary(run.id) is None
    window.bench.shelf_changed.emit()
    assert window.shelf.cards()[0].measured() == "being worked out …"
    qtbot.waitUntil(lambda: window.shelf.cards()[0].measured().startswith("48.7"), timeout=10_000)
    assert window.bench.logbook.summary(run.id) is not None


def test_the_stages_follow_what_is_selected_on_the_shelf(stocked, qtbot):
    needs("discharge")
    window, book = stocked, stocked.bench.logbook
    packs = [book.keep_unit(Unit(name, "battery", "50 Ah 12.8 V LiFePO4")) for name in ("Pack A", "Pack B")]
    for pack in packs:
        keep_discharge(book, pack)
    window.bench.shelf_changed.emit()
    for pack in (*packs, packs[0]):
        window.bench.choose_unit(pack.id)
        window.go_to(PREPARE)
        assert window.prepare.unit_box.currentText() == pack.name
        window.go_to(FINDINGS)
        assert window.findings.title.text().startswith(pack.name)
    window.bench.run_opened.emit(book.latest_run(packs[1].id).id)  # what was asked for by itself stays
    assert window.findings.title.text().startswith("Pack B")
