"""Hand-over: each source is pulled under load, and what takes over, how low the output goes, and what restarts is written down."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import NOTICES, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"station", "load"}


METHOD = MethodEntry(
    "handover",
    "Hand-over between sources",
    45,
    _suits,
    "ubrant.methods.handover.method:HandoverMethod",
    answers=(Answering(NOTICES, (words("{short}"),), 10, "", words("the sources, and what must not stop"), ("V",)),),
)
