"""A simulated person loads a simulated supply step by step until it gives up."""

from __future__ import annotations

from ubrant.core.wording import say
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared
from ubrant.methods.ratings import read_ratings

_WAIT_S = 120.0


def loads_it(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """The loads in their order."""
    unit = prepared.setup.unit
    ratings = read_ratings(unit)
    if not ratings.amps > 0:
        raise ValueError(say("Its label says no amperes at its output."))
    open_v = reader.known(unit, "open_v", 1.012 * ratings.output_v, 0.004)
    ohm = reader.known(unit, "ohm", 0.02 * ratings.output_v / ratings.amps, 0.3)
    gives_up_a = reader.known(unit, "gives_up_a", 1.2 * ratings.amps, 0.15)
    for amps in prepared.plan.loads:
        if amps != amps:
            continue
        if amps > gives_up_a:
            yield _WAIT_S, f"{reader.volts('output', 0.0)} off"
            return
        yield _WAIT_S, f"{reader.volts('output', open_v - ohm * amps)} {reader.amps('output', amps)}"
