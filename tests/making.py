"""Readings, records and benches that tests need, made in one place."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ubrant.core.accuracy import parse_accuracy
from ubrant.core.cutoff import Cutoff
from ubrant.methods.discharge.sums import DischargeRecord
from ubrant.core.label import parse_label
from ubrant.core.leads import Leads
from ubrant.core.readings import Readings
from ubrant.methods.discharge.procedure import DischargePlan, usual_plan

VOLTS = parse_accuracy("0.1 % + 3 mV", "V")
AMPS = parse_accuracy("0.5 % + 5 mA", "A")


def falling(hours: float = 5.0, every_s: float = 10.0, amps: float = 10.0, end_v: float = 10.5) -> Readings:
    """A discharge whose voltage falls from 13.2 V, slowly at first; at 11 V the curve is at (11/… ) known in closed form."""
    time = np.arange(0.0, hours * 3600 + every_s / 2, every_s)
    volts = 13.2 - (13.2 - end_v) * (time / time[-1]) ** 8
    return Readings(time, volts, np.full_like(time, amps))


def crossing_s(hours: float, end_v: float, cutoff_v: float) -> float:
    """When ``falling`` meets a voltage."""
    return hours * 3600 * ((13.2 - cutoff_v) / (13.2 - end_v)) ** (1 / 8)


def record(readings: Readings | None = None, **changes: object) -> DischargeRecord:
    """A discharge of a 50 Ah pack to 11 V with a usual meter, at the label's rate."""
    made = DischargeRecord(readings or falling(), VOLTS, AMPS, parse_label("50 Ah 12.8 V LiFePO4"), Cutoff(11.0), temperature_c=20.0)
    return replace(made, **changes)  # type: ignore[arg-type]


def small_plan(label_text: str = "0.5 Ah 12.8 V LiFePO4", **changes: object) -> DischargePlan:
    """A short discharge: half an hour of rest-free model time at 1 C, read every 5 s."""
    plan = usual_plan(parse_label(label_text), Leads())
    plan = replace(plan, current_a=0.5, own_cutoff_v=10.7, every_s=5.0, rest_before_s=20.0, rest_after_s=60.0)
    return replace(plan, **changes)  # type: ignore[arg-type]
