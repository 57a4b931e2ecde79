"""A simulated person reads two meters at one place, low to high. Each is off by what it is off by on every other day, but for a little."""

from __future__ import annotations

import zlib

import numpy as np

from ubrant.core.equipment.meter import Meter
from ubrant.core.models.shown import drawn_inside
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.record.head import label_of
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

_WAIT_S = 60.0
_USUAL = {"V": 12.0, "A": 5.0, "W": 60.0}
_LOW, _MOVES = 0.1, 0.004
_DIGITS = {"V": 3, "A": 2, "W": 1}


def reads_both(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """What there is goes up evenly, to what the unit's label leads one to expect."""
    setup, plan = prepared.setup, prepared.plan
    label = label_of(setup.unit)
    volts = label.voltage_v if label is not None else None
    most = volts if plan.quantity == "V" and volts else _USUAL[plan.quantity]
    moved = reader.known(setup.unit, "moved", 1.0, _MOVES)
    for there in np.linspace(_LOW * most, most, plan.points):
        display = _shown(setup.meter("display"), plan.quantity, float(there) * moved)
        yield _WAIT_S, f"display {display} reference {_shown(setup.meter('reference'), plan.quantity, float(there))}"


def _shown(meter: Meter, quantity: str, there: float) -> str:
    rng = np.random.default_rng(zlib.crc32(f"{meter.name}/{quantity}".encode()))
    channel = drawn_inside(meter.made_for(quantity) or Accuracy(0.01, 0.01, quantity), rng, 0.0, 0.0)
    return f"{there * (1 + channel.gain) + channel.zero:.{_DIGITS[quantity]}f} {quantity}"
