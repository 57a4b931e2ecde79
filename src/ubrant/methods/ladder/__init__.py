"""A ladder of volts: where a thing starts, falters, goes off and comes back."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import HOW_LOW, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"load", "converter", "inverter"}


HOW = Answering(HOW_LOW, (words("{short}"),), 10, "", words("a supply that is turned down"), ("V",))
METHOD = MethodEntry("ladder", "A ladder of volts", 75, _suits, "ubrant.methods.ladder.method:LadderMethod", answers=(HOW,))
