"""A simulated person who reads a battery's volts once, at rest."""

from __future__ import annotations

from ubrant.core.models.bank import of_a_unit
from ubrant.core.models.cell import Pack
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared


def looks_once(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """Whatever is in it."""
    unit = prepared.setup.unit
    pack = Pack(of_a_unit(unit.label, unit.stand_in, reader.known(unit, "health", 0.97)), reader.known(unit, "soc", 0.6))
    yield 60.0, f"battery {reader.volts('battery', pack.open_circuit_v())}"
