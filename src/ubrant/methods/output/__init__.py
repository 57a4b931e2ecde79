"""What a bank or a station gives: at its 5 V, 12 V or mains output until it switches itself off, by a USB or plug meter, its counter, its percent."""

from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"bank", "station"}


METHOD = MethodEntry("output", "Bank or station output", 15, _suits, "ubrant.methods.output.method:OutputMethod")
