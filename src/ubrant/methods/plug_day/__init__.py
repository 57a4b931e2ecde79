"""A day by plug meter: standby first, then the counter over an exact time."""

from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind == "load"


METHOD = MethodEntry("plug-day", "A day by plug meter", 43, _suits, "ubrant.methods.plug_day.method:PlugDayMethod")
