"""A meter: an instrument or a display a person reads, with its accuracy."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, fields, replace
from typing import Any

from ubrant.core.quantities.accuracy import Accuracy, parse_accuracy
from ubrant.core.quantities.jot import JotReading
from ubrant.core.record.readings import Series

ROLES = ("meter", "load", "supply", "scope")
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
    zero_v, zero_a : what it shows with nothing connected, taken off every reading; zeroed : when that was read, UTC
    gain_v, gain_a : what its readings are multiplied by then, as found by judging it against another meter
    reversed : it shows the wrong sign
    counts_to_ah, counts_to_wh : where its counters begin again at 0
    checks : each check against another meter, as :class:`ubrant.core.equipment.checks.Check` keeps it; due : when the next is, ISO; empty for never
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
    zeroed: str = ""
    reversed: bool = False
    counts_to_ah: float = 0.0
    counts_to_wh: float = 0.0
    checks: tuple[Mapping[str, Any], ...] = ()
    due: str = ""

    def to_json(self) -> dict[str, Any]:
        """Only what differs from nothing being known."""
        usual = MeterDetails()
        return {k: v for k, v in asdict(self).items() if v != getattr(usual, k)}

    def correct(self, quantity: str, series: Series) -> Series:
        """Readings as they should have been shown: zero taken off, scaled as it was judged, sign turned."""
        zero, factor = self._correction(quantity)
        return series if (zero, factor) == (0.0, 1.0) else Series(series.time_s, (series.value - zero) * factor)

    def correct_typed(self, reading: JotReading) -> JotReading:
        """The same of one that a person read off its display."""
        zero, factor = self._correction(reading.quantity)
        if (zero, factor) == (0.0, 1.0) or reading.kind == "count":
            return reading
        return replace(reading, value=(reading.value - zero) * factor, half_width=reading.half_width * abs(factor))

    def _correction(self, quantity: str) -> tuple[float, float]:
        """What is taken off, and what the rest is multiplied by."""
        zero = {"V": self.zero_v, "A": self.zero_a}.get(quantity, 0.0)
        gain = {"V": self.gain_v, "A": self.gain_a}.get(quantity, 1.0)
        return zero, -gain if self.reversed and quantity in {"A", "W"} else gain


def details_from(told: Mapping[str, Any]) -> MeterDetails:
    """Details from what a logbook keeps; what this version does not know is left aside."""
    known = {f.name for f in fields(MeterDetails)}
    kept: dict[str, Any] = {k: v for k, v in told.items() if k in known}
    if "checks" in kept:
        kept["checks"] = tuple(kept["checks"])
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
        """Accuracy in V, A or W; None when nobody said.

        Raises
        ------
        QuantityError
            The text is not understood.
        """
        text = {"V": self.voltage_accuracy, "A": self.current_accuracy, "W": self.details.power_accuracy}[unit]
        return parse_accuracy(text, unit) if text.strip() else None

    @property
    def uid(self) -> str:
        """What tells it from others: its number on the shelf, or for one that is not there its name."""
        return f"meter {self.id}" if self.id else self.name

    def is_same(self, other: Meter) -> bool:
        """Whether it is the same instrument; two of one name on the shelf are two."""
        return self.uid == other.uid
