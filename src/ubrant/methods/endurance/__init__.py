"""Endurance by the clock alone: no meter at all."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import RUNS_FOR, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"battery", "bank", "station"}


METHOD = MethodEntry(
    "endurance",
    "Endurance by the clock",
    44,
    _suits,
    "ubrant.methods.endurance.method:EnduranceMethod",
    answers=(
        Answering(
            RUNS_FOR,
            (words("about {from_full} from full; ran {duration} from what was in it"), words("ran {duration}")),
            5,
            words("till it stops, and charging again"),
            words("a clock"),
        ),
    ),
)
