"""A source loaded more and more, V against I: a panel, odd or weak cells, anything whose voltage gives way."""

import re

from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"source", "battery"} or (
        unit.kind == "charger" and re.search(r"\b(?:panel|solar)\b", unit.label_text, re.I) is not None
    )


METHOD = MethodEntry("source", "Volts against amperes", 27, _suits, "ubrant.methods.source.method:SourceMethod")
