"""Endurance by the clock alone: no meter at all."""

from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import Entry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"battery", "bank", "station"}


METHOD = Entry("endurance", "Endurance by the clock", 44, _suits, "ubrant.methods.endurance.method:EnduranceMethod")
