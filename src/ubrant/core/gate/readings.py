"""Each typed reading by itself: held against what was asked for, against the others of its place, and against its neighbours.

One that cannot well be is left out of the sums, and asked about: a person who has looked says that it is so, or mends it.
"""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import groupby
from statistics import median

import numpy as np

from ubrant.core.gate.check import Question
from ubrant.core.quantities.jot import LEFT_OUT, TypedReading
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.record.jot_text import TimedLine
from ubrant.core.record.record import Record, TapQuantity
from ubrant.core.record.typed import columns_of_lines
from ubrant.core.wording import say, words

_STEADY = 1.5
"""What stays about the same through a run is not half as much again, or less than two thirds, in one line of it. Common practice, no source."""
_SURE, _AMONG, _ALIKE = 1.15, 2, 0.15
"""So much the others may differ among themselves, and so many there have to be, before one is held against them."""
_NEIGHBOURS, _OFF = 1.35, 2.2
"""How near the readings before and after are to each other, and how far the one between them stands off, in times."""
_SLIPS, _NEAR = (10.0, 100.0, 1000.0), 1.25
"""A point that slipped, or a thousandth of a unit: so many times more or less than was asked for, give or take a quarter."""
_ROOM = 0.03
"""Of the highest: by less a course may rise although it falls, as a load that is let go does. Common practice, no source."""
_OVER, _MANY = 2.0, 100
_ALONE, _OF_LABEL = 30.0, (0.3, 1.6)
_NOTHING = 0.02
"""Of the others: less is a thing that went off, and no slip of it."""


@dataclass(frozen=True)
class Takes:
    """What a method takes for granted of its readings.

    Attributes
    ----------
    steady : groups of what stays about the same through a run, each compared within itself: volts of one place, or of one node
    smooth : what goes on without leaps, up or down, from line to line or over another quantity: (what, over what; None for from line to line)
    falling : what only falls, likewise
    most : what its label says is the most, by tap and quantity
    spread : what is set from least to most, so that none is out of all proportion to the rest
    label : what its label says is about there
    asked : by the identity of what was typed in a line, what was asked for at each tap, in each quantity
    whole_lines : a line without one of its readings is of no use
    """

    steady: tuple[tuple[TapQuantity, ...], ...] = ()
    smooth: tuple[tuple[TapQuantity, TapQuantity | None], ...] = ()
    falling: tuple[tuple[TapQuantity, TapQuantity | None], ...] = ()
    most: Mapping[TapQuantity, float] = field(default_factory=dict)
    spread: tuple[TapQuantity, ...] = ()
    label: Mapping[TapQuantity, float] = field(default_factory=dict)
    asked: Mapping[int, Mapping[TapQuantity, float]] = field(default_factory=dict)
    whole_lines: bool = True

    @property
    def keys(self) -> frozenset[TapQuantity]:
        """Which readings it says something of, but for what was asked for."""
        courses = (key for pair in (*self.smooth, *self.falling) for key in pair if key is not None)
        return frozenset((*(key for group in self.steady for key in group), *courses, *self.most, *self.spread, *self.label))


@dataclass(frozen=True)
class Odd:
    """A reading that cannot well be: which line of the record it is in, counted from 0, of when, which reading of it, why, and what confirms it."""

    line: int
    time_s: float
    at: TapQuantity
    sentence: str
    question: Question


@dataclass(frozen=True)
class _Read:
    line: int
    entry: TimedLine
    at: TapQuantity
    reading: TypedReading

    @property
    def time_s(self) -> float:
        return self.entry.time_s

    @property
    def value(self) -> float:
        return abs(self.reading.value)


