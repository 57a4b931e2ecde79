"""How full a battery is now, by its volts at rest."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import label_of
from ubrant.core.wording import words
from ubrant.methods.enquiries import FULL, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    label = label_of(unit) if unit.kind == "battery" else None
    return label is not None and label.kind_of_cell is not None and bool(label.series)


_BY_REST = Answering(FULL, (words("{short}"),), 2, hours=words("after some hours of rest"), reads=("V",))
METHOD = MethodEntry("fullness", "How full it is", 12, _suits, "ubrant.methods.fullness.method:FullnessMethod", answers=(_BY_REST,))
