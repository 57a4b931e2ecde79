"""A simulated person walks round a van or a hut with a clamp: all off, one by one, all on."""

from __future__ import annotations

from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

_WAIT_S, _REST_V = 120.0, 12.63
_USUAL_A = 2.5


def walks_round(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """Resting volts, base, each load, all on; with the base in each reading unless the plan says otherwise."""
    unit, plan = prepared.setup.unit, prepared.plan
    known = unit.stand_in.get("loads_a", {})
    base = reader.known(unit, "base_a", 0.4, 0.3)
    amps = {name: float(known.get(name, reader.known(unit, f"{name} A", _USUAL_A, 0.8))) for name in plan.loads}
    yield _WAIT_S, reader.read("battery", "V", reader.known(unit, "rests_at", _REST_V), 0.01)
    yield _WAIT_S, reader.read("battery", "A", base, 0.01)
    inside = base if plan.base_in != "without" else 0.0
    for name in plan.loads:
        yield _WAIT_S, f"{reader.read('battery', 'A', amps[name] + inside, 0.01)} {name}"
    yield _WAIT_S, reader.read("battery", "A", base + sum(amps.values()), 0.01)
