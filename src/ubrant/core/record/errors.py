"""What the meters of a record may be off by, and the record as it would be if they were."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from ubrant.core.quantities.accuracy import LINEARITY
from ubrant.core.quantities.jot import JotReading
from ubrant.core.record.jot_text import Entry
from ubrant.core.record.readings import Series
from ubrant.core.record.record import Key, Record
from ubrant.core.record.typed import gather

_QUANTITIES = ("V", "A", "W")


@dataclass(frozen=True)
class Off:
    """A meter shows v·(1 + gain) + zero."""

    gain: float = 0.0
    zero: float = 0.0

    def true(self, shown: float) -> float:
        """What it should have shown."""
        return (shown - self.zero) / (1 + self.gain)


Errors = Mapping[Key, Off]
"""One error at its limit, by the readings that have it."""


def errors_of(record: Record) -> list[Errors]:
    """Every error that the meters of a record may have, each by itself, at its limit.

    A meter that reads at two places has one gain for both, less what it is not linear by; its zeros are of each place.
    """
    errors: list[Errors] = []
    places: dict[tuple[str, str], list[Key]] = {}
    for key in _read(record):
        tap, quantity = key
        accuracy = record.accuracy(_meter_tap(record, tap), quantity)
        if accuracy is None:
            continue
        uid = record.meter(_meter_tap(record, tap)).uid
        known = places.setdefault((uid, quantity), [])
        known.append(key)
        errors.append({key: Off(zero=accuracy.zero)})
        if len(known) > 1:
            errors.append({key: Off(gain=LINEARITY * accuracy.gain)})
    for (_, quantity), keys in places.items():
        accuracy = record.accuracy(_meter_tap(record, keys[0][0]), quantity)
        if accuracy is not None:
            errors.append(dict.fromkeys(keys, Off(gain=accuracy.gain)))
    return [e for e in errors if any(off.gain or off.zero for off in e.values())]


def drawn_together(errors: list[Errors], shares: Sequence[float]) -> Errors:
    """All of them at once, each at a share of its limit."""
    together: dict[Key, Off] = {}
    for one, share in zip(errors, shares, strict=True):
        for key, off in one.items():
            before = together.get(key, Off())
            together[key] = Off(before.gain + share * off.gain, before.zero + share * off.zero)
    return together


def if_off(record: Record, errors: Errors) -> Record:
    """The record with these errors taken off what was shown."""

    def mended(reading: JotReading) -> JotReading:
        off = errors.get((reading.tap or "", reading.quantity))
        return reading if off is None or reading.kind == "count" else replace(reading, value=off.true(reading.value))

    def line(entry: Entry) -> Entry:
        return replace(entry, jotting=replace(entry.jotting, readings=tuple(map(mended, entry.jotting.readings))))

    readings = {
        key: series if (off := errors.get(key)) is None else Series(series.time_s, (series.value - off.zero) / (1 + off.gain))
        for key, series in record.readings.items()
    }
    lines = tuple(map(line, record.lines))
    return replace(record, readings=readings, lines=lines, typed=gather(lines))


def _read(record: Record) -> Iterator[Key]:
    """What was read, by the names it was read under."""
    typed = dict.fromkeys((r.tap or "", r.quantity) for e in record.lines for r in e.jotting.readings if r.kind not in {"peak", "count"})
    yield from dict.fromkeys(key for key in (*record.readings, *typed) if key[1] in _QUANTITIES)


def _meter_tap(record: Record, tap: str) -> str:
    """The tap of the meter that read there: one that was moved to the output is the input's."""
    setup = record.head.setup
    named = setup.tap_named(tap)
    return "input" if named == "output" and setup.one_meter else named
