"""How fast a store runs down while it only stands: two looks, days or weeks apart."""

from ubrant.core.equipment.unit import Unit, says_farads
from ubrant.core.wording import words
from ubrant.methods.enquiries import BURNS, STANDS, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"battery", "bank", "station"} or (unit.kind == "source" and says_farads(unit.label_text))


HOW = (
    Answering(STANDS, (words("{short}"),), 4, hours=words("two looks, some weeks apart"), takes=words("its display, or a voltmeter")),
    Answering(
        BURNS,
        (words("{short}"),),
        6,
        hours=words("12 h with each outlet on, some days with all off"),
        takes=words("its display"),
        needs=("lost_a_day_1",),
    ),
)
METHOD = MethodEntry("standing", "Left standing", 44, _suits, "ubrant.methods.standing.method:StandingMethod", answers=HOW)
