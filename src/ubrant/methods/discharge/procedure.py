"""Discharge: empty a charged, rested battery to a cut-off or another end, then let it recover; with a charge before or after, or in cycles."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from ubrant.core.battery.ending import CHARGE, CUTOFF, EMPTIED, Ends
from ubrant.core.battery.resistance import FIRST_RATE_C, FIRST_S, SECOND_RATE_C, SECOND_S
from ubrant.core.equipment.leads import Leads
from ubrant.core.models.circuit import CURRENT, POWER, RESISTANCE
from ubrant.core.quantities.chemistry import CHEMISTRIES
from ubrant.core.quantities.label import Label, usual_cutoff_v
from ubrant.core.quantities.quantity import plain, show_duration
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.wording import say
from ubrant.methods import cautions
from ubrant.methods.steps import (
    STEP_DONE,
    Ask,
    ReadRest,
    ReadUntil,
    SetLoad,
    StartCharge,
    Steps,
    StopCharge,
    SwitchLoadOff,
    SwitchLoadOn,
    Zero,
)

UNITS = {CURRENT: "A", POWER: "W", RESISTANCE: "Ω"}
OWN_CUTOFF = "load's own cut-off"
_LONGEST_S = 20 * 24 * 3600.0


@dataclass(frozen=True)
class ChargePlan:
    """Constant current up to a voltage, then that voltage until the current has fallen to ``end_a``."""

    current_a: float
    limit_v: float
    end_a: float


@dataclass(frozen=True)
class DischargePlan:
    """What a person chose.

    Attributes
    ----------
    current_a : constant; for a power or resistance, the current expected at the nominal voltage
    cutoff : at the battery's terminals, with its hold time
    own_cutoff_v : the load's own, at the load's terminals, behind the leads
    every_s : between readings
    rest_before_s, rest_after_s : read with the load off
    chemistry, series : of the battery, for the cautions
    mode, amount : what the load holds still; None for ``current_a``
    profile : (seconds, amount) one after the other; ``repeats``: again and again, as pulses do
    limits : other ways to end, besides the cut-off
    two_step : begin with the two steps of IEC 61960-3; needs ``rated_ah``
    charge : a charge; ``charge_when``: ``before``, ``after`` or ``cycles``
    cycles : charge, rest, discharge, so many times; ``stop_share``: until one gives less than this share of the first
    zero_first : read the meter's zero before anything is connected
    by_hand : the load is switched by a person
    take_out_ah : take so much out, counted, before the run itself starts
    """

    current_a: float
    cutoff: Cutoff
    own_cutoff_v: float
    every_s: float = 1.0
    rest_before_s: float = 60.0
    rest_after_s: float = 600.0
    chemistry: str | None = None
    series: int | None = None
    mode: str = CURRENT
    amount: float | None = None
    profile: tuple[tuple[float, float], ...] = ()
    repeats: bool = False
    limits: Ends = field(default_factory=Ends)
    two_step: bool = False
    rated_ah: float | None = None
    charge: ChargePlan | None = None
    charge_when: str = ""
    cycles: int = 1
    stop_share: float = 0.0
    zero_first: bool = False
    by_hand: bool = False
    take_out_ah: float = 0.0

    @property
    def setting(self) -> float:
        """What the load is set to, in A, W or Ω."""
        return self.current_a if self.amount is None else self.amount

    def show_setting(self, amount: float | None = None) -> str:
        return f"{plain(self.setting if amount is None else amount, 4)} {UNITS[self.mode]}"

    def ends(self) -> Ends:
        """Every way in which it ends."""
        return replace(self.limits, cutoff=self.cutoff)


def usual_interval_s(plan: DischargePlan) -> float:
    """How often a person looks in: some twenty times in a discharge, never more than once a minute, nor less than every half hour."""
    hours = (plan.rated_ah or plan.current_a) / plan.current_a if plan.current_a > 0 else 5.0
    return float(min(max(round(hours * 60 / 20), 1), 30) * 60)


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
        raise ValueError(say("The label says no volts, so that its Wh are no Ah to discharge against."))
    current = round(label.charge_ah * (label.standard_rate_c or 0.2), 3)
    volts = usual_cutoff_v(label) or 0.0
    hours = label.charge_ah / current
    return DischargePlan(
        current,
        Cutoff(volts, 1.0),
        own_cutoff(volts, current, leads),
        every_s=1.0 if hours < 6 else 5.0,
        chemistry=label.chemistry,
        series=label.series,
        rated_ah=label.charge_ah,
    )


def usual_charge(label: Label) -> ChargePlan | None:
    """How such a battery is usually charged: 0.2 C to its full voltage, until a twentieth of that; None where nobody can say.

    Voltages are common practice, no source: 3.65 V a cell for iron phosphate, 4.2 for lithium-ion, 2.4 for lead-acid.
    """
    kind = label.kind_of_cell
    full = {"lifepo4": 3.65, "li-ion": 4.2, "lead-acid": 2.4}.get(kind.key if kind else "")
    if full is None or not label.series or label.charge_ah is None:
        return None
    amps = round(0.2 * label.charge_ah, 3)
    return ChargePlan(amps, round(full * label.series, 2), round(amps / 10, 3))


_NOTHING = (("battery", "A"),)
"""Everything off, and nothing flows out of the battery."""


def discharge(plan: DischargePlan) -> Steps:
    """Discharge of a charged, rested battery to its end, then recovery.

    No ``try/finally`` for safety here: the engine switches load and charger off itself, however this ends.
    """
    kind = CHEMISTRIES.get(plan.chemistry or "")
    rest = f"{kind.rest_hours:g} h" if kind else "an hour"
    charging = (cautions.VENTILATE,) if kind and kind.key == "lead-acid" else ()
    if plan.zero_first:
        yield Zero(say("Leave the meter's leads open (volts: touch them together; clamp: nothing in its jaw), and read its zero."))
    if plan.charge_when in {"before", "cycles"}:
        yield Ask(say("Take every other load off the battery."), (cautions.LOOK_FIRST, *charging))
    else:
        yield Ask(
            say("Charge it fully until the charger stops, let it rest {rest}, take every other load off.", rest=rest),
            (cautions.LOOK_FIRST, *charging),
        )
    yield Ask(say("Connect the meter at the battery's terminals and the load behind its leads."), (cautions.FUSE, cautions.SURFACE))
    if plan.charge is not None and plan.charge_when in {"before", "cycles"}:
        yield from _charge(plan, plan.charge)
    yield ReadRest(
        plan.rest_before_s,
        min(plan.every_s, 5.0),
        say("Read the resting voltage for {rest_before_s}.", rest_before_s=show_duration(plan.rest_before_s)),
        nothing=_NOTHING,
    )
    if plan.take_out_ah:
        yield from _take_out(plan)
    first_ah = 0.0
    for number in range(1, plan.cycles + 1):
        watch = plan.ends().watch()
        ended = yield from _empty(plan, watch)
        empty = is_low(plan, ended, watch.charge_ah)
        first_ah = first_ah or watch.charge_ah
        faded = plan.stop_share > 0 and watch.charge_ah < plan.stop_share * first_ah
        if ended not in (CUTOFF, OWN_CUTOFF, None) or number == plan.cycles or faded or plan.charge is None:
            break
        yield ReadRest(plan.rest_after_s, min(max(plan.every_s, 1.0), 10.0), f"Rest {show_duration(plan.rest_after_s)}.", (), _NOTHING)
        yield from _charge(plan, plan.charge)
        yield ReadRest(plan.rest_before_s, min(plan.every_s, 5.0), f"Rest {show_duration(plan.rest_before_s)}.", (), _NOTHING)
    yield ReadRest(
        plan.rest_after_s,
        min(max(plan.every_s, 1.0), 10.0),
        say("Read how it recovers for {rest_after_s}.", rest_after_s=show_duration(plan.rest_after_s)),
        (cautions.RECHARGE,) if empty else (),
        _NOTHING,
    )
    if plan.charge is not None and plan.charge_when == "after":
        yield from _charge(plan, plan.charge)
        yield ReadRest(plan.rest_before_s, min(plan.every_s, 5.0), f"Rest {show_duration(plan.rest_before_s)}.", (), _NOTHING)


def after_a_gap(plan: DischargePlan) -> Steps:
    """Go on with a discharge that was interrupted: the load on again, to the same end."""
    yield Ask(say("Look that the battery, its leads and the meter are as they were."), (cautions.LOOK_FIRST, cautions.FUSE))
    yield from _empty(replace(plan, two_step=False), plan.ends().watch())
    yield ReadRest(
        plan.rest_after_s,
        min(max(plan.every_s, 1.0), 10.0),
        say("Read how it recovers for {rest_after_s}.", rest_after_s=show_duration(plan.rest_after_s)),
        (cautions.RECHARGE,),
        _NOTHING,
    )


def _empty(plan: DischargePlan, watch):  # type: ignore[no-untyped-def]  # a generator that answers what ended it
    """Load on, steps of the current, reading until the end, load off."""
    kind = CHEMISTRIES.get(plan.chemistry or "")
    phases = list(plan.profile) or [(_LONGEST_S, plan.setting)]
    steps_c = [(FIRST_S, FIRST_RATE_C), (SECOND_S, SECOND_RATE_C)] if plan.two_step and plan.rated_ah and plan.mode == CURRENT else []
    begin = [(seconds, rate * (plan.rated_ah or 0.0)) for seconds, rate in steps_c]
    first = (begin or phases)[0][1]
    on = say("Load on at {first}", first=plan.show_setting(first))
    text = (
        say("Switch the load on: {first}.", first=plan.show_setting(first))
        if plan.by_hand
        else say("{on}, its own cut-off at {own_cutoff_v:.2f} V.", on=on, own_cutoff_v=plan.own_cutoff_v)
    )
    yield SwitchLoadOn(first, plan.own_cutoff_v, text, () if plan.by_hand else (cautions.OWN_CUTOFF,), plan.mode, longest_s(plan))
    warm = (cautions.WARM, cautions.floor_caution(kind, plan.series))
    ended: str | None = STEP_DONE
    set_to = first
    for seconds, amount in begin:
        if amount != set_to:
            yield SetLoad(amount, f"{plan.show_setting(amount)} for {show_duration(seconds)}.", (), plan.mode)
            set_to = amount
        ended = yield ReadUntil(
            watch,
            min(plan.every_s, 0.5),
            seconds,
            say("Read for {seconds} at {amount}.", seconds=show_duration(seconds), amount=plan.show_setting(amount)),
            warm,
            _NOTHING,
        )
        if ended != STEP_DONE:
            break
    text = say("Read every {every_s} until {describe}.", every_s=show_duration(plan.every_s), describe=plan.ends().describe())
    while ended == STEP_DONE:
        for seconds, amount in phases:
            if amount != set_to:
                yield SetLoad(amount, f"{plan.show_setting(amount)}.", (), plan.mode)
                set_to = amount
            every_s = min(plan.every_s, max(seconds / 4, 0.1))
            ended = yield ReadUntil(watch, every_s, seconds, text, warm, _NOTHING)
            if ended != STEP_DONE:
                break
        if not plan.repeats:
            break
    yield SwitchLoadOff(say("Switch the load off.") if plan.by_hand else say("Load off."))
    return ended


def is_low(plan: DischargePlan, ended: str | None, charge_ah: float) -> bool:
    """It was emptied to its end, or more than half of its label is out: one of which hardly anything was taken need not be recharged soon."""
    return ended in {*EMPTIED, OWN_CUTOFF, None} or not plan.rated_ah or charge_ah > 0.5 * plan.rated_ah


def longest_s(plan: DischargePlan) -> float:
    """No battery gives longer than this: for a load's own time limit. Twice its label at its least current; 0 where that does not follow."""
    least = min([amount for _, amount in plan.profile] or [plan.setting])
    return 2 * 3600 * plan.rated_ah / least if plan.rated_ah and plan.mode == CURRENT and least > 0 else 0.0


