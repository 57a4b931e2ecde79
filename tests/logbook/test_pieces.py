"""Columns of readings in the file: to the last bit as they were, a straight line in little room, the times of a table once."""

from __future__ import annotations

import contextlib
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.window import keep_discharge
from ubrant.core.quantities.readings import Series
from ubrant.logbook.chunks import PIECE, from_blob, to_blob
from ubrant.logbook.file import connect
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.writer import RunWriter

FLOATS = st.floats(width=64)


def same_bits(one, other) -> bool:
    return one.tobytes() == np.asarray(other, "<f8").tobytes()


@given(st.lists(FLOATS, max_size=40))
def test_any_column_comes_back_to_the_last_bit(values):
    column = np.array(values, dtype=float)
    assert same_bits(from_blob(to_blob(column), len(column)), column)


@given(FLOATS, FLOATS, st.integers(3, 500))
def test_so_does_a_straight_line(begin, step, n):
    with np.errstate(all="ignore"):
        column = begin + np.arange(n) * step
        assert same_bits(from_blob(to_blob(column), n), column)


@pytest.mark.parametrize(
    ("column", "size"),
    [
        (np.arange(60_000) * 1.0, 16),
        (np.full(500, 10.0), 16),
        (5.5 + np.arange(100) * 0.25, 16),
        (np.array([0.0, -0.0, 0.0]), 24),
        (np.array([1.0, 2.0]), 16),
        (np.array([1.0, 2.0, 3.0, 4.0, 5.000000001]), 40),
        (np.array([1.0, np.nan, 3.0]), 24),
    ],
)
def test_a_line_needs_two_numbers_and_nothing_else_is_taken_for_one(column, size):
    assert len(to_blob(column)) == size
    assert same_bits(from_blob(to_blob(column), len(column)), column)


@pytest.fixture
def uneven(logbook):
    """A run of three channels: two read at the same uneven moments, one at others; over two pieces."""
    run = keep_discharge(logbook)
    whole = logbook.kept(run)
    rng = np.random.default_rng(4)
    time, other = (np.cumsum(rng.uniform(0.5, 1.5, PIECE + 50)) for _ in range(2))
    readings = {("battery", q): Series(time, rng.normal(12, 1, len(time))) for q in "VA"}
    readings["load", "V"] = Series(other, rng.normal(12, 1, len(other)))
    return logbook.keep_import(replace(whole, run=replace(whole.run, id=0), readings=readings)), readings


def test_the_times_of_a_table_stand_there_once(logbook, uneven):
    run, readings = uneven
    for key, series in readings.items():
        found = logbook.series(run.id, *key)
        assert same_bits(found.time_s, series.time_s)
        assert same_bits(found.value, series.value)
    with contextlib.closing(connect(logbook.path, read_only=True)) as db:
        sql = "SELECT channel.tap, quantity, length(time_s) FROM piece JOIN channel ON channel.id = channel_id WHERE run_id = ? AND seq = 0"
        assert {(tap, q): size for tap, q, size in db.execute(sql, (run.id,))} == {
            ("battery", "V"): 8 * PIECE,
            ("battery", "A"): 8,
            ("load", "V"): 8 * PIECE,
        }


def test_what_is_cut_or_copied_keeps_its_times(logbook, uneven, tmp_path):
    run, readings = uneven
    logbook.cut_after(run.id, 1000.0)
    for key, series in readings.items():
        kept = series.time_s <= 1000.0
        found = logbook.series(run.id, *key)
        assert same_bits(found.time_s, series.time_s[kept])
        assert same_bits(found.value, series.value[kept])
    assert logbook.damages() == []
    copy = tmp_path / "copy.ubrant"
    logbook.save_copy(copy)
    with contextlib.closing(Logbook(copy)) as other:
        assert len(other.series(run.id, "battery", "A")) == len(logbook.series(run.id, "battery", "A")) > 900


def test_a_run_that_goes_on_keeps_what_each_channel_read(logbook, uneven):
    """The end of a run folds its channels: what one has the times of is not written anew before it is read."""
    run, readings = uneven
    last = max(float(s.time_s[-1]) for s in readings.values())
    writer = RunWriter(logbook.place, run.id)
    for k in range(4):
        writer.reading("battery", "V", last + 1 + k, 11.0)
        writer.reading("battery", "A", last + 1.3 + k, 5.0)
    writer.finish("person", "")
    for (tap, quantity), series in readings.items():
        found = logbook.series(run.id, tap, quantity)
        more = {("battery", "V"): 1.0, ("battery", "A"): 1.3}.get((tap, quantity))
        times = series.time_s if more is None else np.concatenate((series.time_s, last + more + np.arange(4)))
        assert same_bits(found.time_s, times)
        assert len(found.value) == len(times)
    assert logbook.damages() == []
