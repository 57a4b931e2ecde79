"""A test as a person makes it: rows that are asked for one after the other, and which of them a typed line answers."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import NamedTuple

from ubrant.core.quantities.jot import FATES, LEFT_OUT, QUANTITIES, TypedLine
from ubrant.core.record.between_marks import BY_HAND
from ubrant.core.record.head import SAME_PLACE
from ubrant.core.record.jot_text import TimedLine
from ubrant.core.record.record import Record, TapQuantity
from ubrant.core.wording import say
from ubrant.methods.steps import Ask

ANY_MARK = "*"
_THE_SAME, _NOTHING = 0.1, 0.2
"""Off by less than a tenth it is what was asked for; a tenth of a fifth of the heaviest counts as none. Common practice, no source."""
OWN_TAP = "battery"
"""Where a line without a place was read, unless all that is wanted is of one place."""


@dataclass(frozen=True)
class Prompt:
    """By hand: what to set and type next.

    Attributes
    ----------
    text : in a sentence
    wanted : what has to be in the line; a tap of ``""`` is any
    marks : what may be typed instead
    example : a line as it could be
    refusal : said instead of what is lacking
    expected : what was asked for, by tap and quantity, to question slips with
    short : what to set, in a few words, as a table has room for
    spared : of what is wanted that which may be lacking all the same, once a person says so by Enter
    afresh : what was read before says nothing of what comes now, so that nothing is held against it
    or_fate : of what is wanted that for which *runs*, *falters* or *off* may stand
    key : what it is of, for the sums, in whatever language it is asked for
    until : marks after which it is asked no more
    """

    text: str
    wanted: tuple[TapQuantity, ...] = ()
    marks: tuple[str, ...] = ("skip",)
    example: str = ""
    refusal: str = ""
    expected: Mapping[TapQuantity, float] = field(default_factory=dict)
    short: str = ""
    spared: tuple[TapQuantity, ...] = ()
    or_fate: tuple[TapQuantity, ...] = ()
    afresh: bool = False
    key: str = ""
    until: tuple[str, ...] = ()

    def wanted_with(self, mark: str) -> tuple[TapQuantity, ...]:
        """What has to be read beside a mark."""
        spared = {*self.spared, *(self.or_fate if mark in FATES else ())}
        return tuple(key for key in self.wanted if key not in spared)

    def lacks(self, jotting: TypedLine) -> str:
        """What a typed line lacks to answer it, in a sentence; empty when it is whole."""
        if jotting.mark and (jotting.mark in self.marks or ANY_MARK in self.marks):
            return ""
        counted = [r for r in jotting.readings if r.kind != "peak"]
        places = {tap for tap, _ in self.wanted}
        own = places.pop() if len(places) == 1 else OWN_TAP
        read = {(SAME_PLACE.get(r.tap, r.tap), r.quantity) for r in counted} | {(r.tap or own, r.quantity) for r in counted}
        anywhere = {quantity for _, quantity in read}
        missing = [
            f"{tap} {quantity}".strip()
            for tap, quantity in self.wanted_with(jotting.mark)
            if not ((tap, quantity) in read or (not tap and quantity in anywhere))
        ]
        if self.wanted and not missing:
            return ""
        if not self.wanted and not self.refusal:
            return ""
        return self.refusal or say(
            "This point still lacks: {missing}. Type it all in one line, like “{example}”, or “skip”.",
            missing=", ".join(missing),
            example=self.example,
        )


class RowAnswer(NamedTuple):
    """A typed line, when it is of, how what it is of is called, and the key of the row that it answers, with what that asked for; empty where a person said otherwise."""

    time_s: float
    jotting: TypedLine
    name: str
    key: str
    expected: Mapping[TapQuantity, float] = {}


@dataclass(frozen=True)
class HandScript:
    """A test as a person makes it: what is asked before the first reading, then a row after the other, at the end ``after``, over and over.

    Attributes
    ----------
    marks_load : the person says when the load comes on and goes off
    reads : what is usually read, besides what its rows want
    every_s : about how long from one reading to the next; 0 where each is made when it is ready
    between : what may be read between the rows, as often as one likes, and answers none
    """

    asks: tuple[Ask, ...]
    rows: tuple[Prompt, ...]
    after: Prompt
    marks_load: bool = False
    reads: tuple[TapQuantity, ...] = ()
    every_s: float = 0.0
    between: frozenset[TapQuantity] = frozenset()

    @property
    def columns(self) -> tuple[TapQuantity, ...]:
        """What is read: place after place as they are asked for, at each volts before amperes before watts."""
        keys = dict.fromkeys((*(key for row in (*self.rows, self.after) for key in row.wanted), *self.reads))
        taps = list(dict.fromkeys(tap for tap, _ in keys))
        return tuple(sorted(keys, key=lambda key: (taps.index(key[0]), QUANTITIES.index(key[1]))))

    @property
    def steps(self) -> tuple[str, ...]:
        """What a line can be told to answer."""
        return tuple(dict.fromkeys(row.short for row in self.rows if row.short))

    def is_aside(self, jotting: TypedLine) -> bool:
        """A note, a mark beside what is asked for, or what is read between rows: its moment counts, and no row is answered by it."""
        if jotting.readings and self.between >= {(r.tap or OWN_TAP, r.quantity) for r in jotting.readings}:
            return True
        return not jotting.readings and (not jotting.mark or (jotting.mark in BY_HAND and jotting.mark not in self._marks))

    @property
    def _marks(self) -> set[str]:
        return {mark for row in (*self.rows, self.after) for mark in row.marks}

    def told_apart(self, lines: Sequence[TypedLine]) -> tuple[list[str], list[Prompt]]:
        """What each line answers, in a few words, and the rows that none has answered: a line that names a row is of that one, else of the next.

        A name is the whole note, or what stands before a comma of it.
        """
        if not self.rows:
            return [""] * len(lines), []
        answered = self._answered(lines)
        marks = {line.mark for line in lines}
        taken = {*answered, *(k for k, row in enumerate(self.rows) if marks.intersection(row.until))}
        names = [self.rows[k].short if k is not None else "" for k in answered]
        return names, [row for k, row in enumerate(self.rows) if k not in taken]

    def _answered(self, lines: Sequence[TypedLine]) -> list[int | None]:
        """The number of the row that each line answers; None for one aside, and once all are."""
        left = list(range(len(self.rows)))
        answered: list[int | None] = []
        for line in lines:
            if self.is_aside(line):
                answered.append(None)
                continue
            k = self._named(line.text, left)
            k = self._meant(line, left) if k is None else k
            answered.append(k)
            left = [row for row in left if row != k and line.mark not in self.rows[row].until]
        return answered

    def _meant(self, line: TypedLine, left: Sequence[int]) -> int | None:
        """The next row, but where it asks for something else one that asks for just what was read: loads are often taken in another order."""
        if not left or (self._is_off(line, left[0]) or 0.0) <= _THE_SAME:
            return next(iter(left), None)
        others = [(off, k) for k in left[1:] if (off := self._is_off(line, k)) is not None]
        off, nearest = min(others, default=(math.inf, left[0]))
        return nearest if off <= _THE_SAME else left[0]

    def _is_off(self, line: TypedLine, row: int) -> float | None:
        """How far what was read is from what a row asked for, as a share, at worst; None where the row asks for nothing that was read."""
        read = {(SAME_PLACE.get(r.tap, r.tap) or OWN_TAP, r.quantity): r.value for r in line.readings if r.kind == "read"}
        asked = self.rows[row].expected
        told = [(read[key], asked[key], most) for key, most in self._varied.items() if key in read and key in asked]
        return max((abs(value - wanted) / (abs(wanted) or _NOTHING * most) for value, wanted, most in told), default=None)

    @cached_property
    def _varied(self) -> Mapping[TapQuantity, float]:
        """What is asked for differently from row to row, and the most of it; watts follow from amperes, and tell nothing beside them."""
        values: dict[TapQuantity, list[float]] = {}
        for row in self.rows:
            for key, value in row.expected.items():
                values.setdefault(key, []).append(abs(value))
        varied = {key: max(asked) for key, asked in values.items() if min(asked) < max(asked)}
        by_amps = any(quantity == "A" for _, quantity in varied)
        return {key: most for key, most in varied.items() if not (by_amps and key[1] == "W")}

    def wanted_elsewhere(self, lines: Sequence[TypedLine]) -> dict[str, Mapping[TapQuantity, float]]:
        """What the rows behind the next one ask for, by how they are called: what was read may be of one of them."""
        return {row.short: row.expected for row in self.told_apart(lines)[1][1:] if row.short and row.expected}

    def in_order(self, record: Record) -> Record:
        """The same lines in the order of the rows that they answer, where some name theirs; of two that name one the later counts.

        For a method that goes by their order: a row that none has answered is skipped.
        """
        at = [
            k
            for k, e in enumerate(record.lines)
            if (e.jotting.readings and not self.is_aside(e.jotting)) or e.jotting.mark in {"skip", LEFT_OUT}
        ]
        if not self.rows:
            return record
        answered = self._answered([record.lines[k].jotting for k in at])
        if answered == [k if k < len(self.rows) else None for k in range(len(at))]:
            return record
        of_row = {row: record.lines[k] for k, row in zip(at, answered, strict=True) if row is not None}
        further = [record.lines[k] for k, row in zip(at, answered, strict=True) if row is None]
        aside = [e for k, e in enumerate(record.lines) if k not in set(at)]
        skipped = TimedLine(record.lines[at[0]].time_s, TypedLine("", mark="skip"))
        rows = [of_row.get(row, skipped) for row in range(max(of_row, default=-1) + 1)]
        return replace(record, lines=(*aside, *rows, *further))

    def answering(self, record: Record) -> list[RowAnswer]:
        """Every line that was not skipped, and what it is of: the row that it names, else its own note, else the row whose turn it was.

        One that was skipped has answered its row as well.
        """
        lines = record.answers("skip", *self._marks - {ANY_MARK})
        turns = self._answered([jotting for _, jotting in lines]) if self.rows else [None] * len(lines)
        found = []
        for (moment, jotting), turn in zip(lines, turns, strict=True):
            if jotting.mark == "skip":
                continue
            named = self._named(jotting.text, range(len(self.rows)))
            note = jotting.text.strip('" ') if named is None else ""
            place = named if named is not None else turn
            of = self.rows[place] if place is not None and not note else None
            found.append(RowAnswer(moment, jotting, note or of.short, of.key, of.expected) if of else RowAnswer(moment, jotting, note, ""))
        return found

    def _named(self, note: str, left: Sequence[int]) -> int | None:
        """The row that a note names: of several of one name the first that is ``left``, and of two names the longer."""
        note = note.strip('" ').lower()
        if not note or not self.rows:
            return None
        names = sorted(
            ((row.short.lower(), k) for k, row in enumerate(self.rows) if row.short), key=lambda one: (-len(one[0]), one[1] not in left)
        )
        return next((k for name, k in names if note == name or note.startswith(f"{name},")), None)

    def next_row(self, lines: Sequence[TypedLine]) -> Prompt:
        return next(iter(self.told_apart(lines)[1]), self.after)
