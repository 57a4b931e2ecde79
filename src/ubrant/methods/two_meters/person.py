"""A simulated person reads two meters at one place, low to high."""

from __future__ import annotations

import numpy as np

from ubrant.methods.by_eye import Lines, Reader
from ubrant.methods.method import Prepared, label_of

_WAIT_S = 60.0
_USUAL = {"V": 12.0, "A": 5.0, "W": 60.0}
_LOW = 0.1


def reads_both(prepared: Prepared, reader: Reader) -> Lines:
    """What there is goes up evenly, to what the unit's label leads one to expect."""
    unit, plan = prepared.setup.unit, prepared.plan
    label = label_of(unit)
    volts = label.voltage_v if label is not None else None
    most = volts if plan.quantity == "V" and volts else _USUAL[plan.quantity]
    show = {"V": reader.volts, "A": reader.amps, "W": reader.watts}[plan.quantity]
    for there in np.linspace(_LOW * most, most, plan.points):
        yield _WAIT_S, f"display {show('display', float(there))} reference {show('reference', float(there))}"
