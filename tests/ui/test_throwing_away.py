"""Runs thrown away and had back; pictures; what else is known of a unit."""

from __future__ import annotations

from dataclasses import replace

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QMessageBox

from tests.window import click, keep_discharge
from ubrant.core.equipment.unit import Unit, UnitFacts, parse_price, parse_tags, parse_volume
from ubrant.core.quantities.quantity import QuantityError
from ubrant.logbook.file import LogbookError
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.kept.shelf_order import newest_of
from ubrant.ui.common.photos import PhotoStrip, photo_of
from ubrant.ui.shelf.thrown_dialog import ThrownDialog
from ubrant.ui.shelf.unit_form import UnitForm
from ubrant.ui.window.shell import FINDINGS, SHELF


@pytest.fixture
def two(window):
    """A pack with two runs, the first shown."""
    unit = window.bench.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    runs = [keep_discharge(window.bench.logbook, unit), keep_discharge(window.bench.logbook, unit, hours=4.0)]
    window.bench.shelf_changed.emit()
    window.bench.run_opened.emit(runs[0].id)
    return runs


def answer(monkeypatch, words: str) -> None:
    def press(box: QMessageBox) -> int:
        next(b for b in box.buttons() if b.text() == words).click()
        return 0

    monkeypatch.setattr(QMessageBox, "exec", press)


def test_thrown_away_by_a_key_and_back_by_another(window, qtbot, two):
    book = window.bench.logbook
    assert window.stage() == FINDINGS
    qtbot.keyClick(window, Qt.Key.Key_Delete, Qt.KeyboardModifier.ControlModifier)
    assert [run.id for run, _ in book.runs()] == [two[1].id]
    assert window.findings.title.text() == "No run chosen"
    assert book.find_run(two[0].id) is None
    assert newest_of(book, two[1].unit_id).id == two[1].id
    window.bench.undo.undo()
    assert len(book.runs()) == 2
    window.bench.undo.redo()
    dialog = ThrownDialog(window.bench, window)
    qtbot.addWidget(dialog)
    dialog.show()
    assert [dialog.table.item(0, k).text() for k in range(2)] == ["Pack", "Discharge"]
    click(qtbot, dialog, "Put back")
    assert (len(book.runs()), dialog.table.rowCount(), dialog.back.isEnabled()) == (2, 0, False)
    assert account_of(book, book.run(two[0].id))[1].findings["charge"].value


def test_deleted_for_good_only_when_agreed(window, qtbot, two, monkeypatch):
    book = window.bench.logbook
    window.bench.throw_away(two)
    dialog = ThrownDialog(window.bench, window)
    qtbot.addWidget(dialog)
    dialog.show()
    dialog.table.selectAll()
    answer(monkeypatch, "Keep it")
    click(qtbot, dialog, "Delete for good …")
    assert len(book.thrown()) == 2
    answer(monkeypatch, "Delete for good")
    click(qtbot, dialog, "Delete for good …")
    assert (book.thrown(), book.runs(), window.bench.undo.canUndo()) == ([], [], False)


def test_a_run_that_goes_on_is_not_thrown_away(window, two):
    book = window.bench.logbook
    going = book.start_run(replace(two[0], state="running"))
    with pytest.raises(LogbookError, match="going on"):
        book.throw_away(going.id, "2026-11-29T10:00:00+00:00")
    window.go_to(SHELF)
    menu = {a.text(): a.isEnabled() for a in window.shelf.menu_of_run(book.run(going.id)).actions()}
    assert menu == {"Open": True, "Compare": False, "Throw away": False}
    menu = {a.text(): a.isEnabled() for a in window.shelf.menu_of_run(two[0]).actions()}
    assert menu["Throw away"]


