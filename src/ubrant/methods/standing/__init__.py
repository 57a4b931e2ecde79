"""How fast a store runs down while it only stands: two looks, days or weeks apart."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.sources.capacitor import read_label
from ubrant.core.wording import words
from ubrant.methods.enquiries import STANDS, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"battery", "bank", "station"} or (unit.kind == "source" and read_label(unit.label_text).farads is not None)


HOW = Answering(STANDS, (words("{short}"),), 4, hours=words("two looks, some weeks apart"), reads=("V",))
METHOD = MethodEntry("standing", "Left standing", 44, _suits, "ubrant.methods.standing.method:StandingMethod", answers=(HOW,))
