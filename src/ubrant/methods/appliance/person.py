"""A simulated person puts a simulated appliance into each mode and reads the plug-in meter."""

from __future__ import annotations

import re

from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

_WAIT_S, _MAINS_V = 300.0, 231.0
_STANDBY = re.compile(r"stand|off|sleep", re.I)
_FACTOR, _SMALL_W, _SMALL_FACTOR = 0.6, 5.0, 0.3
_USUAL_W, _DC_V = 40.0, 12.7


def reads_modes(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """Volts, amperes, watts of each."""
    unit = prepared.setup.unit
    known = unit.stand_in.get("watts", {})
    rated = re.search(r"(\d+(?:[.,]\d+)?)\s*W\b", unit.label_text)
    most = float(rated[1].replace(",", ".")) if rated else _USUAL_W
    modes = prepared.plan.modes
    if prepared.plan.fed == "dc":
        fed_v = reader.known(unit, "fed_v", _DC_V)
        for k, mode in enumerate(modes):
            watts = float(known.get(mode, 0.97 * most * (0.01 if _STANDBY.search(mode) else (k + 1) / len(modes))))
            yield _WAIT_S, f"{reader.volts('input', fed_v)} {reader.amps('input', watts / fed_v)} {mode}"
        return
    for k, mode in enumerate(modes):
        share = 0.01 if _STANDBY.search(mode) else (k + 1) / len(modes)
        watts = float(known.get(mode, 0.97 * most * share))
        factor = float(unit.stand_in.get("factor", _FACTOR)) if watts > _SMALL_W else _SMALL_FACTOR
        volts, amps = reader.read("input", "V", _MAINS_V, 0.1), reader.read("input", "A", watts / _MAINS_V / factor, 0.001)
        yield _WAIT_S, f"{volts} {amps} {reader.watts('input', watts)} {mode}"
