"""A device recharged from a bank, a station or a battery, by percent displays or a counter: Wh for each recharge, and how many there are from full."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import FILLS, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"bank", "station", "battery"}


METHOD = MethodEntry(
    "recharge",
    "Recharging a device",
    25,
    _suits,
    "ubrant.methods.recharge.method:RechargeMethod",
    answers=(
        Answering(
            FILLS,
            (words("{charges_from_full_about} times, {recharge_energy} each"), words("{recharge_energy} each")),
            5,
            words("2 h"),
            words("the device, both displays"),
        ),
    ),
)
