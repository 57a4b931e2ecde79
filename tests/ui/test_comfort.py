"""Outlook, files, settings, keys, dark ground, other languages, the desktop."""

from __future__ import annotations

import html
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from PyQt6.QtCore import QCoreApplication, QSettings, Qt, QTranslator
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QApplication, QFileDialog, QLabel, QPushButton

import ubrant
from tests.making import by_hand
from tests.methods.samples import BY_HAND, SAMPLES
from tests.window import click, keep_discharge, let_go, needs, start
from ubrant.core.drawings import Plot
from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import speak
from ubrant.logbook.exporting import export_package
from ubrant.logbook.logbook import Logbook
from ubrant.runs.kept.accounts import account_of
from ubrant.ui.run.commands import CommandsDialog
from ubrant.ui.tools.catalogue import translations_in
from ubrant.ui.widgets import theme
from ubrant.ui.window.keys import KEYS, KeysDialog
from ubrant.ui.window.language import SENTENCES
from ubrant.ui.window.settings_dialog import SettingsDialog
from ubrant.ui.window.shell import FINDINGS, OUTLOOK, PREPARE, RUN, SHELF, MainWindow

LONG_MS = 60_000


@pytest.fixture
def tested(window):
    """The window showing a run of a 50 Ah pack."""
    logbook = window.bench.logbook
    unit = window.bench.keep_unit(Unit("Dome pack", "battery", "50 Ah 12.8 V LiFePO4"))
    run = keep_discharge(logbook, unit)
    window.bench.shelf_changed.emit()
    window.bench.run_opened.emit(run.id)
    QApplication.processEvents()
    return window


@pytest.fixture
def saved_as(monkeypatch):
    """Answers the next question for a file name."""

    def answer(path: Path, kind: str) -> None:
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(path), kind))

    return answer


# files


def test_report_export_figures_and_ledger(tested, qtbot, tmp_path, saved_as):
    saved_as(tmp_path / "report.html", "HTML (*.html)")
    click(qtbot, tested.findings, "Report …")
    qtbot.waitUntil((tmp_path / "report.html").exists, timeout=LONG_MS)
    assert "Saved as" in tested.said()
    assert tested.findings.verdict.text() in html.unescape((tmp_path / "report.html").read_text("utf-8"))
    assert tested.bench.logbook.statements(1)[0][2]["verdict"] == tested.findings.verdict.text()

    saved_as(tmp_path / "run", "CSV (*.csv)")
    tested.files.export()
    qtbot.waitUntil((tmp_path / "run.csv").exists, timeout=LONG_MS)

    saved_as(tmp_path / "pack trace.svg", "SVG (*.svg)")
    tested.files.figures()
    qtbot.waitUntil((tmp_path / "pack path.svg").exists, timeout=LONG_MS)

    tested.files.copy_ledger()
    text = QGuiApplication.clipboard().text()
    assert text.startswith("Charge delivered\t48.74 Ah\t± 0.29\t")


def test_a_report_that_cannot_be_written_is_said(tested, qtbot, tmp_path, saved_as):
    saved_as(tmp_path / "nowhere" / "report.html", "HTML (*.html)")
    tested.files.report()
    qtbot.waitUntil(lambda: "could not be written" in tested.said(), timeout=LONG_MS)


def test_save_a_copy_and_open_it_as_recent(tested, qtbot, tmp_path, saved_as):
    saved_as(tmp_path / "copy.ubrant", "Ubrant logbook (*.ubrant)")
    tested.files.save_copy()
    first = tested.bench.logbook.path
    tested.open_path(tmp_path / "copy.ubrant")
    assert [card.unit.name for card in tested.shelf.cards()] == ["Dome pack"]
    assert tested.stage() == SHELF
    tested.open_path(first)
    assert [a.text() for a in tested.menus.recent.actions()] == [str((tmp_path / "copy.ubrant").resolve())]


