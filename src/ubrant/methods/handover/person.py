"""A simulated person pulls one source after the other and puts them back."""

from __future__ import annotations

from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

_WAIT_S, _USUAL_V = 90.0, 12.6


def pulls(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """Down the list, and up again; a change that is known to be slow lets it restart."""
    unit, sources = prepared.setup.unit, prepared.plan.sources
    usual = reader.known(unit, "output_v", _USUAL_V)
    slow = unit.stand_in.get("slow_change", "")
    for k, name in [*enumerate(sources[1:], start=1), *reversed(list(enumerate(sources[:-1])))]:
        dip = usual * reader.known(unit, f"dip {k}", 0.06, 0.7)
        falters = bool(slow) and name == slow
        low = usual - dip - (0.25 * usual if falters else 0.0)
        yield _WAIT_S, f"{reader.volts('output', low)} {'falters' if falters else 'runs'}"
