"""Load steps on an inverter or converter, from a battery: no load up to past its rating, then a load held until something gives up."""

from ubrant.core.equipment.unit import Unit
from ubrant.methods.ratings import read_ratings
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    if unit.kind not in {"inverter", "converter"}:
        return False
    try:
        return not read_ratings(unit, how_much=False).takes_mains
    except ValueError:
        return True


METHOD = MethodEntry("steps", "Load steps", 30, _suits, "ubrant.methods.load_steps.method:LoadStepsMethod", ranks=True)
