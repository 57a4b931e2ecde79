"""How good an external supply is: a quarter, half, three quarters and all of its current, and none, by a plug-in meter and one at its output."""

from ubrant.core.equipment.unit import Unit
from ubrant.methods.ratings import read_ratings
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    if unit.kind not in {"charger", "converter"}:
        return False
    try:
        return read_ratings(unit, how_much=False).takes_mains
    except ValueError:
        return False


METHOD = MethodEntry(
    "external-supply", "External supply", 50, _suits, "ubrant.methods.external_supply.method:SupplyMethod", formerly=("supply",)
)
