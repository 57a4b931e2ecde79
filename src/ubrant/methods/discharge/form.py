"""The fields of a discharge's form."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ubrant.core.battery.ending import Ends
from ubrant.core.models.circuit import CURRENT, POWER, RESISTANCE
from ubrant.core.quantities.quantity import QuantityError, parse_quantity, plain, show_duration
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.head import BY_HAND, INSTRUMENTS, SIMULATED, Setup
from ubrant.core.record.typed import HELD, STRAIGHT
from ubrant.core.wording import say
from ubrant.methods.discharge.procedure import UNITS, ChargePlan, DischargePlan, own_cutoff, usual_charge, usual_plan
from ubrant.methods.form import CONDITIONS, ORIGIN, ChoiceKind, Factor, Field, FieldError, Phases, QuantityKind, Words, YesNo

NO_CHARGE, BEFORE, AFTER, CYCLES = "", "before", "after", "cycles"
_ON_BENCH = (SIMULATED, INSTRUMENTS)
_CHARGES = ChoiceKind((("none recorded", NO_CHARGE), ("before", BEFORE), ("after", AFTER), ("in cycles", CYCLES)))
_BETWEEN = ChoiceKind((("straight between readings", STRAIGHT), ("held until the next reading", HELD)))

_CELL_V, _PACK_V = "3.7", "12.8"
"""What many banks and many packs hold: an example, and in no sum."""


@dataclass(frozen=True)
class Amount:
    """What the load holds still: ``10 A``, ``120 W`` or ``8 Ω``; (mode, value)."""

    def read(self, text: str) -> tuple[str, float]:
        trouble = ""
        for mode, unit in UNITS.items():
            try:
                return mode, parse_quantity(text, unit)
            except QuantityError as error:
                trouble = trouble or str(error)
        raise QuantityError(say("{trouble} Amperes, watts or ohms will do.", trouble=trouble))

    def show(self, value: Any) -> str:
        mode, amount = value
        return f"{amount:.12g} {UNITS[mode]}"


def discharge_fields(setup: Setup) -> tuple[Field, ...]:
    """What can be chosen; usual is the test the label asks for.

    Raises
    ------
    ValueError
        The label gives no capacity in Ah.
    """
    label = setup.label
    if label is None:
        raise ValueError(say("The label gives no capacity in Ah to discharge against."))
    if label.charge_ah is None:
        raise ValueError(
            say(
                "“{label}” says no volts, so that its Wh are no Ah to discharge against: complete it, like “{label}, {volts} V”.",
                label=setup.unit.printed.strip(),
                volts=_CELL_V if setup.unit.kind == "bank" else _PACK_V,
            )
        )
    plan, charge = usual_plan(label, setup.leads), usual_charge(label)

    def quantity(key: str, title: str, unit: str, hint: str = "", usual: float | None = None, **more: Any) -> Field:
        return Field(
            key, title, QuantityKind(unit, may_be_empty=True), f"{plain(usual)} {unit}" if usual else "", hint, folded=True, **more
        )

    def with_charge(typed: Mapping[str, str]) -> bool:
        return typed.get("charge", "") not in {"", _CHARGES.options[0][0]}

    def in_cycles(typed: Mapping[str, str]) -> bool:
        return typed.get("charge", "") in _CHARGES.options[3]

    return (
        Field("load", "Load draws", Amount(), f"{plain(plan.current_a)} A", "10 A, 120 W or 8 Ω"),
        Field("cutoff", "Cut-off", QuantityKind("V"), f"{plan.cutoff.voltage_v:.4g} V"),
        Field("hold", "stays below for", QuantityKind("s"), show_duration(plan.cutoff.hold_s)),
        Field("every", "A reading every", QuantityKind("s"), show_duration(plan.every_s), roads=_ON_BENCH),
        Field("rest_before", "Rest before, after", QuantityKind("s"), show_duration(plan.rest_before_s), roads=_ON_BENCH),
        Field("rest_after", "Rest after", QuantityKind("s"), show_duration(plan.rest_after_s), beside=True, roads=_ON_BENCH),
        Field("temperature_c", "Battery is at", QuantityKind("°C", may_be_empty=True), "", "not known", CONDITIONS),
        Field("between", "Between readings", _BETWEEN, _BETWEEN.options[0][0], part=ORIGIN, roads=(BY_HAND,)),
        quantity("after_charge", "End also after", "Ah", "Ah"),
        quantity("after_energy", "or after", "Wh", "Wh", beside=True),
        quantity("after_time", "or after so long", "s", "h", beside=True),
        quantity("at_temperature", "… at a battery of", "°C", "45 °C"),
        Field("risen", "… at a resistance ×", Factor(), "", "1.5", folded=True),
        quantity("slow", "… when less than", "A", "0.2 A"),
        quantity("pulse_on", "Pulses: on for", "s", "60 s"),
        quantity("pulse_off", "off for", "s", "20 s"),
        Field("profile", "Load profile", Phases(), "", "300 s 0.5; 60 s 0", folded=True),
        quantity("take_out", "Take out first", "Ah", "4 Ah"),
        Field("charge", "Charge recorded", _CHARGES, _CHARGES.options[0][0], folded=True),
        quantity("charge_a", "at", "A", usual=charge.current_a if charge else None, only_with=with_charge),
        quantity("charge_v", "up to", "V", usual=charge.limit_v if charge else None, only_with=with_charge),
        quantity("charge_end", "until still flow", "A", usual=charge.end_a if charge else None, only_with=with_charge),
        Field("cycles", "Cycles", Factor(), "3", folded=True, only_with=in_cycles),
        quantity("stop_share", "until under", "%", "80 %", only_with=in_cycles),
        Field("start", "The start", Words(), "", "how it was charged, how long it rested, settings", CONDITIONS, folded=True),
        Field("two_step", "DC resistance in two steps first", YesNo(), "no", folded=True),
        Field("zero_first", "Read the meter's zero first", YesNo(), "no", folded=True),
    )


def plan_of(setup: Setup, read: Mapping[str, Any]) -> DischargePlan:
    """The plan that was typed.

    Raises
    ------
    FieldError
        Fields that do not go together.
    """
    label = setup.label
    assert label is not None
    (mode, amount), volts = read["load"], read["cutoff"]
    usual_v = label.voltage_v or volts or 1.0
    current = {CURRENT: amount, POWER: amount / usual_v, RESISTANCE: usual_v / amount if amount else 0.0}[mode]
    _must_go_together(read)
    pulses = ((read["pulse_on"], amount), (read["pulse_off"], 0.0)) if read["pulse_on"] and read["pulse_off"] else ()
    charge = ChargePlan(read["charge_a"], read["charge_v"], read["charge_end"]) if read["charge"] else None
    in_cycles = read["charge"] == CYCLES
    limits = Ends(None, read["after_charge"], read["after_energy"], read["after_time"], read["at_temperature"], read["risen"], read["slow"])
    return DischargePlan(
        current,
        Cutoff(volts, read["hold"]),
        own_cutoff(volts, current, setup.leads),
        read["every"],
        read["rest_before"],
        read["rest_after"],
        label.chemistry,
        label.series,
        mode,
        None if mode == CURRENT else amount,
        read["profile"] or pulses,
        bool(pulses) and not read["profile"],
        limits,
        read["two_step"],
        label.charge_ah,
        charge,
        read["charge"],
        int(read["cycles"] or 1) if in_cycles else 1,
        (read["stop_share"] or 0.0) / 100 if in_cycles else 0.0,
        read["zero_first"],
        take_out_ah=read["take_out"] or 0.0,
    )


def _must_go_together(read: Mapping[str, Any]) -> None:
    if not read["every"] > 0:
        raise FieldError("every", say("A reading every: it has to be more than 0 s."))
    if read["hold"] < 0:
        raise FieldError("hold", say("Hold: it has to be 0 s or more."))
    if (read["pulse_on"] is None) != (read["pulse_off"] is None):
        raise FieldError("pulse_on", say("Pulses need both: how long on, and how long off."))
    if read["charge"] == CYCLES and not (read["cycles"] or 0) >= 1:
        raise FieldError("cycles", say("Cycles: write how many, like 3."))
    if read["risen"] is not None and not read["risen"] > 1:
        raise FieldError("risen", say("Resistance: write how many times what it was, like 1.5."))
    if read["charge"] and not (read["charge_a"] and read["charge_v"] and read["charge_end"] is not None):
        raise FieldError("charge_a", say("The charge needs a current, a voltage and the current at which it ends."))


def typed_of(plan: DischargePlan, temperature_c: float | None, start: str, between: str) -> dict[str, Any]:
    """What the fields hold, by key."""
    pulses = plan.repeats and len(plan.profile) == 2
    limits, charge = plan.limits, plan.charge
    return {
        "load": (plan.mode, plan.setting),
        "cutoff": plan.cutoff.voltage_v,
        "hold": plan.cutoff.hold_s,
        "every": plan.every_s,
        "rest_before": plan.rest_before_s,
        "rest_after": plan.rest_after_s,
        "temperature_c": temperature_c,
        "between": between,
        "after_charge": limits.charge_ah,
        "after_energy": limits.energy_wh,
        "after_time": limits.time_s,
        "at_temperature": limits.temperature_c,
        "risen": limits.resistance_rise,
        "slow": limits.slow_ah_per_h,
        "pulse_on": plan.profile[0][0] if pulses else None,
        "pulse_off": plan.profile[1][0] if pulses else None,
        "profile": () if pulses else plan.profile,
        "take_out": plan.take_out_ah or None,
        "charge": plan.charge_when,
        "charge_a": charge.current_a if charge else None,
        "charge_v": charge.limit_v if charge else None,
        "charge_end": charge.end_a if charge else None,
        "cycles": plan.cycles,
        "stop_share": 100 * plan.stop_share if plan.stop_share else None,
        "start": start,
        "two_step": plan.two_step,
        "zero_first": plan.zero_first,
    }
