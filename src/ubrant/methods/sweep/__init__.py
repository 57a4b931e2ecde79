"""The sweep of a converter: input voltage down and up again, load up, a settled reading at every point."""

from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind == "converter"


METHOD = MethodEntry("sweep", "Sweep", 20, _suits, "ubrant.methods.sweep.method:SweepMethod", ranks=True)
