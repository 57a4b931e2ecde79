"""A simulated person empties a simulated bank into one device after the other, and types what both displays and a counter say."""

from __future__ import annotations

from ubrant.core.models.bank import STEP_S, Bank, Device, of_a_unit
from ubrant.core.quantities.label import parse_label
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

_PORT_V, _CELL_V, _USUAL, _ROUNDS = 5.0, 3.85, "3 Ah 3.85 V", 20


def feeds_each(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """Round and round from empty to full, until the bank gives up."""
    from ubrant.methods.emptying.method import read_devices

    unit = prepared.setup.unit
    cells = of_a_unit(unit.label, unit.stand_in, reader.known(unit, "health", 0.95, 0.05))
    bank = Bank(cells, _PORT_V, bend=reader.known(unit, "bend", 1.5))
    devices = read_devices(prepared.plan.devices)
    for place in range(_ROUNDS * len(devices)):
        one = devices[place % len(devices)]
        label = parse_label(one.label or _USUAL)
        if not label.voltage_v:
            label = parse_label(f"{(label.energy_wh or 0.0) / _CELL_V:.3f} Ah {_CELL_V} V")
        fed = Device(of_a_unit(label, {}, 0.97), 0.004)
        counter = reader.off("output", "Wh", bank.given_wh)
        yield 60.0, f'source {bank.percent} % device empty output {counter:.2f} Wh "{one.name}"'
        since_s = 0.0
        while not fed.is_full and bank.is_on:
            bank.give_watts(fed.take())
            since_s += STEP_S
        counter = reader.off("output", "Wh", bank.given_wh)
        if not bank.is_on:
            yield since_s, f'source 0 % device {fed.percent} % output {counter:.2f} Wh "{one.name}"'
            yield STEP_S, "empty"
            return
        yield since_s, f'source {bank.percent} % device full output {counter:.2f} Wh "{one.name}"'
