"""One source emptied into several things: what each of them took, and what is left."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import EACH_GOT, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"bank", "station", "battery"}


HOW = Answering(EACH_GOT, (words("{short}"),), 10, words("till it is empty"), words("several devices, both displays at each change"))
METHOD = MethodEntry("emptying", "Emptied into several things", 24, _suits, "ubrant.methods.emptying.method:EmptyingMethod", answers=(HOW,))
