"""A simulated person reads a battery at rest, and ten seconds after a load came on."""

from __future__ import annotations

from ubrant.core.models.bank import of_a_unit
from ubrant.core.models.cell import Pack
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

_SECONDS, _RATE_C = 10.0, 0.5


def loads_shortly(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """At rest, under the load that was asked for or half of its Ah, and under twice that."""
    unit = prepared.setup.unit
    pack = Pack(of_a_unit(unit.label, unit.stand_in, reader.known(unit, "health", 0.97)), reader.known(unit, "soc", 0.9))
    usual = prepared.plan.amps or _RATE_C * (unit.label.charge_ah or 1.0)
    yield 60.0, f"{reader.volts('battery', pack.open_circuit_v())} {reader.amps('battery', 0.0)}"
    for share in (0.5, 1.0):
        pack.step(share * usual, _SECONDS)
        yield _SECONDS, f"{reader.volts('battery', pack.voltage_v(share * usual))} {reader.amps('battery', share * usual)}"
