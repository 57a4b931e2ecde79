"""A simulated person loads a simulated panel, or cells, more and more."""

from __future__ import annotations

import re
from collections.abc import Callable

import numpy as np

from ubrant.core.models.bank import of_a_unit
from ubrant.core.models.cell import Pack
from ubrant.core.models.sources import panel_of
from ubrant.core.quantities.label import LabelError
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

_WAIT_S = 120.0
_SHARES = 1.15
_HIGHEST_C = 1.5


def loads_it(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """Nothing attached, then load after load, closer together where it gives in."""
    volts_at, most_a = _source(prepared, reader)
    count = max(int(prepared.plan.points), 3)
    for k in range(count + 1):
        amps = most_a * (1 - (1 - k / count) ** _SHARES)
        yield _WAIT_S, f"{reader.volts('source', volts_at(amps))} {reader.amps('source', amps)}"


def _source(prepared: Prepared, reader: SimulatedEyes) -> tuple[Callable[[float], float], float]:
    """Volts at so many amperes, and how many it can give."""
    unit = prepared.setup.unit
    try:
        cells = of_a_unit(unit.label, unit.stand_in, reader.known(unit, "health", 0.9, 0.08))
    except (LabelError, ValueError):
        watts = re.search(r"(\d+(?:[.,]\d+)?)\s*W\b", unit.label_text)
        volts = re.search(r"(\d+(?:[.,]\d+)?)\s*V\b", unit.label_text)
        rated = float(watts[1].replace(",", ".")) if watts else 20.0
        panel = panel_of(rated, float(volts[1].replace(",", ".")) if volts else 12.0, reader.known(unit, "light", 0.4, 0.2))
        return panel.volts, 0.985 * panel.short_a
    pack = Pack(cells, reader.known(unit, "soc", 0.8))
    ohm = (cells.r0_ohm + cells.r1_ohm) * reader.known(unit, "resistance", 2.0)
    most = min(0.6 * pack.open_circuit_v() / ohm, _HIGHEST_C * cells.capacity_ah)
    at_rest = pack.open_circuit_v()
    return (lambda amps: float(np.maximum(at_rest - ohm * amps, 0.0))), most