def test_a_package_that_was_exported_comes_in_whole(tested, qtbot, tmp_path):
    """Nothing is asked: it says itself whose run it is, and what it was judged by."""
    charge = tested.findings.account.findings["charge"]
    export_package(tested.bench.logbook.kept(tested.findings.shown()[0]), tmp_path / "out", "Dome pack")
    tested.imports.bring_in([tmp_path / "out"])
    qtbot.waitUntil(lambda: len(tested.bench.logbook.runs()) == 2, timeout=LONG_MS)
    qtbot.waitUntil(lambda: tested.findings.shown()[0].id == 2, timeout=LONG_MS)
    again = tested.findings.account.findings["charge"]
    assert (again.value, again.expanded_uncertainty) == (charge.value, charge.expanded_uncertainty)
    assert {name for _, name in tested.bench.logbook.runs()} == {"Dome pack"}


# looks, keys, settings


def test_dark_ground_reaches_what_is_already_there(tested, dressed):
    light = theme.color("paper").name()
    theme.choose_ground(dressed, "dark")
    try:
        assert theme.color("paper").name() != light
        assert tested.findings.drawn.trace.backgroundBrush().color().name() == theme.color("paper").name()
        image = tested.grab().toImage()
        assert image.pixelColor(30, tested.height() - 20).lightness() < 90
        words = [w for w in tested.findChildren(QLabel) if w.isVisible() and w.text().strip() and w.width() > 10]
        assert len(words) > 5
        assert [w.text() for w in words if w.palette().windowText().color().lightness() < 120] == []
    finally:
        theme.choose_ground(dressed, "light")
    assert tested.findings.drawn.trace.backgroundBrush().color().name() == light


def test_settings_apply_at_once(tested, qtbot):
    dialog = SettingsDialog(tested)
    qtbot.addWidget(dialog)
    dialog.charge.setCurrentIndex(dialog.charge.findData("mAh"))
    try:
        tested.findings.open_run(1)
        assert "48\u202f7" in tested.findings.ledger.row("charge").accessibleName()
        assert "mAh" in tested.findings.ledger.row("charge").accessibleName()
    finally:
        QSettings().setValue("charge", "Ah")


def test_keys_page_names_every_key(qtbot, tested):
    dialog = KeysDialog(tested)
    qtbot.addWidget(dialog)
    shown = [w.text() for w in dialog.findChildren(QLabel)]
    assert all(keys in shown for keys, _ in KEYS)


def test_readout_across_the_screen(stocked, qtbot):
    start(stocked, qtbot, speed=600.0, every="1 s")
    qtbot.keyClick(stocked, Qt.Key.Key_F11)
    readout = stocked.run.readout
    qtbot.waitUntil(lambda: readout.isVisible() and len(readout.lines()) == 3, timeout=LONG_MS)
    assert readout.lines()[0].endswith(" V")
    qtbot.keyClick(readout, Qt.Key.Key_Escape)
    assert not readout.isVisible()
    qtbot.waitUntil(lambda: stocked.bench.session.progress.load_on_s is not None, timeout=LONG_MS)
    dialog = CommandsDialog(stocked.bench.session.commands, stocked)
    qtbot.addWidget(dialog)
    assert "Load: SOUR:VOLT:LIM:LOW" in dialog.text.toPlainText()
    assert "Bench meter: MEAS:VOLT?;:MEAS:CURR?  →  1" in dialog.text.toPlainText()


def test_first_test_in_a_minute(window, qtbot):
    needs("discharge")
    click(qtbot, window.shelf, "Try it: test a simulated pack")
    assert window.stage() == PREPARE
    window.prepare.look()
    assert window.prepare.start_button.isEnabled()
    click(qtbot, window.prepare, "Start the run")
    assert window.stage() == RUN


class Stretched(QTranslator):
    """A pseudo-language a third longer than English."""

    def translate(self, context, text, disambiguation=None, n=-1):  # type: ignore[no-untyped-def]
        return f"[{text}{'~' * (len(text) // 3)}]"


@pytest.fixture
def longer(dressed, qtbot, tmp_path):
    """A window in which everything is said in the pseudo-language."""
    language = Stretched()
    dressed.installTranslator(language)
    speak(lambda text: QCoreApplication.translate(SENTENCES, text))
    window = MainWindow(Logbook(tmp_path / "long.ubrant"))
    qtbot.addWidget(window)
    window.resize(1400, 860)
    window.show()
    yield window
    dressed.removeTranslator(language)
    speak(str)
    let_go()


