"""What a discharge asks of a record: volts and amperes at the battery, when the load was on, and what else was read meanwhile."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from ubrant.core.battery.ending import GAVE_UP
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.label import Label, usual_cutoff_v
from ubrant.core.quantities.readings import Array, Readings, ReadingsError, Series, join, no_readings
from ubrant.core.quantities.stand_in import StandIn, stand_in_of
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.events import ChargeOff, ChargeOn, LoadOff
from ubrant.core.record.flowed import flowed_at_rest
from ubrant.core.record.head import LOG
from ubrant.core.record.on_change import as_steps, is_on_change
from ubrant.core.record.record import Record
from ubrant.core.record.typed import TypedColumns, Widths, on_one_base, only_amps
from ubrant.core.wording import say
from ubrant.methods.discharge.findings import Counter, Others
from ubrant.methods.discharge.sums import DischargeRecord

if TYPE_CHECKING:
    from ubrant.methods.discharge.procedure import DischargePlan

_COUNTED_AT = ("battery", "bank", "load", "output")


def discharge_of(record: Record) -> DischargeRecord:
    """What the sums need.

    Raises
    ------
    ReadingsError
        There are no readings.
    """
    return record.once("discharge", lambda: _discharge_of(record))


def _discharge_of(record: Record) -> DischargeRecord:
    head = record.head
    widths: Widths | None = None
    on_change = False
    counted = any(len(record.either(tap, q)) > 1 for tap in (*_COUNTED_AT, "ac") for q in ("Ah", "Wh"))
    try:
        if _own_is_typed(record):
            tap = record.typed.source_tap()
            pressed = tuple((e.time_s, "load off") for e in record.of(LoadOff))
            typed = replace(record.typed, marks=tuple(sorted((*record.typed.marks, *pressed))))
            if only_amps(typed) and (volts := stand_in_of(head.setup.label)) is not None:
                return _by_amperes(record, typed, only_amps(typed), volts)
            readings, widths = on_one_base(typed, tap, head.origin.between)
        else:
            tap = head.origin.tap
            readings = join(_corrected(record, "V"), _corrected(record, "A"))
            if head.origin.road == LOG and not head.plan and is_on_change(readings):
                readings, on_change = as_steps(readings), True
    except ReadingsError:
        if not counted:
            raise
        tap, readings = "battery", Readings(np.empty(0), np.empty(0), np.empty(0))
    on, off = record.switched()
    return DischargeRecord(
        readings,
        record.accuracy("battery", "V"),
        record.accuracy("battery", "A"),
        head.setup.label,
        head.criteria.cutoff or standard_cutoff(head.setup.label, readings),
        head.conditions.temperature_c if head.conditions.temperature_c is not None else _temperature(record, on),
        on,
        off,
        _ended(record),
        "battery" if tap in ("source", "dc") else tap,
        widths,
        record.interruptions(),
        _full(record),
        head.conditions.checked,
        power if len(power := record.either("battery", "W")) and widths is None else None,
        any(float(c.series.value[0]) <= max(float(c.half_width[0]), 0.002 * float(c.series.value[-1])) for c in _counters(record).values()),
        on_change,
        said_not_full=head.conditions.was_full is False,
        room_c=head.conditions.room_c,
        flowed=flowed_at_rest(record, on, off),
        power_accuracy=record.accuracy("battery", "W"),
        amps_once=widths is not None and _read_once(record, tap),
        moment_half_s=record.moment_half_s if widths is not None else 0.0,
    )


_OFTEN = 3


def _read_once(record: Record, tap: str) -> bool:
    """Amperes that were typed once while something flowed, where the volts were several times."""
    volts, amps = (record.either(tap, quantity) for quantity in "VA")
    return len(volts) >= _OFTEN and int(np.count_nonzero(amps.value)) == 1


def _by_amperes(record: Record, typed: TypedColumns, tap: str, volts: StandIn) -> DischargeRecord:
    """What the sums need where nobody read volts: those of the system stand in, and no cut-off can be looked for."""
    head = record.head
    readings, widths = on_one_base(typed, tap, head.origin.between, volts)
    on, off = record.switched()
    return DischargeRecord(
        readings,
        Accuracy(0.0, 0.0, "V"),
        record.accuracy("battery", "A"),
        head.setup.label,
        temperature_c=head.conditions.temperature_c,
        load_on_s=on,
        load_off_s=off,
        ended=_ended(record),
        tap="battery" if tap in ("source", "dc") else tap,
        widths=widths,
        full=_full(record),
        checked=head.conditions.checked,
        said_not_full=head.conditions.was_full is False,
        room_c=head.conditions.room_c,
        stands_in=volts,
        flowed=flowed_at_rest(record, on, off),
    )


def _temperature(record: Record, load_on_s: float | None) -> float | None:
    """The battery's own temperature as the load came on, where it was read; None where it was not."""
    read = record.either("battery", "°C")
    if not len(read):
        return None
    return float(read.value[int(np.argmin(np.abs(read.time_s - (load_on_s if load_on_s is not None else read.time_s[0]))))])


