"""An input port of a station or converter: its window, which limit holds where, and what each source would give it."""

from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"station", "bank"}


METHOD = MethodEntry("port", "Input port", 30, _suits, "ubrant.methods.port.method:PortMethod")
