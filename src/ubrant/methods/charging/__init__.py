"""A charger's profile, into a battery or into a load in constant voltage that is walked from empty to full: what it is set to, where it ends."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import FILLS_IT, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind == "charger"


METHOD = MethodEntry(
    "charger",
    "A charger's profile",
    51,
    _suits,
    "ubrant.methods.charging.method:ChargingMethod",
    answers=(
        Answering(
            FILLS_IT,
            (words("gives {set_current} until {set_voltage}"), words("stops at {set_voltage}")),
            10,
            words("one charge"),
            "",
            ("V", "A"),
        ),
    ),
)
