"""What is taken out of the window: the answer card, pages on paper, a saved file that is opened; and the guess beside the answer, the guide inside."""

from __future__ import annotations

import re
from dataclasses import replace

import pytest
from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QDesktopServices, QGuiApplication
from PyQt6.QtPrintSupport import QPrinter, QPrintPreviewDialog
from PyQt6.QtWidgets import QLabel

from tests.window import click, keep_discharge, type_into
from ubrant import __version__
from ubrant.core.record.head import SIMULATED, Conditions
from ubrant.report.card import card_of
from ubrant.runs.kept.accounts import account_of
from ubrant.ui.window.guide import FIRST, FOLDER, AboutDialog
from ubrant.ui.window.printing import PrintedPages
from ubrant.ui.window.shell import _IN_THE_GUIDE, PREPARE


@pytest.fixture
def shown(stocked):
    """A window that shows a run of a pack labelled 0.5 Ah, which gave 48.74 Ah of it."""
    run = keep_discharge(stocked.bench.logbook, stocked.bench.logbook.units()[0])
    stocked.bench.run_opened.emit(run.id)
    return stocked


def test_the_answer_card_by_one_key(shown, qtbot):
    """A sentence, the answers with their ±, label, meter and cut-off, the sum: as text, and as a picture with all of it on."""
    qtbot.keyClick(shown, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    data = QGuiApplication.clipboard().mimeData()
    text = data.text()
    assert shown.findings.account.sentence in text
    for part in (
        "Small pack, ",
        "Charge delivered: 48.74 Ah ± 0.29\n",
        "Label: 0.5 Ah 12.8 V LiFePO4",
        "Meter: Bench meter: ± (0.10 % + 3.0 mV)",
        "Cut-off: 11 V",
    ):
        assert part in text
    assert text.count("Cut-off:") == 1
    assert re.search(r"mean 10\S* A × 4.87\S* h = 48.7\S* Ah", text), text
    picture = data.imageData()
    assert picture.width() == 1240
    assert picture.height() > 500


def test_a_rehearsal_says_so_on_its_card(shown):
    """A card that is passed on must not pass for a measurement."""
    run, record, account = shown.findings.shown()
    assert "simulated" not in card_of(run, record, account, "Pack").text()
    rehearsed = record.judged_by(record.head.at(SIMULATED))
    assert card_of(replace(run, source="simulated bench"), rehearsed, account, "Pack").heading.endswith(" · simulated bench")


def test_the_report_on_paper_is_looked_at_first(shown, qtbot, tmp_path):
    """The preview draws the pages; printed into a file, each page is one."""
    seen = []
    shown.files.open_dialog = lambda dialog: seen.append((dialog, dialog.windowTitle()))
    qtbot.keyClick(shown, Qt.Key.Key_P, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: bool(seen), timeout=60_000)
    dialog, title = seen[0]
    assert isinstance(dialog, QPrintPreviewDialog)
    assert title == "Print Small pack"
    printer = QPrinter(QPrinter.PrinterMode.ScreenResolution)
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(tmp_path / "printed.pdf"))
    dialog.paintRequested.emit(printer)
    pages = PrintedPages((tmp_path / "printed.pdf").read_bytes())
    assert 1 <= len(pages) <= 3
    assert shown.bench.logbook.statements(shown.findings.shown()[0].id)


def test_a_saved_file_can_be_opened_from_there(shown, qtbot, tmp_path, monkeypatch):
    opened = []
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: opened.append(url.toLocalFile()))
    monkeypatch.setattr("ubrant.ui.window.files_out.QFileDialog.getSaveFileName", lambda *_: (str(tmp_path / "run.csv"), "CSV (*.csv)"))
    shown.files.export()
    qtbot.waitUntil((tmp_path / "run.csv").exists, timeout=60_000)
    qtbot.waitUntil(lambda: "Saved as" in shown.said())
    click(qtbot, shown, "Open")
    click(qtbot, shown, "Show in folder")
    assert opened == [str(tmp_path / "run.csv"), str(tmp_path)]
    shown.tell("Something else.")
    assert not shown._message._offered


