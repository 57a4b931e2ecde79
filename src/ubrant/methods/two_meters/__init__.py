"""A meter checked against a better one: both read the same thing, low and high; what it is off by is kept with it."""

from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"battery", "bank", "station", "charger", "source", "load"}  # what both can be held to


METHOD = MethodEntry(
    "meter-check",
    "Check a meter against another",
    95,
    _suits,
    "ubrant.methods.two_meters.method:MeterCheckMethod",
    checks_meters=("display", "reference"),
)
