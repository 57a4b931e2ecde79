"""A day by plug meter: standby first, then the counter over an exact time."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import A_DAY, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind == "load"


METHOD = MethodEntry(
    "plug-day",
    "A day by plug meter",
    43,
    _suits,
    "ubrant.methods.plug_day.method:PlugDayMethod",
    answers=(
        Answering(A_DAY, (words("uses {energy_day} in a day"),), 3, words("24 h or more"), words("a plug meter that counts"), ("W",)),
    ),
)
