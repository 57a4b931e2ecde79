"""An input port of a station or converter: its window, which limit holds where, and what each source would give it."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import INTO, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"station", "bank"}


METHOD = MethodEntry(
    "port",
    "Input port",
    30,
    _suits,
    "ubrant.methods.port.method:PortMethod",
    answers=(Answering(INTO, (words("{short}"),), 10, "", words("what is to feed it"), ("V", "A")),),
)
