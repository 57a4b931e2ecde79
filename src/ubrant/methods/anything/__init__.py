"""Readings anywhere on a path, by whatever meters there are: what follows from them, what is bounded, what does not fit, what would tell."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import LOST, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind not in {"", "lead", "breaker"}


METHOD = MethodEntry(
    "anything",
    "Anything on a path",
    84,
    _suits,
    "ubrant.methods.anything.method:AnythingMethod",
    takes_anything=True,
    answers=(Answering(LOST, (words("gives {converter_efficiency} at one load"),), 5, "", words("one load"), ("V", "A")),),
)
