"""How good a meter of a kind usually is, for whoever does not know theirs: common practice, no source. Assumed, and said to be on every answer."""

from __future__ import annotations

from dataclasses import dataclass, replace

from ubrant.core.equipment.meter import Meter
from ubrant.core.wording import say


@dataclass(frozen=True)
class UsualMeter:
    """Accuracies as a manual would word them; empty for what such a meter does not read; ``name`` for one that has none."""

    kind: str
    name: str
    volts: str = ""
    amps: str = ""
    watts: str = ""


USUAL = (
    UsualMeter("a cheap hand meter", "Hand meter", "0.5 % + 2 digits of 10 mV", "1.5 % + 3 digits of 10 mA"),
    UsualMeter("a cheap DC clamp", "Clamp meter", "", "2.5 % + 5 digits of 10 mA + 0.1 A"),
    UsualMeter("a USB in-line meter", "USB meter", "0.5 % + 2 digits of 10 mV", "1 % + 2 digits of 10 mA"),
    UsualMeter("a plug-in mains meter", "Plug-in meter", "1 % + 2 digits of 1 V", "2 % + 2 digits of 10 mA", "2 % + 0.5 W"),
    UsualMeter("a station's display", "Station's display", "", "", "5 % + 5 W"),
    UsualMeter("a supply's or load's own display", "Its own display", "1 % + 2 digits of 10 mV", "1 % + 2 digits of 10 mA", "2 % + 0.5 W"),
)


def as_usual(meter: Meter, usual: UsualMeter) -> Meter:
    """The meter with what one of its kind usually is, marked as assumed; what it was given stays."""
    return replace(
        meter,
        voltage_accuracy=meter.voltage_accuracy or usual.volts,
        current_accuracy=meter.current_accuracy or usual.amps,
        details=replace(meter.details, power_accuracy=meter.details.power_accuracy or usual.watts, assumed=usual.kind),
    )


def still_assumed(kind: str, volts: str, amps: str, watts: str) -> str:
    """The kind again, as long as one of these accuracies is what such a meter usually is; empty where all are its own."""
    usual = next((one for one in USUAL if one.kind == kind), None)
    texts = () if usual is None else ((volts, usual.volts), (amps, usual.amps), (watts, usual.watts))
    return kind if any(text and text.strip() == one for text, one in texts) else ""


def assumed_text(tap: str, meter: Meter) -> str:
    """What is taken for granted of the meter at a tap; empty where nothing is."""
    if not meter.details.assumed:
        return ""
    quoted = ((meter.voltage_accuracy, "V"), (meter.current_accuracy, "A"), (meter.details.power_accuracy, "W"))
    usual = next((one for one in USUAL if one.kind == meter.details.assumed), None)
    its_kinds = (usual.volts, usual.amps, usual.watts) if usual is not None else ("", "", "")
    figures = ", ".join(f"{unit} ± {text}" for (text, unit), one in zip(quoted, its_kinds, strict=True) if text and one in {"", text})
    return say(
        "Assumed: the meter at the {tap} is as good as {kind} usually is ({figures}).",
        tap=tap,
        kind=say(meter.details.assumed),
        figures=figures,
    )