def clipped(window) -> list[str]:
    """Words in a line of their own that have too little room."""
    lines = [w for w in [*window.findChildren(QPushButton), *window.findChildren(QLabel)] if w.isVisible() and w.text().startswith("[")]
    return [w.text() for w in lines if not (isinstance(w, QLabel) and w.wordWrap()) and w.width() < w.minimumSizeHint().width() - 1]


def test_nothing_is_clipped_in_a_longer_language(longer):
    window = longer
    window.bench.keep_unit(Unit("Dome pack", "battery", "50 Ah 12.8 V LiFePO4"))
    for stage in (SHELF, PREPARE, RUN, FINDINGS, OUTLOOK):
        window.go_to(stage)
        for _ in range(3):  # a layout settles in a few rounds
            QApplication.processEvents()
        assert clipped(window) == []


@pytest.mark.parametrize("key", BY_HAND)
def test_what_a_method_says_is_said_in_that_language_too(longer, key):
    window = longer
    sample, book = SAMPLES[key], window.bench.logbook
    run, _ = by_hand(book, key, sample.prepared(key, by_hand=True), sample.lines)
    window.bench.shelf_changed.emit()
    window.bench.run_opened.emit(run.id)
    QApplication.processEvents()
    _, account = account_of(book, book.run(run.id))
    for said in (account.sentence, *account.warnings, *(d.title for d in account.drawings() if isinstance(d, Plot))):
        assert "~" in said, said
    assert window.findings.verdict.text() == account.sentence
    assert clipped(window) == []
    unit = book.units()[0]
    window.bench.test_wanted.emit(unit.id)
    window.prepare.form.choose_method(key)
    window.prepare.look()
    QApplication.processEvents()
    assert [text for text in window.prepare.steps.texts() if "~" not in text] == []
    assert clipped(window) == []


def test_the_catalogue_holds_what_is_said():
    told = {m.findtext("source") for m in translations_in(Path(ubrant.__file__).parent).iter("message")}
    assert {"Prepare a test", "Resting voltage", "Never feed an input above its voltage window: that is damage."} & told
    assert len(told) > 700


@pytest.mark.skipif(not shutil.which("dbus-run-session"), reason="no D-Bus here")
def test_the_desktop_is_asked_not_to_sleep_and_told_at_the_end(tmp_path):
    """On a bus of its own, with a stand-in for the desktop that writes down what it is asked."""
    script = """
import sys
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication
from ubrant.ui.window.desktop import Desktop
app = QApplication(sys.argv)
desktop = Desktop()
desktop.keep_awake("A run is going on")
QTimer.singleShot(300, desktop.let_sleep)
QTimer.singleShot(400, lambda: desktop.tell("Dome pack", "Meets its label"))
QTimer.singleShot(800, app.quit)
app.exec()
"""
    notes = tmp_path / "notes"
    shell = (
        f'"{sys.executable}" -m tests.ui.mock_desktop {notes} & mock=$!; '
        f"until grep -qs ready {notes}; do :; done; \"{sys.executable}\" -c '{script}'; kill $mock"
    )
    subprocess.run(
        ["dbus-run-session", "--", "sh", "-c", shell], env={**os.environ, "QT_QPA_PLATFORM": "offscreen"}, timeout=60, check=False
    )
    said = notes.read_text().splitlines()
    assert said[1] == "inhibit Ubrant | A run is going on"
    assert said[2] == "release 77"
    assert said[3].startswith("notify susssasa{sv}i Ubrant | Dome pack | Meets its label")


def test_the_stages_in_the_band_stand_still(window):
    """Whatever the logbook is called and whatever is said at the right."""
    QApplication.processEvents()
    before = [b.mapTo(window, b.rect().topLeft()).x() for b in window._buttons]
    window._status.setText("simulated bench · load off: an instrument is away")
    window._name.setText("A logbook with quite a long name")
    QApplication.processEvents()
    assert [b.mapTo(window, b.rect().topLeft()).x() for b in window._buttons] == before
