"""A run that was begun with readings alone: what it may have been, and what it is once somebody says so."""

from __future__ import annotations

from datetime import datetime

from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.protocols import Clock
from ubrant.core.quantities.jot import FATES
from ubrant.core.record.head import RunHeader, Setup
from ubrant.core.record.record import Record
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.methods.registry import MethodEntry, UnknownMethodError, entry_of, suiting, unnamed
from ubrant.runs.coming_in.bringing_in import LogOptions, under_options
from ubrant.runs.making.begin import start_by_hand
from ubrant.runs.typed.typed_session import TypedSession

_PLACES = {"dc": "input", "ac": "output", "load": "output"}


def begin_unnamed(logbook: Logbook, clock: Clock, started: datetime | None = None) -> tuple[Run, TypedSession]:
    """A run by hand of which nobody has said yet what it is.

    Raises
    ------
    LogbookError
        The logbook cannot be written.
    """
    entry = unnamed()
    assert entry is not None
    method = entry.method
    return start_by_hand(logbook, method, method.prepare(Setup(Unit("", "")), {}), lambda: clock, started)


def is_unnamed(run: Run) -> bool:
    try:
        return entry_of(run.method).begins
    except UnknownMethodError:
        return False


def fitting(record: Record, unit: Unit) -> list[MethodEntry]:
    """The methods of a unit that what was read may have been, those all of whose places were read first.

    What was read without a place is of the one place that a method has.
    """
    named = {r.tap for e in record.lines for r in e.jotting.readings} | {tap for tap, _ in record.readings}
    read = {_PLACES.get(tap, tap) for tap in named}

    def places(entry: MethodEntry) -> set[str]:
        taps = entry.method.taps
        return read | {taps[0]} if "" in read and len(taps) == 1 else read

    seen = any(e.jotting.mark in FATES for e in record.lines)
    suits = [e for e in suiting(unit) if seen or not e.method.needs_fate]
    whole = [e for e in suits if set(e.method.taps) <= places(e)]
    return whole + [e for e in suits if e not in whole and set(e.method.taps) & places(e)]


def named(logbook: Logbook, run: Run, unit: Unit, entry: MethodEntry, meter: Meter | None) -> tuple[RunHeader, int]:
    """Its head, and its unit, once it is said what it was: with one meter at all of its places.

    Raises
    ------
    MethodError
        It cannot be that.
    """
    meters = dict.fromkeys(entry.method.taps, meter) if meter is not None else {}
    made = under_options(logbook.kept(run), LogOptions(entry.key, unit=unit, meters=meters))
    return made.run.head, unit.id
