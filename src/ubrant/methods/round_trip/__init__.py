"""A round trip: filled and emptied, by whatever was read on each side; what comes back, once or cycle by cycle."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import COMES_BACK, FILLS_UP, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"battery", "bank", "station"}


HOW = (
    Answering(
        COMES_BACK,
        (words("{back} comes back"), words("{charge_back} of the charge comes back")),
        10,
        words("one filling and one emptying"),
        words("a counter on each side"),
    ),
    Answering(
        FILLS_UP,
        (
            words("{filled_in_value}, takes {energy_in}; the last tenth {last_tenth_value}"),
            words("{filled_in_value}, takes {energy_in}"),
            words("{filled_in_value}"),
        ),
        5,
        words("one filling"),
        words("its percent on the way, a counter where there is one"),
    ),
)
METHOD = MethodEntry("round-trip", "Round trip", 46, _suits, "ubrant.methods.round_trip.method:RoundTripMethod", answers=HOW)
