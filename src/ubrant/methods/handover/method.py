"""Hand-over as a method: its form, rows, account."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from itertools import pairwise

from ubrant.core.account import Account, Group
from ubrant.core.conversion.power_path import Flow, Node, PowerPath
from ubrant.core.drawings import Bars
from ubrant.core.quantities.jot import FALTERS, OFF, RUNS, Jotting
from ubrant.core.quantities.quantity import plain
from ubrant.core.record.head import BY_HAND, SIMULATED, Setup
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import as_read, digit
from ubrant.core.wording import say
from ubrant.methods import cautions
from ubrant.methods.by_eye import Lines, Reader
from ubrant.methods.form import Field, Names, Quantity
from ubrant.methods.handover.person import pulls
from ubrant.methods.method import LoadRating, Method, Prepared, Problem
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import ByHand, Row
from ubrant.methods.steps import Ask

_V = ("output", "V")
_EXAMPLE = "11.4 V runs"


@dataclass(frozen=True)
class HandoverPlan:
    """``sources`` in the order in which they take over; ``least_v`` the output may fall to, None for unknown."""

    sources: tuple[str, ...]
    least_v: float | None = None


class HandoverMethod(Method):
    """Of what hangs on several sources, typed."""

    key = "handover"
    title = "Hand-over between sources"
    goes_by_order = False
    fates_alone = True
    Plan = HandoverPlan
    taps = ("output",)
    roads = (BY_HAND, SIMULATED)
    by_eye = True
    uses_load = False
    has_leads = False
    plan_from_label = True

    def form(self, setup: Setup) -> tuple[Field, ...]:
        return (
            Field("sources", "Sources, the first first", Names(), say("mains, pack, its own battery")),
            Field("least_v", "It may fall to", Quantity("V", may_be_empty=True), "", "10.8 V"),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> list[Problem]:
        if len(prepared.plan.sources) < 2:
            return [Problem(True, say("Name at least two sources in their order, like “mains, pack”."))]
        return []

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return say("{n} changes", n=2 * (len(prepared.plan.sources) - 1)), say("under load")

    def wiring(self, prepared: Prepared) -> PowerPath:
        return _path(prepared.setup, prepared.plan)

    def by_hand(self, prepared: Prepared) -> ByHand:
        sources = prepared.plan.sources
        ask = Ask(
            say(
                "All sources on, the load as it is used, a meter that keeps the lowest volts at the output. What must not go dark is not on it yet."
            ),
            (cautions.UNPLUG_OFF, cautions.MAINS),
        )
        rows = []
        for gone, then in pairwise(sources):
            text = say(
                "Pull {gone}: {then} should take over. Type the lowest output and what became of the load, like “{example}”: runs, falters (it restarted) or off.",
                gone=gone,
                then=then,
                example=_EXAMPLE,
            )
            rows.append(
                Row(
                    text, (_V,), marks=(RUNS, FALTERS, OFF, "skip"), example=_EXAMPLE, short=_change(gone, then), afresh=True, or_fate=(_V,)
                )
            )
        for back, before in zip(reversed(sources[:-1]), reversed(sources[1:]), strict=False):
            text = say(
                "Put {back} back: it should take over from {before}. The same again, like “{example}”.",
                back=back,
                before=before,
                example=_EXAMPLE,
            )
            rows.append(
                Row(
                    text,
                    (_V,),
                    marks=(RUNS, FALTERS, OFF, "skip"),
                    example=_EXAMPLE,
                    short=_change(before, back),
                    afresh=True,
                    or_fate=(_V,),
                )
            )
        after = Row(say("Again any change, with a note which; or close the run."), (_V,), marks=(RUNS, FALTERS, OFF, "skip"), or_fate=(_V,))
        return ByHand((ask,), tuple(rows), after, reads=(_V,))

    def read_off(self, prepared: Prepared, reader: Reader) -> Lines:
        return pulls(prepared, reader)

    def row_findings(self, record: Record) -> dict[float, str]:
        return {}

    def account(self, record: Record, expected: Rehearsal | None = None) -> Account:
        setup = record.head.setup
        plan = self.prepared(record.head).plan or HandoverPlan(())
        lines = self.by_hand(Prepared(setup, plan)).answering(record)
        if not lines:
            return Account(
                trouble=say(
                    "No source was pulled yet: type the lowest output and what became of the load, like “{example}”.", example=_EXAMPLE
                )
            )
        accuracy = record.accuracy("output", "V")
        findings: dict[str, Finding] = {}
        bad: list[str] = []
        warnings = [*record.head.origin.said]
        for k, (_, jotting, name) in enumerate(lines, start=1):
            what = name or say("change {n}", n=k)
            fate = _fate(jotting)
            if fate != RUNS:
                bad.append(say("{what}: it went off", what=what) if fate == OFF else say("{what}: it restarted", what=what))
            volts = next((r for r in jotting.readings if r.quantity == "V"), None)
            if volts is None:
                continue
            key = f"lowest_{k}"
            shown = as_read(volts.value, accuracy) + digit(volts.half_width, "V", when=what)
            findings[key] = Finding.made(key, what, shown, "V", say("lowest while it changed; the load {fate}", fate=say(fate)))
            u = findings[key].expanded_uncertainty or 0.0
            if plan.least_v is not None and volts.value - u < plan.least_v:
                sure = volts.value + u < plan.least_v
                how = say("falls below") if sure else say("may fall below")
                warnings.append(
                    say("{what}: the output {how} the {least} V that it may fall to.", what=what, how=how, least=plain(plan.least_v))
                )
        if not findings:
            findings["changes"] = Finding("changes", say("Changes tried"), float(len(lines)), "", (), say("no volts were read"))
        lowest = min((f for key, f in findings.items() if key.startswith("lowest_")), key=lambda f: f.value or 0.0, default=None)
        if lowest is not None:
            findings = {
                "lowest_output": replace(lowest, key="lowest_output", name=say("Lowest output in a change"), working=lowest.name),
                **findings,
            }
        text = say("{n} of {m} changes held", n=len(lines) - len(bad), m=len(lines))
        if lowest is not None:
            text += say(", the output never below {v}", v=lowest.with_uncertainty())
        text += "." if not bad else "; " + "; ".join(bad) + "."
        each = tuple(key for key in findings if key.startswith("lowest_") and key != "lowest_output")
        return Account(
            findings,
            ("lowest_output",) if lowest is not None else ("changes",),
            (Group(say("Each change"), each),),
            None,
            text,
            tuple(warnings),
            taken=len(lines),
            planned=2 * (len(plan.sources) - 1) or None,
            drawings=lambda: (Bars(tuple((findings[key], plan.least_v, "") for key in each)),) if each else (),
            path=lambda: _path(setup, plan),
            short=say("{n} of {m} held", n=len(lines) - len(bad), m=len(lines)),
        )


def _fate(jotting: Jotting) -> str:
    """What became of the load; a note that it restarted counts as such, nothing said as that it ran on."""
    if jotting.mark in {RUNS, FALTERS, OFF}:
        return jotting.mark
    return FALTERS if re.search(r"\b(restart|reboot|flicker)", jotting.text, re.I) else RUNS


def _change(gone: str, then: str) -> str:
    return say("{gone} to {then}", gone=gone, then=then)


def _path(setup: Setup, plan: HandoverPlan | None) -> PowerPath:
    names = " → ".join(plan.sources) if plan is not None and plan.sources else say("Sources")
    nodes = (Node("battery", names), Node("load", setup.unit.name, setup.unit.printed))
    return PowerPath(nodes, (Flow(None, meter=setup.meter("output").name),), (None, None), (0.0, 0.0), "W")
