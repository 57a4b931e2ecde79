"""A discharge's ± by drawing the errors of its meter: the sums themselves, on readings as they would have been."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ubrant.core.record.cutoff import Cutoff
from ubrant.core.uncertainty.contributions import merged
from ubrant.core.uncertainty.simulation import SEED, Simulated, of_part, simulated, uniform
from ubrant.methods.discharge.sums import Discharge, DischargeRecord, analyse

_STEPS = 15
_DRAWN = {"current gain", "current zero", "voltage gain", "voltage zero"}
_NORMAL = {"current noise", "voltage noise", "noise at the cut-off"}


def simulate(record: DischargeRecord, discharge: Discharge) -> tuple[Simulated, ...]:
    """Charge, energy and duration by draws of every error; nothing where there is no ±.

    A meter that shows v·(1 + g) + z sees the cut-off where the true voltage is another: the sums are made to fifteen cut-offs over what its
    limits allow, and read off between them.
    """
    voltage, current = record.voltage_accuracy, record.current_accuracy
    if voltage is None or current is None or discharge.by_counters:
        return ()
    rng = np.random.default_rng(SEED)
    gain_v, zero_v = uniform(rng, voltage.gain), uniform(rng, voltage.zero)
    gain_a, zero_a = uniform(rng, current.gain), uniform(rng, current.zero)
    findings = discharge.findings
    if discharge.crossing is not None and record.cutoff is not None:
        cutoff = record.cutoff
        limit = 1.05 * voltage.limit(cutoff.voltage_v)
        at = np.linspace(cutoff.voltage_v - limit, cutoff.voltage_v + limit, _STEPS)
        made = [analyse(replace(record, cutoff=Cutoff(float(v), cutoff.hold_s))).findings for v in at]
        shown = cutoff.voltage_v * (1 + gain_v) + zero_v
        charge, energy, seconds = (
            np.interp(shown, at, [float(f[key].value or 0.0) for f in made]) for key in ("charge", "energy", "duration")
        )
    else:
        charge, energy, seconds = (np.full(len(gain_v), float(findings[key].value or 0.0)) for key in ("charge", "energy", "duration"))
    hours, mean_v = seconds / 3600, float(findings["mean_voltage"].value or 0.0)
    true_charge = (charge - zero_a * hours) / (1 + gain_a)
    true_energy = (energy - zero_v * charge - zero_a * mean_v * hours + zero_v * zero_a * hours) / ((1 + gain_v) * (1 + gain_a))
    draws = {"charge": true_charge, "energy": true_energy, "duration": seconds}
    for key in draws:
        for part in merged(findings[key].contributions or ()):
            if part.source not in _DRAWN:
                draws[key] = draws[key] + of_part(rng, part, normal=part.source in _NORMAL)
    return tuple(simulated(findings[key], drawn) for key, drawn in draws.items())
