"""The outlook as a person uses it: pieces as lines, a drag, what-ifs, keeping, what then happened, files."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QPushButton

from tests.methods.discharge.test_accounts import logged
from tests.window import click
from ubrant.core.equipment.unit import Unit
from ubrant.runs.kits.kit_rows import INPUT, LOAD, SOURCE, WAY
from ubrant.ui.outlook.day import ROW
from ubrant.ui.window.shell import OUTLOOK


@pytest.fixture
def stage(window):
    window.bench.logbook.keep_unit(Unit("Never tested", "battery", "50 Ah 12.8 V"))
    window.go_to(OUTLOOK)
    window.outlook.show_rows([])
    return window.outlook


def write(stage, kind: str, text: str) -> None:
    """Into the empty line of its kind, key by key, and Enter."""
    rows = stage.loads if kind == LOAD else stage.pieces
    field = rows.empty(kind)
    field.setFocus()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def settled(stage, qtbot) -> None:
    """With its band, which comes a moment later."""
    stage._later.stop()
    stage._look_closely()
    qtbot.waitUntil(lambda: stage.size_line.text() != "", timeout=20_000)


def test_a_simple_job_is_three_lines_and_an_answer(stage, qtbot):
    assert "nothing to run from yet" in stage.trouble.text()
    write(stage, SOURCE, "Pack 640 Wh, usable 80 %")
    assert "Nothing is drawn yet" in stage.trouble.text()
    write(stage, LOAD, "fridge 38 W 40 %")
    write(stage, WAY, "inverter 88 %, idle 7 W")
    hours = 512 / (38 * 0.4 / 0.88 + 7)
    assert stage.looked.runtime_s == pytest.approx(3600 * hours)
    assert "Runs for about 21 h 06 min" in stage.verdict.text()
    assert "Wh" in stage.path_view.words()
    assert "mains" in stage.cautions.text()
    settled(stage, qtbot)
    assert "It takes" in stage.size_line.text()
    assert stage._gains.count() == 3


def test_a_fridge_takes_no_more_keys_than_its_words(stage, qtbot):
    """Ctrl+Shift+L goes to the empty load, Enter ends it: nothing else besides the words."""
    write(stage, SOURCE, "Pack 640 Wh")
    QTest.keyClick(stage, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    stage.loads.empty(LOAD).setFocus()
    QTest.keyClicks(stage.loads.empty(LOAD), "fridge 38 W 40 %")
    QTest.keyClick(stage.loads.empty(LOAD), Qt.Key.Key_Return)
    assert stage.part.load[0].name == "fridge"
    assert stage.looked.runtime_s == pytest.approx(3600 * 640 / (38 * 0.4))


def test_a_line_that_is_not_understood_is_framed_and_said(stage):
    write(stage, SOURCE, "Pack 640 Wh")
    write(stage, LOAD, "fridge 38 W 140 %")
    assert "“140 %” is no share" in stage.trouble.text()
    assert stage.loads.field(LOAD, 0).objectName() == "amiss"
    assert stage.looked is None
    assert not stage.keep_button.isEnabled()
    field = stage.loads.field(LOAD, 0)
    field.selectAll()
    QTest.keyClicks(field, "fridge 38 W 40 %")
    assert stage.trouble.text() == ""
    assert stage.loads.field(LOAD, 0).objectName() == ""


def test_a_name_of_the_shelf_brings_what_was_measured_or_its_label(window, qtbot):
    run = logged(window.bench.logbook)
    window.bench.logbook.keep_unit(Unit("Never tested", "battery", "50 Ah 12.8 V"))
    window.bench.shelf_changed.emit()
    stage = window.outlook
    window.go_to(OUTLOOK)
    stage.show_rows([(SOURCE, "Pack"), (LOAD, "load 60 W")])
    assert run.id == 1
    assert "measured" in stage._kit.sources[0].why
    assert stage.verdict.text().startswith("Runs for about")
    stage.show_rows([(SOURCE, "Never tested"), (LOAD, "load 60 W")])
    assert "only the label says what it holds" in stage.verdict.text()
    assert stage._kit.sources[0].capacity.low == pytest.approx(0.65 * 640)
    stage.show_rows([])
    window.bench.outlook_wanted.emit(window.bench.logbook.units()[0].id)
    assert stage.pieces.rows()[-1] == (SOURCE, "Pack")
    assert window.stage() == OUTLOOK


def test_a_stretch_is_dragged_on_the_days_own_axis(stage, qtbot):
    write(stage, SOURCE, "Pack 640 Wh")
    write(stage, LOAD, "lamp 60 W 18:00 to 22:00")
    stage.starts.setFocus()
    QTest.keyClicks(stage.starts, "17:00")
    strips, axis = stage.strips, stage._axis
    ((start, end, _), *_) = strips.stretches(0)
    assert (start, end) == (3600.0, 5 * 3600.0)
    before = stage.looked.runtime_s
    x = axis.x(end, strips.width())
    to = axis.x(end + 2 * 3600, strips.width())
    QTest.mousePress(strips, Qt.MouseButton.LeftButton, pos=QPointF(x, ROW / 2).toPoint())
    for k in range(1, 5):
        QTest.mouseMove(strips, QPointF(x + (to - x) * k / 4, ROW / 2).toPoint())
    QTest.mouseRelease(strips, Qt.MouseButton.LeftButton, pos=QPointF(to, ROW / 2).toPoint())
    text = stage.loads.field(LOAD, 0).text()
    assert text in {f"lamp 60 W 18:00 to {t}" for t in ("00:00", "23:50", "23:55", "00:05", "00:10")}  # by how wide a pixel is
    assert stage.looked.runtime_s != before
    assert stage.part.load[0].duty in text


def test_what_ifs_stand_beside_and_are_taken_up_again(stage, qtbot):
    write(stage, SOURCE, "Pack 640 Wh")
    write(stage, LOAD, "lamp 64 W")
    click(qtbot, stage, "Copy as what-if")
    field = stage.loads.field(LOAD, 0)
    field.selectAll()
    QTest.keyClicks(field, "lamp 32 W")
    assert stage.looked.runtime_s == pytest.approx(20 * 3600)
    click(qtbot, stage, "What-if 1")
    assert stage.looked.runtime_s == pytest.approx(10 * 3600)
    click(qtbot, stage, "×")
    assert stage.variants == []


def test_kept_recalled_and_held_against_what_happened(window, qtbot):
    logged(window.bench.logbook)
    window.bench.shelf_changed.emit()
    window.go_to(OUTLOOK)
    stage = window.outlook
    stage.show_rows([(SOURCE, "Pack 640 Wh"), (LOAD, "lamp 64 W")])
    click(qtbot, stage, "Keep this outlook")
    (kept,) = window.bench.logbook.outlooks()
    assert kept.answer.startswith("Runs for about 10 h")
    place = stage.run_box.findData(1)
    stage.run_box.setCurrentIndex(place)
    stage.run_box.activated.emit(place)
    hours = 17545 / 3600
    assert "The outlook said 10 h and it was" in stage.compared.text()
    assert "too hopeful, not yet applied" in stage.compared.text()
    click(qtbot, stage, "Apply it")
    assert stage.looked.runtime_s == pytest.approx(hours * 3600, rel=1e-3)
    assert ", applied" in stage.compared.text()
    click(qtbot, stage, "Keep this outlook")
    stage.show_rows([])
    place = stage.kept_box.findText(window.bench.logbook.outlooks()[0].name)
    stage.kept_box.setCurrentIndex(place)
    stage.kept_box.activated.emit(place)
    assert stage.loads.rows() == [(LOAD, "lamp 64 W")]
    assert stage.looked.runtime_s == pytest.approx(hours * 3600, rel=1e-3)


def test_a_swap_card_a_calendar_and_a_file(stage, qtbot, tmp_path):
    for kind, text in (
        (SOURCE, "Pack A 300 Wh"),
        (SOURCE, "Pack B 300 Wh, swap 4 min"),
        (LOAD, "blower 60 W 17:00 to 23:30"),
        (LOAD, "projector 60 W 18:00 to 19:00, 19:30 to 20:30, 21:00 to 22:00"),
    ):
        write(stage, kind, text)
    QTest.keyClicks(stage.starts, "17:00")
    stage.save_card(tmp_path / "card.html")
    page = (tmp_path / "card.html").read_text()
    assert "Pack A out, Pack B in, in the break, takes 4 min; at the latest 20:15" in page
    assert "<td>19:00</td>" in page
    stage.save_calendar(tmp_path / "swaps.ics")
    assert b"BEGIN:VALARM" in (tmp_path / "swaps.ics").read_bytes()
    stage.save_file(tmp_path / "evening.toml")
    kept = stage.state()
    stage.show_rows([])
    stage.open_file(tmp_path / "evening.toml")
    assert stage.state() == kept
    assert stage.starts.text() == "17:00"
    (tmp_path / "bad.toml").write_text("[source]\nenergy = 640")
    stage.open_file(tmp_path / "bad.toml")
    assert stage.state() == kept


def test_an_emptied_line_goes_and_inputs_can_carry_it(stage, qtbot):
    write(stage, SOURCE, "Pack 640 Wh")
    write(stage, LOAD, "lamp 30 W")
    write(stage, LOAD, "radio 30 W")
    write(stage, INPUT, "charger 80 W")
    assert stage.looked.runtime_s is None
    assert "for as long as the input lasts" in stage.verdict.text()
    field = stage.loads.field(LOAD, 0)
    field.clear()
    field.textEdited.emit("")
    QTest.keyClick(field, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: len(stage.loads.rows()) == 1 and len(stage.loads.fields) == 2, timeout=2000)
    assert stage.loads.rows() == [(LOAD, "radio 30 W")]


def test_what_to_measure_next_is_a_click_from_its_test(window, stage, qtbot):
    window.bench.logbook.keep_unit(Unit("Hall fridge", "load", "230 V 60 W"))
    write(stage, SOURCE, "Never tested")
    write(stage, LOAD, "Hall fridge 36..40 W")
    stage.hours.setText("14 h")
    settled(stage, qtbot)
    qtbot.waitUntil(stage.next.isVisible, timeout=20_000)
    told = " ".join(one.text() for one in stage.next.findChildren(QLabel))
    assert "Most of the doubt is what Never tested holds" in told
    assert "±" in told
    assert "of 100 cases it would change whether that is enough" in told
    click(qtbot, stage.next, "Discharge: Never tested")
    assert window.prepare.isVisible()
    assert window.prepare.unit_box.currentText() == "Never tested"


def test_no_need_to_measure_is_said_and_nothing_is_offered(stage, qtbot):
    write(stage, SOURCE, "Never tested")
    write(stage, LOAD, "lamp 4..6 W")
    stage.hours.setText("2 h")
    settled(stage, qtbot)
    qtbot.waitUntil(stage.next.isVisible, timeout=20_000)
    told = " ".join(one.text() for one in stage.next.findChildren(QLabel))
    assert "No need to measure: it lasts 2 h in 100 of 100 cases" in told
    assert not stage.next.findChildren(QPushButton)


def test_nothing_in_doubt_has_nothing_to_measure(stage, qtbot):
    write(stage, SOURCE, "Pack 640 Wh")
    write(stage, LOAD, "lamp 5 W")
    settled(stage, qtbot)
    assert not stage.next.isVisible()
