"""A simulated person feeds one load each way from a simulated source, and reads watts off its display; or its percent, where that is blind."""

from __future__ import annotations

import re

from ubrant.core.models.bank import STEP_S, Bank, of_a_unit
from ubrant.core.quantities.quantity import parse_quantity
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

MAINS = re.compile(r"\b(?:mains|ac|230|120|wall)\b", re.I)
STRAIGHT = re.compile(r"\b(?:straight|direct|cells?)\b", re.I)
_BRICK = 0.86
"""Of what a load takes out of the mains socket, so much gets through its own brick."""
_SETTLES_S, _DAY_S = 600.0, 20 * 3600.0
_USUAL_W = 20.0


def feeds(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """Way after way, from the same source; what its display does not see is told by its percent after most of a day."""
    unit, fed = prepared.setup.unit, prepared.setup.device
    cells = of_a_unit(unit.label, unit.stand_in, reader.known(unit, "health", 0.95, 0.05))
    watts = reader.known(fed, "draws_w", _watts(fed.label_text)) if fed is not None else _USUAL_W
    blind_w = reader.known(unit, "blind_w", 0.0)
    bend = reader.known(unit, "bend", 1.0)
    for way in prepared.plan.ways:
        mains = bool(MAINS.search(way))
        volts = 230.0 if mains else 12.0
        bank = Bank(cells, volts, 0.97, blind_w=blind_w, bend=bend)
        drawn_w = watts / _BRICK if mains else watts

        def burn(seconds: float, bank: Bank = bank, drawn_w: float = drawn_w, straight: bool = bool(STRAIGHT.search(way))) -> None:
            for _ in range(round(seconds / STEP_S)):
                if straight:
                    bank.taken_w = drawn_w
                    bank.pack.step(drawn_w / bank.pack.open_circuit_v(), STEP_S)
                else:
                    bank.give_watts(drawn_w)

        before = bank.percent
        burn(_SETTLES_S)
        if bank.display_w:
            at_load = f"load {reader.watts('load', drawn_w)} " if mains else ""
            yield _SETTLES_S, f'source {reader.number("source", "W", bank.taken_w, 1.0)} W {at_load}"{way}"'
            continue
        hours_s = min(_DAY_S, 0.6 * (unit.label.energy_wh or 100.0) / max(bank.taken_w, 0.1) * 3600)
        burn(hours_s - _SETTLES_S)
        yield _SETTLES_S, f'source {before} % "{way}"'
        yield hours_s, f'source {bank.percent} % "{way}"'


def _watts(label: str) -> float:
    """What a load's label says that it draws."""
    found = re.search(r"(\d+(?:[.,]\d+)?\s*W)\b(?!h)", label)
    return parse_quantity(found[1], "W") if found else _USUAL_W
