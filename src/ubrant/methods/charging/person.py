"""A simulated person walks a load in constant voltage up a simulated charger, or watches it charge a battery."""

from __future__ import annotations

import re

from ubrant.core.models.bank import of_a_unit
from ubrant.core.models.cell import Pack
from ubrant.core.models.sources import Charger
from ubrant.core.quantities.chemistry import CHEMISTRIES
from ubrant.core.quantities.label import LabelError
from ubrant.core.quantities.quantity import parse_number
from ubrant.core.record.head import label_of
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

_POINTS, _FINE, _WAIT_S, _STEP_S, _EVERY_S, _SOON_S = 8, 9, 60.0, 10.0, 900.0, 60.0
_NEAR_OHMS = 1.5
"""From so many times its own drop below its set voltage on, a person who sees the current fall goes in small steps."""
_USUAL_V, _LEADS_OHM = 14.6, 0.06


def charges(prepared: Prepared, reader: SimulatedEyes, walked: str) -> ReadLines:
    """What it gives at each voltage, or over the hours into a battery."""
    setup, plan = prepared.setup, prepared.plan
    battery = label_of(setup.device) if setup.device is not None else None
    kind = battery.kind_of_cell if battery is not None else None
    usual = kind.charged_v[1] * battery.series if battery is not None and kind is not None and battery.series else _USUAL_V
    set_v = reader.known(setup.unit, "set_v", usual)
    charger = Charger(
        reader.known(setup.unit, "set_a", _amps(setup.unit.label_text)),
        set_v,
        gentle_below_v=reader.known(setup.unit, "gentle_below_v", 0.8 * set_v),
        starts_from_v=reader.known(setup.unit, "starts_from_v", 0.55 * set_v),
        end_share=reader.known(setup.unit, "end_share", 0.08),
    )
    if plan.into == walked or setup.device is None:
        low, high = plan.low or 0.75 * set_v, plan.high or 1.002 * set_v
        near = set_v - _NEAR_OHMS * charger.slope_ohm * charger.set_a
        coarse = [low + (near - low) * k / _POINTS for k in range(_POINTS)]
        for volts in (*coarse, *(near + (high - near) * k / _FINE for k in range(_FINE + 1))):
            yield _WAIT_S, f"{reader.volts('battery', volts)} {reader.amps('battery', charger.amps(volts))}"
        return
    try:
        cells = of_a_unit(setup.device.label, setup.device.stand_in, 1.0)
    except LabelError as error:
        raise ValueError(str(error)) from None
    pack, since_s = Pack(cells, 0.2), 0.0
    full_v = CHEMISTRIES[cells.chemistry].charged_v[1] * cells.series
    while True:
        into = max(0.0, (set_v - pack.voltage_v(0.0)) / (pack.resistance_ohm() + _LEADS_OHM))
        amps = min(charger.set_a, into)
        if amps < charger.end_share * charger.set_a or pack.voltage_v(-amps) > 1.1 * full_v:
            break
        volts = pack.step(-amps, _STEP_S)
        since_s += _STEP_S
        if since_s >= (_EVERY_S if amps == charger.set_a else _SOON_S):
            yield since_s, f"{reader.volts('battery', volts)} {reader.amps('battery', amps)}"
            since_s = 0.0
    yield since_s, f"{reader.volts('battery', pack.voltage_v(0.0))} 0 A"


def _amps(label: str) -> float:
    """What is printed on it, else 4 A."""
    found = re.search(r"(\d+(?:[.,]\d+)?)\s*A\b(?!h)", label)
    return parse_number(found[1]) if found else 4.0
