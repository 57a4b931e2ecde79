"""Volts and amperes at one place, point after point: by hand, or as the columns of a log."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.jot import JotReading
from ubrant.core.record.points import table_of
from ubrant.core.record.readings import Array
from ubrant.core.record.record import Key, Record


@dataclass(frozen=True, eq=False)
class Table:
    """(n,) each: when, what was read by key (NaN where it was not), how wide to each side, and what was noted."""

    time_s: Array
    values: dict[Key, Array]
    half: dict[Key, Array]
    notes: tuple[str, ...]

    def __len__(self) -> int:
        return len(self.time_s)


def points_at(record: Record, keys: tuple[Key, ...], names: dict[str, str]) -> Table:
    """The points of a record: a row a typed line, or a row a reading of a log.

    Parameters
    ----------
    keys : what is wanted
    names : other names of their taps
    """
    if record.is_typed:
        lines = [(moment, jotting) for moment, jotting in record.answers("skip") if jotting.mark != "skip" and jotting.readings]
        values = {key: np.full(len(lines), math.nan) for key in keys}
        half = {key: np.zeros(len(lines)) for key in keys}
        for k, (_, jotting) in enumerate(lines):
            for reading in jotting.readings:
                if (key := _key(reading, names)) in values and reading.kind not in {"peak", "count"}:
                    values[key][k], half[key][k] = reading.value, reading.half_width
        return Table(np.array([t for t, _ in lines]), values, half, tuple(j.text for _, j in lines))
    time, table = table_of(record)
    none = np.full(len(time), math.nan)
    found = {
        key: next((table[(tap, key[1])] for tap in (key[0], *(n for n, t in names.items() if t == key[0])) if (tap, key[1]) in table), none)
        for key in keys
    }
    return Table(time, found, {key: np.zeros(len(time)) for key in keys}, ("",) * len(time))


def _key(reading: JotReading, names: dict[str, str]) -> Key:
    return names.get(reading.tap, reading.tap), reading.quantity
