"""The Shelf: entering a unit from its label, editing, undo, search."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLabel, QLineEdit

from tests.window import click, keep_discharge, needs, type_into
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.jot import TypedLine
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.head import SIMULATED
from ubrant.logbook.records import StoredOutlook
from ubrant.runs.kept.shelf_order import newest_of
from ubrant.ui.shelf.card import UnitCard
from ubrant.ui.shelf.meter_form import MeterForm
from ubrant.ui.shelf.unit_form import UnitForm
from ubrant.ui.widgets.forms import sentence_beneath
from ubrant.ui.window.shell import FINDINGS, PREPARE


def seen(widget) -> str:
    QApplication.processEvents()
    return " | ".join(w.text() for w in widget.findChildren(QLabel) if w.isVisible())


def names(window) -> list[str]:
    return [card.unit.name for card in window.shelf.cards()]


def open_form(window, qtbot) -> UnitForm:
    click(qtbot, window, "Add a unit")
    return window.shelf.findChild(UnitForm)


def test_an_empty_shelf_says_what_to_do(window):
    told = seen(window.shelf)
    assert "What have you got?" in told
    assert "What do you want to know?" in told
    assert "Does it have the capacity it claims?" in told


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
    assert "Write its Ah, mAh or Wh, like “50 Ah 12.8 V”" in seen(form)
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
    bench.jot(run, TypedLine("case warm"), 60.0)
    bench.tell(run.under(criteria=replace(run.head.criteria, cutoff=Cutoff(12.0))), "another cut-off")
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
    assert "a digit of what size?" in sentence_beneath(form.volts)
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
    window.bench.run_opened.emit(newest_of(book, packs[1].id).id)  # what was asked for by itself stays
    assert window.findings.title.text().startswith("Pack B")


def headings(window) -> list[str]:
    return [title.text() for title, _ in window.shelf._headings if title is not None]


def furnish(window) -> dict[str, int]:
    """A pack that was tested, one that was not, and an inverter."""
    book, made = window.bench.logbook, {}
    for unit in (
        Unit("Zinc hall", "inverter", "12 V to 230 V, 300 W"),
        Unit("Pack B", "battery", "50 Ah 12.8 V LiFePO4"),
        Unit("Pack A", "battery", "60 Ah 12.8 V LiFePO4"),
    ):
        made[unit.name] = window.bench.keep_unit(unit).id
    keep_discharge(book, book.unit(made["Pack B"]))
    window.bench.shelf_changed.emit()
    return made


def test_the_shelf_is_in_the_order_that_is_wanted(window, qtbot):
    """By kind with headings, by name, tested last, by verdict with the worst first; and only what is wanted of it."""
    furnish(window)
    qtbot.waitUntil(lambda: any(c.verdict() for c in window.shelf.cards()), timeout=10_000)
    shelf = window.shelf
    assert headings(window) == ["Batteries", "Inverters"]
    assert names(window) == ["Pack B", "Pack A", "Zinc hall"]
    shelf.order.setCurrentIndex(shelf.order.findData("name"))
    assert names(window) == ["Pack A", "Pack B", "Zinc hall"]
    shelf.order.setCurrentIndex(shelf.order.findData("date"))
    assert names(window)[0] == "Pack B"
    shelf.order.setCurrentIndex(shelf.order.findData("verdict"))
    assert headings(window) == [shelf.cards()[0].verdict(), "no verdict"]
    for group, there in (
        ("inverter", ["Zinc hall"]),
        ("tested", ["Pack B"]),
        ("not tested", ["Pack A", "Zinc hall"]),
        ("", ["Pack B", "Pack A", "Zinc hall"]),
    ):
        shelf.group.setCurrentIndex(shelf.group.findData(group))
        assert names(window) == there


def test_search_knows_kinds_verdicts_methods_and_dates(window, qtbot):
    furnish(window)
    qtbot.waitUntil(lambda: any(c.verdict() for c in window.shelf.cards()), timeout=10_000)
    verdict = next(c.verdict() for c in window.shelf.cards() if c.verdict())
    day = window.bench.logbook.runs()[0][0].started[:10]
    for words, there in (("inverter", ["Zinc hall"]), (verdict, ["Pack B"]), ("discharge", ["Pack B"]), (day, ["Pack B"])):
        qtbot.keyClick(window, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
        assert window.shelf.search.hasFocus()
        type_into(qtbot, window.shelf.search, words)
        assert names(window) == there, words
    qtbot.keyClick(window.shelf.search, Qt.Key.Key_Escape)
    assert len(names(window)) == 3


def test_a_name_is_written_over_where_it_stands(window, qtbot):
    made = furnish(window)
    card = window.shelf.cards()[0]
    card.setFocus()
    qtbot.keyClick(card, Qt.Key.Key_F2)
    field = card.findChild(QLineEdit)
    type_into(qtbot, field, "Pack C")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert window.bench.logbook.unit(made["Pack B"]).name == "Pack C"
    window.bench.undo.undo()
    assert window.bench.logbook.unit(made["Pack B"]).name == "Pack B"
    card = window.shelf.cards()[0]
    card.rename()
    field = card.findChild(QLineEdit)
    qtbot.keyClicks(field, "something else")
    qtbot.keyClick(field, Qt.Key.Key_Escape)
    QApplication.processEvents()
    assert window.bench.logbook.unit(made["Pack B"]).name == "Pack B"


def test_several_are_chosen_and_removed_with_one_undo(window, qtbot):
    furnish(window)
    qtbot.waitUntil(lambda: any(c.verdict() for c in window.shelf.cards()), timeout=10_000)
    cards = window.shelf.cards()
    qtbot.mouseClick(cards[0], Qt.MouseButton.LeftButton)
    qtbot.mouseClick(cards[1], Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier)
    assert [c.is_chosen for c in cards] == [True, True, False]
    assert "2 chosen" in seen(window.shelf)
    click(qtbot, window.shelf, "Remove these")
    assert names(window) == ["Zinc hall"]
    window.bench.undo.undo()
    assert sorted(names(window)) == ["Pack A", "Pack B", "Zinc hall"]
    qtbot.mouseClick(window.shelf.cards()[0], Qt.MouseButton.LeftButton)
    assert not window.shelf.several


def test_a_card_says_what_can_be_done_with_it(window):
    made = furnish(window)
    said = {a.text(): a.isEnabled() for a in window.shelf.menu_of(made["Pack A"]).actions()}
    assert said == {
        "Prepare a test": True,
        "Open the newest run": False,
        "Same again …": False,
        "Compare its newest run": False,
        "Add to the outlook": True,
        "Rename    F2": True,
        "Edit": True,
        "Remove": True,
    }
    next(a for a in window.shelf.menu_of(made["Pack B"]).actions() if a.text() == "Open the newest run").trigger()
    assert window.stage() == FINDINGS
    assert window.findings.title.text().startswith("Pack B")


def test_rehearsals_of_a_real_unit_are_dropped_together(window, qtbot):
    book = window.bench.logbook
    unit = window.bench.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    measured = keep_discharge(book, unit)
    for _ in range(2):
        rehearsed = keep_discharge(book, unit)
        book.update_run(replace(rehearsed, told=rehearsed.head.at(SIMULATED)))
    window.bench.choose_unit(unit.id)
    click(qtbot, window.shelf, "Drop its 2 rehearsals")
    assert [run.id for run, _ in book.runs()] == [measured.id]
    window.bench.undo.undo()
    assert len(book.runs()) == 3
    assert all(len(book.kept(run).readings) == 2 for run, _ in book.runs())


def test_a_long_answer_ends_with_a_whole_clause(dressed):
    text = "The output went off at 10.51 V at the inverter's terminals, with 21.3 A flowing; best 91.2 ± 0.4 % at 120 W; idle draw 6.8 W"
    lines = UnitCard._lines(text, 230.0)
    assert len(lines) <= 3
    assert [line.replace("\u00a0", " ") for line in lines] == [
        "The output went off at 10.51 V at the",
        "inverter's terminals, with 21.3 A",
        "flowing",
    ]
    assert " ".join(UnitCard._lines("one " * 60 + "end; two", 230.0)).startswith("one one")
