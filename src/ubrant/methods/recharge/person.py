"""A simulated person recharges a simulated device from a simulated bank and types what both displays say."""

from __future__ import annotations

from ubrant.core.models.bank import STEP_S, Bank, Device, of_a_unit
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

_PORT_V = 5.0
_LOOKS = 4


def recharges(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """Once, from empty to full; from a bank that is full."""
    unit, other = prepared.setup.unit, prepared.setup.device
    assert other is not None
    bank = Bank(
        of_a_unit(unit.label, unit.stand_in, reader.known(unit, "health", 0.95, 0.05)), _PORT_V, bend=reader.known(unit, "bend", 1.5)
    )
    cells = of_a_unit(other.label, other.stand_in, reader.known(other, "health", 0.97, 0.05))
    device = Device(cells, 0.004, charges_a=reader.known(other, "charges_a", 0.3 * cells.capacity_ah))
    yield 60.0, f"source {bank.percent} % device empty"
    every_s, since_s = 3600 * cells.capacity_ah / (0.3 * cells.capacity_ah) / _LOOKS // 300 * 300.0, 0.0
    while not device.is_full and bank.is_on:
        bank.give_watts(device.take())
        since_s += STEP_S
        if since_s >= every_s and not device.is_full:
            yield since_s, f"source {bank.percent} % device {device.percent} %"
            since_s = 0.0
    yield since_s, f"source {bank.percent} % device full" if device.is_full else f"source empty device {device.percent} %"
