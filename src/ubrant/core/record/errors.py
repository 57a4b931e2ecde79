"""What the meters of a record may be off by, and the record as it would be if they were."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from ubrant.core.quantities.accuracy import LINEARITY
from ubrant.core.quantities.jot import TypedReading
from ubrant.core.quantities.readings import Series
from ubrant.core.record.integrals import adds_up
from ubrant.core.record.jot_text import TimedLine
from ubrant.core.record.record import Record, TapQuantity
from ubrant.core.record.typed import columns_of_lines

_QUANTITIES, _COUNTED = frozenset("VAW"), frozenset({"Ah", "Wh"})


@dataclass(frozen=True)
class Off:
    """A meter shows v·(1 + gain) + zero."""

    gain: float = 0.0
    zero: float = 0.0

    def true(self, shown: float) -> float:
        """What it should have shown."""
        return (shown - self.zero) / (1 + self.gain)


Errors = Mapping[TapQuantity, Off]
"""One error at its limit, by the readings that have it."""


def errors_of(record: Record) -> list[Errors]:
    """Every error that the meters of a record may have, each by itself, at its limit.

    A meter that reads at two places has one gain for both, less what it is not linear by; its zeros are of each place.
    """
    zeros: dict[tuple[str, str], dict[TapQuantity, Off]] = {}
    bent: dict[tuple[str, str], dict[TapQuantity, Off]] = {}
    gains: dict[tuple[str, str], dict[TapQuantity, Off]] = {}
    first: dict[tuple[str, str], str] = {}
    for key in _read(record):
        place, at = record.head.setup.tap_named(key[0]), _meter_tap(record, key[0])
        for of in _added_up(record, at, key[1]):
            if (accuracy := record.accuracy(at, of)) is None:
                continue
            whose = (record.meter(at).uid or f"at {at}", of)
            gains.setdefault(whose, {})[key] = Off(gain=accuracy.gain)
            if of == key[1]:
                zeros.setdefault((place, of), {})[key] = Off(zero=accuracy.zero)
                if first.setdefault(whose, place) != place:
                    bent.setdefault((place, of), {})[key] = Off(gain=LINEARITY * accuracy.gain)
    every = (*zeros.values(), *bent.values(), *gains.values())
    return [e for e in every if any(off.gain or off.zero for off in e.values())]


def _added_up(record: Record, tap: str, quantity: str) -> tuple[str, ...]:
    """Whose gains a reading has: its own, or of a counter those of what it adds up."""
    return tuple(adds_up(quantity, record.accuracy(tap, "W"))) if quantity in _COUNTED else (quantity,)


def drawn_together(errors: list[Errors], shares: Sequence[float]) -> Errors:
    """All of them at once, each at a share of its limit."""
    together: dict[TapQuantity, Off] = {}
    for one, share in zip(errors, shares, strict=True):
        for key, off in one.items():
            before = together.get(key, Off())
            together[key] = Off(before.gain + share * off.gain, before.zero + share * off.zero)
    return together


def if_off(record: Record, errors: Errors) -> Record:
    """The record with these errors taken off what was shown."""

    def mended(reading: TypedReading) -> TypedReading:
        off = errors.get((reading.tap or "", reading.quantity))
        if reading.quantity == "W" and not reading.value and record.head.setup.tap_named(reading.tap or "") == "output":
            return reading  # with nothing attached nothing comes out
        return (
            reading
            if off is None or (reading.kind == "count" and reading.quantity not in _COUNTED)
            else replace(reading, value=off.true(reading.value))
        )

    def line(entry: TimedLine) -> TimedLine:
        return replace(entry, jotting=replace(entry.jotting, readings=tuple(map(mended, entry.jotting.readings))))

    readings = {
        key: series if (off := errors.get(key)) is None else Series(series.time_s, (series.value - off.zero) / (1 + off.gain))
        for key, series in record.readings.items()
    }
    lines = tuple(map(line, record.lines))
    return replace(record, readings=readings, lines=lines, typed=columns_of_lines(lines))


def _read(record: Record) -> Iterator[TapQuantity]:
    """What was read, by the names it was read under."""
    typed = dict.fromkeys(
        (r.tap or "", r.quantity)
        for e in record.lines
        for r in e.jotting.readings
        if r.kind not in {"peak", "count"} or r.quantity in _COUNTED
    )
    yield from dict.fromkeys(key for key in (*record.readings, *typed) if key[1] in _QUANTITIES | _COUNTED)


def _meter_tap(record: Record, tap: str) -> str:
    """The tap of the meter that read there: one that was moved to the output is the input's, and where there is only one it read everywhere."""
    setup = record.head.setup
    named = setup.tap_named(tap)
    if named == "output" and setup.one_meter and "input" in setup.meters:
        return "input"
    return named if named in setup.meters or not setup.meters else next(iter(setup.meters))
