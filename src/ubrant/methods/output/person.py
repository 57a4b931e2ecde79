"""A simulated person empties a simulated bank or station into a load, looks in now and then, and types."""

from __future__ import annotations

import math

from ubrant.core.models.bank import STEP_S, Bank, of_a_unit
from ubrant.core.quantities.alternating import AC_FROM_V
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

_LOOKS = 14
_NEAR_EMPTY, _SOONER = 12, 8
"""From so many percent on, it is looked at so many times as often."""
_AT_MOST_S = 30 * 86400.0


def empties(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """From full until it switches itself off."""
    unit, plan = prepared.setup.unit, prepared.plan
    cells = of_a_unit(unit.label, unit.stand_in, reader.known(unit, "health", 0.95, 0.05))
    least_a = reader.known(unit, "least_a", 0.0)
    bank = Bank(cells, plan.volts, least_a=least_a, bend=reader.known(unit, "bend", 1.5, 0.6))
    counter_wh = 0.0  # the meter's own: it counts what it shows

    def look() -> str:
        amps = plan.amps if bank.is_on else 0.0
        volts = bank.boost.output(bank.pack.open_circuit_v(), amps)[0]
        counted = f"{round(counter_wh, 2):.2f} Wh"
        if plan.volts > AC_FROM_V:
            return f"output {counted} bank {bank.percent} %"
        return f"output {reader.volts('output', volts)} {reader.amps('output', amps)} {counted} bank {bank.percent} %"

    yield 120.0, f"load on {look()}"
    on_mains = plan.volts > AC_FROM_V
    watts = plan.volts * plan.amps
    every_s = max(STEP_S, round((unit.label.energy_wh or watts) / max(watts, 1e-6) * 3600 / _LOOKS / 60) * 60.0)
    since_s = all_s = 0.0
    while bank.is_on and all_s < _AT_MOST_S:
        out_v, out_a = bank.give(plan.amps)
        counted = (
            (reader.off("output", "W", out_v * out_a),)
            if on_mains
            else (reader.off("output", "V", out_v), reader.off("output", "A", out_a))
        )
        counter_wh += math.prod(counted) * STEP_S / 3600 if out_v else 0.0
        since_s, all_s = since_s + STEP_S, all_s + STEP_S
        if since_s >= (every_s if bank.percent > _NEAR_EMPTY else every_s / _SOONER) and bank.is_on:
            yield since_s, look()
            since_s = 0.0
    yield since_s, "empty"
