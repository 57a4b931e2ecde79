"""Discharge: empty a charged, rested battery at a constant current to a cut-off, then let it recover."""

from __future__ import annotations

from dataclasses import dataclass

from ubrant.core.chemistry import CHEMISTRIES
from ubrant.core.cutoff import Cutoff
from ubrant.core.label import Label
from ubrant.core.leads import Leads
from ubrant.core.quantity import plain, show_duration
from ubrant.methods import cautions
from ubrant.methods.steps import Ask, LoadOff, LoadOn, ReadRest, ReadUntil, Steps


@dataclass(frozen=True)
class DischargePlan:
    """What a person chose.

    Attributes
    ----------
    current_a : constant
    cutoff : at the battery's terminals, with its hold time
    own_cutoff_v : the load's own, at the load's terminals, behind the leads
    every_s : between readings
    rest_before_s, rest_after_s : read with the load off
    temperature_c : of the battery at the start; None for unknown
    chemistry, series : of the battery, for the cautions
    """

    current_a: float
    cutoff: Cutoff
    own_cutoff_v: float
    every_s: float = 1.0
    rest_before_s: float = 60.0
    rest_after_s: float = 600.0
    temperature_c: float | None = None
    chemistry: str | None = None
    series: int | None = None


def own_cutoff(cutoff_v: float, current_a: float, leads: Leads) -> float:
    """The load's own cut-off: under the method's by what the leads drop, and 1 % more, so that the method comes first."""
    return round(cutoff_v * 0.99 - current_a * leads.resistance_ohm, 2)


def usual_plan(label: Label, leads: Leads) -> DischargePlan:
    """The test a label asks for: its own rate and cut-off, or else those of the standard for its cells.

    Raises
    ------
    ValueError
        The label gives no capacity in Ah.
    """
    if label.charge_ah is None:
        raise ValueError("The label gives no capacity in Ah to discharge against.")
    current = round(label.charge_ah * (label.standard_rate_c or 0.2), 3)
    kind = label.kind_of_cell
    volts = label.standard_cutoff_v or (kind.usual_cutoff_v * label.series if kind and label.series else 0.85 * (label.voltage_v or 0))
    hours = label.charge_ah / current
    return DischargePlan(
        current, Cutoff(round(volts, 2), 1.0), own_cutoff(volts, current, leads), every_s=1.0 if hours < 6 else 5.0,
        chemistry=label.chemistry, series=label.series,
    )  # fmt: skip


def discharge(plan: DischargePlan) -> Steps:
    """Constant-current discharge of a charged, rested battery to a cut-off, then recovery.

    No ``try/finally`` for safety here: the engine switches the load off itself, however this ends.
    """
    kind = CHEMISTRIES.get(plan.chemistry or "")
    rest = f"{kind.rest_hours:g} h" if kind else "an hour"
    charging = (cautions.VENTILATE,) if kind and kind.key == "lead-acid" else ()
    yield Ask(
        f"Charge it fully until the charger stops, let it rest {rest}, take every other load off.",
        (cautions.LOOK_FIRST, *charging),
    )
    yield Ask("Connect the meter at the battery's terminals and the load behind its leads.", (cautions.FUSE, cautions.SURFACE))
    yield ReadRest(plan.rest_before_s, min(plan.every_s, 5.0), f"Read the resting voltage for {show_duration(plan.rest_before_s)}.")
    yield LoadOn(
        plan.current_a, plan.own_cutoff_v,
        f"Load on at {plain(plan.current_a, 3)} A, its own cut-off at {plain(plan.own_cutoff_v, 4)} V.", (cautions.OWN_CUTOFF,),
    )  # fmt: skip
    volts = plan.cutoff.voltage_v
    yield ReadUntil(
        plan.cutoff.watch(), plan.every_s, at_most_s=20 * 24 * 3600.0,
        text=f"Read every {show_duration(plan.every_s)} until {plain(volts, 4)} V at the battery has lasted {show_duration(plan.cutoff.hold_s)}.",
        cautions=(cautions.WARM, cautions.floor_caution(kind, plan.series)),
    )  # fmt: skip
    yield LoadOff("Load off.")
    yield ReadRest(
        plan.rest_after_s, min(max(plan.every_s, 1.0), 10.0), f"Read how it recovers for {show_duration(plan.rest_after_s)}.",
        (cautions.RECHARGE,),
    )  # fmt: skip
