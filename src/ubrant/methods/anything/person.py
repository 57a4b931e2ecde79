"""A simulated person with a meter at each place: a battery, a converter behind it, and what that feeds."""

from __future__ import annotations

from ubrant.core.quantities.alternating import AC_FROM_V
from ubrant.core.record.head import label_of
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared
from ubrant.methods.ratings import ratings_in

_MOMENTS, _BETWEEN_S = (0.1, 0.3, 0.6), 300.0
_OHM, _DROP_OHM = 0.02, 0.01
_USUAL_V, _USUAL_W = 12.8, 40.0


def walks(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """Three loads, each read along the path."""
    unit = prepared.setup.unit
    ratings, label = ratings_in(unit.printed), label_of(unit)
    from_v = ratings.input_v if ratings is not None else (label.voltage_v if label is not None else None) or _USUAL_V
    to_v, most_w = (ratings.output_v, ratings.watts or _USUAL_W) if ratings is not None else (5.0, _USUAL_W)
    for share in _MOMENTS:
        out_w = share * most_w
        into_w = out_w / reader.known(unit, "efficiency", 0.88, 0.03) + 0.01 * most_w
        amps = into_w / from_v
        battery_v = from_v - _OHM * amps
        input_v = battery_v - _DROP_OHM * amps
        amps = into_w / input_v
        out = f"{reader.volts('output', to_v)} {reader.watts('output', out_w)}"
        if to_v < AC_FROM_V:
            out = f"{reader.volts('output', to_v)} {reader.amps('output', out_w / to_v)}"
        yield (
            _BETWEEN_S,
            f"battery {reader.volts('battery', battery_v)} {reader.amps('battery', amps)} input {reader.volts('input', input_v)} output {out}",
        )
