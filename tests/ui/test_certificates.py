"""A certificate typed off its paper, with slips on the way; what it changes in a run before it; a check standard in a run made by hand."""

from __future__ import annotations

from datetime import date

import pytest
from PyQt6.QtWidgets import QApplication

from tests.window import answered, begin, click, close, keep_discharge, prepare, say_line, type_into
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.ui.shelf.certificate_dialog import CertificateDialog
from ubrant.ui.shelf.meter_form import MeterForm
from ubrant.ui.window.shell import SHELF

LINES = "1.000 A 1.300 A ± 5 mA\n10.000 A 13.000 A ± 20 mA"


@pytest.fixture
def dialog(dressed, qtbot):
    made = CertificateDialog("Clamp", date(2026, 11, 29))
    qtbot.addWidget(made)
    made.quantity.setCurrentIndex(1)
    return made


@pytest.mark.parametrize(
    ("day", "points", "words"),
    [
        ("", LINES, "Which day is it of?"),
        ("1.5.2026", LINES, "“1.5.2026” is no day"),
        ("2027-05-01", LINES, "2027-05-01 is still to come"),
        ("2026-05-01", "1.000 A 1.004 A", "Line 1: write what there was"),
        ("2026-05-01", "1.000 A 1.004 V ± 2 mA", "is in V"),
        ("2026-05-01", "10 A 10.02 A ± 4", "Give it with its unit"),
        ("2026-05-01", "10 A 10.02 mA ± 1 mA", "Are both units right?"),
    ],
)
def test_what_is_wrong_with_it_is_said_and_nothing_is_added(dialog, day, points, words):
    dialog.day.setText(day)
    dialog.points.setPlainText(points)
    assert words in dialog.note.text()
    assert not dialog.keep_button.isEnabled()
    assert dialog.made is None


def test_it_says_what_it_comes_to_before_it_is_added(dialog, qtbot):
    dialog.day.setText("2026-05-01")
    dialog.points.setPlainText(LINES)
    assert dialog.note.text().startswith("It showed 30 % too much at 10 A. Corrected: × 0.76923")
    dialog.adjusted.setChecked(True)
    assert "Corrected" not in dialog.note.text()
    assert dialog.made.adjusted


def test_from_the_form_it_changes_what_a_run_before_it_says(bench_window, qtbot):
    """A pack metered with a clamp that showed 30 % too much: the certificate comes a day after the run, and the run says so; a run after it is right."""
    window = bench_window
    book = window.bench.logbook
    clamp = book.keep_meter(Meter("Bench meter", "0.1 % + 3 mV", "0.5 % + 5 mA"))
    run = keep_discharge(book, window.bench.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4")))
    window.go_to(SHELF)
    window.shelf.start_meter(clamp)
    form = window.shelf.findChild(MeterForm)

    def fill(dialog: CertificateDialog) -> None:
        dialog._today = date(2999, 12, 31)
        dialog.quantity.setCurrentIndex(1)
        dialog.day.setText("2999-05-01")
        dialog.by.setText("School lab")
        dialog.points.setPlainText(LINES)
        click(qtbot, dialog, "Add the certificate")

    answered(CertificateDialog, fill)
    click(qtbot, form, "A certificate …")
    assert "30 ± 0.2 % too much at 10 A, by School lab, a certificate" in " ".join(
        w.text() for w in form.found.findChildren(type(form._titles[form.name]))
    )
    click(qtbot, form, "Keep it")
    window.bench.run_opened.emit(run.id)
    assert "got a certificate on 2999-05-01, after this run: it showed 30 % too many amperes" in window.findings.newer.text()
    before = window.findings.account.findings["charge"].value
    click(qtbot, window.findings, "Correct this run by that check")
    assert window.findings.account.findings["charge"].value == pytest.approx(before / 1.3, rel=1e-3)


@pytest.mark.needs("discharge")
def test_a_meter_that_is_off_its_standard_judges_nothing(bench_window, qtbot):
    window = bench_window
    meter = next(m for m in window.bench.logbook.meters() if m.name == "In")
    window.shelf.start_meter(meter)
    form = window.shelf.findChild(MeterForm)
    type_into(qtbot, form.standard, "2.500")
    assert "write the standard's value and its ±" in form.trouble()
    type_into(qtbot, form.standard, "2.500 V ± 1 mV")
    click(qtbot, form, "Keep it")
    words = []
    for shown in ("2.503 V", "2.613 V"):
        prepare(window, Unit("Small pack", "battery", "0.5 Ah 12.8 V LiFePO4"), "discharge", load="0.5 A")
        window.prepare.form.choose_meter("battery", meter.uid)
        window.prepare.look()
        begin(window, qtbot)
        for _ in range(2):  # the asks that are left
            QApplication.processEvents()
            window.run.tick()
            if window.run.done_button.isVisible():
                window.run.done_button.click()
        for line, after_s in (
            (f"standard {shown}", 5),
            ("13.3 V", 5),
            ("load on 13.1 V 0.5 A", 60),
            ("12.9 V 0.5 A", 1800),
            ("11.2 V 0.5 A", 1700),
            ("10.4 V 0.5 A load off", 60),
        ):
            say_line(window, qtbot, line, after_s)
        account = close(window, qtbot)
        words.append((account.verdict.word, " ".join(account.warnings)))
    assert words[0][0] != "cannot tell"
    assert "as it may" in words[0][1]
    assert words[1][0] == "cannot tell"
    assert "In showed 2.613 V of its standard of 2.5 V" in window.findings.verdict.text()
