"""A mark in a row's note is the mark, by whichever road it came: a bank that went *empty* is never said to have been stopped."""

from __future__ import annotations

import pytest

from tests.trust.test_slips import head_of
from ubrant.core.quantities.jot import Grammar, JotError, mark_of_note
from ubrant.core.record.head import BY_HAND
from ubrant.logbook.records import StoredJot, new_run
from ubrant.runs.typed.pasting import changes_of_paste
from ubrant.runs.typed.sheet import as_text, line_of_cells, sheet_of, with_note

pytestmark = pytest.mark.needs("output")


@pytest.mark.parametrize(
    ("note", "mark", "rest"),
    [
        ("empty", "empty", ""),
        ("Empty.", "empty", ""),
        ("full, charged overnight", "full", "charged overnight"),
        ("load off · fan stopped", "load off", "fan stopped"),
        ("found empty", "empty", "found"),
        ("found it dead, at breakfast", "empty", "found at breakfast"),
        ("tripped; warm", "tripped", "warm"),
        ("left out · a slip", "left out", "a slip"),
        ("runs, dim", "runs", "dim"),
        ("full moon", "", "full moon"),
        ("empty room", "", "empty room"),
        ("half full", "", "half full"),
        ("not empty", "", "not empty"),
        ("load on at 5 A", "", "load on at 5 A"),
        ("found empty box", "", "found empty box"),
        ("", "", ""),
    ],
)
def test_what_a_note_marks(note, mark, rest):
    assert mark_of_note(note) == (mark, rest)


COLUMNS = (("output", "V"), ("output", "A"))
CELLS = {("output", "V"): "4.98", ("output", "A"): "1.00"}


def told(line) -> tuple[str, list[tuple[str, float]]]:
    return line.mark, [(r.quantity, r.value) for r in line.readings]


def test_a_row_says_what_the_line_says():
    assert told(line_of_cells(CELLS, COLUMNS, "empty")) == told(Grammar().parse("output 4.98 V 1.00 A empty"))
    assert told(Grammar().parse(line_of_cells(CELLS, COLUMNS, "empty").line)) == told(line_of_cells(CELLS, COLUMNS, "empty"))


def test_two_marks_in_one_row_are_refused_and_pasted_as_two():
    with pytest.raises(JotError, match="two marks"):
        line_of_cells(CELLS, COLUMNS, "full, load on")
    run = new_run(head_of("output"), BY_HAND)
    made = [c.jotting for c in changes_of_paste("08:00\t5.06\t1.00\tfull, load on\n09:00\t5.05\t1.00\tempty\n", COLUMNS, run, 0.0)]
    assert [(one.mark, len(one.readings)) for one in made] == [("full", 0), ("load on", 2), ("empty", 2)]


def test_what_was_copied_is_pasted_as_it_was():
    run = new_run(head_of("output"), BY_HAND)
    lines = ("load on output 5.06 V 1.00 A", 'output 5.05 V 1.00 A "warm"', "empty output 4.98 V 1.00 A")
    jots = [StoredJot(3600.0 * k, line, data=Grammar().parse(line)) for k, line in enumerate(lines)]
    sheet = sheet_of(jots, COLUMNS, {})
    again = [told(c.jotting) for c in changes_of_paste(as_text(sheet, run), COLUMNS, run, 4 * 3600.0)]
    assert again == [told(j.data) for j in jots]


def test_a_note_that_is_edited_into_a_mark_is_one():
    jots = [StoredJot(0.0, "output 5.0 V 1 A", data=Grammar().parse("output 5.0 V 1 A"))]
    (row,) = sheet_of(jots, COLUMNS, {}).rows
    assert with_note(row, "empty").jotting.mark == "empty"
    assert with_note(row, "empty shelf").jotting.mark == ""