def odd_readings(record: Record, takes: Takes, names: Mapping[str, str]) -> tuple[Odd, ...]:
    """What cannot well be among a record's typed lines, and was not confirmed; in their order.

    Parameters
    ----------
    names : other names of the method's taps
    """
    looked_at = takes.keys
    if not record.is_typed or not (looked_at or takes.asked):
        return ()
    read = [
        _Read(k, entry, (names.get(r.tap, r.tap), r.quantity), r)
        for k, entry in enumerate(record.lines)
        if entry.jotting.mark not in {"skip", LEFT_OUT}
        for r in entry.jotting.readings
        if r.kind == "read" and (takes.asked or (names.get(r.tap, r.tap), r.quantity) in looked_at)
    ]
    found: dict[tuple[int, TapQuantity], str] = {}
    for check in READING_CHECKS:
        for one, why in check.look(read, takes):
            found.setdefault((one.line, one.at), _said_of(one, why))
    odd: list[Odd] = []
    for one in read:
        tap, quantity = one.at
        key = f"{tap or 'read'}-{quantity}-{one.time_s:.0f}-{one.reading.value:.6g}"
        said = found.get((one.line, one.at))
        if said and key not in record.head.conditions.checked:
            yes = say("{reading} is so", reading=f"{one.reading.value:.12g} {quantity}")
            odd.append(Odd(one.line, one.time_s, one.at, said, Question(yes, checked=key, text=said)))
    return tuple(odd)


def without(record: Record, odd: Sequence[Odd], takes: Takes, names: Mapping[str, str]) -> Record:
    """The record as if those readings had been skipped."""
    left_out = {(one.line, one.at) for one in odd}

    def kept(line: int, entry: TimedLine) -> TimedLine:
        jotting = entry.jotting
        here = tuple(r for r in jotting.readings if (line, (names.get(r.tap, r.tap), r.quantity)) not in left_out)
        if len(here) == len(jotting.readings):
            return entry
        skipped = takes.whole_lines or not (here or jotting.mark)
        return replace(entry, jotting=replace(jotting, readings=() if skipped else here, mark="skip" if skipped else jotting.mark))

    if not odd:
        return record
    lines = tuple(kept(k, entry) for k, entry in enumerate(record.lines))
    return replace(record, lines=lines, typed=columns_of_lines(lines))


