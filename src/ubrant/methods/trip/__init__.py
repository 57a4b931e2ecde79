"""Protection and breakers: overload steps, each held until it opens or for so long, cooled down and reset in between."""

from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind == "lead"


METHOD = MethodEntry("trip", "Protection", 60, _suits, "ubrant.methods.trip.method:TripMethod")
