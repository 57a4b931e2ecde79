"""Volts that were read where a load is fed, against the volts that it takes: over them is damage, and under them it stops, whatever was tested."""

from __future__ import annotations

import re
from collections.abc import Iterable

from ubrant.core.quantities.alternating import AC_FROM_V
from ubrant.core.quantities.quantity import parse_number, plain, show
from ubrant.core.record.record import Record
from ubrant.core.wording import say

_N = r"\d+(?:[.,]\d+)?"
_SPAN = re.compile(rf"({_N})\s*V?\s*(?:-|–|to|\.\.)\s*({_N})\s*V\b", re.I)
_FED = ("load", "device", "output", "")


def window_of(text: str) -> tuple[float, float] | None:
    """``10-15 V`` on a label; None where it says no such thing."""
    match = _SPAN.search(text)
    low, high = sorted(map(parse_number, match.groups())) if match is not None else (0.0, 0.0)
    return (low, high) if high > 0 else None


def outside_window(record: Record) -> tuple[str, ...]:
    """A sentence for the highest reading over the window on a load's label, and one for the lowest under it."""
    setup = record.head.setup
    for unit in (setup.unit, setup.device):
        if unit is not None and unit.kind == "load" and (window := window_of(unit.label_text)) is not None:
            return beyond(volts_fed(record), window, may_have_supply=unit is setup.device)
    return ()


def volts_fed(record: Record) -> list[float]:
    """What was read where a load is fed, by hand or by a meter."""
    typed = [
        r.value for e in record.lines for r in e.jotting.readings if r.quantity == "V" and r.tap in _FED and r.kind in {"read", "about"}
    ]
    extremes = [f(s.value) for (tap, q), s in record.readings.items() if q == "V" and tap in _FED and len(s) for f in (min, max)]
    return [*typed, *map(float, extremes)]


def beyond(volts: Iterable[float], window: tuple[float, float], *, may_have_supply: bool = True) -> tuple[str, ...]:
    """Sentences on what lies outside; a reading of nothing (the load is off) lies nowhere, nor mains where it may be fed by a supply of its own."""
    low, high = window
    read = [v for v in map(abs, volts) if v > 0.1 * low and (v < AC_FROM_V or high >= AC_FROM_V or not may_have_supply)]
    over, under = max(read, default=0.0) > high, min(read, default=low) < low
    said = []
    if over:
        said.append(say("{v} V are over the {high} V that the load takes: over its window is damage.", v=show(max(read)), high=plain(high)))
    if under:
        said.append(
            say("{v} V are under the {low} V from which the load works: there it may stop, or restart.", v=show(min(read)), low=plain(low))
        )
    return tuple(said)
