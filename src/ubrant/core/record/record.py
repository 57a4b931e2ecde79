"""The record of a run: readings by tap and quantity, typed events, the lines a person typed, and the head."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, TypeVar

import numpy as np

from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.jot import LEFT_OUT, TypedLine
from ubrant.core.quantities.quantity import show
from ubrant.core.quantities.readings import Array, Series, no_readings
from ubrant.core.record.events import Event, Gap, LoadOff, LoadOn, Zeroed
from ubrant.core.record.head import BY_HAND, RunHeader, Setup
from ubrant.core.record.integrals import off_in_count
from ubrant.core.record.jot_text import TimedLine
from ubrant.core.record.typed import TypedColumns, columns_of_lines, with_bare_zeros
from ubrant.core.uncertainty.value import Value
from ubrant.core.wording import say

TapQuantity = tuple[str, str]
"""(tap, quantity)."""
_T = TypeVar("_T")
_Kind = TypeVar("_Kind", bound=Event)
_HOLDS_C, _USUAL_ROOM_C = (18.0, 28.0), (15.0, 27.0)
_BY_HAND_S = 2.0
"""Between looking and Enter. Common practice, no source."""
_ABSURD = 0.4
"""A zero over this share of what the meter then reads is none: its leads were not open."""


@dataclass(frozen=True)
class Interval:
    """Time between two edges; ``to_s`` is None while it lasts."""

    from_s: float
    to_s: float | None


@dataclass(frozen=True, eq=False)
class Record:
    """Everything that was read, noted and typed in a run.

    Attributes
    ----------
    readings : what instruments or a log gave, as it was read; nothing is ever stored over it
    events, lines : in the order of time
    state, ended_by : ``running``, ``done`` or ``interrupted``; what ended it, empty for a log or while it goes on
    damage : a sentence where some of this is not what was written; empty where it is sound
    started : ISO, with its offset; empty where nobody knows
    """

    head: RunHeader
    readings: Mapping[TapQuantity, Series] = field(default_factory=dict)
    events: tuple[Event, ...] = ()
    lines: tuple[TimedLine, ...] = ()
    state: str = "done"
    ended_by: str = ""
    typed: TypedColumns = field(default_factory=TypedColumns)
    damage: str = ""
    started: str = ""
    _made: dict[Hashable, Any] = field(default_factory=dict, init=False, repr=False)

    def once(self, what: Hashable, make: Callable[[], _T]) -> _T:
        """What is made of this record, under a name of its own: made when it is first asked for, and kept as long as the record is."""
        if what not in self._made:
            self._made[what] = make()
        made: _T = self._made[what]
        return made

    def judged_by(self, head: RunHeader) -> Record:
        """The same readings under another head."""
        return replace(self, head=head)

    # what was read

    def at(self, tap: str, quantity: str) -> Series:
        """What an instrument or a log gave, as it was read; empty where it gave nothing."""
        return self.readings.get((tap, quantity), no_readings())

    def either(self, tap: str, quantity: str) -> Series:
        """By an instrument, or else as typed; as it was read."""
        found = self.at(tap, quantity)
        return found if len(found) else self.typed.at(tap, quantity)

    def corrected(self, tap: str, quantity: str) -> Series | None:
        """An instrument's series as it should have been shown: zero, what its meter was judged by and its sign taken into account; None without one."""
        series = self.readings.get((tap, quantity))
        return None if series is None else self._details(tap).correct(quantity, series)

    def half_width(self, tap: str, quantity: str) -> float | Array:
        """How wide a reading is to each side: half of the smallest step for an instrument's, as written for a typed one."""
        return half_digit(self.at(tap, quantity)) if len(self.at(tap, quantity)) else self.typed.half.get((tap, quantity), 0.0)

    @property
    def is_typed(self) -> bool:
        """A person took the readings down."""
        return self.head.origin.road == BY_HAND or (not self.readings and bool(self.lines))

    def meter(self, tap: str) -> Meter:
        return self.head.setup.meter(tap)

    def quoted(self, tap: str, unit: str) -> Accuracy | None:
        """Of the meter at a tap on the day of the run, in the room it was made in; no zero that was read in it."""
        accuracy, tempco = self.head.setup.accuracy(tap, unit), self.meter(tap).details.tempco
        return accuracy if accuracy is None or not tempco else accuracy.at_degrees(self._outside_c(), tempco)

    def _outside_c(self) -> float:
        """How far the room was, at most, outside of what accuracies hold in: 23 ± 5 °C, common practice, no source."""
        conditions = self.head.conditions
        low, high = conditions.room_c or (_USUAL_ROOM_C if conditions.temperature_c is None else (conditions.temperature_c,) * 2)
        return max(_HOLDS_C[0] - low, high - _HOLDS_C[1], 0.0)

    def accuracy(self, tap: str, unit: str) -> Accuracy | None:
        accuracy = self.quoted(tap, unit)
        zeros = self._zeros().get(tap, {}).get(unit)
        if accuracy is None or zeros is None or self.zero_trouble():
            return accuracy
        return accuracy.zeroed(zeros[1] - zeros[0] if len(zeros) > 1 else None)

    def off_in_count(self, tap: str, unit: str, amount: float) -> Value:
        """What the meter at a tap is off by in so many Ah or Wh that it counted."""
        voltage, current, power = (self.accuracy(tap, quantity) for quantity in "VAW")
        return off_in_count(unit, amount, voltage, current, power, tap)

    def _details(self, tap: str) -> MeterDetails:
        """What is known of the meter at a tap, with the zero that was read in this run, where one was."""
        details = self.meter(tap).details
        zero = {quantity: sum(values) / len(values) for quantity, values in self._zeros().get(tap, {}).items()}
        if not zero or self.zero_trouble():
            return details
        return replace(details, zero_v=zero.get("V", details.zero_v), zero_a=zero.get("A", details.zero_a))

    def _zeros(self) -> dict[str, dict[str, tuple[float, ...]]]:
        """By tap and quantity the zero that was read there, and once more at the end where it was."""
        zeros: dict[str, dict[str, tuple[float, ...]]] = {}
        for event in self.of(Zeroed):
            at_tap = zeros.setdefault(event.tap, {})
            for quantity, value in event.values.items():
                first = at_tap.get(quantity, (value,))[0]
                if quantity not in at_tap:
                    at_tap[quantity] = (first,)
                elif self._can_be_zero(event.tap, quantity, value - first):
                    at_tap[quantity] = (first, value)
        return zeros

    def _can_be_zero(self, tap: str, quantity: str, moved: float) -> bool:
        """Whether two zeros of the meter there can lie so far apart."""
        accuracy = self.head.setup.accuracy(tap, quantity)
        return accuracy is not None and abs(moved) <= 2 * accuracy.zero

    def zero_remarks(self) -> tuple[str, ...]:
        """What has to be said of the zeros that were read: why one is none, and was not taken off."""
        if trouble := self.zero_trouble():
            return (trouble,)
        zeros = self._zeros()
        return tuple(
            say(
                "The zero of {value} {quantity} that was read at the end is none by what the meter may be off: something still flowed. It was left out.",
                value=show(value),
                quantity=quantity,
            )
            for event in self.of(Zeroed)
            for quantity, value in event.values.items()
            if value not in zeros[event.tap][quantity] and self.head.setup.accuracy(event.tap, quantity) is not None
        )

    def zero_trouble(self) -> str:
        """Why a zero that was read is none, in a sentence; empty where it may be one."""
        for tap, values in self._zeros().items():
            for quantity, (value, *_) in values.items():
                read = self.at(tap, quantity).value
                usual = float(np.median(np.abs(read))) if len(read) else 0.0
                if quantity == "V" and usual > 0 and abs(value) > _ABSURD * usual:
                    return say(
                        "The zero of {value} {quantity} that was read at the {tap} is none: the meter's leads were not open. It was not taken off.",
                        value=show(value),
                        quantity=quantity,
                        tap=tap,
                    )
        return ""

    @property
    def moment_half_s(self) -> float:
        """How far to each side the first and the last typed moment may be off: half a minute where one was written to the minute, else what a hand takes."""
        return 30.0 if any(e.jotting.to_minute for e in (*self.lines[:1], *self.lines[-1:])) else _BY_HAND_S

    # what happened

    def of(self, kind: type[_Kind]) -> list[_Kind]:
        """Events of one kind, in the order of time."""
        return [e for e in self.events if isinstance(e, kind)]

    def stretches(self, on: type[Event] = LoadOn, off: type[Event] = LoadOff) -> tuple[Interval, ...]:
        """From every edge to its counterpart, in the order of time; the last may still last. Typed marks count where no event was recorded."""
        edges = [(e.time_s, isinstance(e, on)) for e in self.events if isinstance(e, on | off)]
        if on is LoadOn:
            sides = {is_on for _, is_on in edges}
            edges += [(t, True) for t, mark in self.typed.marks if mark == "load on" and True not in sides]
            edges += [(t, False) for t, mark in self.typed.marks if mark in {"load off", "empty"} and False not in sides]
            edges.sort()
        stretches: list[Interval] = []
        since: float | None = None
        for moment, is_on in edges:
            if is_on and since is None:
                since = moment
            elif not is_on and since is not None:
                stretches.append(Interval(since, moment))
                since = None
        return (*stretches, Interval(since, None)) if since is not None else tuple(stretches)

    def switched(self) -> tuple[float | None, float | None]:
        """When the load came on and went off, as far as it was recorded or said: of the last whole stretch, where there were several."""
        whole = [s for s in self.stretches() if s.to_s is not None and self.of(LoadOff)]
        if len(whole) > 1:
            return whole[-1].from_s, whole[-1].to_s
        on = [e.time_s for e in self.of(LoadOn)] or [t for t, mark in self.typed.marks if mark == "load on"]
        off = [e.time_s for e in self.of(LoadOff)] or [t for t, mark in self.typed.marks if mark in {"load off", "empty"}]
        unsaid = bool(on and off and off[0] < on[0])  # what went off had come on, and nobody said when
        first, last = (on[0] if on and not unsaid else None), self._last_off(on[-1] if on else None, off)
        return first, None if last is not None and on and on[-1] >= last and not self.of(LoadOn) else last

    def _last_off(self, on_s: float | None, off: Sequence[float]) -> float | None:
        """The first *off* after which nothing flowed any more: what is marked later, such as that it was found empty, is of no load."""
        after = [t for t in off if on_s is None or t >= on_s] or list(off)
        if not self.typed.marks or len(after) < 2:
            return after[-1] if after else None
        flowed = max(
            (float(s.time_s[np.flatnonzero(s.value)[-1]]) for (_, q), s in self.typed.series.items() if q in "AW" and s.value.any()),
            default=-math.inf,
        )
        return next((t for t in after if t >= flowed), after[-1])

    def interruptions(self) -> tuple[float, ...]:
        """When the run went on after an interruption."""
        return tuple(e.time_s for e in self.of(Gap) if e.interrupted)

    # what a person typed

    def answers(self, *marks: str) -> list[tuple[float, TypedLine]]:
        """Typed lines that hold a reading, or one of these marks: what a person answered to what was asked of them. One left out was skipped."""
        return [
            (e.time_s, replace(e.jotting, mark="skip") if e.jotting.mark == LEFT_OUT else e.jotting)
            for e in self.lines
            if e.jotting.readings or e.jotting.mark in marks or (e.jotting.mark == LEFT_OUT and "skip" in marks)
        ]

    def parts(self, name: str) -> dict[int, str]:
        """Taps like ``cell 3`` by their number."""
        taps = {tap for tap, _ in (*self.readings, *self.typed.series)}
        return {int(match[1]): tap for tap in taps if (match := re.fullmatch(rf"{name} (\d+)", tap))}