def test_what_else_is_known_of_a_unit_is_typed_found_and_kept(window, qtbot):
    click(qtbot, window, "Add a unit")
    form = window.shelf.findChild(UnitForm)
    qtbot.keyClicks(form.name, "Pack")
    qtbot.keyClicks(form.label_text, "50 Ah 12.8 V LiFePO4 5.2 kg")
    click(qtbot, form, "Serial number, tags, price, size …")
    assert form.more.serial.isVisible()
    for field, text in ((form.more.serial, "A-17"), (form.more.tags, "#spring show, blower"), (form.more.price, "1.299,00")):
        qtbot.keyClicks(field, text)
    assert "is no price" in form.more.trouble
    form._emit()
    assert window.bench.logbook.units() == []
    form.more.price.setText("1299,00 €")
    qtbot.keyClicks(form.more.volume, "20 x 12 x 10 cm")
    form._emit()
    (unit,) = window.bench.logbook.units()
    assert unit.facts == UnitFacts("A-17", "1299,00 €", pytest.approx(2.4), "", ("spring show", "blower"))
    assert unit.facts.paid() == (1299.0, "€")
    window.bench.keep_unit(Unit("Other", "battery", "7 Ah 12 V lead-acid"))
    window.shelf.group.setCurrentIndex(window.shelf.group.findData("#blower"))
    assert [card.unit.name for card in window.shelf.cards()] == ["Pack"]
    window.shelf.group.setCurrentIndex(0)
    qtbot.keyClicks(window.shelf.search, "a-17")
    assert [card.unit.name for card in window.shelf.cards()] == ["Pack"]


@pytest.mark.parametrize("text", ["12", "2.4 kg", "20 x 12 cm", "-2 l", "3 m³"])
def test_a_size_that_is_none_is_refused(text):
    with pytest.raises(QuantityError):
        parse_volume(text)


def test_sizes_prices_and_tags():
    assert [parse_volume(t) for t in ("", "2,4 l", "200 x 120 x 100 mm", "850 ml")] == [None, 2.4, pytest.approx(2.4), 0.85]
    assert [UnitFacts(price=parse_price(t)).paid() for t in ("39.90 €", "kr 250", "12", "")] == [
        (39.9, "€"),
        (250.0, "kr"),
        (12.0, ""),
        None,
    ]
    for text in ("free", "1,299.00", "12.5.1", "0 €"):
        with pytest.raises(QuantityError, match="no price"):
            parse_price(text)
    assert parse_tags(" #a, b ,, a,two  words") == ("a", "b", "two words")


def picture(path, wide: int = 3000, *, text: str = ""):
    image = QImage(wide, wide // 2, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.darkGreen)
    if text:
        image.setText("Location", text)
    assert image.save(str(path))
    return path


def test_a_picture_is_kept_small_and_without_where_it_was_taken(tmp_path, dressed):
    photo = photo_of(picture(tmp_path / "label.png", text="59.9 N 10.7 E"))
    kept = QImage.fromData(photo.jpeg)
    assert (kept.width(), kept.height(), photo.text) == (1600, 800, "label")
    assert b"59.9" not in photo.jpeg
    assert b"Exif" not in photo.jpeg


def test_pictures_of_unit_and_run_are_shown_reported_and_removed(window, qtbot, two, tmp_path):
    book, said = window.bench.logbook, []
    window.bench.said.connect(said.append)
    good, bad = picture(tmp_path / "bench.png", 400), tmp_path / "not.jpg"
    bad.write_text("no picture")
    window._dropped([good, bad])
    qtbot.waitUntil(lambda: len(said) == 1, timeout=5000)
    assert [p.text for p in book.photos(run_id=two[0].id)] == ["bench"]
    assert said == ["not.jpg is no picture that can be read here: save it as JPEG or PNG."]
    changes = window.bench.undo.count()
    window._dropped([good])
    qtbot.waitUntil(lambda: window.bench.undo.count() > changes, timeout=5000)
    assert len(book.photos(run_id=two[0].id)) == 1  # the same picture is there once
    window.go_to(SHELF)
    window.bench.choose_unit(two[0].unit_id)
    window._dropped([picture(tmp_path / "label.png", 500)])
    qtbot.waitUntil(lambda: len(book.photos_of(two[0])) > 1, timeout=5000)
    assert [p.text for p in book.photos_of(two[0])] == ["bench", "label"]
    strip = next(s for s in window.shelf.findChildren(PhotoStrip) if s.photos)
    assert [p.text for p in strip.photos] == ["label"]
    from ubrant.report.document import html_of

    record, account = account_of(book, two[0])
    page = html_of(two[0], record, account, "Pack", book.photos_of(two[0]))
    assert page.count("data:image/jpeg;base64,") == 2
    window.bench.remove_photo(strip.photos[0])
    assert [p.text for p in book.photos_of(two[0])] == ["bench"]
    window.bench.undo.undo()
    assert [p.text for p in book.photos_of(two[0])] == ["bench", "label"]


def test_a_picture_of_nothing_is_asked_whose_it_is(window, tmp_path):
    said = []
    window.bench.said.connect(said.append)
    window._dropped([picture(tmp_path / "label.png", 100)])
    assert said[0].startswith("Whose picture is it?")
