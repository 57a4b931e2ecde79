"""Charge and energy efficiency of a battery: what came out of it against what was put in."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import show
from ubrant.core.record.integrals import totals
from ubrant.core.record.readings import Readings
from ubrant.core.uncertainty.contributions import Contribution, Contributions, of_ratio, rectangular
from ubrant.core.uncertainty.finding import Finding
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
    parts_q: Contributions | None = None
    parts_e: Contributions | None = None
    parts_i: Contributions | None = None
    if voltage is not None and current is not None:
        gain_a, zero_a, gain_v, zero_v = (rectangular(x) for x in (current.gain, current.zero, voltage.gain, voltage.zero))
        parts_q = (  # the sign of a zero error is turned round: what adds to the charge out takes from the charge in
            Contribution("current gain", gain_a * sums.charge_ah),
            Contribution("current zero", -zero_a * sums.hours),
        )
        parts_e = (
            Contribution("current gain", gain_a * sums.energy_wh),
            Contribution("current zero", -zero_a * sums.volt_hours),
            Contribution("voltage gain", gain_v * sums.energy_wh),
            Contribution("voltage zero", zero_v * sums.charge_ah),
        )
        parts_i = (Contribution("current gain", gain_a * float(amps[-1])), Contribution("current zero", zero_a))
    last = float(np.median(amps[-3:]))
    return Recharge(
        Finding(
            "charge_in",
            say("Charge put in"),
            sums.charge_ah,
            "Ah",
            parts_q,
            say("∫ I dt over {hours} h of charging", hours=show(sums.hours)),
        ),
        Finding("energy_in", say("Energy put in"), sums.energy_wh, "Wh", parts_e, say("∫ V·I dt at the battery terminals")),
        Finding(
            "end_current", say("Charging ended at"), last, "A", parts_i, say("with {show} V at the terminals", show=show(float(volts[-1])))
        ),
    )


def efficiencies(out_charge: Finding, out_energy: Finding, put_in: Recharge) -> list[Finding]:
    """Coulombic (Ah out ÷ Ah in) and energy efficiency (Wh out ÷ Wh in), percent. One meter for both cancels its own gain."""
    findings = []
    for key, name, out, into in (
        ("coulombic_efficiency", "Coulombic efficiency", out_charge, put_in.charge),
        ("energy_efficiency", "Energy efficiency", out_energy, put_in.energy),
    ):
        if not out.value or not into.value:
            continue
        parts = None
        if out.contributions is not None and into.contributions is not None:
            parts = tuple(c.times(100) for c in of_ratio(out.value, out.contributions, into.value, into.contributions))
        text = f"{show(out.value)} ÷ {show(into.value)} {out.unit}"
        findings.append(
            Finding(key, name, 100 * out.value / into.value, "%", parts, text, (f"{text} = {show(100 * out.value / into.value)} %",))
        )
    return findings
