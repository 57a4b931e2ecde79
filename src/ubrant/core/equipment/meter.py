"""A meter: an instrument or a display a person reads, with its accuracy."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, fields, replace
from typing import Any

from ubrant.core.equipment.certificates import MeterCheck, checks_from, first_after, in_force
from ubrant.core.quantities.accuracy import Accuracy, parse_accuracy
from ubrant.core.quantities.jot import TypedReading
from ubrant.core.quantities.readings import Series

ROLES = ("meter", "load", "supply", "scope")
THEN, LATER, MAKER = "then", "later", "maker"
CONNECTIONS = ("display", "scpi", "lines", "file")
"""How its readings arrive: read off by a person, asked for by SCPI, printed line by line, written to another program's log."""


@dataclass(frozen=True)
class MeterDetails:
    """What else is known of a meter.

    Attributes
    ----------
    role : ``meter``, ``load``, ``supply`` or ``scope``
    connection : one of CONNECTIONS
    address : VISA resource, serial port, ``socket://host:port``, or the path of a log
    profile : name of its SCPI profile, or the pattern of its lines
    baud : of a serial line
    tap : where it is clipped
    power_accuracy : in W, of a meter that reads watts itself, as its manual words it
    floor_a : below this it shows nothing
    burden_ohm : in the current path; input_ohm : of its voltmeter
    zero_v, zero_a, zero_w : what it shows with nothing connected, taken off every reading; zeroed : when that was read, UTC
    gain_v, gain_a, gain_w : what its readings are multiplied by then, as logbooks kept it that had no dates for it
    reversed : it shows the wrong sign
    counts_to_ah, counts_to_wh : where its counters begin again at 0
    checks : what it was found to be, by checks and certificates, in order of time; due : when the next is, ISO; empty for never
    drift_a_year : how far its gain may move in a year, as a fraction; 0 for as far as its maker allows
    tempco : how far its gain moves for each °C outside of what its accuracy holds in, as a fraction
    standard : what is kept to try it with, like ``2.500 V ± 1 mV``; empty for nothing
    as_of : the day that its checks are read for, ISO; empty where they are not, and it is as its maker says
    assumed : nobody knows how good it is: its accuracies are those of such a kind of meter (``usual_meters.py``); empty where they are its own
    away : it was taken off the shelf; its number is not given to another, as runs know it by that
    counts : which of them do: those up to that day (THEN), before them the first one after it (LATER: it was so then), or none (MAKER)
    """

    role: str = "meter"
    connection: str = "display"
    address: str = ""
    profile: str = ""
    baud: int = 115_200
    tap: str = "battery"
    power_accuracy: str = ""
    floor_a: float = 0.0
    burden_ohm: float = 0.0
    input_ohm: float = 0.0
    zero_v: float = 0.0
    zero_a: float = 0.0
    gain_v: float = 1.0
    gain_a: float = 1.0
    zero_w: float = 0.0
    gain_w: float = 1.0
    zeroed: str = ""
    reversed: bool = False
    counts_to_ah: float = 0.0
    counts_to_wh: float = 0.0
    checks: tuple[MeterCheck, ...] = ()
    due: str = ""
    drift_a_year: float = 0.0
    tempco: float = 0.0
    standard: str = ""
    as_of: str = ""
    assumed: str = ""
    counts: str = THEN
    away: bool = False

    def to_json(self) -> dict[str, Any]:
        """Only what differs from nothing being known."""
        usual = MeterDetails()
        made = {k: v for k, v in asdict(self).items() if v != getattr(usual, k)}
        return made | ({"checks": [one.to_json() for one in self.checks]} if self.checks else {})

    def held(self, unit: str) -> MeterCheck | None:
        """What holds of V, A or W on its day; None where nothing was found until then."""
        if not self.as_of or self.counts == MAKER:
            return None
        later = first_after(self.checks, unit, self.as_of) if self.counts == LATER else None
        return later or in_force(self.checks, unit, self.as_of)

    def corrects(self, unit: str) -> MeterCheck | None:
        """The same, where readings are to be corrected by it: not once it was put right."""
        found = self.held(unit)
        return None if found is None or (found.adjusted and found.made <= self.as_of) else found

    def correct(self, quantity: str, series: Series) -> Series:
        """Readings as they should have been shown: zero taken off, scaled as it was found, sign turned."""
        zero, factor = self.correction(quantity)
        return series if (zero, factor) == (0.0, 1.0) else Series(series.time_s, (series.value - zero) * factor)

    def correct_typed(self, reading: TypedReading) -> TypedReading:
        """The same of one that a person read off its display."""
        zero, factor = self.correction(reading.quantity)
        if (zero, factor) == (0.0, 1.0) or reading.kind == "count":
            return reading
        return replace(reading, value=(reading.value - zero) * factor, half_width=reading.half_width * abs(factor))

    def correction(self, quantity: str) -> tuple[float, float]:
        """What is taken off of what it shows, and what the rest is multiplied by."""
        zero = {"V": self.zero_v, "A": self.zero_a, "W": self.zero_w}.get(quantity, 0.0)
        gain = {"V": self.gain_v, "A": self.gain_a, "W": self.gain_w}.get(quantity, 1.0)
        turned = self.reversed and quantity in {"A", "W"}
        held, found = self.held(quantity), self.corrects(quantity)
        if held is not None and self.zeroed <= held.made:
            zero = 0.0
        if found is not None:
            gain = found.gain
            if self.zeroed <= found.made:
                zero = (found.zero if turned else -found.zero) / found.gain
        elif held is not None:
            gain = 1.0
        elif self.was_written_over(quantity):
            gain, zero = 1.0, 0.0
        return zero, -gain if turned else gain

    def was_written_over(self, unit: str) -> bool:
        """On its day nothing had been found yet, and what stands in its place is what was found later: older logbooks put it there."""
        if not self.as_of or self.held(unit) is not None:
            return False
        gain = {"V": self.gain_v, "A": self.gain_a, "W": self.gain_w}.get(unit, 1.0)
        return gain != 1.0 and any(one.unit == unit and one.gain == gain for one in self.checks)


