"""When the load came on and went off, by rows that a person typed, and what is changed to say otherwise."""

from __future__ import annotations

import pytest

from ubrant.core.quantities.jot import Grammar
from ubrant.logbook.records import StoredJot
from ubrant.runs.afterwards.known_late import EMPTY, LOAD_OFF, LOAD_ON, edge_moved, said_edges


def rows(*lines: tuple[float, str]) -> list[StoredJot]:
    return [StoredJot(t, line, "", number, Grammar().parse(line)) for number, (t, line) in enumerate(lines, start=1)]


@pytest.mark.parametrize(
    ("lines", "edges"),
    [
        ((), (None, None)),
        (((10.0, "13 V 5 A"),), (None, None)),
        (((10.0, "load on"), (90.0, "load off")), (10.0, 90.0)),
        (((10.0, "load on"), (50.0, "load off"), (60.0, "load on"), (90.0, "empty")), (10.0, 90.0)),
        (((50.0, "load off"), (60.0, "load on")), (None, 50.0)),  # it had come on before, and nobody said when
    ],
)
def test_the_first_and_the_last(lines, edges):
    assert said_edges(rows(*lines)) == edges


def test_a_bare_mark_is_moved_one_beside_readings_leaves_them_where_they_are():
    bare = rows((10.0, "load on"), (90.0, "load off 12.1 V 0 A"))
    (moved,) = edge_moved(bare, LOAD_ON, 20.0)
    assert (moved.time_s, moved.jotting.mark, moved.replaces) == (20.0, "load on", 1)
    assert edge_moved(bare, LOAD_ON, 10.2) == []
    (gone,) = edge_moved(bare, LOAD_ON, None)
    assert (gone.jotting, gone.replaces) == (None, 1)
    stays, new = edge_moved(bare, LOAD_OFF, 80.0)
    assert (stays.time_s, stays.replaces, stays.jotting.mark, len(stays.jotting.readings)) == (90.0, 2, "", 2)
    assert (new.time_s, new.replaces, new.jotting.mark) == (80.0, 0, "load off")


def test_what_was_never_said_is_said_and_a_later_one_stays():
    later = rows((50.0, "load off"), (60.0, "load on"), (90.0, "empty"))
    (new,) = edge_moved(later, LOAD_ON, 5.0)
    assert (new.time_s, new.replaces, new.jotting.mark) == (5.0, 0, "load on")
    (moved,) = edge_moved(later, LOAD_OFF, 95.0)
    assert (moved.time_s, moved.replaces, moved.jotting.mark) == (95.0, 3, EMPTY)
