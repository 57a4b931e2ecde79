"""A simulated person fills a simulated store and empties it, and types what both counters and its display say."""

from __future__ import annotations

from ubrant.core.quantities.label import LabelError, parse_label
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

_USUAL_WH, _FROM, _FILLS_H, _EMPTIES_H = 100.0, 6.0, 4.0, 6.0


def fills_and_empties(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """From nearly empty to full and back to the same, as often as was planned."""
    unit, plan = prepared.setup.unit, prepared.plan
    own = unit.kind if unit.kind in {"bank", "station"} else "battery"
    try:
        label_wh = parse_label(unit.label_text).energy_wh or _USUAL_WH
    except LabelError:
        label_wh = _USUAL_WH
    stored = label_wh * reader.known(unit, "health", 0.95, 0.05) * (1 - _FROM / 100)
    into, out = stored / reader.known(unit, "fills", 0.86, 0.04), stored * reader.known(unit, "gives", 0.86, 0.04)
    volts = {"input": 5.0 if unit.kind == "bank" else 13.4, "output": 5.0 if unit.kind == "bank" else 12.6}
    total = {"input": 0.0, "output": 0.0}

    def line(tap: str, how: str, watts: float) -> str:
        if how == "W":
            return f"{tap} {reader.off(tap, 'W', watts):.1f} W"
        counter = reader.off(tap, "Wh", total[tap])
        return f"{tap} {counter:.2f} Wh" if how == "Wh" else f"{tap} {counter / volts[tap]:.3f} Ah {volts[tap]:.2f} V"

    for _ in range(int(plan.cycles)):
        for tap, how, amount, hours, ends in (
            ("input", plan.into, into, _FILLS_H, (f"{_FROM:.0f} %", "full")),
            ("output", plan.out, out, _EMPTIES_H, ("full", f"{_FROM:.0f} %")),
        ):
            yield 60.0, f"{line(tap, how, amount / hours)} {own} {ends[0]}"
            total[tap] += amount
            yield 3600 * hours, f"{line(tap, how, amount / hours)} {own} {ends[1]}"
