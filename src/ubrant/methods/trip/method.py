"""Protection as a method: its form, checks, rows, account."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Sequence

import numpy as np

from ubrant.core.account import Account
from ubrant.core.conversion.limits import CURVE_OF, USUAL_CURVES, beside_usual, kind_of
from ubrant.core.conversion.protection import SAME_A, CurvePoint, Overload, parse_curve, trip_findings
from ubrant.core.drawings import HELD, OUTSIDE, TAKEN, Area, Curve, Dots, Drawing, Layer, Plot
from ubrant.core.gate.figures import Doubt
from ubrant.core.quantities.quantity import plain, show_duration
from ubrant.core.quantities.readings import Array, ReadingsError
from ubrant.core.record.events import HeldOn, WentOff
from ubrant.core.record.head import Setup
from ubrant.core.record.power_path import PowerPath
from ubrant.core.record.record import Record
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.converting import LOAD, SOURCE, UNIT, chain_path
from ubrant.methods.form import CRITERIA, Field, Quantities, QuantityKind, Words
from ubrant.methods.method import LoadRating, Method, Prepared, Problem, Scene
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import HandScript, Prompt
from ubrant.methods.steps import Ask, Steps
from ubrant.methods.trip.procedure import TripPlan, trip

_LIKE_CURVE = "1.35: 60 s..30 min; 2: 4 s..60 s"
_ROUND_S = (0.01, 0.1, 1.0, 10.0, 60.0, 600.0, 3600.0, 36000.0)
_BY_HAND_S = 0.5
"""How well a person catches the moment at which it opens."""


class TripMethod(Method):
    """Of anything on the shelf that protects: a lead with its breaker, a battery's or converter's own protection."""

    key = "trip"
    title = "Protection"
    Plan = TripPlan
    taps = ("input",)
    has_leads = False
    plan_from_label = True

    def form(self, setup: Setup) -> tuple[Field, ...]:
        current = re.search(r"(\d+(?:[.,]\d+)?)\s*A\b", setup.unit.label_text)
        if current is None:
            raise ValueError(say("The label of {name} has to say at how much it opens, like “30 A breaker”.", name=setup.unit.name))
        rated = float(current[1].replace(",", "."))
        amps = ", ".join(plain(round(share * rated, 1)) for share in (1.05, 1.35, 2.0, 3.0))
        return (
            Field("rated", "Rated", QuantityKind("A"), f"{plain(rated)} A"),
            Field("amps", "Overloads", Quantities("A"), f"{amps} A"),
            Field("longest", "Each at most", QuantityKind("s"), "30 min"),
            Field("input", "Supply", QuantityKind("V"), "12 V"),
            Field("curve", "Its maker's curve", Words(parse_curve), "", _LIKE_CURVE, CRITERIA),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> list[Problem]:
        plan, meter = prepared.plan, prepared.setup.meter("input")
        problems = []
        if not plan.amps or not plan.rated > 0:
            problems.append(Problem(True, say("A rating and at least one overload are needed.")))
        if meter.max_a is not None and plan.amps and max(plan.amps) > meter.max_a:
            text = say(
                "{name} reads up to {most} A, and {amps} A are in the plan.",
                name=meter.name,
                most=plain(meter.max_a),
                amps=plain(max(plan.amps)),
            )
            problems.append(Problem(True, text))
        if not prepared.criteria.curve:
            problems.append(Problem(False, say("Without its maker's curve the times stand for themselves.")))
        return problems

    def steps(self, prepared: Prepared) -> Steps:
        return trip(prepared.plan)

    def scene(self, prepared: Prepared, before: Record | None = None) -> Scene:
        return Scene(self.taps, supply=True, breaker={"rated_a": prepared.plan.rated})

    def wiring(self, prepared: Prepared) -> PowerPath:
        return chain_path(prepared.setup, (SOURCE, UNIT, LOAD), None, two_ends=False)

    def by_hand(self, prepared: Prepared) -> HandScript:
        plan = prepared.plan
        ask = Ask(
            say("Put it between supply and load, with thick leads and nothing that burns beside it, everything off."),
            (cautions.FUSE, cautions.SURFACE, cautions.WARM),
        )
        rows = []
        for number, amps in enumerate(plan.amps, start=1):
            on = say(
                "Overload {number} of {count}: cooled down for 15 min and reset, switch {amps} A on and type “{amps} A” at that moment.",
                number=number,
                count=len(plan.amps),
                amps=plain(amps),
            )
            opens = say(
                "Type “tripped” at the moment it opens, or “held” after {time}. Where you saw the inrush on a reset: “tripped peak 80 A”.",
                time=show_duration(plan.longest),
            )
            wanted = {("input", "A"): amps}
            rows.append(
                Prompt(
                    on,
                    (("", "A"),),
                    (),
                    refusal=say("Type the current as you switch it on, like “45 A”."),
                    expected=wanted,
                    short=f"{plain(amps)} A",
                )
            )
            rows.append(Prompt(opens, (), ("tripped", "held", "skip"), refusal=say("Type “tripped” when it opens, or “held”.")))
        return HandScript((ask,), tuple(rows), Prompt(say("That was the last overload. Switch everything off, and close the run.")))

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        plan = self.prepared(record.head).plan
        if plan is not None:
            yield from _unlikely(_typed(record) if record.is_typed else _sampled(record), plan.rated)

    def account(self, record: Record, expected: Rehearsal | None = None) -> Account:
        plan, curve = self.prepared(record.head).plan, parse_curve(record.head.criteria.curve)
        if plan is None:
            return Account(trouble=say("What it is made for is not known: give its label, like “30 A breaker”."))
        try:
            steps = _typed(record) if record.is_typed else _sampled(record)
        except ReadingsError as error:
            return Account(trouble=str(error))
        timing = _BY_HAND_S if record.is_typed else plan.every_s / 2
        kind = kind_of(record.head.setup.unit.label_text) if not curve else ""

        def drawings() -> tuple[Drawing, ...]:
            return (_plot(steps, plan.rated, curve or USUAL_CURVES.get(kind, ()), say(CURVE_OF[kind]) if kind else ""),)

        try:
            findings, sentence, warnings = trip_findings(steps, plan.rated, curve, record.accuracy("input", "A"), timing)
        except ReadingsError as error:
            return Account(trouble=str(error), drawings=drawings)
        warnings += beside_usual(steps, plan.rated, kind) if kind else []
        return Account(findings, ("trip_current",), (), None, sentence, tuple(warnings), drawings=drawings)


def _unlikely(overloads: Sequence[Overload], rated_a: float) -> Iterable[Doubt]:
    """What no breaker or fuse does, in the order of the overloads; what was warm still is held against none."""
    cold = [o for o in overloads if not o.is_warm]
    for number, one in enumerate(cold, start=1):
        times = one.amps / rated_a
        if one.opened_s is not None and times >= _SURE_TIMES and one.opened_s > _SURE_S:
            text = words(
                "{amps} A for {time} before it opened is longer than one hour, by when it has to at 1.45 times its rating: did it carry so much all the while?"
            )
            yield Doubt(f"long-{number}", say(text, amps=plain(one.amps), time=show_duration(one.opened_s)))
        if one.opened_s is not None and _RATED <= times <= _CARRIES_TIMES and one.opened_s < _CARRIES_S:
            text = words(
                "{amps} A is {times} times its rating, which fuse and breaker carry for an hour at least, and it opened after {time}: was it warm or worn, did more flow at first, or is its rating another?"
            )
            yield Doubt(f"early-{number}", say(text, amps=plain(one.amps), times=plain(times, 3), time=show_duration(one.opened_s)))
        if one.opened_s is None and times >= _AT_ONCE_TIMES and one.held_s > _AT_ONCE_S:
            text = words("{amps} A, {times} times its rating, held for {time}: were the amperes in another unit?")
            yield Doubt(f"held-{number}", say(text, amps=plain(one.amps), times=plain(times, 2), time=show_duration(one.held_s)))
        same = [o for o in cold[: number - 1] if abs(o.amps / one.amps - 1) < SAME_A and o.opened_s and one.opened_s]
        if same and one.opened_s and not 1 / _APART_TIMES < one.opened_s / (same[0].opened_s or 1.0) < _APART_TIMES:
            text = words("At {amps} A it opened after {one}, and after {other}: one of them was warm, or another current. Which was cold?")
            told = {"amps": plain(one.amps), "one": show_duration(same[0].opened_s or 0.0), "other": show_duration(one.opened_s)}
            yield Doubt(f"apart-{number}", say(text, **told))
        sooner = [
            o for o in cold if o.opened_s is not None and o.amps > _MORE_A * one.amps and o.opened_s > _LATER * (one.opened_s or math.inf)
        ]
        if sooner:
            text = words("At {amps} A it opened after {time}, and at {more} A after {longer}: was it warm still, or are two rows swapped?")
            told = {"amps": plain(one.amps), "time": show_duration(one.opened_s or 0.0), "more": plain(sooner[0].amps)}
            yield Doubt(f"sooner-{number}", say(text, **told, longer=show_duration(sooner[0].opened_s or 0.0)))
        before = [o for o in cold[: number - 1] if o.opened_s is None and o.amps > one.amps]
        if one.opened_s is not None and before and before[0].held_s >= one.opened_s:
            text = words(
                "It opened at {amps} A after {time}, and held {more} A for {longer} before: was it still warm, or are two rows swapped?"
            )
            told = {"amps": plain(one.amps), "time": show_duration(one.opened_s), "more": plain(before[0].amps)}
            yield Doubt(f"less-{number}", say(text, **told, longer=show_duration(before[0].held_s)))


def _sampled(record: Record) -> list[Overload]:
    found: list[Overload] = []
    opened_at: float | None = None
    for event in record.events:
        if isinstance(event, WentOff | HeldOn):
            rested = event.time_s - event.after_s - opened_at if opened_at is not None else None
            found.append(Overload(event.load, event.after_s, event.after_s if isinstance(event, WentOff) else None, rested_s=rested))
            opened_at = event.time_s if isinstance(event, WentOff) else opened_at
    return found


_MORE_A, _LATER = 1.1, 1.5
"""Opening takes longer the less flows: a tenth more amperes are told apart, and half as long again. Common practice, no source."""
_SHOWN_TIMES = 1.8
"""A usual curve is drawn to so many times what was tried."""
_SURE_TIMES, _SURE_S = 1.45, 2 * 3600.0
"""IEC 60898-1: at 1.45 times its rating it opens within an hour, two over 63 A (value from memory)."""
_RATED, _CARRIES_TIMES, _CARRIES_S = 0.99, 1.1, 3600.0
"""Breakers carry 1.13 times their rating for an hour (IEC 60898-1), blade fuses 1.1 times for a hundred (ISO 8820-3); both from memory."""
_AT_ONCE_TIMES, _AT_ONCE_S, _APART_TIMES = 10.0, 60.0, 3.0


def _typed(record: Record) -> list[Overload]:
    """Each overload from its amperes to what became of it.

    Raises
    ------
    ReadingsError
        A line says what became of a current that nobody saw come on.
    """
    overloads: list[Overload] = []
    began: tuple[float, float] | None = None
    opened_at: float | None = None
    for entry in record.lines:
        moment, jotting = entry.time_s, entry.jotting
        amps = next((r.value for r in jotting.readings if r.quantity == "A" and r.kind != "peak"), None)
        inrush = next((r.value for r in jotting.readings if r.quantity == "A" and r.kind == "peak"), None)
        ends = jotting.mark in {"tripped", "held"}
        if ends and amps is not None and (began is None or abs(amps / began[1] - 1) > SAME_A):
            raise ReadingsError(
                say(
                    "“{amps} A {mark}”: since when did it carry {amps} A? Type the amperes alone as you switch them on, and “tripped” or “held” when that is seen.",
                    amps=plain(amps),
                    mark=jotting.mark,
                )
            )
        if ends and began is not None:
            lasted = moment - began[0]
            rested = began[0] - opened_at if opened_at is not None else None
            overloads.append(Overload(began[1], lasted, lasted if jotting.mark == "tripped" else None, inrush, rested))
            opened_at = moment if jotting.mark == "tripped" else opened_at
            began = None
        elif amps is not None:
            began = moment, amps
    return overloads


def _plot(steps: list[Overload], rated_a: float, curve: tuple[CurvePoint, ...], usual: str = "") -> Plot:
    """Time to open over the multiple of the rating, both against the band of its maker's curve, or of one that is ``usual``; time goes up in powers of ten."""
    if usual and steps:
        curve = tuple(p for p in curve if p.multiple <= _SHOWN_TIMES * max(s.amps for s in steps) / rated_a) or curve[:2]
    title, up = say("Time to open"), say("time")
    along = say("× its rating     ● opened   ▲ held as long as it was watched")
    along += say("   ◆ opened, warm") if any(s.is_warm for s in steps) else ""
    if not steps and not curve:
        return Plot(title, along, up, (0.0, 1.0), (0.0, 1.0))
    times = [_power(s.opened_s or s.held_s) for s in steps]
    times += [_power(t) for p in curve for t in (p.fastest_s, p.slowest_s) if 0 < t < math.inf]
    multiples = [s.amps / rated_a for s in steps] + [p.multiple for p in curve]
    low, high = min(times) - 0.3, max(times) + 0.4
    marks = tuple((math.log10(s), show_duration(s)) for s in _ROUND_S if low <= math.log10(s) <= high)
    layers: list[Layer] = []
    if len(curve) > 1:
        x = _array(p.multiple for p in curve)
        slow = _array(min(math.log10(p.slowest_s), high) if p.slowest_s < math.inf else high for p in curve)
        fast = _array(max(math.log10(max(p.fastest_s, 1e-9)), low) for p in curve)
        layers += [Area(x, fast, slow, "good", 1), Curve(x, slow, "good", "dashed", usual), Curve(x, fast, "good", "dashed")]
    layers.append(
        Dots(
            _array(s.amps / rated_a for s in steps),
            _array(_power(s.opened_s or s.held_s) for s in steps),
            tuple(HELD if s.opened_s is None else OUTSIDE if s.is_warm else TAKEN for s in steps),
        )
    )
    description = ", ".join(
        f"{plain(s.amps / rated_a, 3)} ×: {show_duration(s.opened_s) if s.opened_s is not None else say('held')}" for s in steps
    )
    return Plot(title, along, up, (0.9 * min(multiples), 1.08 * max(multiples)), (low, high), tuple(layers), description, marks)


def _power(seconds: float) -> float:
    return math.log10(max(seconds, 0.01))


def _array(values: Iterable[float]) -> Array:
    return np.array(list(values), dtype=np.float64)
