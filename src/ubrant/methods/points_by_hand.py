"""Volts and amperes at one place, point after point: by hand, or as the columns of a log."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ubrant.core.quantities.jot import TypedReading
from ubrant.core.quantities.readings import Array, Series
from ubrant.core.record.events import PointTaken
from ubrant.core.record.head import LOG
from ubrant.core.record.record import Record, TapQuantity
from ubrant.core.record.settled import mean_between, table_of


@dataclass(frozen=True, eq=False)
class PointTable:
    """(n,) each: when, what was read by key (NaN where it was not), how wide to each side, and what was noted."""

    time_s: Array
    values: dict[TapQuantity, Array]
    half: dict[TapQuantity, Array]
    notes: tuple[str, ...]

    def __len__(self) -> int:
        return len(self.time_s)


def points_at(record: Record, keys: tuple[TapQuantity, ...], names: dict[str, str]) -> PointTable:
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
        return PointTable(np.array([t for t, _ in lines]), values, half, tuple(j.text for _, j in lines))
    if taken := record.of(PointTaken):
        return _at_points(record, taken, keys, names)
    time, table = table_of(record if record.head.origin.road == LOG else _on_one_base(record))
    none = np.full(len(time), math.nan)
    found = {key: next((table[name] for name in _names_of(key, names) if name in table), none) for key in keys}
    return PointTable(time, found, {key: np.zeros(len(time)) for key in keys}, ("",) * len(time))


def _names_of(key: TapQuantity, names: dict[str, str]) -> list[TapQuantity]:
    """The key itself, and its other names."""
    return [key, *((other, key[1]) for other, tap in names.items() if tap == key[0])]


def _at_points(record: Record, taken: Sequence[PointTaken], keys: tuple[TapQuantity, ...], names: dict[str, str]) -> PointTable:
    """Means over what was read at each point that was taken."""
    found = {}
    for key in keys:
        series = next((s for name in _names_of(key, names) if (s := record.corrected(*name)) is not None), None)
        found[key] = np.array([mean_between(series, e.from_s, e.time_s) for e in taken])
    none = {key: np.zeros(len(taken)) for key in keys}
    return PointTable(np.array([e.time_s for e in taken]), found, none, ("",) * len(taken))


def _on_one_base(record: Record) -> Record:
    """Instruments that are asked one after the other, as of the moments of the first: straight between two readings."""
    if len(record.readings) < 2:
        return record
    base = next(iter(record.readings.values())).time_s
    moved = {
        key: Series(base, np.interp(base, s.time_s, s.value, left=math.nan, right=float(s.value[-1]))) if len(s) else s
        for key, s in record.readings.items()
    }
    return replace(record, readings=moved)


def _key(reading: TypedReading, names: dict[str, str]) -> TapQuantity:
    return names.get(reading.tap, reading.tap), reading.quantity
