"""Readings that a person took down: few, far apart, each as wide as the display's last digit or as the person said."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from itertools import pairwise
from operator import attrgetter

import numpy as np
from numpy.typing import NDArray

from ubrant.core.quantities.jot import TypedReading
from ubrant.core.quantities.readings import Array, LackingError, Readings, ReadingsError, Series, doubled, no_readings, stepped
from ubrant.core.quantities.stand_in import StandIn
from ubrant.core.record.jot_text import TimedLine
from ubrant.core.uncertainty.sources import ErrorKind, ErrorSource
from ubrant.core.uncertainty.value import Value, comes_in, rectangular
from ubrant.core.wording import say, words

STRAIGHT, HELD = "straight", "held"
"""What is taken to have happened between two typed readings: a straight line, or the value held until the next one."""
BARE = "battery"
"""Where what is typed without a place stands in the columns."""
_SOURCES = ("battery", "source", "dc", "input", "output", "load", "bank")
_WANDERS_DIGITS = 3.0
_BARE = 0.5
"""Half a unit to each side: a number without decimals."""
_FLOWS = 0.05
"""A current over this share of its usual value is none that a load which is off draws."""


@dataclass(frozen=True)
class Widths:
    """How wide each reading is: (n,) half-widths of volts and amperes, and what is taken to lie between them."""

    half_v: Array
    half_a: Array
    between: str = STRAIGHT


@dataclass(frozen=True)
class TypedColumns:
    """What a person took down, as columns.

    Attributes
    ----------
    series, half : by tap and quantity
    marks : (seconds, ``full``, ``empty``, ``load on`` …)
    notes : (seconds, text)
    further : the lines of which more than that may have to be asked: all but the plain ones
    """

    series: dict[tuple[str, str], Series] = field(default_factory=dict)
    half: dict[tuple[str, str], Array] = field(default_factory=dict)
    marks: tuple[tuple[float, str], ...] = ()
    notes: tuple[tuple[float, str], ...] = ()
    further: tuple[TimedLine, ...] = ()

    def at(self, tap: str, quantity: str) -> Series:
        return self.series.get((tap, quantity), no_readings())

    def source_tap(self) -> str:
        """The tap nearest the battery that has volts and amperes, watts, or a counter; ``battery`` when none has."""
        for tap in _SOURCES:
            if len(self.at(tap, "V")) and (len(self.at(tap, "A")) or len(self.at(tap, "W"))):
                return tap
        return next((tap for tap in _SOURCES for q in ("Ah", "Wh") if len(self.at(tap, q))), "battery")

    def stretches(self, flows_from: float | None = None) -> tuple[tuple[float, float | None], ...]:
        """(on, off) of every stretch that somebody said, in the order of time; off is None while the last one lasts.

        ``flows_from``: when current was first read, for a load that nobody said came on.
        """
        edges = [(t, m == "load on") for t, m in self.marks if m in {"load on", "load off", "empty"}]
        if flows_from is not None and (not edges or flows_from < edges[0][0] or not edges[0][1]):
            edges = [(flows_from, True), *edges]
        found: list[tuple[float, float | None]] = []
        since: float | None = None
        for moment, is_on in sorted(edges, key=lambda e: e[0]):
            if is_on and since is None:
                since = moment
            elif not is_on and since is not None:
                found.append((since, moment))
                since = None
        return (*found, (since, None)) if since is not None else tuple(found)

    def mark_s(self, mark: str) -> float | None:
        """When this was said for the first time."""
        return next((t for t, m in self.marks if m == mark), None)


def is_bare_zero(reading: TypedReading) -> bool:
    """A zero without decimals."""
    return not reading.value and reading.kind == "read" and reading.half_width >= _BARE


def with_bare_zeros(entries: Iterable[TimedLine]) -> list[TimedLine]:
    """A zero written without decimals, as people write *nothing*, is as fine as what else was read of that quantity at that tap."""
    kept = list(entries)
    if not any(is_bare_zero(r) for e in kept if not e.jotting.is_plain for r in e.jotting.readings):
        return kept
    finest: dict[tuple[str, str], float] = {}
    for reading in (r for e in kept for r in e.jotting.readings if r.value and r.kind == "read"):
        key = reading.tap, reading.quantity
        finest[key] = min(finest.get(key, math.inf), reading.half_width)

    def fine(reading: TypedReading) -> TypedReading:
        half = finest.get((reading.tap, reading.quantity), reading.half_width)
        return replace(reading, half_width=half) if is_bare_zero(reading) and half < reading.half_width else reading

    return [replace(e, jotting=replace(e.jotting, readings=tuple(map(fine, e.jotting.readings)))) for e in kept]


def columns_of_lines(entries: Iterable[TimedLine]) -> TypedColumns:
    """Columns of what was read. A peak is no reading of the moment and stays out; the last of two entries at one time counts."""
    rows: dict[tuple[str, str], list[tuple[float, float, float]]] = defaultdict(list)
    marks, notes, further = [], [], []
    for entry in sorted(entries, key=attrgetter("time_s")):
        moment, jotting = entry.time_s, entry.jotting
        if not jotting.is_plain:
            further.append(entry)
        for reading in jotting.readings:
            if reading.kind in {"peak", "count"}:
                notes.append((moment, reading.show()))
            else:
                rows[reading.tap or BARE, reading.quantity].append((moment, reading.value, reading.half_width))
        if jotting.mark:
            marks.append((moment, jotting.mark))
        if jotting.text:
            notes.append((moment, jotting.text))
    series, half = {}, {}
    for key, found in rows.items():
        time_s, value, width = np.array(found).T
        last = np.append(time_s[1:] != time_s[:-1], True)
        series[key], half[key] = Series(time_s[last], value[last]), width[last]
    return TypedColumns(series, half, tuple(marks), tuple(notes), tuple(further))


def only_amps(typed: TypedColumns) -> str:
    """The tap nearest the battery at which amperes were taken down and nowhere volts, watts or counters; empty where there is none."""
    if any(quantity in {"V", "W", "Ah", "Wh"} for _, quantity in typed.series):
        return ""
    return next((tap for tap in _SOURCES if len(typed.at(tap, "A"))), "")


def on_one_base(typed: TypedColumns, tap: str, between: str = STRAIGHT, stands_in: StandIn | None = None) -> tuple[Readings, Widths]:
    """Volts and amperes of a tap at every time at which either was taken down, each held or in a straight line meanwhile.

    Watts over volts stand in for amperes that nobody took down; ``stands_in`` for volts.

    Raises
    ------
    ReadingsError
        There are no volts, or neither amperes nor watts.
    """
    volts, amps, watts = typed.at(tap, "V"), typed.at(tap, "A"), typed.at(tap, "W")
    if stands_in is not None and len(amps) and not len(volts):
        volts = Series(amps.time_s, np.full(len(amps), stands_in.middle_v))
        typed = replace(typed, half=typed.half | {(tap, "V"): np.full(len(amps), stands_in.half_v)})
    if typed.series and not (len(volts) and (len(amps) or len(watts))):
        taken = ", ".join(sorted({f"{unit} at the {where}" for where, unit in typed.series}))
        raise LackingError(
            say(
                "Volts with amperes or watts at one place are missing; what was taken down is {taken}. Take down “12.94 V 4.1 A”, or give the label its volts.",
                taken=taken,
            )
        )
    if not len(volts) or not (len(amps) or len(watts)):
        raise ReadingsError(say("There are no readings yet: take down volts and amperes, like “12.94 V 4.1 A”."))
    second = amps if len(amps) else watts
    times = np.union1d(volts.time_s, second.time_s)
    at_v, half_v = _filled(times, volts, typed.half[(tap, "V")], between)
    at_s, half_s = _filled(times, second, typed.half[(tap, "A" if len(amps) else "W")], between)
    is_read = np.isin(times, second.time_s)
    on = _known_on(typed, second, times)
    at_s, half_s = np.where(~on & ~is_read, 0.0, at_s), np.where(~on, 0.0, half_s)
    (times, at_v, half_v, at_s, half_s) = _with_edges(typed, second, (times, at_v, half_v, at_s, half_s))
    if not len(amps):
        at_s, half_s = _amps_from(at_s, half_s, at_v)
    if len(times) < 2:
        raise ReadingsError(say("One reading only: there is nothing to add up yet."))
    return Readings(times, at_v, at_s, float(np.median(np.diff(times)))), Widths(half_v, half_s, between)


def _amps_from(watts: Array, half: Array, volts: Array) -> tuple[Array, Array]:
    """Amperes that nobody took down, and how wide they are."""
    none = (volts <= 0) & ((watts != 0) | (half != 0))
    if none.any():
        raise ReadingsError(
            say(
                "Watts were taken down while the volts were at 0: how much flowed cannot be said. Take down amperes, or mend that line with “fix”."
            )
        )
    by = np.where(volts > 0, volts, 1.0)
    return watts / by, half / by


def _stretches(typed: TypedColumns, second: Series) -> tuple[tuple[float, float | None], ...]:
    """When the load was on: as it was said, from the first current read where that came before, and again from a current read after it was off."""
    usual = float(np.median(np.abs(second.value)))
    flows = second.time_s[second.value > _FLOWS * usual]
    said = typed.stretches(float(flows[0]) if len(flows) else float(second.time_s[0]))
    found: list[tuple[float, float | None]] = []
    for k, (on, off) in enumerate(said):
        found.append((on, off))
        until = said[k + 1][0] if k + 1 < len(said) else math.inf
        if off is None:
            continue
        later = flows[(flows > off) & (flows < until)]
        if len(later):  # nobody said that it came on again, and yet it drew
            found.append((float(later[0]), None if until == math.inf else float(later[-1])))
    return tuple(found)


def _known_on(typed: TypedColumns, second: Series, times: Array) -> NDArray[np.bool_]:
    """At which times the load was on; anywhere else nothing flowed but what was read."""
    on = np.zeros(len(times), dtype=bool)
    for since, until in _stretches(typed, second):
        on |= (times >= since) & (times <= (math.inf if until is None else until))
    return on


def _with_edges(typed: TypedColumns, second: Series, columns: tuple[Array, ...]) -> tuple[Array, ...]:
    """With the breaks between stretches as steps: what was last read holds until the load is off, and what is next read from when it is on again."""
    said = _stretches(typed, second)
    times, at_v, half_v, at_s, half_s = columns
    for (_, off), (on, _) in pairwise(said):
        if off is None or not off < on:
            continue
        before, after = np.flatnonzero(times <= off), np.flatnonzero(times >= on)
        if not len(before) or not len(after):
            continue
        edge = min(1e-3, (on - off) / 4)
        rows = []
        for moment, k, flows in (
            (off, before[-1], True),
            (off + edge, before[-1], False),
            (on - edge, after[0], False),
            (on, after[0], True),
        ):
            if moment not in times:
                rows.append((moment, at_v[k], half_v[k], at_s[k] if flows else 0.0, half_s[k] if flows else 0.0))
        order = np.argsort(np.concatenate((times, [row[0] for row in rows])), kind="stable")
        times, at_v, half_v, at_s, half_s = (
            np.concatenate((column, [row[n] for row in rows]))[order] for n, column in enumerate((times, at_v, half_v, at_s, half_s))
        )
    return times, at_v, half_v, at_s, half_s


def _filled(times: Array, series: Series, half: Array, between: str) -> tuple[Array, Array]:
    if between == HELD:
        index = np.clip(np.searchsorted(series.time_s, times, side="right") - 1, 0, len(series) - 1)
        return series.value[index], half[index]
    return np.interp(times, series.time_s, series.value), np.interp(times, series.time_s, half)


def held_as_steps(readings: Readings, widths: Widths) -> tuple[Readings, Widths]:
    """As steps: what was taken down holds until the next."""
    return stepped(readings, readings.interval_s), Widths(doubled(widths.half_v), doubled(widths.half_a), HELD)


_AMPS, _VOLTS = (
    ErrorSource(ErrorKind.DIGIT, words("widths of the readings"), unit, note=words("as they were taken down")) for unit in "AV"
)
_BETWEEN = ErrorSource(ErrorKind.BETWEEN, words("between the readings"), note=words("what may have flowed from one to the next"))


def of_typed(readings: Readings, widths: Widths) -> tuple[Value, Value]:
    """What typing adds to charge, Ah, and energy, Wh: the readings' widths, and what lay between them. Values around 0.

    A display that shows one value all along is wrong by the same rounding each time, and that does not average; one that wanders
    over several digits averages. Between two readings anything from one to the other may have held: a quarter of the difference to each
    side of the straight line, or half of it where the value was held.
    """
    time, volts, amps = readings.time_s, readings.voltage_v, readings.current_a
    dt = np.diff(time) / 3600
    weight = np.zeros(len(time))
    weight[:-1] += dt / 2
    weight[1:] += dt / 2
    charge = comes_in(_AMPS, _of_widths(weight * widths.half_a, amps, widths.half_a))
    energy = comes_in(_AMPS, _of_widths(weight * volts * widths.half_a, amps, widths.half_a))
    energy += comes_in(_VOLTS, _of_widths(weight * amps * widths.half_v, volts, widths.half_v))
    power = volts * amps
    if widths.between == HELD:  # each held value ends somewhere before the next: the jump moves, by half of the stay
        stays = np.diff(time[::2]) / 3600
        jumps = (np.abs(np.diff(column[::2])) for column in (amps, power))
        halves = (math.sqrt(float(np.sum((stays * jump / 2) ** 2))) for jump in jumps)
    else:
        halves = (0.25 * float(np.sum(dt * np.abs(np.diff(column)))) for column in (amps, power))
    between_ah, between_wh = (comes_in(_BETWEEN, rectangular(half)) for half in halves)
    return charge + between_ah, energy + between_wh


def _of_widths(parts: Array, values: Array, half: Array) -> float:
    digit = 2 * float(np.median(half)) if len(half) else 0.0
    wanders = digit > 0 and float(np.ptp(values)) > _WANDERS_DIGITS * digit and len(np.unique(values)) > _WANDERS_DIGITS
    total = math.sqrt(float(np.sum(parts**2))) if wanders else float(np.sum(np.abs(parts)))
    return rectangular(total)
