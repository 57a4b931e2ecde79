"""A day before the time, by every road: at the jot line, in jot text, in a cell of the table."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from tests.making import by_hand
from tests.methods.samples import SAMPLES
from ubrant.core.quantities.jot import Grammar, JotError
from ubrant.core.record.jot_text import JotTextError, is_jot_text, line_of, read_jot_text
from ubrant.runs.typed.jotting import moment_of
from ubrant.runs.typed.sheet import read_time

TEXT = """method: discharge
started: 2026-10-17 22:10
@22:10 13.3 V
@10-18 11:28 12.9 V 2 A
@11:40 12.8 V 2 A
@2026-10-20 08:00 12.5 V 2 A
"""
HOUR = 3600.0


def test_in_jot_text_a_day_holds_for_the_lines_behind_it():
    made = read_jot_text(TEXT)
    assert [round(e.time_s / HOUR, 3) for e in made.entries] == [0.0, 13.3, 13.5, 57.833]
    assert made.warnings == ()
    assert is_jot_text("@10-18 11:28 12.9 V\n@10-19 11:28 12.8 V\n")


def test_without_a_start_the_first_line_is_it():
    made = read_jot_text("@12-31 23:50 13.3 V\n@01-01 00:20 13.2 V\n@06:00 13.1 V\n")
    assert [round(e.time_s / HOUR, 3) for e in made.entries] == [0.0, 0.5, 6.167]


@pytest.mark.parametrize("line", ["@13-40 11:00 12 V", "@02-30 11:00 12 V", "@10-18 25:00 12 V"])
def test_a_day_that_is_none_is_refused(line):
    with pytest.raises(JotTextError, match="line 2"):
        read_jot_text(f"started: 2026-10-17 22:10\n{line}\n")


def test_at_the_jot_line_and_in_a_cell_it_is_the_same_moment(logbook):
    run, session = by_hand(logbook, "discharge", SAMPLES["discharge"].prepared("discharge", by_hand=True), SAMPLES["discharge"].lines)
    start = datetime.fromisoformat(run.started).astimezone(UTC)
    now_s = 3 * 24 * HOUR
    text = f"{start:%m-%d} 23:59"
    jotting = Grammar().parse(f"@{text} 12.4 V 2 A")
    expected = read_time(text, run, 0.0, now_s)
    assert moment_of(jotting, run, now_s) == pytest.approx(expected)
    assert jotting.understood().startswith(f"at {text}: ")
    assert line_of(jotting) == "12.4 V 2 A"
    with pytest.raises(JotError, match="lies ahead"):
        moment_of(jotting, run, expected - 2 * HOUR)
    session.end()


@pytest.mark.parametrize(
    ("line", "clock_s", "says"),
    [
        ("14:32 12.9 V", 52320.0, "12.9 V"),
        ("7:05 load on", 25500.0, "load on"),
        ("10:00:30 the fan came on", 36030.0, "the fan came on"),
        ("2026-12-01 10:00 12 V", 36000.0, "12 V"),
    ],
)
def test_a_time_as_it_stands_in_notes(line, clock_s, says):
    found = Grammar().parse(line)
    assert found is not None
    assert found.at_clock_s == clock_s
    assert line_of(found) == says


@pytest.mark.parametrize("line", ["1:30 h", "1:30 min 12 V", "25:00 12 V", "14:32"])
def test_what_is_no_time_of_day(line):
    with pytest.raises(JotError):
        Grammar().parse(line)


def test_notes_with_bare_times_are_notes_and_a_table_is_none():
    assert is_jot_text("10:00 13.1 V\n10:10 13.0 V\n")
    assert not is_jot_text("10:00 13.1 1.0\n10:10 13.0 1.0\n")
    assert not is_jot_text("10:00,13.1 V\n10:10,13.0 V\n")
    assert is_jot_text("10:00\t13.1 V\t2 A\n10:10\t13.0 V\t2 A\n")
    assert not is_jot_text("Zeit\tVoltage\n0:00:00\t13.1 V\n0:01:00\t13.0 V\n")  # columns under their heading
    found = Grammar().parse("10:00\t13.1 V\t2 A")  # notes out of a spreadsheet: a tab is a space
    assert found is not None
    assert [(r.quantity, r.value) for r in found.readings] == [("V", 13.1), ("A", 2.0)]


def test_a_counter_that_has_gone_on_is_of_the_next_day():
    text = read_jot_text("@08:00 0 Wh\n@20:00 600 Wh\n@08:00 1200 Wh\n")
    assert [entry.time_s / 3600 for entry in text.entries] == [0.0, 12.0, 24.0]
    assert not text.warnings
    late = read_jot_text("@08:00 0 Wh\n@20:00 600 Wh\n@14:00 300 Wh\n")
    assert [entry.time_s / 3600 for entry in late.entries] == [0.0, 6.0, 12.0], "it stands between them: written down late"