def test_a_guess_stands_beside_the_answer_and_in_no_sum(shown):
    run = shown.findings.shown()[0]
    plain = account_of(shown.bench.logbook, run)[1]
    shown.bench.logbook.update_run(run.under(conditions=replace(run.head.conditions, guess="45 Ah")))
    shown.bench.run_opened.emit(run.id)
    assert shown.findings.guess.isVisible()
    assert "8.3 % more" in shown.findings.guess.text()
    assert shown.findings.account.findings["charge"].value == plain.findings["charge"].value


def test_the_guess_is_typed_in_prepare(stocked, qtbot):
    stocked.bench.test_wanted.emit(stocked.bench.logbook.units()[0].id)
    assert stocked.stage() == PREPARE
    type_into(qtbot, stocked.prepare.form.guess, "0.45 Ah")
    assert stocked.prepare.form.prepared().conditions == Conditions(guess="0.45 Ah")


def test_the_guide_opens_inside(stocked, qtbot):
    """Its headings lead to their places, its links to the other shipped pages, its pictures are there."""
    qtbot.keyClick(stocked, Qt.Key.Key_F1)
    guide = stocked.guide
    assert guide.isVisible()
    assert guide.headings.item(0).text() == "Your first test"
    row = next(k for k in range(guide.headings.count()) if guide.headings.item(k).text().startswith("By hand"))
    guide.headings.setCurrentRow(row)
    assert guide.page.textCursor().block().text() == guide.headings.item(row).text()
    guide._follow(guide.page.source().fromLocalFile(str(FOLDER / "jot-text.md")))
    assert guide.back.isVisible()
    click(qtbot, guide, "Back to the guide")
    named = [line.split("](")[1].rstrip(")") for line in (FOLDER / FIRST).read_text("utf-8").splitlines() if line.startswith("![")]
    assert named
    for picture in named:
        assert (FOLDER / picture).is_file()
    shown = QUrl(named[0])
    qtbot.waitUntil(lambda: guide.page.document().resource(2, shown).pixelColor(5, 5).alpha() == 255)  # it was blank until it was read
    guide.close()


def test_about_says_its_version_and_its_licence(stocked, qtbot):
    about = AboutDialog(stocked)
    qtbot.addWidget(about)
    about.show()
    words = " ".join(child.text() for child in about.findChildren(QLabel))
    assert f"Ubrant {__version__}" in words
    assert "without any warranty" in words


def headings(guide) -> list[str]:
    return [guide.headings.item(k).text() for k in range(guide.headings.count()) if not guide.headings.item(k).isHidden()]


def test_the_guide_opens_where_one_stands(stocked, qtbot):
    """F1 in each stage is at what it says of that stage."""
    for place, beginning in enumerate(_IN_THE_GUIDE):
        stocked.go_to(place)
        qtbot.keyClick(stocked, Qt.Key.Key_F1)
        assert stocked.guide.headings.currentItem().text().startswith(beginning)
    stocked.guide.open_page("sums.md")
    qtbot.keyClick(stocked, Qt.Key.Key_F1)
    assert stocked.guide.headings.currentItem().text().startswith(_IN_THE_GUIDE[-1])


def test_the_guide_is_searched(stocked, qtbot):
    """Sections in which every word stands are left; Enter goes from place to place, and from the last to the first."""
    stocked.show_guide()
    guide = stocked.guide
    every = headings(guide)
    type_into(qtbot, guide.sought, "idle clamp")
    assert 0 < len(headings(guide)) < len(every)
    assert "Converters, inverters and the rest" in headings(guide)
    type_into(qtbot, guide.sought, "clamp")
    places = []
    for _ in range(40):
        qtbot.keyClick(guide.sought, Qt.Key.Key_Return)
        assert guide.page.textCursor().selectedText().casefold() == "clamp"
        places.append(guide.page.textCursor().position())
    assert len(set(places)) > 3
    assert places.count(places[0]) > 1  # round and round
    type_into(qtbot, guide.sought, "")
    assert headings(guide) == every
