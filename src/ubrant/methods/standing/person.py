"""A simulated person looks at what stands on the shelf, and again weeks later."""

from __future__ import annotations

from ubrant.core.models.bank import of_a_unit
from ubrant.core.models.cell import Pack
from ubrant.core.quantities.label import LabelError
from ubrant.core.sources.capacitor import read_label
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

_WEEK_S, _LOOKS, _MONTH_WEEKS = 7 * 86_400.0, 4, 4.35


def looks_again(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """Once a week: the percent of what shows one, the volts of what does not."""
    unit = prepared.setup.unit
    lost_a_week = reader.known(unit, "lost_a_month", 0.05, 0.5) / _MONTH_WEEKS
    for week in range(_LOOKS + 1):
        left = reader.known(unit, "soc", 0.95) * (1 - lost_a_week) ** week
        moment = _WEEK_S if week else 60.0
        if unit.kind in {"bank", "station"}:
            yield moment, f"{unit.kind} {round(100 * left)} %"
            continue
        try:
            volts = Pack(of_a_unit(unit.label, unit.stand_in, 1.0), left).open_circuit_v()
        except (LabelError, ValueError):
            volts = (read_label(unit.label_text).volts or 5.0) * left
        yield moment, f"battery {reader.volts('battery', volts)}"
