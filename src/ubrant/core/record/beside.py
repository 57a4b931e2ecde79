"""Volts, amperes and watts that were typed of one place at one moment: on DC they have to agree, on AC the watts are at most volts × amperes."""

from __future__ import annotations

from ubrant.core.quantities.alternating import AC_FROM_V
from ubrant.core.quantities.jot import TypedReading
from ubrant.core.quantities.quantity import show
from ubrant.core.record.record import Record
from ubrant.core.wording import say

_APART = 0.1
"""Meters of a hand agree better than that; what is further apart is a slip or of two moments. Common practice, no source."""
_COUNTS = {"read", "range"}


def contradicts(record: Record) -> tuple[str, ...]:
    """A sentence on the first line whose watts are not its volts times its amperes, with how many there are."""
    found = []
    for entry in record.typed.further:
        at: dict[str, dict[str, TypedReading]] = {}
        for reading in entry.jotting.readings:
            if reading.kind in _COUNTS and reading.quantity in {"V", "A", "W"}:
                at.setdefault(reading.tap, {})[reading.quantity] = reading
        found += [text for tap, read in at.items() if len(read) == 3 and (text := _apart(tap, read))]
    if not found:
        return ()
    more = say(" {count} more rows are like it.", count=len(found) - 1) if len(found) > 2 else ""
    return (found[0] + (say(" One more row is like it.") if len(found) == 2 else more),)


def _apart(tap: str, read: dict[str, TypedReading]) -> str:
    volts, amps, watts = (read[quantity] for quantity in "VAW")
    product = abs(volts.value * amps.value)
    digits = watts.half_width + abs(volts.value) * amps.half_width + abs(amps.value) * volts.half_width
    over, under = abs(watts.value) - product, product - abs(watts.value)
    room = _APART * max(product, abs(watts.value)) + digits
    if over <= room and (under <= room or abs(volts.value) >= AC_FROM_V):
        return ""
    return say(
        "{tap} {watts} W stand beside {volts} V × {amps} A = {product} W: one of them is a slip, or of another moment.",
        tap=tap,
        watts=show(watts.value),
        volts=show(volts.value),
        amps=show(amps.value),
        product=show(product),
    ).strip()
