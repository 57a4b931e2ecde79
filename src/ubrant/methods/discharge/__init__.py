"""The discharge: empty a charged, rested battery to a cut-off or another end, then let it recover; with a charge before or after, or in cycles."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import label_of
from ubrant.core.wording import words
from ubrant.methods.enquiries import CAPACITY, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    """Whose terminals are its cells': a bank or a station is emptied at its output."""
    return unit.kind in {"battery", "source"} and label_of(unit) is not None


METHOD = MethodEntry(
    "discharge",
    "Discharge",
    10,
    _suits,
    "ubrant.methods.discharge.method:DischargeMethod",
    answers=(
        Answering(
            CAPACITY,
            (words("holds {charge} of {label_Ah}"), words("holds {charge}")),
            25,
            words("15 to 40 h with charging before and after"),
            words("a load and what cuts it off"),
            ("V", "A"),
            words("one full cycle of its life"),
            judged=True,
        ),
    ),
)
