"""Which way to feed it: the same load by mains socket, 12 V socket, straight from the cells; watts, hours, or percent and a clock alone."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import WHICH_WAY, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"battery", "bank", "station"}


METHOD = MethodEntry(
    "ways",
    "Which way to feed it",
    29,
    _suits,
    "ubrant.methods.ways.method:WaysMethod",
    answers=(Answering(WHICH_WAY, (words("{short}"),), 10, "", words("the thing itself")),),
)
