"""How good an external supply is: a quarter, half, three quarters and all of its current, and none, by a plug-in meter and one at its output."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import BURNS, EFFICIENT, Answering
from ubrant.methods.ratings import read_ratings
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    if unit.kind not in {"charger", "converter"}:
        return False
    try:
        return read_ratings(unit, how_much=False).takes_mains
    except ValueError:
        return False


METHOD = MethodEntry(
    "external-supply",
    "External supply",
    50,
    _suits,
    "ubrant.methods.external_supply.method:SupplyMethod",
    formerly=("supply",),
    answers=(
        Answering(
            EFFICIENT,
            (words("{average_efficiency} on average"), words("{no_load_power} with no load")),
            15,
            words("1 h"),
            words("a plug meter, and a load that can be set"),
            ("V", "A", "W"),
        ),
        Answering(BURNS, (words("burns {no_load_power} with nothing on"),), 5, words("half an hour"), words("a plug meter"), ("W",)),
    ),
)
