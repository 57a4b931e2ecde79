"""A meter that was checked after a run: said where it changes the answer or the verdict, taken on request, undone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtWidgets import QApplication

from tests.window import click, keep_discharge
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.meter_checks.checks import check_of
from ubrant.core.meter_checks.display_check import check_display
from ubrant.core.quantities.accuracy import parse_accuracy
from ubrant.core.quantities.readings import Series
from ubrant.runs.afterwards.learnt_since import checked_since
from ubrant.runs.kept.accounts import account_of


def check(off_percent: float, made: str, unit: str = "A"):
    """Judged against a good meter at five currents: it shows so much too much."""
    metered = np.array([2.0, 5.0, 8.0, 10.0, 12.0])
    shown = metered * (1 + off_percent / 100)
    found = check_display(shown, metered, parse_accuracy(f"0.05 % + 1 m{unit}", unit), 0.001)
    return check_of(found, shown, metered, 0.0005, unit, "Good meter", made)


def with_checks(book, *checks) -> Meter:
    meter = Meter("Bench meter", "0.1 % + 3 mV", "0.5 % + 5 mA")
    return book.keep_meter(replace(meter, details=replace(meter.details, checks=checks)))


@pytest.fixture
def run(logbook):
    return keep_discharge(logbook, logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4")))


def said(logbook, run) -> str:
    found = checked_since(logbook, run, account_of(logbook, run)[1])
    return found.sentence if found is not None else ""


def test_a_check_after_it_that_changes_the_verdict_is_said_with_the_figures(logbook, run):
    before = account_of(logbook, run)[1]
    with_checks(logbook, check(30.0, "2999-03-01T10:00:00+00:00"))
    found = checked_since(logbook, run, before)
    assert found.sentence.startswith(
        "Bench meter was checked on 2999-03-01, after this run: it showed 30 % too many amperes. If it was so then, "
    )
    assert f"instead of {before.findings['charge'].with_uncertainty()}" in found.sentence
    assert f"instead of “{before.verdict.word}”" in found.sentence
    logbook.update_run(replace(run, told=replace(run.head, setup=found.setup)))
    after = account_of(logbook, logbook.run(run.id))[1]
    assert after.findings["charge"].value == pytest.approx(before.findings["charge"].value / 1.3, rel=1e-3)
    assert said(logbook, logbook.run(run.id)) == ""  # it is what the check says now


def test_nothing_is_said_of_what_changes_nothing_or_was_before(logbook, run):
    meter = with_checks(logbook, check(0.1, "2999-03-01T10:00:00+00:00"))
    assert said(logbook, run) == ""
    logbook.keep_meter(replace(meter, details=replace(meter.details, checks=(check(30.0, "2001-03-01T10:00:00+00:00"),))))
    assert said(logbook, run) == ""  # what was found before it was known when it was made
    logbook.remove_meter(meter.id)
    assert said(logbook, run) == ""


def test_of_several_later_ones_the_nearest_counts(logbook, run):
    with_checks(logbook, check(2.0, "2998-01-01T10:00:00+00:00"), check(30.0, "2999-03-01T10:00:00+00:00"))
    assert "2998-01-01" in said(logbook, run)


def test_the_check_that_was_most_off_is_the_one_that_is_named(logbook, run):
    with_checks(logbook, check(30.0, "2999-03-01T10:00:00+00:00"), check(0.2, "2999-03-01T10:05:00+00:00", "V"))
    assert "30 % too many amperes" in said(logbook, run)


def test_two_meters_of_one_name_are_not_guessed_between(logbook, run):
    for _ in range(2):
        with_checks(logbook, check(30.0, "2999-03-01T10:00:00+00:00"))
    assert said(logbook, run) == ""


def test_a_meter_as_a_check_found_it_reads_what_there_is():
    found = check(4.0, "2026-01-01T00:00:00+00:00")
    meter = Meter("M", "1 %", "1 %", details=MeterDetails(checks=(found,)))
    shown = Series(np.arange(3.0), np.array([2.08, 5.2, 10.4]))
    for then in (meter.on("2026-02-01"), meter.as_found_later("2025-12-01")):
        assert then.details.correct("A", shown).value == pytest.approx([2.0, 5.0, 10.0], abs=2e-3)
        assert (then.details.correction("V"), then.accuracy("V").gain) == ((0.0, 1.0), 0.01)
    for before in (meter, meter.on("2025-12-01")):
        assert before.details.correct("A", shown) is shown
        assert before.accuracy("A").gain == 0.01


def test_through_the_window_taken_and_undone(window, qtbot):
    book = window.bench.logbook
    run = keep_discharge(book, window.bench.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4")))
    with_checks(book, check(30.0, "2999-03-01T10:00:00+00:00"))
    window.bench.run_opened.emit(run.id)
    before = window.findings.verdict.text()
    assert "too many amperes" in window.findings.newer.text()
    click(qtbot, window.findings, "Correct this run by that check")
    assert window.findings.verdict.text() != before
    assert not window.findings.newer.isVisible()
    window.bench.undo.undo()
    assert window.findings.verdict.text() == before
    assert window.findings.newer.isVisible()


def test_a_label_that_was_mended_on_the_shelf_judges_the_run_on_request(window, qtbot):
    """500 Ah was typed for 50: the verdict of the run is another by the label that stands there now, and one undo takes that back."""
    logbook = window.bench.logbook
    unit = window.bench.keep_unit(Unit("Dome pack", "battery", "500 Ah 12.8 V LiFePO4"))
    run = keep_discharge(logbook, unit)
    window.bench.run_opened.emit(run.id)
    QApplication.processEvents()
    before = window.findings.verdict.text()
    assert window.findings.take_newer.isHidden()
    window.bench.keep_unit(replace(unit, label_text="50 Ah 12.8 V LiFePO4"))
    window.findings.open_run(run.id)
    assert "Its label on the shelf says “50 Ah 12.8 V LiFePO4”" in window.findings.newer.text()
    click(qtbot, window.findings, "Judge this run by that label")
    assert window.findings.verdict.text() != before
    assert "50 Ah" in window.findings.verdict.text()
    assert window.findings.take_newer.isHidden()
    window.bench.undo.undo()
    window.findings.open_run(run.id)
    assert window.findings.verdict.text() == before