def _take_out(plan: DischargePlan) -> Steps:
    watch = Ends(cutoff=plan.cutoff, charge_ah=plan.take_out_ah).watch()
    yield SwitchLoadOn(
        plan.setting,
        plan.own_cutoff_v,
        say("Take {take_out_ah} Ah out first, counted.", take_out_ah=plain(plan.take_out_ah)),
        (cautions.OWN_CUTOFF,),
        plan.mode,
    )
    yield ReadUntil(
        watch,
        plan.every_s,
        _LONGEST_S,
        say("Read until {take_out_ah} Ah are out.", take_out_ah=plain(plan.take_out_ah)),
        (cautions.WARM,),
        _NOTHING,
    )
    yield SwitchLoadOff(say("Load off."))
    yield ReadRest(plan.rest_before_s, min(plan.every_s, 5.0), f"Rest {show_duration(plan.rest_before_s)}.", (), _NOTHING)


def _charge(plan: DischargePlan, charge: ChargePlan) -> Steps:
    kind = CHEMISTRIES.get(plan.chemistry or "")
    airing = (cautions.VENTILATE,) if kind and kind.key == "lead-acid" else ()
    instruction = say("Charge at {current_a} A up to {limit_v} V", current_a=plain(charge.current_a), limit_v=plain(charge.limit_v))
    yield StartCharge(charge.current_a, charge.limit_v, f"{instruction}.", (cautions.CHARGE_FLOOR, *airing))
    watch = Ends(end_a=charge.end_a).watch()
    yield ReadUntil(
        watch,
        plan.every_s,
        _LONGEST_S,
        say("{told}, until {end_a} A still flow.", told=instruction, end_a=plain(charge.end_a)),
        (cautions.WARM,),
    )
    yield StopCharge(say("Charger off."))


__all__ = ["CHARGE", "ChargePlan", "DischargePlan", "after_a_gap", "discharge", "own_cutoff", "usual_charge", "usual_plan"]
