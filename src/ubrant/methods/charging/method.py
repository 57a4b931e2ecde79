"""A charger's profile as a method: its form, checks, rows, account."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ubrant.core.account import Account
from ubrant.core.conversion.power_path import Flow, Node, PowerPath
from ubrant.core.drawings import Curve, Dots, Drawing, Plot, Rule, Trace
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.record.head import Setup, label_of
from ubrant.core.record.readings import Array, ReadingsError, Series
from ubrant.core.record.record import Record
from ubrant.core.sources.charging import Charged, analyse_charger
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say
from ubrant.methods import cautions
from ubrant.methods.by_eye import Lines, Reader
from ubrant.methods.charging.person import charges
from ubrant.methods.form import Choice, Field, Quantity
from ubrant.methods.method import BATTERY_LOG, LoadRating, Method, Prepared, Problem, clipped
from ubrant.methods.points_by_hand import points_at
from ubrant.methods.read_along import on_and_on, point_by_point
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import ByHand, Row
from ubrant.methods.steps import Ask, Steps

_V, _A = ("battery", "V"), ("battery", "A")
_NAMES = {"": "battery", "charger": "battery", "output": "battery", "source": "battery", "load": "battery"}
_EVERY_S = 10.0
_EXAMPLE = "14.2 V 4.0 A"
_WALKED, _BATTERY = "walked", "battery"


@dataclass(frozen=True)
class ChargingPlan:
    """``into`` a battery, or a load in constant voltage that is walked from ``low`` to ``high`` V; None where a battery decides."""

    into: str
    low: float | None = None
    high: float | None = None


class ChargingMethod(Method):
    """Of chargers; typed, or from a log."""

    key = "charger"
    title = "A charger's profile"
    Plan = ChargingPlan
    taps = ("battery",)
    by_eye = True
    uses_load = False
    has_leads = False
    plan_from_label = True
    log = BATTERY_LOG
    device = "Battery it is for"
    device_kinds = ("battery", "bank")
    device_holds = True

    def form(self, setup: Setup) -> tuple[Field, ...]:
        into = Choice((("a load in constant voltage", _WALKED), ("a battery", _BATTERY)))

        def walked(typed: Mapping[str, str]) -> bool:
            return typed.get("into", _WALKED) == _WALKED

        return (
            Field("into", "Into", into, _WALKED),
            Field("low", "Walked from", Quantity("V", may_be_empty=True), "", "11 V", only_with=walked),
            Field("high", "to", Quantity("V", may_be_empty=True), "", "15 V", beside=True, only_with=walked),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> list[Problem]:
        plan = prepared.plan
        if plan.low is not None and plan.high is not None and not plan.high > plan.low > 0:
            return [Problem(True, say("Walk from a lower voltage up to a higher one."))]
        return []

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return (say("some fifteen points"), "") if prepared.plan.into == _WALKED else (say("until it stops"), "")

    def wiring(self, prepared: Prepared) -> PowerPath:
        return _path(prepared.setup, None)

    def by_hand(self, prepared: Prepared) -> ByHand:
        plan = prepared.plan
        if plan.into == _WALKED:
            ask = Ask(
                say(
                    "The charger into a load in constant-voltage mode: it stands in for a battery at any charge. A meter between them; some chargers start only into a real battery."
                ),
                (cautions.POLARITY, cautions.UNPLUG_OFF),
            )
            span = say("{low} to {high} V", low=plain(plan.low), high=plain(plan.high)) if plan.low and plan.high else say("empty to full")
            after = Row(
                say(
                    "Set the load's volts a step higher, from {span}; wait until it stands still, and type “{example}”. Smaller steps once the current falls.",
                    span=span,
                    example=_EXAMPLE,
                ),
                (_V, _A),
                afresh=True,
                example=_EXAMPLE,
                short=say("a step higher"),
            )
        else:
            ask = Ask(
                say("The charger into its battery, a meter between them; the battery low to begin with."),
                (cautions.LOOK_FIRST, cautions.NOT_COLD, cautions.VENTILATE),
            )
            after = Row(
                say("Now and then type “{example}”, more often once the current falls; “… 0 A” when it has stopped.", example=_EXAMPLE),
                (_V, _A),
                afresh=True,
                example=_EXAMPLE,
                short=say("now and then"),
            )
        return ByHand((ask,), (), after, reads=(_V, _A), every_s=0.0 if plan.into == _WALKED else 900.0)

    def read_off(self, prepared: Prepared, reader: Reader) -> Lines:
        return charges(prepared, reader, _WALKED)

    def steps(self, prepared: Prepared) -> Steps:
        hand = self.by_hand(prepared)
        if prepared.plan.into == _WALKED and hand.rows:
            return point_by_point(hand)
        return on_and_on(hand, _EVERY_S, say("Reading until you stop it: walk the load, or let it charge."))

    def account(self, record: Record, expected: Rehearsal | None = None) -> Account:
        setup = record.head.setup
        plan = self.prepared(record.head).plan
        table = points_at(record, (_V, _A), _NAMES)
        there = np.isfinite(table.values[_V]) & np.isfinite(table.values[_A])
        time, volts, amps = table.time_s[there], table.values[_V][there], table.values[_A][there]
        if not len(volts):
            return Account(trouble=say("No point was taken yet: type volts and amperes, like “{example}”.", example=_EXAMPLE))
        walked = plan is not None and plan.into == _WALKED and record.is_typed
        if walked:
            order = np.argsort(volts, kind="stable")
            volts, amps = volts[order], amps[order]
        half = {"V": table.half[_V][there], "A": table.half[_A][there]}
        battery = label_of(setup.device) if setup.device is not None else None
        try:
            findings, said = analyse_charger(
                Charged(volts, amps, record.accuracy("battery", "V"), record.accuracy("battery", "A"), half, walked), battery
            )
        except ReadingsError as error:
            return Account(trouble=str(error))
        return Account(
            findings,
            ("set_current", "set_voltage", "end_current", "end_share"),
            (),
            None,
            _sentence(findings),
            (*record.head.origin.said, *said),
            taken=len(volts) if walked else None,
            drawings=lambda: (
                _drawn(volts, amps, findings)
                if walked
                else Trace(
                    {"V": Series(time, volts), "A": Series(time, amps)}, zero_s=float(time[0]), span=(float(time[0]), float(time[-1]))
                ),
            ),
            path=lambda: _path(setup, findings),
            short=say("{a}, {v}", a=findings["set_current"].value_text(), v=findings["set_voltage"].value_text()),
        )


def _sentence(findings: dict[str, Finding]) -> str:
    text = say("{a} until {v}", a=findings["set_current"].with_uncertainty(), v=findings["set_voltage"].with_uncertainty())
    if (end := findings.get("end_current")) is not None:
        text += say(", ends at {a}", a=end.with_uncertainty())
    if (share := findings.get("end_share")) is not None:
        text += say(" ({share})", share=share.with_uncertainty())
    return f"{text}."


def _drawn(volts: Array, amps: Array, findings: dict[str, Finding]) -> Drawing:
    """Its current over the voltage it sees."""
    set_a = findings["set_current"].value or 0.0
    wide = max(float(np.ptp(volts)), 0.5)
    layers = (Rule(set_a, say("set current {a} A", a=show(set_a, 3))), Curve(volts, amps, "current"), Dots(volts, amps))
    told = say(
        "{n} points from {v} to {w} V, up to {a} A",
        n=len(amps),
        a=show(float(amps.max()), 3),
        v=plain(float(volts.min()), 3),
        w=plain(float(volts.max()), 3),
    )
    return Plot(
        say("What it gives, over the volts it sees"),
        say("V"),
        say("A"),
        (float(volts.min()) - 0.05 * wide, float(volts.max()) + 0.05 * wide),
        (0.0, 1.15 * max(float(amps.max()), 0.1)),
        layers,
        told,
    )


def _path(setup: Setup, findings: dict[str, Finding] | None) -> PowerPath:
    into = setup.device
    nodes = (
        Node("battery", setup.unit.name, setup.unit.printed),
        Node("load", into.name if into is not None else say("Load in constant voltage"), into.printed if into is not None else ""),
    )
    if findings is None:
        return PowerPath(nodes, (Flow(None, meter=clipped(setup.meter("battery"))),), (None, None), (0.0, 0.0), "W")
    volts, amps = findings["set_voltage"].value, findings["set_current"].value
    return PowerPath(
        nodes, (Flow((volts or 0.0) * (amps or 0.0), volts, amps, setup.meter("battery").name),), (None, None), (0.0, 0.0), "W"
    )
