"""A supply or brick loaded more and more: how its output holds, where it folds back or trips; without a mains meter."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import HOLDS, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"charger", "converter"}


METHOD = MethodEntry(
    "brick",
    "Supply under load",
    52,
    _suits,
    "ubrant.methods.brick.method:BrickMethod",
    answers=(
        Answering(
            HOLDS,
            (words("{no_load_voltage} with nothing on; holds {holds_to}"), words("{no_load_voltage} with nothing on")),
            10,
            "",
            words("loads up to its rating"),
            ("V", "A"),
        ),
    ),
)
