"""Volts against amperes as a method: its form, checks, rows, account."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from ubrant.core.account import Account, Group
from ubrant.core.drawings import DASHED, SOLID, Area, Curve, Dots, Drawing, Plot
from ubrant.core.gate.figures import Doubt, Expected
from ubrant.core.gate.readings import Takes
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.record.head import Setup
from ubrant.core.record.power_path import PathNode, PowerPath
from ubrant.core.record.record import Record
from ubrant.core.sources.curve import CurveFindings as SourceCurve
from ubrant.core.sources.curve import analyse_curve, cells_for
from ubrant.core.sources.decay import decays, rounds_of
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.declared import Seen, TypedMethod, itself, one_flow
from ubrant.methods.form import Field, QuantityKind
from ubrant.methods.method import TAP_LOG, LoadRating, Prepared, Problem, refused
from ubrant.methods.ratings import watts_of_label
from ubrant.methods.rows import Prompt
from ubrant.methods.source.person import loads_it
from ubrant.methods.steps import Ask

_V, _A = ("source", "V"), ("source", "A")
_MUCH = 0.01
"""Of the power, that a meter in the current path takes before it is worth saying."""


_MINUS, _RISES = 0.03, 0.01
"""By so much of the most, amperes are the other way round, and volts are more at more amperes. Common practice, no source."""
_SAME_A, _OTHER_V, _LOADED, _SEVERAL = 0.01, 0.15, 0.05, 3
"""Loads that all draw one current, within a hundredth of it, have volts within 15 % of each other; so many tell. Only near its short circuit does a panel
give one current at many volts, and other loads are then among them. Common practice, no source."""


@dataclass(frozen=True)
class SourcePlan:
    """``points`` that are wanted at least; ``load_w`` and ``load_v`` of what it is to run, None for nothing."""

    points: float
    load_w: float | None = None
    load_v: float | None = None


class SourceMethod(TypedMethod):
    """Of panels, cells and other sources; typed, or from a table."""

    key, title, Plan = "source", "Volts against amperes", SourcePlan
    taps, log, reads, like = ("source",), TAP_LOG, (_V, _A), "5.92 V 0.35 A"
    named: ClassVar = dict.fromkeys(("", "battery", "output", "load", "bank", "input"), "source")
    nothing_yet = words("No point was taken yet: type volts and amperes, like “{example}”.")
    expected = (
        Expected(
            "maximum_power",
            0.0,
            1.5,
            lambda setup: watts_of_label(setup.unit),
            words("Are the amperes milliamperes, or is the label another's?"),
        ),
    )
    answers = ("open_circuit_voltage", "internal_resistance", "maximum_power", "maximum_power_current")
    groups = (
        Group("The straight line", ("matched_power",)),
        Group("From day to day", ("decay_a_day", "half_life")),
        Group("For a load", ("in_series", "side_by_side", "minutes_an_hour")),
    )
    person = loads_it

    def form(self, setup: Setup) -> tuple[Field, ...]:
        return (
            Field("points", "Loads, at least", QuantityKind(""), "6"),
            Field("load_w", "It is to run", QuantityKind("W", may_be_empty=True), "", "W"),
            Field("load_v", "at", QuantityKind("V", may_be_empty=True), "", "V", beside=True),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> Iterable[Problem]:
        if not prepared.plan.points >= 3:
            yield refused(say("At least three points are needed: nothing attached, and two loads."))

    def asks(self, prepared: Prepared) -> Iterable[Ask]:
        text = say(
            "Meter at its terminals, volts across and amperes through; loads ready from light to heavy: resistors, lamps. A panel: one light for all points."
        )
        yield Ask(text, (cautions.LOOK_FIRST, cautions.PANELS, cautions.HOT_RESISTORS))

    def rows(self, prepared: Prepared) -> Iterable[Prompt]:
        count = int(prepared.plan.points)
        yield self.row(say("Nothing attached: type its volts and no amperes, like “6.31 V 0 A”."), say("nothing attached"), "6.31 V 0 A")
        text = words("Point {number} of {count}: a heavier load, wait until both stand still, and type “{example}”.")
        for k in range(2, count + 1):
            yield self.row(say(text, number=k, count=count, example=self.like), say("a heavier load"))

    def further(self, prepared: Prepared) -> Prompt:
        text = say(
            "That is enough. Go on where the power is largest, as close as you like; or the same again on another day, to see how it lasts; or close the run."
        )
        return self.row(text)

    def takes(self, record: Record) -> Takes:
        """The more is drawn the lower are its volts, by a smooth line: of one day, as from day to day it is another one."""
        one_day = len(rounds_of(np.array([e.time_s for e in record.lines if e.jotting.readings]))) < 2
        return replace(super().takes(record), smooth=((_V, _A),), falling=((_V, _A),), spread=(_A,)) if one_day else super().takes(record)

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        """A source has one voltage at one current."""
        yield from super().doubts(account, record)
        seen = self.seen(record)
        if account.trouble or len(rounds_of(seen.table.time_s)) > 1:
            return
        there = seen.whole("V", "A")
        volts, amps = (np.abs(seen.column(q)[there]) for q in "VA")
        most = float(amps.max(initial=0.0))
        loaded = amps > _LOADED * most
        if (
            np.count_nonzero(loaded) >= _SEVERAL
            and np.ptp(amps[loaded]) < _SAME_A * most
            and np.ptp(volts[loaded]) > _OTHER_V * volts[loaded].max()
        ):
            text = words("Under every load {a} A were read, and from {one} to {other} V: were its amperes read each time?")
            low, high = show(float(volts[loaded].min()), 3), show(float(volts[loaded].max()), 3)
            yield Doubt("same", say(text, a=show(most, 3), one=low, other=high))
        signed = seen.column("A")[there] * (1.0 if float(np.median(seen.column("A")[there])) >= 0 else -1.0)
        least = int(np.argmin(signed)) if len(signed) else 0
        if len(signed) and signed[least] < -_MINUS * most:
            text = words("{a} A at {v} V, and the other way at the rest: a source gives. Is its sign a slip?")
            yield Doubt("minus", say(text, a=show(float(signed[least]), 3), v=show(float(volts[least]), 3)))
            return
        order = np.argsort(amps, kind="stable")
        risen = np.diff(volts[order]) - _RISES * volts.max(initial=0.0) - seen.table.half[("source", "V")][there].max(initial=0.0)
        if len(risen) and float(risen.max()) > 0:
            k = int(np.argmax(risen))
            one, other = order[k], order[k + 1]
            text = words("{v} V at {a} A, and {higher} V at {more} A: a source's volts do not rise as it gives more. Which is a slip?")
            told = {"v": volts[one], "a": amps[one], "higher": volts[other], "more": amps[other]}
            yield Doubt("rises", say(text, **{name: show(float(figure), 3) for name, figure in told.items()}))

    def sums(self, seen: Seen) -> Account:
        time, volts, amps, half = seen.table.time_s, seen.column("V"), seen.column("A"), seen.half("V", "A")
        of_meter = seen.accuracy("V"), seen.accuracy("A")
        meter = seen.setup.meter("source").details
        if meter.input_ohm:
            amps = amps + volts / meter.input_ohm  # its voltmeter was attached all the while
        latest = rounds_of(time)[-1]
        curve = analyse_curve(volts[latest], amps[latest], *of_meter, {key: column[latest] for key, column in half.items()})
        findings = dict(curve.findings) | decays(time, volts, amps, *of_meter, half)
        warnings = list(curve.warnings)
        if len(latest) < len(time):
            warnings.append(say("It was measured on several days: the figures are those of the last round."))
        _say_burden(meter.burden_ohm, findings, warnings)
        findings |= _stacked(seen.plan, findings, warnings)
        return Account(
            findings,
            sentence=_sentence(findings),
            warnings=tuple(warnings),
            taken=len(curve.amps),
            drawings=lambda: (_drawn(curve),),
            shown_at=say("At its largest power"),
            short=", ".join(f.value_text() for key in ("maximum_power", "internal_resistance") if (f := findings[key]).value is not None),
        )

    def path(self, setup: Setup, found: Mapping[str, Finding], plan: SourcePlan) -> PowerPath:
        watts = found["maximum_power"].value if found else None
        ends = itself(setup, "battery", say("Source")), PathNode("load", say("Loads"))
        return one_flow(setup, "source", ends, None if watts is None or math.isnan(watts) else watts)


def _stacked(plan: SourcePlan | None, findings: dict[str, Finding], warnings: list[str]) -> dict[str, Finding]:
    """How many it takes for a load."""
    power, at_v = findings["maximum_power"], findings["maximum_power_voltage"]
    if plan is None or not plan.load_w or not plan.load_v or not power.value or not at_v.value or power.value <= 0:
        return {}
    series, beside = cells_for(plan.load_w, plan.load_v, power, at_v)
    warnings.append(say("Weak sources in a stack give less than so many times one: measure the stack before you trust it."))
    working = say(
        "{w} W at {v} V, each {p} W at {u} V", w=plain(plan.load_w), v=plain(plan.load_v), p=show(power.value, 3), u=show(at_v.value, 3)
    )
    name = say("Minutes of use for an hour of charging")
    kept = say("60 × {p} W ÷ {w} W, if nothing were lost in between", p=show(power.value, 3), w=plain(plan.load_w))
    minutes = Finding.made("minutes_an_hour", name, 60 * power.known / plan.load_w, "", kept)
    return {
        minutes.key: minutes,
        "in_series": Finding("in_series", say("In series"), float(series), "", (), working),
        "side_by_side": Finding("side_by_side", say("Rows side by side"), float(beside), "", (), working),
    }


def _say_burden(ohm: float, findings: dict[str, Finding], warnings: list[str]) -> None:
    """What the ammeter takes of the largest power while it is in the path: without it the load gets that too."""
    power, at = findings["maximum_power"].value, findings["maximum_power_current"].value
    if ohm and power and at and (taken := at * at * ohm) > _MUCH * power:
        warnings.append(
            say(
                "Of the largest power the meter itself takes {w} W while it is in the path ({ohm} Ω); without it the load gets that too.",
                w=show(taken, 2),
                ohm=plain(ohm),
            )
        )


def _sentence(findings: dict[str, Finding]) -> str:
    ocv, ohm, power, at = (findings[k] for k in ("open_circuit_voltage", "internal_resistance", "maximum_power", "maximum_power_current"))
    told = {"ocv": ocv.with_uncertainty(), "power": power.with_uncertainty(), "at": at.value_text()}
    if ohm.value is None or (ohm.expanded_uncertainty or 0.0) > abs(ohm.value):  # a bent line has no one resistance
        return say("{ocv} with nothing attached; {power} at {at}.", **told)
    return say("{ocv} with nothing attached, {ohm} inside; {power} at {at}.", ohm=ohm.with_uncertainty(), **told)


def _drawn(curve: SourceCurve) -> Drawing:
    """Its line with the largest rectangle under it."""
    volts, amps = curve.volts, curve.amps
    at_a, at_v = (curve.findings[k].value or 0.0 for k in ("maximum_power_current", "maximum_power_voltage"))
    slope, ocv = np.polyfit(amps, volts, 1)
    ends = np.array([0.0, float(amps[-1])])
    high = 1.08 * max(float(volts.max()), float(ocv))
    label = say("{watts} W", watts=show(at_a * at_v, 3))
    is_straight = curve.findings["internal_resistance"].value is not None
    layers = (
        Area(np.array([0.0, at_a]), np.zeros(2), np.array([at_v, at_v]), "power", 2, label),
        *((Curve(ends, slope * ends + ocv, "quiet", DASHED, say("a straight line")),) if is_straight else ()),
        Curve(amps, volts, "voltage", SOLID),
        Dots(amps, volts),
    )
    told = say(
        "{n} points from {a} to {b} A; the largest power is {w} W",
        n=len(amps),
        a=show(float(amps[0])),
        b=show(float(amps[-1])),
        w=show(at_a * at_v, 3),
    )
    return Plot(
        say("Volts against amperes, and its largest rectangle"),
        say("current, A"),
        say("V"),
        (0.0, 1.06 * float(amps[-1])),
        (0.0, high),
        layers,
        told,
    )
