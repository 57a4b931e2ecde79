"""From what is kept of a run, or has been read so far, to what the sums need."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from ubrant.core.account import Beside, Counter
from ubrant.core.accuracy import Accuracy, parse_accuracy
from ubrant.core.cutoff import Cutoff
from ubrant.core.discharge import DischargeRecord
from ubrant.core.jot import Grammar
from ubrant.core.jot_text import Entry
from ubrant.core.meter import MeterDetails, details_from
from ubrant.core.readings import Readings, ReadingsError, Series, join, no_readings
from ubrant.core.typed import STRAIGHT, Typed, gather, on_one_base
from ubrant.logbook.records import Run, StoredEvent, StoredJot

GAVE_UP = "gave up"
"""The battery or what it fed switched off by itself, and a person saw that."""


@dataclass(frozen=True)
class Kept:
    """Readings by (tap, quantity), events, and what was typed."""

    series: Mapping[tuple[str, str], Series]
    events: tuple[StoredEvent, ...] = ()
    typed: Typed = field(default_factory=Typed)

    def at(self, tap: str, quantity: str) -> Series:
        return self.series.get((tap, quantity), no_readings())

    def either(self, tap: str, quantity: str) -> Series:
        """By an instrument, or else as typed."""
        found = self.at(tap, quantity)
        return found if len(found) else self.typed.at(tap, quantity)

    @property
    def is_typed(self) -> bool:
        """The run's own volts and amperes were typed."""
        return not len(self.at("battery", "V")) and bool(self.typed.series)


def typed_of(jots: Iterable[StoredJot]) -> Typed:
    """Typed lines as columns."""
    grammar = Grammar()
    entries = [Entry(jot.time_s, found) for jot in jots if (found := grammar.parse(jot.line)) is not None]
    return gather(entries)


def record_of(run: Run, kept: Kept, cutoff: Cutoff | None = None) -> DischargeRecord:
    """What the sums need of a run's discharge.

    Raises
    ------
    ReadingsError
        There are no readings.
    """
    details = _details(run, kept)
    between = str(run.plan.get("between", STRAIGHT))
    widths = None
    counted = any(len(kept.either(tap, q)) > 1 for tap in ("battery", "bank", "load", "output") for q in ("Ah", "Wh"))
    try:
        if kept.is_typed:
            tap = kept.typed.source_tap()
            readings, widths = on_one_base(kept.typed, tap, between)
        else:
            tap = str(run.plan.get("tap", "battery"))
            readings = join(details.correct("V", kept.at("battery", "V")), details.correct("A", kept.at("battery", "A")))
    except ReadingsError:
        if not counted:
            raise
        tap, readings = "battery", Readings(np.empty(0), np.empty(0), np.empty(0))
    on, off = _switched(kept)
    ended = run.ended_by or {"interrupted": "interrupted", "running": "running"}.get(run.state)
    if kept.typed.mark_s("empty") is not None and ended in (None, "person", "running"):
        ended = GAVE_UP
    return DischargeRecord(
        readings,
        parse_accuracy(run.voltage_accuracy, "V") if run.voltage_accuracy else None,
        parse_accuracy(run.current_accuracy, "A") if run.current_accuracy else None,
        run.label, cutoff or run.cutoff, run.plan.get("temperature_c"),
        on, off, ended, "battery" if tap in ("source", "dc") else tap, widths,
        tuple(e.time_s for e in kept.events if e.kind == "gap" and e.text.startswith("Interrupted")),
    )  # fmt: skip


def _details(run: Run, kept: Kept) -> MeterDetails:
    """What is known of the meter, with the zero that was read at the start of this run, where one was."""
    details = details_from(run.plan.get("meter_details", {}))
    for event in kept.events:
        if event.kind == "zero" and (found := Grammar().parse(event.text)) is not None:
            read = {r.quantity: r.value for r in found.readings}
            details = replace(details, zero_v=read.get("V", details.zero_v), zero_a=read.get("A", details.zero_a))
    return details


def _switched(kept: Kept) -> tuple[float | None, float | None]:
    """When the load came on and went off: of the last whole discharge, where there were several."""
    pairs = discharges_of(kept)
    if len(pairs) > 1:
        return pairs[-1]
    on = [e.time_s for e in kept.events if e.kind == "load on"]
    off = [e.time_s for e in kept.events if e.kind == "load off"]
    typed_on, typed_off = kept.typed.mark_s("load on"), kept.typed.off_s()
    on += [typed_on] if typed_on is not None and not on else []
    off += [typed_off] if typed_off is not None and not off else []
    return (on[0] if on else None), (off[-1] if off else None)


def discharges_of(kept: Kept) -> tuple[tuple[float, float], ...]:
    """(load on, load off) of every discharge that has ended."""
    return _pairs(kept, "load on", "load off")


def _pairs(kept: Kept, begin: str, end: str) -> tuple[tuple[float, float], ...]:
    found, since = [], None
    for event in kept.events:
        if event.kind == begin and since is None:
            since = event.time_s
        elif event.kind == end and since is not None:
            found.append((since, event.time_s))
            since = None
    return tuple(found)


def beside_of(run: Run, kept: Kept) -> Beside:
    """What was read or done beside the discharge."""
    details = details_from(run.plan.get("meter_details", {}))
    cells = {
        int(match[1]): kept.either(tap, "V")
        for tap, quantity in {*kept.series, *kept.typed.series}
        if quantity == "V" and (match := re.fullmatch(r"cell (\d+)", tap))
    }
    percent = next((s for tap in ("battery", "bank", "station") if len(s := kept.either(tap, "%"))), no_readings())
    return Beside(
        _counters(kept, details), percent, cells, kept.either("battery", "°C"), _pairs(kept, "charge on", "charge off"), discharges_of(kept),
        two_step=bool(run.plan.get("two_step")), start_ah=run.plan.get("start_ah"), other_v=beside_corrected(run, "battery 2", "V", kept.at("battery 2", "V")),
        other_a=beside_corrected(run, "battery 2", "A", kept.at("battery 2", "A")),
        other_accuracies=beside_accuracies(run, "battery 2"),
    )  # fmt: skip


def beside_corrected(run: Run, tap: str, quantity: str, series: Series) -> Series:
    """Readings of a meter beside, as it should have shown them: its zero, what it was judged by and its sign taken into account."""
    return details_from(run.plan.get("beside", {}).get(tap, {}).get("details", {})).correct(quantity, series)


def beside_accuracies(run: Run, tap: str) -> tuple[Accuracy | None, Accuracy | None]:
    """How good the volts and the amperes of a meter beside are; None where that was not kept."""
    about = run.plan.get("beside", {}).get(tap, {})
    volts, amps = about.get("voltage_accuracy"), about.get("current_accuracy")
    return parse_accuracy(volts, "V") if volts else None, parse_accuracy(amps, "A") if amps else None


def _counters(kept: Kept, details: MeterDetails) -> dict[str, Counter]:
    found = {}
    for unit, full in (("Ah", details.counts_to_ah), ("Wh", details.counts_to_wh)):
        for tap in ("battery", "bank", "load", "output", "ac"):
            series = kept.either(tap, unit)
            if len(series) > 1:
                half = kept.typed.half.get((tap, unit))
                digits = half if half is not None and not len(kept.at(tap, unit)) else np.full(len(series), _half_digit(series))
                found[unit] = Counter(series, digits, full or None)
                break
    return found


def _half_digit(series: Series) -> float:
    """Half of the smallest step between readings of a counter."""
    steps = np.diff(np.unique(np.round(series.value, 9)))
    return float(steps.min()) / 2 if len(steps) else 0.0
