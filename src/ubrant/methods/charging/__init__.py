"""A charger's profile, into a battery or into a load in constant voltage that is walked from empty to full: what it is set to, where it ends."""

from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind == "charger"


METHOD = MethodEntry("charger", "A charger's profile", 51, _suits, "ubrant.methods.charging.method:ChargingMethod")
