"""A capacitor discharged through a load: farads, resistance, the energy in it and how long that lasts."""

from ubrant.core.equipment.unit import Unit, says_farads
from ubrant.core.wording import words
from ubrant.methods.enquiries import SIZE, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"source", "battery"} and says_farads(unit.label_text)


METHOD = MethodEntry(
    "capacitor",
    "Capacitor",
    26,
    _suits,
    "ubrant.methods.capacitor.method:CapacitorMethod",
    answers=(
        Answering(
            SIZE,
            (words("{capacitance}, {label_share} of its label"), words("{capacitance}")),
            10,
            "",
            words("a steady current or a resistor"),
            ("V",),
        ),
    ),
)