def details_from(told: Mapping[str, Any]) -> MeterDetails:
    """Details from what a logbook keeps; what this version does not know is left aside."""
    known = {f.name for f in fields(MeterDetails)}
    kept: dict[str, Any] = {k: v for k, v in told.items() if k in known}
    if "checks" in kept:
        kept["checks"] = checks_from(kept["checks"])
    return MeterDetails(**kept)


@dataclass(frozen=True)
class Meter:
    """One meter. Accuracies are kept as its manual words them; empty for unknown. ``id`` is 0 until it is kept."""

    name: str
    voltage_accuracy: str = ""
    current_accuracy: str = ""
    max_v: float | None = None
    max_a: float | None = None
    id: int = 0
    details: MeterDetails = field(default_factory=MeterDetails)

    def accuracy(self, unit: str) -> Accuracy | None:
        """Accuracy in V, A or W on the day it is of: as it was found, or as its maker says; None when nobody said.

        What was found is worth less with the time since: by the drift a year that somebody gave it, else, within a year, by as much as its
        maker allows, whose figures hold for a year as a rule. Common practice, no source.

        Raises
        ------
        QuantityError
            The text is not understood.
        """
        if self.details.was_written_over(unit):
            return None
        made = self.made_for(unit)
        found = self.details.corrects(unit)
        if found is None:
            return made
        years = found.years_to(self.details.as_of)
        allowed = made.gain * min(years, 1.0) if made is not None else 0.0
        held = found.held(self.details.drift_a_year * years if self.details.drift_a_year else allowed)
        return replace(held, meter=self.uid)

    def made_for(self, unit: str) -> Accuracy | None:
        """Accuracy in V, A or W as its maker says.

        Raises
        ------
        QuantityError
            The text is not understood.
        """
        text = {"V": self.voltage_accuracy, "A": self.current_accuracy, "W": self.details.power_accuracy}[unit]
        return replace(parse_accuracy(text, unit), meter=self.uid) if text.strip() else None

    def on(self, day: str) -> Meter:
        """The meter as it was on a day, ISO, by its checks and certificates; itself where it has none."""
        if not self.details.checks:
            return self
        return replace(self, details=replace(self.details, as_of=day, counts=THEN))

    def as_found_later(self, day: str) -> Meter:
        """The meter on a day as a check after it found it to be."""
        return replace(self, details=replace(self.details, as_of=day, counts=LATER))

    def plainly(self) -> Meter:
        """Without dates: what holds on its day stands as its own accuracies and corrections, and its checks are left out."""
        texts = {u: found.plainly() if (found := self.accuracy(u)) is not None else "" for u in "VAW"}
        zeros, gains = zip(*(self.details.correction(u) for u in "VAW"), strict=True)
        of_zero = dict(zip(("zero_v", "zero_a", "zero_w"), zeros, strict=True))
        of_gain = dict(zip(("gain_v", "gain_a", "gain_w"), map(abs, gains), strict=True))
        details = replace(self.details, **of_zero, **of_gain, power_accuracy=texts["W"], checks=(), as_of="", counts=THEN)
        return replace(self, voltage_accuracy=texts["V"], current_accuracy=texts["A"], details=details)

    @property
    def uid(self) -> str:
        """What tells it from others: its number on the shelf, or for one that is not there its name."""
        return f"meter {self.id}" if self.id else self.name

    def is_same(self, other: Meter) -> bool:
        """Whether it is the same instrument; two of one name on the shelf are two."""
        return self.uid == other.uid
