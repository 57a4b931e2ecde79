"""What an AC appliance draws in each of its modes, read off a plug-in meter."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import DRAWS, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind == "load"


METHOD = MethodEntry(
    "appliance",
    "Modes",
    70,
    _suits,
    "ubrant.methods.appliance.method:ApplianceMethod",
    answers=(Answering(DRAWS, (words("{short}"),), 5, "", words("a plug meter, or a clamp on DC"), ("W",)),),
)
