"""Rows that name one place and quantity twice: one of the two numbers may be another place's, and only a person can say so."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from ubrant.core.quantities.jot import TypedLine, TypedReading
from ubrant.core.quantities.quantity import plain
from ubrant.core.record.jot_text import OWN, TimedLine
from ubrant.core.record.record import Record, TapQuantity
from ubrant.core.wording import say

CHECKED = "named twice"
"""What a person has looked at: it is as it stands."""
_AS_READ = {"read", "about", "range", "below"}


@dataclass(frozen=True)
class Twice:
    """Rows of one kind: ``place`` is named twice in each, and ``other``, where there is one, is the only column of that quantity that stands empty.

    Attributes
    ----------
    rows : their places among the entries
    value : the last of the two numbers in the first of them
    """

    place: TapQuantity
    other: TapQuantity | None
    rows: tuple[int, ...]
    value: float

    def sentence(self) -> str:
        tap, quantity = self.place
        rows = say("one row") if len(self.rows) == 1 else say("{count} rows", count=len(self.rows))
        said = say("In {rows} {tap} {quantity} stands twice, and the later number counts.", rows=rows, tap=tap, quantity=quantity)
        if self.other is None:
            return said
        return (
            said + " " + say("Was the {value} {quantity} the {other}'s?", value=plain(self.value), quantity=quantity, other=self.other[0])
        )


def named_twice(entries: Iterable[TimedLine], columns: Sequence[TapQuantity]) -> list[Twice]:
    """Each kind once; ``columns`` are those that the method's table has."""
    found: dict[tuple[TapQuantity, TapQuantity | None], tuple[list[int], float]] = {}
    for number, entry in enumerate(entries):
        if entry.jotting.is_plain:
            continue
        keys = [(r.tap or OWN, r.quantity) for r in entry.jotting.readings if r.kind in _AS_READ]
        if len(set(keys)) == len(keys):
            continue
        for place in dict.fromkeys(k for k in keys if keys.count(k) > 1):
            empty = [(tap or OWN, q) for tap, q in columns if q == place[1] and (tap or OWN, q) not in keys]
            other = empty[0] if len(empty) == 1 else None
            rows, _ = found.setdefault((place, other), ([], _last(entry.jotting, place).value))
            rows.append(number)
    return [Twice(place, other, tuple(rows), value) for (place, other), (rows, value) in found.items()]


def moved(jotting: TypedLine, twice: Twice) -> TypedLine:
    """The row with the last of the two numbers at the other place."""
    assert twice.other is not None
    last = _last(jotting, twice.place)
    tap = "" if twice.other[0] == OWN else twice.other[0]
    readings = tuple(replace(r, tap=tap) if r is last else r for r in jotting.readings)
    return replace(jotting, readings=readings, line="")


def warned_of_twice(record: Record) -> tuple[str, ...]:
    """A sentence for each kind, until a person has answered it."""
    if CHECKED in record.head.conditions.checked:
        return ()
    return tuple(replace(one, other=None).sentence() for one in named_twice(record.typed.further, ()))


def _last(jotting: TypedLine, place: TapQuantity) -> TypedReading:
    return [r for r in jotting.readings if (r.tap or OWN, r.quantity) == place][-1]
