"""A charger's profile as a method: its form, checks, rows, account."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from ubrant.core.account import Account
from ubrant.core.drawings import Curve, Dots, Drawing, Plot, Rule
from ubrant.core.gate.figures import Doubt, Expected
from ubrant.core.gate.readings import Takes
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array, ReadingsError
from ubrant.core.record.head import Setup, label_of
from ubrant.core.record.power_path import PathNode, PowerPath
from ubrant.core.record.record import Record, TapQuantity
from ubrant.core.sources.charging import Charged, analyse_charger
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.charging.person import charges
from ubrant.methods.declared import Seen, TypedMethod, itself, one_flow, trace_of
from ubrant.methods.form import ChoiceKind, Field, QuantityKind
from ubrant.methods.method import ONE_PLACE, LoadRating, Prepared, Problem, refused
from ubrant.methods.ratings import amps_of_label, volts_by_tap
from ubrant.methods.read_along import on_and_on
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import Prompt
from ubrant.methods.steps import Ask, Steps

_V, _A = ("battery", "V"), ("battery", "A")
_EVERY_S = 10.0
_WALKED, _BATTERY = "walked", "battery"
_FEW, _ROOM, _AGAIN = 3, 0.01, 2.0
"""Into a battery volts do not fall by a hundredth at one current, and a current that has tapered does not double. Common practice, no source."""


@dataclass(frozen=True)
class ChargingPlan:
    """``into`` a battery, or a load in constant voltage that is walked from ``low`` to ``high`` V; None where a battery decides."""

    into: str
    low: float | None = None
    high: float | None = None


def _volts_out(setup: Setup) -> Mapping[TapQuantity, float]:
    rated = volts_by_tap(setup, ()).get("output")
    return {_V: rated[2]} if rated is not None else {}


class ChargingMethod(TypedMethod):
    """Of chargers; typed, or from a log."""

    key, title, Plan = "charger", "A charger's profile", ChargingPlan
    taps, log, reads, like = ("battery",), ONE_PLACE, (_V, _A), "14.2 V 4.0 A"
    named: ClassVar = dict.fromkeys(("", "charger", "output", "source", "load"), "battery")
    device, device_kinds, device_holds = "Battery it is for", ("battery", "bank"), True
    nothing_yet, counts_points = words("No point was taken yet: type volts and amperes, like “{example}”."), False
    answers = ("set_current", "set_voltage", "end_current", "end_share")

    def form(self, setup: Setup) -> tuple[Field, ...]:
        into = ChoiceKind((("a load in constant voltage", _WALKED), ("a battery", _BATTERY)))

        def walked(typed: Mapping[str, str]) -> bool:
            return typed.get("into", _WALKED) == _WALKED

        return (
            Field("into", "Into", into, _WALKED),
            Field("low", "Walked from", QuantityKind("V", may_be_empty=True), "", "11 V", only_with=walked),
            Field("high", "to", QuantityKind("V", may_be_empty=True), "", "15 V", beside=True, only_with=walked),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> Iterable[Problem]:
        plan = prepared.plan
        if plan.low is not None and plan.high is not None and not plan.high > plan.low > 0:
            yield refused(say("Walk from a lower voltage up to a higher one."))

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return (say("some fifteen points"), "") if prepared.plan.into == _WALKED else (say("until it stops"), "")

    def asks(self, prepared: Prepared) -> Iterable[Ask]:
        if prepared.plan.into == _WALKED:
            text = say(
                "The charger into a load in constant-voltage mode: it stands in for a battery at any charge. A meter between them; some chargers start only into a real battery."
            )
            yield Ask(text, (cautions.POLARITY, cautions.UNPLUG_OFF))
        else:
            text = say("The charger into its battery, a meter between them; the battery low to begin with.")
            yield Ask(text, (cautions.LOOK_FIRST, cautions.NOT_COLD, cautions.VENTILATE))

    def further(self, prepared: Prepared) -> Prompt:
        plan = prepared.plan
        if plan.into != _WALKED:
            text = words("Now and then type “{example}”, more often once the current falls; “… 0 A” when it has stopped.")
            return self.row(say(text, example=self.like), say("now and then"))
        span = say("{low} to {high} V", low=plain(plan.low), high=plain(plan.high)) if plan.low and plan.high else say("empty to full")
        text = words(
            "Set the load's volts a step higher, from {span}; wait until it stands still, and type “{example}”. Smaller steps once the current falls."
        )
        return self.row(say(text, span=span, example=self.like), say("a step higher"))

    def every_s(self, prepared: Prepared) -> float:
        return 0.0 if prepared.plan.into == _WALKED else 900.0

    expected = (
        Expected(
            "set_current",
            0.3,
            1.3,
            lambda setup: amps_of_label(setup.unit),
            words("Was it in its constant current, and is this its label?"),
        ),
    )

    def takes(self, record: Record) -> Takes:
        """Into a battery its current goes on without leaps; walked, its points come in any order."""
        plan, most = self.prepared(record.head).plan, amps_of_label(record.head.setup.unit)
        walked = plan is None or plan.into == _WALKED
        return replace(
            super().takes(record),
            smooth=() if walked else ((_A, None),),
            most={_A: most} if most else {},
            label=_volts_out(record.head.setup),
        )

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        """Into a battery volts rise as it fills, and amperes fall once they stand."""
        yield from super().doubts(account, record)
        seen = self.seen(record)
        into_battery = seen.plan.into == _BATTERY if seen.is_planned else seen.setup.device is not None
        there = seen.whole("V", "A")
        volts, amps = seen.column("V")[there], seen.column("A")[there]
        if not into_battery or account.trouble or len(volts) < _FEW:
            return
        steady = amps > 0.9 * float(amps.max())
        held = volts[steady]
        if len(held) > 1 and held[-1] < (1 - _ROOM) * held[0]:
            text = words(
                "While {a} A flow its volts fall from {first} to {last} V: a battery that is charged rises. Was it taken out of it, or are the rows the other way round?"
            )
            yield Doubt("falls", say(text, a=show(float(amps.max()), 3), first=show(float(held[0]), 4), last=show(float(held[-1]), 4)))
        lowest = int(np.argmin(amps))
        if (
            lowest < len(amps) - 1
            and amps[lowest] < 0.5 * float(amps[: lowest + 1].max())
            and float(amps[lowest + 1 :].max()) > _AGAIN * float(amps[lowest]) + 0.1 * float(amps.max())
        ):
            text = words(
                "Its current falls to {low} A and rises again to {high}: was something switched on at the battery, or did a digit slip?"
            )
            yield Doubt("again", say(text, low=show(float(amps[lowest]), 2), high=show(float(amps[lowest + 1 :].max()), 2)))

    def read_off(self, prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
        return charges(prepared, reader, _WALKED)

    def steps(self, prepared: Prepared) -> Steps:
        return on_and_on(self.by_hand(prepared), _EVERY_S, say("Reading until you stop it: walk the load, or let it charge."))

    def sums(self, seen: Seen) -> Account:
        there = seen.whole("V", "A")
        time, volts, amps = seen.table.time_s[there], seen.column("V")[there], seen.column("A")[there]
        if not len(volts):
            raise ReadingsError(say(self.nothing_yet, example=self.like))
        walked = seen.is_planned and seen.plan.into == _WALKED and seen.record.is_typed
        if walked:
            order = np.argsort(volts, kind="stable")
            volts, amps = volts[order], amps[order]
        battery = label_of(seen.setup.device) if seen.setup.device is not None else None
        read = Charged(volts, amps, seen.accuracy("V"), seen.accuracy("A"), seen.half("V", "A", rows=there), walked)
        findings, said = analyse_charger(read, battery)
        drawn = _drawn(volts, amps, findings) if walked else trace_of(time, volts, amps)
        return Account(
            findings,
            sentence=_sentence(findings),
            warnings=tuple(said),
            taken=len(volts) if walked else None,
            drawings=lambda: (drawn,),
            short=say("{a}, {v}", a=findings["set_current"].value_text(), v=findings["set_voltage"].value_text()),
        )

    def path(self, setup: Setup, found: Mapping[str, Finding], plan: ChargingPlan) -> PowerPath:
        into = setup.device
        load = PathNode("load", into.name, into.printed) if into is not None else PathNode("load", say("Load in constant voltage"))
        ends = itself(setup, "battery"), load
        if not found:
            return one_flow(setup, "battery", ends, None)
        volts, amps = found["set_voltage"].value, found["set_current"].value
        return one_flow(setup, "battery", ends, (volts or 0.0) * (amps or 0.0), volts, amps)


def _sentence(findings: dict[str, Finding]) -> str:
    text = say("{a} until {v}", a=findings["set_current"].with_uncertainty(), v=findings["set_voltage"].with_uncertainty())
    if (end := findings.get("end_current")) is not None:
        text += say(", {a} at its end", a=end.with_uncertainty()) if end.bound else say(", ends at {a}", a=end.with_uncertainty())
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
