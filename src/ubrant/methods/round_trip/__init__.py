"""A round trip: filled and emptied, by whatever was read on each side; what comes back, once or cycle by cycle."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import COMES_BACK, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"battery", "bank", "station"}


HOW = Answering(
    COMES_BACK,
    (words("{back} comes back"), words("{charge_back} of the charge comes back")),
    10,
    words("one filling and one emptying"),
    words("a counter on each side"),
)
METHOD = MethodEntry("round-trip", "Round trip", 46, _suits, "ubrant.methods.round_trip.method:RoundTripMethod", answers=(HOW,))
