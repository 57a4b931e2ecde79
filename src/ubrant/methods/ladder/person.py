"""A simulated person turns a supply down on a simulated thing until it goes off, and tries on the way up where it starts."""

from __future__ import annotations

from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared
from ubrant.methods.ratings import watts_of_label

_WAIT_S, _USUAL_V, _USUAL_W = 20.0, 12.0, 6.0


def turns_down(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """Down its steps to the first at which it is off; then each of them again, upward, switched on anew, to the first at which it starts."""
    unit, volts = prepared.setup.unit, prepared.plan.volts
    top = max(volts, default=_USUAL_V)
    off_v = reader.known(unit, "off_v", 0.72 * top, 0.03)
    falters_v, starts_v = reader.known(unit, "falters_v", 1.06 * off_v), reader.known(unit, "starts_v", 1.12 * off_v)
    watts = reader.known(unit, "draws_w", watts_of_label(unit) or _USUAL_W)
    last = 0.0
    for one in volts:
        last = one
        if one <= off_v:
            yield _WAIT_S, f"{reader.volts('input', one)} {reader.amps('input', 0.0)} off"
            break
        yield _WAIT_S, f"{reader.volts('input', one)} {reader.amps('input', watts / one)} {'dims' if one < falters_v else 'runs'}"
    for one in sorted(v for v in volts if v > last):
        starts = one >= starts_v
        yield (
            _WAIT_S,
            f"{reader.volts('input', one)} {reader.amps('input', watts / one if starts else 0.0)} {'starts' if starts else 'does not start'}",
        )
        if starts:
            return
