"""A meter tried with something of known value before and after a run: noted as ``standard 2.503 V``, or ``standard 5.02 V 0.502 A`` for a resistor."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from ubrant.core.equipment.certificates import limits_u
from ubrant.core.quantities.accuracy import Standard, parse_standard
from ubrant.core.quantities.jot import Grammar, JotError, TypedReading
from ubrant.core.quantities.quantity import QuantityError, plain, show, show_duration
from ubrant.core.record.events import Note
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.contributions import COVERAGE
from ubrant.core.uncertainty.value import rectangular
from ubrant.core.wording import say

_NOTE = re.compile(r"standard\b[:\s]*(.*)", re.I)


@dataclass(frozen=True)
class StandardTried:
    """``said`` of it in sentences; ``is_off`` where a meter showed more or less than it may, and nothing is judged by it."""

    said: tuple[str, ...]
    is_off: bool = False


def tried(record: Record) -> StandardTried:
    """What the check standard of a run's meters says of them; nothing where none was read."""
    notes = sorted({*((e.time_s, e.text) for e in record.of(Note)), *record.typed.notes})
    found = [(time_s, match[1], text) for time_s, text in notes if (match := _NOTE.fullmatch(text.strip()))]
    if not found:
        return StandardTried(())
    known = _known(record)
    if known is None:
        return StandardTried((say("A check standard was read, and none is kept with the meter: enter its value and ± there."),))
    tap, standard = known
    name, said, readings = record.meter(tap).name, [], []
    for time_s, words, text in found:
        shown = _shown(record, tap, standard, words)
        if shown is None:
            like = "standard 5.02 V 0.502 A" if standard.unit == "Ω" else f"standard {plain(standard.value, 4)} {standard.unit}"
            said.append(say("The note “{note}” is not understood: write it like “{like}”.", note=text, like=like))
            continue
        readings.append((time_s, *shown))
    off = [one for one in readings if abs(one[1] - standard.value) > COVERAGE * math.hypot(one[2], rectangular(standard.limit))]
    for time_s, value, u in off[:1]:
        said.append(
            say(
                "{name} showed {value} {unit} of its standard of {standard} {unit} at {when}, and may be {u} {unit} off: by its accuracy it cannot. Check it before anything is judged by this run.",
                name=name,
                value=plain(value, 5),
                unit=standard.unit,
                standard=plain(standard.value, 5),
                when=show_duration(time_s),
                u=show(COVERAGE * math.hypot(u, rectangular(standard.limit)), 2),
            )
        )
    if readings and not off:
        said.append(
            say(
                "{name} was tried with its standard of {standard} {unit}: {values}, as it may.",
                name=name,
                standard=plain(standard.value, 5),
                unit=standard.unit,
                values=", ".join(plain(value, 5) for _, value, _ in readings),
            )
        )
    return StandardTried(tuple(said), bool(off))


def _known(record: Record) -> tuple[str, Standard] | None:
    """The first meter of the run that a standard is kept with."""
    for tap, meter in record.head.setup.meters.items():
        try:
            standard = parse_standard(meter.details.standard)
        except QuantityError:
            continue
        if standard is not None:
            return tap, standard
    return None


def _shown(record: Record, tap: str, standard: Standard, words: str) -> tuple[float, float] | None:
    """What the meter made of it, as corrected, and the standard uncertainty of that; None where the note does not hold it."""
    try:
        jotting = Grammar().parse(words)
    except JotError:
        return None
    read = {r.quantity: record.meter(tap).details.correct_typed(r) for r in (jotting.readings if jotting is not None else ())}
    if standard.unit != "Ω":
        one = read.get(standard.unit)
        return None if one is None else (one.value, _u(record, tap, one))
    volts, amps = read.get("V"), read.get("A")
    if volts is None or amps is None or not amps.value or not volts.value:
        return None
    ohm = volts.value / amps.value
    return ohm, abs(ohm) * math.hypot(_u(record, tap, volts) / volts.value, _u(record, tap, amps) / amps.value)


def _u(record: Record, tap: str, reading: TypedReading) -> float:
    accuracy = record.quoted(tap, reading.quantity)
    own = float(limits_u(accuracy, reading.value)) if accuracy is not None else math.inf
    return math.hypot(own, rectangular(reading.half_width))
