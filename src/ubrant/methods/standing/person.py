"""A simulated person looks at what stands on the shelf, and again weeks later."""

from __future__ import annotations

from collections.abc import Sequence

from ubrant.core.battery.stood import ALL_OFF
from ubrant.core.equipment.unit import Unit
from ubrant.core.models.bank import of_a_unit
from ubrant.core.models.cell import Pack
from ubrant.core.quantities.label import LabelError
from ubrant.core.sources.capacitor import read_label
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

_WEEK_S, _LOOKS, _MONTH_WEEKS, _MONTH_D = 7 * 86_400.0, 4, 4.35, 30.4
_ON_H, _REST_H, _FIRST_A_DAY = 12.0, 96.0, 0.7
"""Made up."""


def looks_again(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """Once a week: the percent of what shows one, the volts of what does not. With one thing after another on: half a day each, all off for days."""
    unit = prepared.setup.unit
    turns = prepared.plan.turns if prepared.plan is not None else ()
    if len(turns) > 1 and unit.kind in {"bank", "station"}:
        yield from _in_turn(turns, unit, reader)
        return
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


def _in_turn(turns: Sequence[str], unit: Unit, reader: SimulatedEyes) -> ReadLines:
    """The first takes most, each further one a part of it."""
    left = reader.known(unit, "soc", 0.98)
    wait_s = 60.0
    for number, on in enumerate(turns):
        yield wait_s, f"{unit.kind} {round(100 * left)} %"
        resting = on == ALL_OFF
        hours = _REST_H if resting else _ON_H
        a_day = reader.known(unit, "lost_a_month", 0.05, 0.5) / _MONTH_D if resting else _FIRST_A_DAY / (1 + 3 * number)
        left = max(left - a_day * hours / 24, 0.02)
        wait_s = 3600 * hours
    yield wait_s, f"{unit.kind} {round(100 * left)} %"
