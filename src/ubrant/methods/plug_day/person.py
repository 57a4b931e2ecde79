"""A simulated person leaves a plug meter in for a day."""

from __future__ import annotations

import re

from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

_WAIT_S, _DAY_S, _USUAL_W, _LATE_S = 300.0, 86400.0, 80.0, 960.0


def waits_a_day(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """Standby, running, the counter now, the counter a day later and a little more."""
    unit = prepared.setup.unit
    rated = re.search(r"(\d+(?:[.,]\d+)?)\s*W\b", unit.label_text)
    running = reader.known(unit, "draws_w", float(rated[1].replace(",", ".")) if rated else _USUAL_W)
    standby, duty = reader.known(unit, "standby_w", 1.2), reader.known(unit, "duty", 0.4, 0.1)
    yield _WAIT_S, reader.watts("input", standby)
    yield _WAIT_S, reader.watts("input", running)
    yield _WAIT_S, "0.000 kWh"
    elapsed = _DAY_S + _LATE_S
    counted = (standby + duty * (running - standby)) * elapsed / 3600
    yield elapsed, f"{reader.off('input', 'Wh', counted) / 1000:.3f} kWh"
