"""What a person in a hurry pastes and types into the table of readings, and what is said of it there and then."""

from __future__ import annotations

import logging

import pytest
from PyQt6.QtCore import Qt, QThreadPool
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QApplication

from tests.window import begin, click, close, needs, prepare, settle, typed_row
from ubrant.core.equipment.unit import Unit

BLOCK = Unit("Block", "battery", "12 V 45 Ah AGM")
DOWN = [("8:00", "2.25", "12.71"), ("12:00", "2.25", "12.4"), ("18:00", "2.25", "11.9"), ("03:50", "2.25", "10.49")]


def paste(window, qtbot, text: str) -> str:
    QGuiApplication.clipboard().setText(text)
    qtbot.keyClick(window.run.table.view, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    settle()
    for _ in range(40):  # the account follows the table
        window.run.tick()
    QApplication.processEvents()
    return window.run.table.message.text()


def shown(window) -> list[list[str]]:
    model = window.run.table.model
    return [[str(model.data(model.index(r, c)) or "") for c in range(model.columnCount())] for r in range(len(model.sheet.rows))]


def type_row(window, qtbot, text: str) -> str:
    """And once more Enter where something is asked; what was asked."""
    window.clock.time_s += 60
    typed_row(qtbot, window, text)
    asked = window.run.table.message.text()
    if "Enter again" in asked:
        qtbot.keyClick(window.run.table.view, Qt.Key.Key_Return)
        settle()
        window.run.tick()
    return asked


@pytest.fixture
def discharging(bench_window, qtbot):
    needs("discharge")
    prepare(bench_window, BLOCK, "discharge")
    begin(bench_window, qtbot)
    return bench_window


def test_two_columns_the_wrong_way_round_are_asked_about_before_they_are_pasted(discharging, qtbot):
    text = "\n".join("\t".join(row) for row in DOWN)
    said = paste(discharging, qtbot, text)
    assert said.startswith("2.25 V and 12.71 A, the wrong way round?")
    assert "4 of 4 rows" in said
    assert not shown(discharging)
    assert paste(discharging, qtbot, text) == "4 rows were pasted."
    assert "seem to be swapped" in discharging.run.warning_note.text(), "and it is said while it can be mended"


def test_milliamperes_under_amperes_are_asked_about(discharging, qtbot):
    said = paste(discharging, qtbot, "\n".join(f"{when};{volts};2250" for when, _, volts in DOWN))
    assert "Did you mean 2250 mA?" in said
    assert not shown(discharging)


@pytest.mark.parametrize("head", ["Zeit\tStrom (mA)\tSpannung", "time\tI/mA\tU/V", "at\tcurrent [mA]\tvolts"])
def test_headings_say_which_column_is_what_and_in_which_unit(discharging, qtbot, head):
    rows = "\n".join(f"{when}\t2250\t{volts.replace('.', ',')}" for when, _, volts in DOWN)
    assert paste(discharging, qtbot, f"{head}\n{rows}") == "4 rows were pasted."
    assert [row[1:3] for row in shown(discharging)] == [[volts, "2.250"] for _, _, volts in DOWN]
    assert "The cut-off is reached" in discharging.run.ahead_note.text()


def test_times_from_a_start_end_now_and_belong_into_an_empty_table(discharging, qtbot):
    text = "min;U;I\n0;12.71;2.25\n240;12.4;2.25\n600;11.9;2.25\n1190;10.49;2.25\n"
    assert paste(discharging, qtbot, text) == "4 rows were pasted."
    times = [row.time_s for row in discharging.run.table.model.sheet.rows]
    assert [t - times[0] for t in times] == [0.0, 240 * 60.0, 600 * 60.0, 1190 * 60.0]
    assert abs(times[-1] - discharging.clock.now_s()) < 60
    assert "say nothing of where they belong" in paste(discharging, qtbot, text)
    assert len(shown(discharging)) == 4


def test_times_that_fall_back_are_refused_by_their_row(discharging, qtbot):
    assert "Row 3" in paste(discharging, qtbot, "min;U;I\n0;12.7;2.25\n240;12.4;2.25\n60;11.9;2.25\n")
    assert not shown(discharging)


def test_a_load_that_is_asked_for_later_goes_to_its_row(bench_window, qtbot):
    needs("joint")
    window = bench_window
    prepare(window, Unit("Lead", "lead", "30 A fuse"), "joint")
    begin(window, qtbot)
    asked = [type_row(window, qtbot, row) for row in ("0.030 10", "0.015 5", "0.003 1")]
    assert asked[0].startswith("input 10 A: about 1 A is wanted now, and “10 A” comes later: it goes to that row.")
    assert [row[1] for row in shown(window)] == ["10 A", "5 A", "1 A"]
    assert "3.00" in close(window, qtbot).sentence


def test_amperes_where_none_are_wanted_are_asked_about(bench_window, qtbot):
    needs("sweep")
    window = bench_window
    prepare(window, Unit("Step-down", "converter", "12 V to 5 V, 8 A"), "sweep")
    begin(window, qtbot)
    assert "nothing is wanted to flow there now" in type_row(window, qtbot, "12.05 0.27 5.06 0.55")


def test_a_whole_row_is_typed_from_wherever_one_stands(bench_window, qtbot):
    needs("idle")
    window = bench_window
    prepare(window, Unit("Hut", "inverter", "12 V to 230 V, 300 W"), "idle")
    begin(window, qtbot)
    type_row(window, qtbot, "12.8 0")  # the amperes are asked for, and stand behind the volts
    assert shown(window)[0][2:4] == ["12.8", "0"]


def test_amperes_with_all_off_are_the_base_of_an_audit_and_no_load(bench_window, qtbot):
    needs("audit")
    window = bench_window
    prepare(window, Unit("Van", "battery", "12 V 100 Ah AGM"), "audit", loads="lights")
    begin(window, qtbot)
    for row in ("12.7 0.3", "12.7 0.3", "12.6 4.2", "12.6 4.2"):
        type_row(window, qtbot, row)
    account = close(window, qtbot)
    assert "resting volts" not in " ".join([account.sentence, *account.warnings])
    assert account.findings["base_current"].value == pytest.approx(0.3)
    assert [key for key in account.findings if key.startswith("current_")] == ["current_1"]


def test_what_cannot_start_is_not_read_off_in_thought(window, qtbot, caplog):
    """A recharge without a device."""
    needs("recharge")
    with caplog.at_level(logging.ERROR):
        prepare(window, Unit("Bank", "bank", "20000 mAh 74 Wh"), "recharge")
        QThreadPool.globalInstance().waitForDone()
        QApplication.processEvents()
    assert not caplog.records
    assert not window.prepare.start_button.isEnabled()


def test_once_rested_and_loaded_again_rested_is_no_slip(bench_window, qtbot):
    needs("short-load")
    window = bench_window
    prepare(window, Unit("Old", "battery", "12 V 82 Ah lead-acid"), "short-load")
    begin(window, qtbot)
    for row in ("12.6 0", "12.1 40", "12.55 0"):
        type_row(window, qtbot, row)
    account = close(window, qtbot)
    assert not account.held_back
    assert account.findings["resistance"].value == pytest.approx(0.012, rel=0.1)


def test_a_question_is_asked_once_and_then_what_is_lacking(bench_window, qtbot):
    needs("sweep")
    window = bench_window
    prepare(window, Unit("Step-down", "converter", "12 V to 5 V, 8 A"), "sweep")
    begin(window, qtbot)
    line = window.run.jot_line
    qtbot.keyClicks(line, "input 12.5 V output 5.02 V 2.00 A")
    said = []
    for _ in range(3):
        qtbot.keyClick(line, Qt.Key.Key_Return)
        said.append(line.hint.text())
    assert "comes later" in said[0]
    assert "still lacks" in said[1]
    assert not line.text()


def test_a_run_that_is_ended_by_the_load_off_says_so(discharging, qtbot):
    for row in ("12.7 2.25", "12.5 2.25", "12.4 2.25"):
        discharging.clock.time_s += 3600
        typed_row(qtbot, discharging, row)
    click(qtbot, discharging.run, "The load is off")
    for _ in range(40):
        discharging.run.tick()
    assert "but its cut-off was not reached" in discharging.run.ahead_note.text()


def test_a_load_that_was_found_off_hours_later_gave_at_least_what_was_seen(discharging, qtbot):
    """Live and final alike."""
    for row, hours in (("12.7 2.25", 0), ("12.5 2.25", 1), ("12.4 2.25", 1), ("12.2 0", 9)):
        discharging.clock.time_s += 3600 * hours
        typed_row(qtbot, discharging, row)
    account = close(discharging, qtbot)
    assert account.findings["charge"].value == pytest.approx(4.5, rel=0.01)
    assert "at least 4.5" in account.sentence


@pytest.mark.parametrize(
    "rows",
    [
        ("8:00 am\t12.7\t2.25", "1:00 pm\t12.4\t2.25"),
        ("30.11. 8:00\t12.7\t2.25", "30.11. 13:00\t12.4\t2.25"),
        ("30/11/2026 08:00\t12.7\t2.25", "30/11/2026 13:00\t12.4\t2.25"),
        ("11/30/2026 8:00 AM;12,7;2,25", "11/30/2026 1:00 PM;12,4;2,25"),
        ("2026-11-30T08:00:00\t12.7\t2.25", "2026-11-30T13:00:00\t12.4\t2.25"),
        ("8:00 12.7 2.25", "13:00 12,4 2,25"),
        ("8:00 12.7 2.25 fan on", "13:00 12.4 2.25"),
    ],
)
def test_times_are_read_however_they_are_written(discharging, qtbot, rows):
    assert paste(discharging, qtbot, "\n".join(rows)) == "2 rows were pasted."
    first, second = discharging.run.table.model.sheet.rows
    assert second.time_s - first.time_s == 5 * 3600
    assert shown(discharging)[0][0].endswith("08:00")
    assert [row[1:3] for row in shown(discharging)] == [["12.7", "2.25"], [shown(discharging)[1][1], shown(discharging)[1][2]]]


def test_a_date_that_may_be_two_is_asked_about(discharging, qtbot):
    assert "may be of two days" in paste(discharging, qtbot, "01/12/2026 08:00\t12.7\t2.25\n01/12/2026 09:00\t12.6\t2.25\n")
    assert not shown(discharging)


def test_a_supply_that_was_held_at_its_rating_gives_it(bench_window, qtbot):
    """Though the next load was too much, and the middle between the two is no surer than that."""
    needs("brick")
    window = bench_window
    prepare(window, Unit("Brick", "charger", "230 V to 5 V, 3 A"), "brick")
    begin(window, qtbot)
    for row in ("5.1 0", "5.05 1", "4.95 2", "4.8 3", "3.1 3.4"):
        type_row(window, qtbot, row)
    account = close(window, qtbot)
    assert "It gives the 3 A on its label." in " ".join([account.sentence, *account.warnings])