def _apart(read: Sequence[_Read], takes: Takes) -> Iterable[tuple[_Read, str]]:
    """Each that is half as much again as the others of its group, or less than two thirds of them, where these agree."""
    for group in takes.steady:
        together = [r for r in read if r.at in group]
        values = np.array([r.value for r in together])
        if not len(values) or (np.abs(values / (np.median(values) or 1.0) - 1) < _ALIKE).all():
            continue  # as most of the time
        usual = _usual(together)
        ordered = sorted(r.value for r in together if r.value > _NOTHING * usual)
        for one in together:
            place = bisect_left(ordered, one.value)
            others = [*ordered[:place], *ordered[place + 1 :]] if len(ordered) < _MANY and one.value > _NOTHING * usual else ordered
            if len(others) < _AMONG or one.value <= _NOTHING * others[-1]:
                continue
            middle = others[len(others) // 2] if len(others) % 2 else (others[len(others) // 2 - 1] + others[len(others) // 2]) / 2
            agreeing = bisect_right(others, middle * _SURE) - bisect_left(others, middle / _SURE)
            if agreeing >= max(_AMONG, 0.8 * len(others)) and not middle / _STEADY <= one.value <= middle * _STEADY:
                if one is together[-1] and one.value < middle:
                    continue  # the last may be where it got less
                yield one, say("stand beside others of about {value} {quantity}", value=show(middle, 3), quantity=one.at[1])


def _standing_out(read: Sequence[_Read], takes: Takes) -> Iterable[tuple[_Read, str]]:
    """Each that stands far off two neighbours that are near each other. The first is held against the two after it."""
    for key, over in takes.smooth:
        lines = _course(read, key, over)
        for k, one in enumerate(lines[:-1]):
            beside = lines[1:3] if k == 0 else [lines[k - 1], lines[k + 1]]
            low, high = min(r.value for r in beside), max(r.value for r in beside)
            near = math.sqrt(low * high)
            if len(beside) == 2 and high <= _NEIGHBOURS * low and not near / _OFF <= one.value <= near * _OFF:
                yield one, say("stand between others of about {value} {quantity}", value=show(near, 3), quantity=one.at[1])


def _usual(read: Sequence[_Read]) -> float:
    """The middle of what is not nothing: one reading that is a thousand times too large makes none of the others nothing."""
    return median([r.value for r in read if r.value] or [0.0])


def _course(read: Sequence[_Read], key: TapQuantity, over: TapQuantity | None) -> list[_Read]:
    """One a line, without those at which as good as nothing was read; in the order of the lines, or of what stands beside it in each."""
    lines = [next(group) for _, group in groupby((r for r in read if r.at == key), key=lambda r: r.line)]
    lines = [r for r in lines if r.value > _NOTHING * _usual(lines)]
    if over is None:
        return lines
    beside = {r.line: r.value for r in read if r.at == over}
    return sorted((r for r in lines if r.line in beside), key=lambda r: beside[r.line])


def _risen(read: Sequence[_Read], takes: Takes) -> Iterable[tuple[_Read, str]]:
    """Each by which a course that only falls goes up: the one before the rise, where it would fall without that, else the one after it."""
    for key, over in takes.falling:
        lines = _course(read, key, over)
        for one in _crossed(read, lines, over) if over is not None else ():
            lines.remove(one)
            yield one, say("stand with their {other} the other way round", other=over[1] if over is not None else "")
        room = _ROOM * median([r.value for r in lines]) if lines else 0.0
        if over is not None and len(lines) > 2 and lines[1].value > lines[0].value + room and lines[2].value > lines[0].value + room:
            yield lines.pop(0), say("are out of line with the others, which only fall")
        k = 1
        while k < len(lines) - 1:
            before, one, after = lines[k - 1 : k + 2]
            if after.value <= one.value + room:
                k += 1
                continue
            gone = _further_off(lines, k) if before.value > after.value - room else after
            lines.remove(gone)
            yield gone, say("are out of line with the others, which only fall")


_FAR, _IN_LINE = 1.5, 0.1


def _crossed(read: Sequence[_Read], lines: Sequence[_Read], over: TapQuantity) -> list[_Read]:
    """Rows far beyond all others that would lie in line with these if what is beside it were its value, and it what is beside it."""
    beside = {r.line: r.value for r in read if r.at == over}
    found = []
    for one in lines:
        others = [(beside[r.line], r.value) for r in lines if r is not one]
        along = [a for a, _ in others]
        if len(others) > _AMONG and beside[one.line] > _FAR * max(along) and min(along) <= one.value <= max(along):
            in_line = float(np.interp(one.value, along, [value for _, value in others]))
            if abs(beside[one.line] / in_line - 1) < _IN_LINE:
                found.append(one)
    return found


def _further_off(lines: Sequence[_Read], k: int) -> _Read:
    """Which of the two at a rise lies further off a straight line from the one before them to the one after."""
    if k + 2 >= len(lines):
        return lines[k]
    first, last = lines[k - 1].value, lines[k + 2].value
    off = [abs(lines[k + place].value - (first + (last - first) * (1 + place) / 3)) for place in (0, 1)]
    return lines[k] if off[0] >= off[1] else lines[k + 1]


def _out_of_proportion(read: Sequence[_Read], takes: Takes) -> Iterable[tuple[_Read, str]]:
    """The one that is many times the next largest."""
    for key in takes.spread:
        ordered = sorted((r for r in read if r.at == key), key=lambda r: r.value)
        if len(ordered) > _AMONG and ordered[-1].value > _ALONE * ordered[-2].value > 0:
            yield ordered[-1], say("are over {times} times the next largest", times=plain(_ALONE))


def _over_its_label(read: Sequence[_Read], takes: Takes) -> Iterable[tuple[_Read, str]]:
    """Each that is far over what the label says is the most."""
    for one in read:
        most = takes.most.get(one.at)
        if most and one.value > _OVER * most:
            yield one, say("are far over the {value} {quantity} that its label lets expect", value=plain(most, 4), quantity=one.at[1])


def _none_of_its_label(read: Sequence[_Read], takes: Takes) -> Iterable[tuple[_Read, str]]:
    """Each that is no volts of such a thing, where others are."""
    for key, says in takes.label.items():
        here = [r for r in read if r.at == key]
        off = [r for r in here if not _OF_LABEL[0] * says <= r.value <= _OF_LABEL[1] * says]
        for one in off if 2 * len(off) < len(here) else ():
            yield one, say("are none of a thing of {value} {quantity}", value=plain(says, 4), quantity=key[1])


def _not_asked_for(read: Sequence[_Read], takes: Takes) -> Iterable[tuple[_Read, str]]:
    """Each that is another than was asked for; where most are, something else was done than was planned, and none of them slipped."""
    held = [(one, abs(wanted)) for one in read if (wanted := takes.asked.get(id(one.entry.jotting), {}).get(one.at))]
    off = [(one, wanted) for one, wanted in held if _is_slip(one, wanted)]
    off = [pair for pair in off if not any(_are_swapped(pair, other) for other in off)]  # two points were made the other way round
    for key in {one.at for one, _ in off}:
        here = [pair for pair in off if pair[0].at == key]
        if 2 * len(here) <= sum(1 for one, _ in held if one.at == key):
            for one, wanted in here:
                yield one, say("were read where {value} {quantity} were asked for", value=plain(wanted, 4), quantity=one.at[1])
    for one, wanted in held:
        again = any(r is not one and r.at == one.at and _is_near(r, w) and _is_near(one, w) for r, w in held)
        if again and not _STEADY_LOAD[0] <= one.value / wanted <= _STEADY_LOAD[1] and one.at[1] in _LOADS:
            text = words("stand where {value} {quantity} were asked for, and are those of another row")
            yield one, say(text, value=plain(wanted, 4), quantity=one.at[1])


_AGAIN, _STEADY_LOAD, _LOADS = 0.05, (0.6, 1.6), ("A", "W")
"""A load that is another row's within a twentieth, and far from its own, was not switched. Common practice, no source."""


def _is_near(one: _Read, wanted: float) -> bool:
    return abs(one.value / wanted - 1) < _AGAIN


def _are_swapped(one: tuple[_Read, float], other: tuple[_Read, float]) -> bool:
    """Whether each reads what was asked for in the line of the other."""
    return one[0].at == other[0].at and all(abs(a[0].value / b[1] - 1) < _ALIKE for a, b in ((one, other), (other, one)))


def _is_slip(one: _Read, wanted: float) -> bool:
    """Volts that are others than were asked for; amperes or watts by a point that slipped, as loads are seldom what was asked for."""
    if one.value == 0:
        return False
    times = one.value / wanted
    if one.at[1] == "V":
        return not 1 / _STEADY <= times <= _STEADY
    return any(slip / _NEAR <= times <= slip * _NEAR or slip / _NEAR <= 1 / times <= slip * _NEAR for slip in _SLIPS)


def _said_of(one: _Read, what: str) -> str:
    tap, quantity = one.at
    return say(
        "{value} {quantity} {tap}at {time} {what}: it was left out. Mend its row, or say that it is so.",
        value=f"{one.reading.value:.12g}",
        quantity=quantity,
        tap=f"{tap} " if tap else "",
        time=show_duration(one.time_s),
        what=what,
    )


@dataclass(frozen=True)
class ReadingCheck:
    """One row of the table: what it is called, why it is made, and which readings it finds, with what is odd about each."""

    key: str
    reason: str
    look: Callable[[Sequence[_Read], Takes], Iterable[tuple[_Read, str]]]


READING_CHECKS = (
    ReadingCheck(
        "steady",
        "Volts of one place, or of one node, stay within half as much again of the others, where these agree within 15 %. Common practice, no source.",
        _apart,
    ),
    ReadingCheck(
        "smooth",
        "Between two readings within a third of each other none is 2.2 times as much, or as little. Common practice, no source.",
        _standing_out,
    ),
    ReadingCheck(
        "falling",
        "A capacitor that gives only falls (Q = C·V), a source the more is drawn of it (its resistance is positive); 3 % are let go. Common practice, no source.",
        _risen,
    ),
    ReadingCheck("most", "Nothing gives or takes twice what its label says is the most. Common practice, no source.", _over_its_label),
    ReadingCheck(
        "spread",
        "Of loads that are set from nothing to the most none is 30 times the next largest: a thousandth of a unit. Common practice, no source.",
        _out_of_proportion,
    ),
    ReadingCheck(
        "label",
        "What charges something of some volts gives three tenths of them at the least, and 1.6 times at the most. Common practice, no source.",
        _none_of_its_label,
    ),
    ReadingCheck(
        "asked for",
        "Volts within half as much again of what was asked for; amperes and watts not ten, a hundred or a thousand times, give or take a quarter. Most of them off: another plan, and no slip. Common practice, no source.",
        _not_asked_for,
    ),
)
"""In the order in which they are looked at: a reading is left out for the first that finds it."""
