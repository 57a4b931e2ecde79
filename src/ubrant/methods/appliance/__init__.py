"""What an AC appliance draws in each of its modes, read off a plug-in meter."""

from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind == "load"


METHOD = MethodEntry("appliance", "Modes", 70, _suits, "ubrant.methods.appliance.method:ApplianceMethod")
