"""A source loaded more and more, V against I: a panel, odd or weak cells, anything whose voltage gives way."""

import re

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import AT_ONCE, REALLY_GIVES, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"source", "battery"} or (
        unit.kind == "charger" and re.search(r"\b(?:panel|solar)\b", unit.label_text, re.I) is not None
    )


METHOD = MethodEntry(
    "source",
    "Volts against amperes",
    27,
    _suits,
    "ubrant.methods.source.method:SourceMethod",
    answers=(
        Answering(
            REALLY_GIVES,
            (words("its most is {maximum_power}, at {maximum_power_current}"), words("{open_circuit_voltage} with nothing on it")),
            10,
            "",
            words("loads from none to heavy"),
            ("V", "A"),
        ),
        Answering(AT_ONCE, (words("has {internal_resistance} inside"),), 10, "", words("two loads or more"), ("V", "A")),
    ),
)