def record_of(
    head: RunHeader,
    readings: Mapping[TapQuantity, Series],
    events: Iterable[Event] = (),
    lines: Sequence[TimedLine] = (),
    state: str = "done",
    ended_by: str = "",
    damage: str = "",
) -> Record:
    """A record from what was kept, read so far, or brought in. What a person read off a display is corrected as its meter was judged."""
    counting = with_bare_zeros(_as_it_counts(e) for e in lines)
    ordered = tuple(sorted(lines_corrected(counting, head.setup), key=lambda e: e.time_s))
    return Record(head, dict(readings), tuple(events), ordered, state, ended_by, columns_of_lines(ordered), damage)


def _as_it_counts(entry: TimedLine) -> TimedLine:
    """Nothing was read in a line that is left out."""
    return entry if entry.jotting.mark != LEFT_OUT else replace(entry, jotting=replace(entry.jotting, readings=()))


def lines_corrected(entries: Sequence[TimedLine], setup: Setup) -> Sequence[TimedLine]:
    """Typed lines as the meters at their taps should have shown them: the very same where no meter there is off."""
    keys = frozenset[TapQuantity]().union(*(e.jotting.places for e in entries))
    details = {tap: setup.meter(setup.tap_named(tap)).details for tap, _ in keys}
    if all(details[tap].correction(quantity) == (0.0, 1.0) for tap, quantity in keys):
        return entries
    return [
        replace(e, jotting=replace(e.jotting, readings=tuple(details[r.tap].correct_typed(r) for r in e.jotting.readings))) for e in entries
    ]


def half_digit(series: Series) -> float:
    """Half of the smallest step between readings."""
    steps = np.diff(np.unique(np.round(series.value, 9)))
    return float(steps.min()) / 2 if len(steps) else 0.0
