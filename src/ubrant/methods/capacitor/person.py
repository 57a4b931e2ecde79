"""A simulated person discharges a simulated capacitor and types every few seconds."""

from __future__ import annotations

from ubrant.core.models.sources import Capacitor
from ubrant.core.sources.capacitor import read_label
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

_LOOKS = 10
_DOWN_TO = 0.45


def discharges(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """From its rated voltage, or the window's upper end, down to the lower one."""
    unit, plan = prepared.setup.unit, prepared.plan
    label = read_label(unit.label_text)
    full = plan.high or label.volts or 5.0
    farads = (label.farads or 10.0) * reader.known(unit, "share", 0.93, 0.06)
    thing = Capacitor(farads, reader.known(unit, "ohm", 0.2 / (label.farads or 10.0) ** 0.5), full)

    def read(amps: float) -> str:
        return f"{reader.volts('battery', thing.volts(amps))} {reader.amps('battery', amps)}"

    yield 60.0, read(0.0)
    low = plan.low if plan.low is not None else _DOWN_TO * full
    every_s = max(1.0, round(farads * (full - low) / plan.amps / _LOOKS))
    thing.step(plan.amps, 1.0)
    yield 1.0, read(plan.amps)
    while thing.volts(plan.amps) > low:
        thing.step(plan.amps, every_s)
        yield every_s, read(plan.amps)
