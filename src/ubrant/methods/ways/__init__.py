"""Which way to feed it: the same load by mains socket, 12 V socket, straight from the cells; watts, hours, or percent and a clock alone."""

from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"battery", "bank", "station"}


METHOD = MethodEntry("ways", "Which way to feed it", 29, _suits, "ubrant.methods.ways.method:WaysMethod")