def standard_cutoff(label: Label | None, readings: Readings) -> Cutoff | None:
    """The cut-off of the label, or the usual one of its chemistry, where a person gave none; None where neither is known, or metered elsewhere."""
    kind = label.kind_of_cell if label else None
    if label is None or kind is None or not label.series or not label.voltage_v:
        return None
    if len(readings) and not label.is_like(float(np.median(readings.voltage_v))):
        return None
    return Cutoff(usual_cutoff_v(label) or kind.usual_cutoff_v * label.series)


def _full(record: Record) -> str:
    """How it is known that it was full at the start, as far as a person said or did it; empty where nobody did."""
    head = record.head
    if head.conditions.was_full is not None:
        return say("you said that it was full") if head.conditions.was_full else ""
    on, _ = record.switched()
    if any(mark == "full" and (on is None or t <= on + 1.0) for t, mark in record.typed.marks):
        return say("marked as full")
    if head.plan and head.origin.road != LOG:
        return say("charged fully as its first step")
    return ""


def _own_is_typed(record: Record) -> bool:
    """The run's own volts and amperes were typed."""
    return not len(record.at("battery", "V")) and bool(record.typed.series)


def _corrected(record: Record, quantity: str) -> Series:
    found = record.corrected("battery", quantity)
    return no_readings() if found is None else found


def _ended(record: Record) -> str | None:
    ended = record.ended_by or {"interrupted": "interrupted", "running": "running"}.get(record.state)
    empty_s, off_s = record.typed.mark_s("empty"), record.switched()[1]
    if empty_s is None or ended not in (None, "person", "running"):
        return ended
    return GAVE_UP if off_s is None or empty_s <= off_s else "person"  # found empty after somebody took the load off


def others_of(record: Record, plan: DischargePlan | None) -> Others:
    """What else was read or done."""
    cells = {number: record.either(tap, "V") for number, tap in record.parts("cell").items()}
    percent = next((s for tap in ("battery", "bank", "station") if len(s := record.either(tap, "%"))), no_readings())
    whole = [(s.from_s, s.to_s) for s in record.stretches() if s.to_s is not None and not _only_typed(record)]
    charges = [(s.from_s, s.to_s) for s in record.stretches(ChargeOn, ChargeOff) if s.to_s is not None]
    second = {q: record.corrected("battery 2", q) for q in "VA"}
    return Others(
        _counters(record),
        percent,
        cells,
        record.either("battery", "°C"),
        tuple((a, b) for a, b in charges if b is not None),
        tuple((a, b) for a, b in whole if b is not None),
        two_step=plan is not None and plan.two_step,
        start_ah=(plan.take_out_ah or None) if plan is not None else None,
        amps=record.either("battery", "A"),
        other_v=second["V"] or no_readings(),
        other_a=second["A"] or no_readings(),
        other_accuracies=(record.accuracy("battery 2", "V"), record.accuracy("battery 2", "A")),
    )


def _only_typed(record: Record) -> bool:
    """Load on and off were said, not recorded."""
    return record.switched()[0] in {t for t, m in record.typed.marks if m == "load on"}


def _counters(record: Record) -> dict[str, Counter]:
    details = record.meter("battery").details
    counters = {}
    for unit, full in (("Ah", details.counts_to_ah), ("Wh", details.counts_to_wh)):
        for tap in (*_COUNTED_AT, "ac"):
            series = record.either(tap, unit)
            if len(series) > 1:
                half = record.half_width(tap, unit)
                digits: Array = np.full(len(series), half) if isinstance(half, float) else half
                counters[unit] = Counter(series, digits, full or None, tap)
                break
    return counters
