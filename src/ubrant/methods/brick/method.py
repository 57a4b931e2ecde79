"""A supply under load as a method: its form, checks, rows, account."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ubrant.core.account import Account
from ubrant.core.conversion.power_path import Flow, Node, PowerPath
from ubrant.core.drawings import Curve, Dots, Drawing, Plot, Rule
from ubrant.core.quantities.jot import FATES
from ubrant.core.quantities.quantity import plain
from ubrant.core.quantities.tolerance import Tolerance
from ubrant.core.record.head import Criteria, Setup
from ubrant.core.record.readings import ReadingsError
from ubrant.core.record.record import Record
from ubrant.core.sources.supply_output import Loaded, analyse_supply
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say
from ubrant.methods import cautions
from ubrant.methods.brick.person import loads_it
from ubrant.methods.by_eye import Lines, Reader
from ubrant.methods.converting import output_criteria
from ubrant.methods.form import CRITERIA, Allowed, Field, Loads, Quantity
from ubrant.methods.method import TAP_LOG, LoadRating, Method, Prepared, Problem, clipped
from ubrant.methods.points_by_hand import Table, points_at
from ubrant.methods.ratings import read_ratings
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import ByHand, Row
from ubrant.methods.steps import Ask

_V, _A = ("output", "V"), ("output", "A")
_NAMES = {"": "output", "load": "output", "battery": "output", "source": "output"}
_EXAMPLE = "19.2 V 1.5 A"
_SHARES = (0.0, 0.25, 0.5, 0.75, 1.0, 1.1)


@dataclass(frozen=True)
class BrickPlan:
    """``loads`` in A, NaN for what nobody knows; ``rated`` A on its label, None where that does not say it."""

    loads: tuple[float, ...]
    rated: float | None = None


class BrickMethod(Method):
    """Of supplies, chargers with a fixed output, converters; typed, or from a table."""

    key = "brick"
    title = "Supply under load"
    Plan = BrickPlan
    taps = ("output",)
    by_eye = True
    uses_load = False
    has_leads = False
    plan_from_label = True
    log = TAP_LOG

    def form(self, setup: Setup) -> tuple[Field, ...]:
        ratings = read_ratings(setup.unit)
        out, amps = ratings.output_v, ratings.amps
        loads = ", ".join(plain(round(share * amps, 2)) for share in _SHARES) + " A"
        return (
            Field("loads", "Loads", Loads(out), loads, "0, 1 A, 4.7 Ω 10 W"),
            Field("rated", "Rated current", Quantity("A", may_be_empty=True), f"{plain(amps)} A"),
            Field("tolerance", "Output may be", Allowed(), f"{plain(out * 0.95)}..{plain(out * 1.05)} V", part=CRITERIA),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> list[Problem]:
        plan = prepared.plan
        problems = [] if len(plan.loads) > 1 else [Problem(True, say("At least two loads are needed, 0 A and another one."))]
        most = max((a for a in plan.loads if a == a), default=0.0)
        if plan.rated and most > 1.3 * plan.rated:
            problems.append(
                Problem(
                    False,
                    say(
                        "{a} A is far over its {r} A: set beforehand for how many seconds, keep a hand on the switch.",
                        a=plain(most),
                        r=plain(plan.rated),
                    ),
                )
            )
        return problems

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return say("{count} points", count=len(prepared.plan.loads)), ""

    def wiring(self, prepared: Prepared) -> PowerPath:
        return _path(prepared.setup, None)

    def by_hand(self, prepared: Prepared) -> ByHand:
        loads = prepared.plan.loads
        ask = Ask(
            say("A meter at its output, loads ready from light to heavy. Nothing is opened: its input is mains."),
            (cautions.HOT_RESISTORS, cautions.WARM),
        )
        rows = tuple(
            Row(
                say(
                    "Point {n} of {count}: {load}; wait until it stands still, and type “{example}”; “off” behind it where it gives up.",
                    n=k,
                    count=len(loads),
                    load=_set(amps),
                    example=_EXAMPLE,
                ),
                (_V, _A),
                example=_EXAMPLE,
                short=_set(amps),
                or_fate=(_A,),
                afresh=True,
            )
            for k, amps in enumerate(loads, start=1)
        )
        after = Row(
            say("That was the last load. Go on between two of them for where it gives up, or close the run."),
            (_V, _A),
            example=_EXAMPLE,
            or_fate=(_A,),
            afresh=True,
        )
        return ByHand((ask,), rows, after, reads=(_V, _A))

    def of_log(self, setup: Setup, said: Mapping[str, str]) -> tuple[Setup, Criteria]:
        return setup, output_criteria(said)

    def read_off(self, prepared: Prepared, reader: Reader) -> Lines:
        return loads_it(prepared, reader)

    def account(self, record: Record, expected: Rehearsal | None = None) -> Account:
        plan = self.prepared(record.head).plan
        table = points_at(record, (_V, _A), _NAMES)
        fates = _fates(record, table)
        half = {"V": table.half[_V], "A": table.half[_A]}
        read = Loaded(table.values[_V], table.values[_A], fates, record.accuracy("output", "V"), record.accuracy("output", "A"), half)
        tolerance = record.head.criteria.tolerance
        try:
            findings, said = analyse_supply(read, tolerance, plan.rated if plan is not None else None)
        except ReadingsError as error:
            return Account(trouble=str(error), taken=len(table))
        return Account(
            findings,
            ("no_load_voltage", "load_regulation", "holds_to"),
            (),
            None,
            _sentence(findings),
            (*record.head.origin.said, *said),
            taken=len(table),
            planned=len(plan.loads) if plan is not None else None,
            drawings=lambda: (_drawn(read, tolerance),),
            path=lambda: _path(record.head.setup, findings),
            short=say("holds {a}", a=findings["holds_to"].value_text()),
        )


def _set(amps: float) -> str:
    return say("nothing attached") if amps == 0 else say("{a} A", a=plain(amps)) if amps == amps else say("the next load")


def _fates(record: Record, table: Table) -> list[str]:
    """What became of the load at each point."""
    if not record.is_typed:
        return [""] * len(table)
    lines = [j for _, j in record.answers("skip") if j.mark != "skip" and j.readings]
    return [j.mark if j.mark in FATES else "" for j in lines]


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


def _path(setup: Setup, findings: dict[str, Finding] | None) -> PowerPath:
    nodes = (Node("battery", setup.unit.name, setup.unit.printed), Node("load", say("Loads")))
    meter = clipped(setup.meter("output")) if findings is None else setup.meter("output").name
    return PowerPath(nodes, (Flow(None, meter=meter),), (None, None), (0.0, 0.0), "W")
