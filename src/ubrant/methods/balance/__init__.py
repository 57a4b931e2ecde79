"""Charging and using at once: what comes in, what goes out and what the battery does, at one node; also of a small backup module."""

from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"battery", "bank", "station"}


METHOD = MethodEntry("balance", "Charging and using at once", 28, _suits, "ubrant.methods.balance.method:BalanceMethod")
