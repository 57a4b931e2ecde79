"""Charge and energy efficiency of a battery: what came out of it against what was put in."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import show
from ubrant.core.quantities.readings import Readings
from ubrant.core.record.integrals import through_meter, totals
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import as_read
from ubrant.core.wording import say


@dataclass(frozen=True)
class Recharge:
    """One charge.

    Attributes
    ----------
    charge, energy : what was put in, positive, with their uncertainty
    end_current : at the end of it
    """

    charge: Finding
    energy: Finding
    end_current: Finding


def recharge_of(readings: Readings, voltage: Accuracy | None, current: Accuracy | None, from_s: float, to_s: float) -> Recharge | None:
    """What was put in between two moments; current into the battery is negative. None where nothing was."""
    inside = (readings.time_s >= from_s) & (readings.time_s <= to_s)
    if inside.sum() < 2:
        return None
    time, volts, amps = readings.time_s[inside], readings.voltage_v[inside], -readings.current_a[inside]
    sums = totals(time, volts, amps)
    if not sums.charge_ah > 0:
        return None
    charge, energy = through_meter(sums, voltage, current, turned=True)
    last = -as_read(-float(np.median(amps[-3:])), current)
    working = say("with {show} V at the terminals", show=show(float(volts[-1])))
    return Recharge(
        Finding.made("charge_in", say("Charge put in"), charge, "Ah", say("∫ I dt over {hours} h of charging", hours=show(sums.hours))),
        Finding.made("energy_in", say("Energy put in"), energy, "Wh", say("∫ V·I dt at the battery terminals")),
        Finding.made("end_current", say("Charging ended at"), last, "A", working),
    )


def round_trip(out_charge: Finding, out_energy: Finding, put_in: Recharge) -> list[Finding]:
    """Coulombic (Ah out ÷ Ah in) and energy efficiency (Wh out ÷ Wh in), percent. One meter for both cancels its own gain."""
    findings = []
    for key, name, out, into in (
        ("coulombic_efficiency", "Coulombic efficiency", out_charge, put_in.charge),
        ("energy_efficiency", "Energy efficiency", out_energy, put_in.energy),
    ):
        if not out.value or not into.value:
            continue
        text = f"{show(out.value)} ÷ {show(into.value)} {out.unit}"
        share = 100 * out.known / into.known
        findings.append(Finding.made(key, name, share, "%", text, (f"{text} = {show(share.value)} %",)))
    return findings
