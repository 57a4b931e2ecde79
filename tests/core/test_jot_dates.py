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
