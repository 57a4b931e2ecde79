"""The same test over several candidates: one key prepares it again, and what they found stands side by side as it comes."""

from __future__ import annotations

from dataclasses import replace

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication

from tests.window import begin, click, close, needs, prepare, say_line
from ubrant.core.equipment.unit import Unit
from ubrant.runs.studies.series import series_of, side_by_side
from ubrant.ui.findings.series_dialog import SeriesDialog
from ubrant.ui.window.shell import PREPARE

FIRST, SECOND = Unit("Hut 300", "inverter", "12 V to 230 V sine, 300 W"), Unit("Hall 1000", "inverter", "12 V to 230 V sine, 1000 W")


def measured(window, qtbot, *lines: str) -> None:
    for line in lines:
        say_line(window, qtbot, line)


@pytest.fixture
def two(bench_window, qtbot):
    """An idle draw of one inverter, and the same again begun of another."""
    needs("idle")
    window = bench_window
    window.bench.keep_unit(SECOND)
    prepare(window, FIRST, "idle", battery_wh="640 Wh")
    begin(window, qtbot)
    measured(window, qtbot, "input 12.8 V 0 A", "input 12.80 V 0.37 A", "skip")
    close(window, qtbot)
    qtbot.keyClick(window, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    assert window.stage() == PREPARE
    window.prepare.choose(next(u.id for u in window.bench.logbook.units() if u.name == SECOND.name))
    assert window.prepare.form.fields["battery_wh"].text() == "640 Wh"
    begin(window, qtbot)
    return window


def test_it_fills_as_it_goes(two, qtbot):
    window, book = two, two.bench.logbook
    first = book.runs(limit=-1)[-1][0]
    dialog = SeriesDialog(window.bench, first, window)
    qtbot.addWidget(dialog)
    dialog.show()
    assert dialog.shown.headings == ("Hut 300", "Hall 1000")
    assert all(cells[1] == "" for _, cells in dialog.shown.rows)
    measured(window, qtbot, "input 12.8 V 0 A", "input 12.80 V 0.92 A")
    dialog.look()
    rows = dict(dialog.shown.rows)
    assert [cell.split(" ±")[0] for cell in rows["Idle draw"]] == ["4.74", "11.77"]
    measured(window, qtbot, "skip")
    close(window, qtbot)
    click(qtbot, window.findings, "Side by side …")
    click(qtbot, window.findings.series, "Copy the table")
    text = QGuiApplication.clipboard().text()
    assert text.startswith("\tHut 300\tHall 1000\n")
    assert "\nIdle draw\t" in text
    window.findings.series.close()
    dialog.close()


def test_another_method_is_no_more_of_it_and_what_is_brought_in_is_of_none(two, qtbot):
    window, book = two, two.bench.logbook
    measured(window, qtbot, "input 12.8 V 0 A", "input 12.80 V 0.92 A", "skip")
    close(window, qtbot)
    second = book.runs()[0][0]
    assert len(series_of(book, second)) == 2
    kept = book.kept(second)
    book.delete_run(second.id)
    brought = book.keep_import(kept)
    assert brought.head.origin.series == 0
    assert len(series_of(book, brought)) == 1
    table = side_by_side(book, series_of(book, brought))
    assert len(table.headings) == 1


def test_runs_of_one_unit_are_told_apart_by_their_time(two, qtbot):
    window, book = two, two.bench.logbook
    measured(window, qtbot, "input 12.8 V 0 A", "input 12.80 V 0.92 A", "skip")
    close(window, qtbot)
    first, second = reversed([run for run, _ in book.runs()])
    book.update_run(replace(second, unit_id=first.unit_id))
    headings = side_by_side(book, series_of(book, first)).headings
    assert all(heading.startswith("Hut 300, ") for heading in headings)


def test_without_a_planned_run_it_says_so(bench_window, qtbot):
    qtbot.keyClick(bench_window, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    assert "Choose a run that was planned here first" in bench_window.said()
