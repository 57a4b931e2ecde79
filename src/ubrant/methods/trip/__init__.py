"""Protection and breakers: overload steps, each held until it opens or for so long, cooled down and reset in between."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import OPENS, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind == "lead"


METHOD = MethodEntry(
    "trip",
    "Protection",
    60,
    _suits,
    "ubrant.methods.trip.method:TripMethod",
    answers=(
        Answering(
            OPENS,
            (words("opens at {trip_current}"), words("{short}")),
            10,
            words("with 15 min to cool between"),
            words("a load over its rating"),
            ("A",),
            words("each trip wears it"),
        ),
    ),
)
