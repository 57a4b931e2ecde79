"""How far a battery's volts fall under a load of some seconds: quick, shows a bad one, and proves no good one."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import label_of
from ubrant.core.wording import words
from ubrant.methods.enquiries import AT_ONCE, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    label = label_of(unit) if unit.kind == "battery" else None
    return label is not None and bool(label.charge_ah)


HOW = Answering(AT_ONCE, (words("{short}"),), 3, takes=words("a load for some seconds"), reads=("V", "A"))
METHOD = MethodEntry("short-load", "A load of some seconds", 14, _suits, "ubrant.methods.short_load.method:ShortLoadMethod", answers=(HOW,))
