"""The idle draw of what converts: what it burns with nothing attached, and once more in its economy setting."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import BURNS, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"converter", "inverter"}


METHOD = MethodEntry(
    "idle",
    "Idle draw",
    40,
    _suits,
    "ubrant.methods.idle.method:IdleMethod",
    answers=(
        Answering(
            BURNS,
            (words("burns {idle_power} with nothing on, {idle_energy_day} a day"), words("burns {idle_power} with nothing on")),
            5,
            "",
            "",
            ("V", "A"),
        ),
    ),
)
