"""What the columns of a sheet may be by what stands in them, where no heading says it: clock times, growing counters, ranges that fit the label."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np

from ubrant.core.quantities.readings import Array
from ubrant.logbook.logs.cells import NoNumber, read_cell, read_moment
from ubrant.logbook.logs.text import TextTable

_LIKE = (0.6, 1.35)
"""Between how many times its label's a battery's volts are."""
_VOLTS = (0.7, 1000.0)
_EVEN = 0.2
"""Steps of a time are alike by so much; those of a counter follow the current."""
_PRODUCT = 0.03
_READ = 0.8
"""Share of cells that have to be numbers for a column to hold any."""


def guess(sheet: TextTable, label_v: Sequence[float] = ()) -> dict[str, int]:
    """The places, from 0, of time, voltage, current and power, as far as what stands in the columns tells.

    Parameters
    ----------
    label_v : volts of the units on the shelf, the one that is meant first
    """
    rows = sheet.first_rows()
    width = len(sheet.headings)
    found: dict[str, int] = {}
    if (clock := next((k for k in range(width) if _is_clock(sheet, rows, k)), None)) is not None:
        found["time"] = clock
    numbers = {k: column for k in range(width) if k != clock and (column := _numbers(sheet, rows, k)) is not None}
    rising = [k for k, column in numbers.items() if len(column) > 2 and (np.diff(column) > 0).all()]
    if clock is None and (even := sorted(rising, key=lambda k: _unevenness(numbers[k]))) and _unevenness(numbers[even[0]]) < _EVEN:
        found["time"] = even[0]
    counters = [k for k, column in numbers.items() if len(column) > 2 and (np.diff(column) >= 0).all() and float(np.ptp(column)) > 0]
    left = {k: column for k, column in numbers.items() if k not in found.values() and k not in counters}
    for volts, amps, watts in itertools.permutations(left, 3):
        if _is_product(left[volts], left[amps], left[watts]) and _steadiness(left[volts]) <= _steadiness(left[amps]):
            found |= {"voltage": volts, "current": amps, "power": watts}
            return found
    like = [k for v in label_v for k in left if v and _LIKE[0] * v < float(np.median(left[k])) < _LIKE[1] * v]
    could = like or [k for k in left if _VOLTS[0] < float(np.median(left[k])) < _VOLTS[1] and (left[k] > 0).mean() > _READ]
    if could:
        found["voltage"] = could[0] if like else min(could, key=lambda k: _steadiness(left[k]))
        others = [k for k in left if k != found["voltage"] and float(np.max(np.abs(left[k]))) > 0]
        if others:
            found["current"] = others[0]
    return found


def shape_of(sheet: TextTable) -> tuple[str, ...]:
    """What tells logs of one make from others: their headings; without any, what seems to stand in their columns."""
    return (*sheet.headings, *(f"{key} {k}" for key, k in guess(sheet).items())) if sheet.headless else sheet.headings


def _is_clock(sheet: TextTable, rows: Sequence[Sequence[str]], place: int) -> bool:
    """Times of day, or dates."""
    kinds = []
    for cells in rows:
        try:
            moment = read_moment(cells[place].strip(), decimal_comma=sheet.decimal_comma) if place < len(cells) else None
        except NoNumber:
            return False
        kinds.append(moment is not None and moment.kind not in {"number", "number in seconds"})
    return bool(kinds) and sum(kinds) > _READ * len(kinds)


def _numbers(sheet: TextTable, rows: Sequence[Sequence[str]], place: int) -> Array | None:
    """The numbers of a column; None where it holds too few."""
    values = []
    for cells in rows:
        try:
            cell = read_cell(cells[place].strip(), decimal_comma=sheet.decimal_comma) if place < len(cells) else None
        except NoNumber:
            continue
        if cell is not None and not cell.gone:
            values.append(cell.value)
    return np.array(values) if values and len(values) >= _READ * len(rows) else None


def _unevenness(column: Array) -> float:
    steps = np.diff(column)
    return float(np.median(np.abs(steps - np.median(steps))) / max(float(np.median(steps)), 1e-12))


def _steadiness(column: Array) -> float:
    """How much it changes against its size."""
    return float(np.ptp(column)) / max(float(np.median(np.abs(column))), 1e-9)


def _is_product(volts: Array, amps: Array, watts: Array) -> bool:
    size = float(np.max(np.abs(watts), initial=0.0))
    if not len(volts) == len(amps) == len(watts) or not size > 0 or not (np.abs(amps) > 0).any():
        return False
    return bool(np.max(np.abs(volts * amps - watts)) < _PRODUCT * size)
