"""A record that grows by what is typed at its end, made from the one before it instead of anew: a row costs the same at the five thousandth as at the fifth."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from ubrant.core.quantities.jot import LEFT_OUT, TypedLine
from ubrant.core.quantities.readings import Series
from ubrant.core.record.events import Event
from ubrant.core.record.head import RunHeader
from ubrant.core.record.jot_text import TimedLine
from ubrant.core.record.record import Record, TapQuantity, lines_corrected, record_of
from ubrant.core.record.typed import TypedColumns, columns_of_lines, is_bare_zero

Rows = Sequence[tuple[float, TypedLine]]


class Growing:
    """The record of a run that is going on; equal to the whole of :func:`record_of` at every moment."""

    def __init__(self) -> None:
        self._rows: Rows = ()
        self._record: Record | None = None
        self._finest: Mapping[TapQuantity, float] = {}

    def record(
        self, head: RunHeader, readings: Mapping[TapQuantity, Series], events: Iterable[Event], rows: Rows, state: str, ended_by: str
    ) -> Record:
        """``rows`` by time, as (seconds, what it says)."""
        before, new = self._record, [TimedLine(*row) for row in rows[len(self._rows) :]]
        if before is not None and before.head is head and self._is_behind(rows, new) and self._is_simple(new, head):
            made = replace(
                before,
                readings=dict(readings),
                events=tuple(events),
                lines=(*before.lines, *new),
                state=state,
                ended_by=ended_by,
                typed=_joined(before.typed, columns_of_lines(new)) if new else before.typed,
            )
        else:
            made = record_of(head, readings, events, [TimedLine(*row) for row in rows], state, ended_by)
            self._finest = _finest_beside_zeros(rows)
        self._rows, self._record = rows, made
        return made

    def _is_behind(self, rows: Rows, new: Sequence[TimedLine]) -> bool:
        """Whether all that stood stands as it stood, and the rest is later."""
        return list(rows[: len(self._rows)]) == list(self._rows) and (not new or not self._rows or new[0].time_s > self._rows[-1][0])

    def _is_simple(self, new: Sequence[TimedLine], head: RunHeader) -> bool:
        """Whether nothing in it is counted otherwise than it was typed, or changes how an earlier row counts."""
        readings = [r for e in new for r in e.jotting.readings]
        return (
            not any(e.jotting.mark == LEFT_OUT for e in new)
            and not any(is_bare_zero(r) or r.half_width < self._finest.get((r.tap, r.quantity), -math.inf) for r in readings)
            and lines_corrected(new, head.setup) is new
        )


def _finest_beside_zeros(rows: Rows) -> dict[TapQuantity, float]:
    """How finely each place was read at which a bare zero stands; infinite where there is nothing but zeros."""
    zeros = {(r.tap, r.quantity) for _, jotting in rows if not jotting.is_plain for r in jotting.readings if is_bare_zero(r)}
    found = dict.fromkeys(zeros, math.inf)
    for reading in (r for _, jotting in rows for r in jotting.readings if zeros and r.value and r.kind == "read"):
        key = reading.tap, reading.quantity
        if key in zeros:
            found[key] = min(found[key], reading.half_width)
    return found


def _joined(one: TypedColumns, other: TypedColumns) -> TypedColumns:
    series, half = dict(one.series), dict(one.half)
    for key, new in other.series.items():
        old = series.get(key)
        series[key] = new if old is None else Series(np.append(old.time_s, new.time_s), np.append(old.value, new.value))
        half[key] = other.half[key] if old is None else np.append(half[key], other.half[key])
    return TypedColumns(series, half, (*one.marks, *other.marks), (*one.notes, *other.notes), (*one.further, *other.further))
