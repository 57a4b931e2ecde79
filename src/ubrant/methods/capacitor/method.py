"""A capacitor as a method: its form, checks, rows, account."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from ubrant.core.account import Account, Group
from ubrant.core.drawings import Drawing
from ubrant.core.gate.figures import Doubt, Expected
from ubrant.core.gate.readings import Takes
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array, ReadingsError
from ubrant.core.record.head import Setup
from ubrant.core.record.power_path import PathNode, PowerPath
from ubrant.core.record.record import Record
from ubrant.core.sources.capacitor import (
    Discharged,
    against_label,
    analyse_capacitor,
    between_of,
    fills_in,
    read_label,
    runs_for,
    slip,
    uneven,
)
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.capacitor.person import discharges
from ubrant.methods.declared import Seen, TypedMethod, itself, no_accuracy, one_flow, trace_of
from ubrant.methods.form import Field, QuantityKind
from ubrant.methods.method import ONE_PLACE, LoadRating, Prepared, Problem, refused, to_know
from ubrant.methods.read_along import on_and_on
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import Prompt
from ubrant.methods.steps import Ask, Steps

_V, _A = ("battery", "V"), ("battery", "A")
_NAMES = {"": "battery", "source": "battery", "load": "battery", "output": "battery"}
_EVERY_S = 0.5
_EXAMPLE = "5.21 V 0.98 A"
GROUPS = (Group("What it is good for", ("energy_between", "runs_for", "fills_in")),)


@dataclass(frozen=True)
class CapacitorPlan:
    """From ``high`` down to ``low`` V, ``load_w`` that it is to run and ``fill_a`` that fills it; None for all that was loaded, for nothing."""

    amps: float
    high: float | None = None
    low: float | None = None
    load_w: float | None = None
    fill_a: float | None = None


class CapacitorMethod(TypedMethod):
    """Of capacitors; typed, or from a log."""

    key, title, Plan, unplanned = "capacitor", "Capacitor", CapacitorPlan, CapacitorPlan(1.0)
    smooth, falling, whole_lines = ((_A, None),), ((_V, None),), True
    taps, log, reads, like = ("battery",), ONE_PLACE, (_V, _A), _EXAMPLE
    named, groups, counts_points = _NAMES, GROUPS, False
    answers = ("capacitance", "label_share", "resistance", "energy_between")
    person = discharges

    def form(self, setup: Setup) -> tuple[Field, ...]:
        return (
            Field("amps", "Discharged with about", QuantityKind("A"), "1 A"),
            Field("high", "Farads from", QuantityKind("V", may_be_empty=True), "", "all of it"),
            Field("low", "down to", QuantityKind("V", may_be_empty=True), "", "V", beside=True),
            Field("load_w", "It is to run", QuantityKind("W", may_be_empty=True), "", "W"),
            Field("fill_a", "It is filled with", QuantityKind("A", may_be_empty=True), "", "A"),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> Iterable[Problem]:
        plan, label = prepared.plan, read_label(prepared.setup.unit.label_text)
        if not plan.amps > 0:
            yield refused(say("What discharges it has to be over 0 A."))
        if (plan.high is None) != (plan.low is None) or (plan.high is not None and not plan.high > plan.low >= 0):
            yield refused(say("Give both voltages, the higher one first, or none."))
        if label.volts and plan.high is not None and plan.high > label.volts:
            yield refused(say("{v} V is over its rated {rated} V: that is damage.", v=plain(plan.high), rated=plain(label.volts)))
        if label.volts is None:
            yield to_know(say("Its label has no rated voltage: the whole string must never be charged over it."))

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return say("some ten readings"), ""

    def asks(self, prepared: Prepared) -> Iterable[Ask]:
        text = say("Check its polarity, charge it up to its rated voltage and no further, let it stand a minute, meter at its terminals.")
        yield Ask(text, (cautions.CAPACITORS, cautions.POLARITY))

    def rows(self, prepared: Prepared) -> Iterable[Prompt]:
        yield self.row(say("Nothing attached: type its volts and no amperes, like “5.40 V 0 A”."), say("at rest"), "5.40 V 0 A")
        yield self.row(say("Load on, and at once type “{example}”.", example=self.like), say("load on"))

    def further(self, prepared: Prepared) -> Prompt:
        text = words("Every few seconds type “{example}” until it is as low as you want it; load off, and close the run.")
        return self.row(say(text, example=self.like))

    def steps(self, prepared: Prepared) -> Steps:
        text = say("Reading. Some seconds with nothing attached, then switch the load on; stop when it is as low as you want it.")
        return on_and_on(self.by_hand(prepared), _EVERY_S, text)

    expected = (
        Expected(
            "capacitance",
            0.4,
            2.0,
            lambda setup: read_label(setup.unit.label_text).farads,
            words("Are its amperes in their unit, and are times and label as they were?"),
        ),
    )

    def takes(self, record: Record) -> Takes:
        rated = read_label(record.head.setup.unit.label_text).volts
        return replace(super().takes(record), most={_V: rated} if rated else {})

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        """One capacitor holds about as much for each volt at the top as at the bottom."""
        yield from super().doubts(account, record)
        if account.trouble:
            return
        made = _discharged(self.seen(record))
        if (farads := uneven(made)) is not None:
            text = words(
                "Over the upper half of its volts it comes to {upper} F, over the lower to {lower}: are the amperes of each row its own, and did nothing else draw or charge?"
            )
            yield Doubt("uneven", say(text, upper=show(farads[0], 3), lower=show(farads[1], 3)))

    def drawn_anyway(self, seen: Seen) -> tuple[Drawing, ...]:
        there = seen.whole("V", "A")
        time, amps = seen.table.time_s[there], seen.column("A")[there]
        return (trace_of(time, seen.column("V")[there], _turned(amps)),) if len(time) else ()

    def sums(self, seen: Seen) -> Account:
        there, plan, made = seen.whole("V", "A"), seen.plan, _discharged(seen)
        time, volts, amps = made.time_s, made.volts, made.amps
        said = []
        if len(amps) and float(np.median(seen.column("A")[there])) < 0:
            said.append(say("The current was read as negative; it is taken the other way round here."))
        findings = analyse_capacitor(made)
        if any(e.jotting.mark == "skip" and e.time_s <= time[np.flatnonzero(amps)[0]] for e in seen.record.lines):
            findings.pop("resistance", None)  # the reading at once after load on is not there: later ones are of what it gave since
        farads = findings["capacitance"]
        label = read_label(seen.setup.unit.label_text)
        if trouble := slip(farads, label):
            raise ReadingsError(trouble)
        if (share := against_label(farads, label)) is not None:
            findings["label_share"] = share
        high, low = plan.high or float(volts.max()), plan.low or float(volts[-1])
        if plan.load_w:
            findings["runs_for"] = runs_for(farads, plan.load_w, high, low)
        if plan.fill_a:
            findings["fills_in"] = fills_in(farads, plan.fill_a, high)
        if label.volts and float(volts.max()) > 1.02 * label.volts:
            said.append(
                say("{v} V are over its rated {rated} V: that is damage.", v=plain(float(volts.max()), 3), rated=plain(label.volts))
            )
        if "resistance" not in findings:
            said.append(say("Its voltage at rest before the load was not read: nothing is said of its resistance."))
        drawn = trace_of(time, volts, amps)
        return Account(
            findings,
            sentence=_sentence(findings, *between_of(made)),
            warnings=(*said, *no_accuracy(farads)),
            drawings=lambda: (drawn,),
            short=farads.value_text(),
        )

    def path(self, setup: Setup, found: Mapping[str, Finding], plan: CapacitorPlan) -> PowerPath:
        return one_flow(setup, "battery", (itself(setup, "battery", say("Capacitor")), PathNode("load", say("Load"))), None)


def _discharged(seen: Seen) -> Discharged:
    there, plan = seen.whole("V", "A"), seen.plan
    time, volts, amps = seen.table.time_s[there], seen.column("V")[there], _turned(seen.column("A")[there])
    window = (plan.high, plan.low) if plan.high is not None else None
    return Discharged(
        time, volts, amps, seen.accuracy("V"), seen.accuracy("A"), seen.half("V", "A", rows=there), window, seen.record.is_typed
    )


def _turned(amps: Array) -> Array:
    """Out of it counts as positive, however its meter was clipped."""
    return -amps if len(amps) and float(np.median(amps)) < 0 else amps


def _sentence(findings: Mapping[str, Finding], high: float, low: float) -> str:
    window = say("{high} to {low} V", high=show(high, 3), low=show(low, 3))
    text = say("{farads} from {window}", farads=findings["capacitance"].with_uncertainty(), window=window)
    if (ohm := findings.get("resistance")) is not None:
        text += say(", {ohm} inside", ohm=ohm.amount_text())
    if (share := findings.get("label_share")) is not None:
        text += say("; {share} of its label", share=share.with_uncertainty())
    if (lasts := findings.get("runs_for")) is not None:
        text += say("; {name}: {time}", name=lasts.name[0].lower() + lasts.name[1:], time=lasts.value_text())
    return f"{text}."
