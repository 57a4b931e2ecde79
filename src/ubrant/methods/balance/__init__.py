"""Charging and using at once: what comes in, what goes out and what the battery does, at one node; also of a small backup module."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import CARRIES, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"battery", "bank", "station"}


METHOD = MethodEntry(
    "balance",
    "Charging and using at once",
    28,
    _suits,
    "ubrant.methods.balance.method:BalanceMethod",
    answers=(
        Answering(
            CARRIES,
            (words("keeps up with {largest_sustained_load}"),),
            20,
            words("2 h"),
            words("what feeds it, and loads that can be set"),
            ("A",),
        ),
    ),
)
