"""What the same discharge would have given to a higher cut-off."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ubrant.core.record.cutoff import Cutoff
from ubrant.core.uncertainty.finding import Finding
from ubrant.methods.discharge.sums import DischargeRecord, analyse


def charge_to(record: DischargeRecord, cutoff_v: float) -> Finding | None:
    """Capacity to another, higher cut-off from the same run; None when the voltage never fell so far."""
    hold_s = record.cutoff.hold_s if record.cutoff else 1.0
    discharge = analyse(replace(record, cutoff=Cutoff(cutoff_v, hold_s), ended=None))
    return discharge.findings["charge"] if discharge.crossing else None


def charges_to_higher(record: DischargeRecord, mean_voltage_v: float, most: int = 3) -> list[tuple[float, Finding]]:
    """(volts, charge) for a few round cut-offs between the record's own and its mean voltage."""
    if record.cutoff is None:
        return []
    step = next((s for s in (0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0) if (mean_voltage_v - record.cutoff.voltage_v) / s <= most + 1), 10.0)
    first = np.floor(record.cutoff.voltage_v / step + 1e-9) + 1
    charges = [
        (volts, charge_to(record, volts)) for volts in (round(float((first + k) * step), 3) for k in range(most)) if volts < mean_voltage_v
    ]
    return [(volts, charge) for volts, charge in charges if charge is not None]
