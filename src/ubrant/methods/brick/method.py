"""A supply under load as a method: its form, checks, rows, account."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from ubrant.core.account import Account
from ubrant.core.drawings import Curve, Dots, Drawing, Plot, Rule
from ubrant.core.gate.figures import Doubt
from ubrant.core.gate.readings import Takes
from ubrant.core.quantities.quantity import plain
from ubrant.core.quantities.tolerance import Tolerance
from ubrant.core.record.head import Criteria, Setup
from ubrant.core.record.record import Record
from ubrant.core.sources.supply_output import Loaded, analyse_supply
from ubrant.core.uncertainty.decision import decided
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.brick.person import loads_it
from ubrant.methods.converting import output_criteria
from ubrant.methods.declared import Seen, TypedMethod
from ubrant.methods.form import CRITERIA, Allowed, Field, Loads, QuantityKind
from ubrant.methods.method import TAP_LOG, LoadRating, Prepared, Problem, refused, to_know
from ubrant.methods.ratings import labelled, most_at_output, read_ratings
from ubrant.methods.rows import Prompt
from ubrant.methods.steps import Ask

_V, _A = ("output", "V"), ("output", "A")
_DIPS = 0.93
_RISES = 20.0
"""mV/A: by less leads that are made up for do so."""
_SHARES = (0.0, 0.25, 0.5, 0.75, 1.0, 1.1)


@dataclass(frozen=True)
class BrickPlan:
    """``loads`` in A, NaN for what nobody knows; ``rated`` A on its label, None where that does not say it."""

    loads: tuple[float, ...]
    rated: float | None = None


class BrickMethod(TypedMethod):
    """Of supplies, chargers with a fixed output, converters; typed, or from a table."""

    key, title, Plan = "brick", "Supply under load", BrickPlan
    taps, log, reads, like = ("output",), TAP_LOG, (_V, _A), "19.2 V 1.5 A"
    named: ClassVar = {"": "output", "load": "output", "battery": "output", "source": "output"}
    or_fate = (_A,)
    steady = ((_V,),)
    answers = ("no_load_voltage", "load_regulation", "holds_to")
    far_end, person = words("Loads"), loads_it

    def takes(self, record: Record) -> Takes:
        return replace(super().takes(record), most=most_at_output(record.head.setup.unit))

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        """A supply gives less volts the more is drawn of it."""
        yield from super().doubts(account, record)
        seen = self.seen(record)
        rows = [(v, a) for v, a in zip(seen.column("V").tolist(), seen.column("A").tolist(), strict=True) if v == v and a == a and v > 0]
        for k, (volts, amps) in enumerate(rows[1:-1], start=1):
            if min(rows[k - 1][0], rows[k + 1][0]) * _DIPS > volts and rows[k + 1][1] >= amps:
                text = words(
                    "{v} V at {a} A stand between {before} and {after} V, at no larger load: did a digit slip, or a clip come loose?"
                )
                yield Doubt(f"dip-{k}", say(text, v=plain(volts), a=plain(amps), before=plain(rows[k - 1][0]), after=plain(rows[k + 1][0])))
        slope = account.findings.get("load_regulation")
        if slope is not None and slope.value and slope.value > _RISES and decided(slope, 0.0) > 0:
            yield Doubt(
                "rises",
                say(
                    "Its volts rise with the load, by {slope}: were rows swapped, or does it make up for its leads?",
                    slope=slope.value_text(),
                ),
            )

    def form(self, setup: Setup) -> tuple[Field, ...]:
        ratings = read_ratings(setup.unit)
        out, amps = ratings.output_v, ratings.amps
        loads = ", ".join(plain(round(share * amps, 2)) for share in _SHARES) + " A"
        return (
            Field("loads", "Loads", Loads(out), loads, "0, 1 A, 4.7 Ω 10 W"),
            Field("rated", "Rated current", QuantityKind("A", may_be_empty=True), f"{plain(amps)} A"),
            Field("tolerance", "Output may be", Allowed(), f"{plain(out * 0.95)}..{plain(out * 1.05)} V", part=CRITERIA),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> Iterable[Problem]:
        plan = prepared.plan
        if len(plan.loads) < 2:
            yield refused(say("At least two loads are needed, 0 A and another one."))
        most = max((a for a in plan.loads if a == a), default=0.0)
        if plan.rated and most > 1.3 * plan.rated:
            text = words("{a} A is far over its {r} A: set beforehand for how many seconds, keep a hand on the switch.")
            yield to_know(say(text, a=plain(most), r=plain(plan.rated)))

    def asks(self, prepared: Prepared) -> Iterable[Ask]:
        text = say("A meter at its output, loads ready from light to heavy. Nothing is opened: its input is mains.")
        yield Ask(text, (cautions.HOT_RESISTORS, cautions.WARM))

    def rows(self, prepared: Prepared) -> Iterable[Prompt]:
        loads = prepared.plan.loads
        for k, amps in enumerate(loads, start=1):
            text = say(
                "Point {n} of {count}: {load}; wait until it stands still, and type “{example}”; “off” behind it where it gives up.",
                n=k,
                count=len(loads),
                load=_set(amps),
                example=self.like,
            )
            yield self.row(text, _set(amps))

    def further(self, prepared: Prepared) -> Prompt:
        return self.row(say("That was the last load. Go on between two of them for where it gives up, or close the run."))

    def of_log(self, setup: Setup, said: Mapping[str, str]) -> tuple[Setup, Criteria]:
        return labelled(setup, said.get("rated", "")), output_criteria(said)

    def sums(self, seen: Seen) -> Account:
        read = Loaded(seen.column("V"), seen.column("A"), seen.fates, seen.accuracy("V"), seen.accuracy("A"), seen.half("V", "A"))
        tolerance = seen.record.head.criteria.tolerance
        findings, said = analyse_supply(read, tolerance, seen.plan.rated if seen.is_planned else None)
        return Account(
            findings,
            sentence=_sentence(findings),
            warnings=tuple(said),
            drawings=lambda: (_drawn(read, tolerance),),
            short=say("holds {a}", a=findings["holds_to"].value_text()),
        )


def _set(amps: float) -> str:
    return say("nothing attached") if amps == 0 else say("{a} A", a=plain(amps)) if amps == amps else say("the next load")


def _sentence(findings: dict[str, Finding]) -> str:
    parts = []
    if (open_v := findings.get("no_load_voltage")) is not None:
        parts.append(say("{v} with nothing attached", v=open_v.with_uncertainty()))
    if (slope := findings.get("load_regulation")) is not None:
        parts.append(say("{mv} under load", mv=slope.with_uncertainty()))
    parts.append(
        say("holds up to {a}", a=findings["holds_to"].with_uncertainty())
        if not findings["holds_to"].bound
        else say("holds {a}", a=findings["holds_to"].value_text())
    )
    text = "; ".join(parts)
    return f"{text[0].upper()}{text[1:]}."


def _drawn(read: Loaded, tolerance: Tolerance | None) -> Drawing:
    good = np.isfinite(read.volts) & np.isfinite(read.amps)
    volts, amps = read.volts[good], read.amps[good]
    layers: list[Curve | Dots | Rule] = [Curve(amps, volts, "voltage"), Dots(amps, volts)]
    if tolerance is not None:
        layers.append(Rule(tolerance.low, say("may be as low as {v} V", v=plain(tolerance.low)), below=True))
    told = say(
        "{n} points up to {a} A, from {v} to {w} V",
        n=len(amps),
        a=plain(float(amps.max()), 3),
        v=plain(float(volts.max()), 3),
        w=plain(float(volts.min()), 3),
    )
    return Plot(
        say("Its volts over what is drawn"),
        say("load, A"),
        "V",
        (0.0, 1.06 * max(float(amps.max()), 0.1)),
        (0.0, 1.08 * float(volts.max())),
        tuple(layers),
        told,
    )
