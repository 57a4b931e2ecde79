"""A device recharged from a bank, a station or a battery, by percent displays or a counter: Wh for each recharge, and how many there are from full."""

from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"bank", "station", "battery"}


METHOD = MethodEntry("recharge", "Recharging a device", 25, _suits, "ubrant.methods.recharge.method:RechargeMethod")
