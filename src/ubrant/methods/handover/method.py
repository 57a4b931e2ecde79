"""Hand-over as a method: its form, rows, account."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from itertools import pairwise

from ubrant.core.account import Account, Group
from ubrant.core.drawings import Bars
from ubrant.core.quantities.jot import FALTERS, FATES, OFF, RUNS, TypedLine, plainly
from ubrant.core.quantities.quantity import plain
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.record.head import BY_HAND, SIMULATED, Setup
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import as_read, digit
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.declared import Seen, TypedMethod, itself
from ubrant.methods.form import Field, Names, QuantityKind
from ubrant.methods.handover.person import pulls
from ubrant.methods.method import LoadRating, Prepared, Problem, refused
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import Prompt
from ubrant.methods.steps import Ask

_V = ("output", "V")


_DEAD = 0.2
"""Of the highest output that was read: with less nothing runs. Common practice, no source."""


@dataclass(frozen=True)
class HandoverPlan:
    """``sources`` in the order in which they take over; ``least_v`` the output may fall to, None for unknown."""

    sources: tuple[str, ...]
    least_v: float | None = None


class HandoverMethod(TypedMethod):
    """Of what hangs on several sources, typed."""

    key, title, Plan, unplanned = "handover", "Hand-over between sources", HandoverPlan, HandoverPlan(())
    steady, whole_lines = ((_V,),), False
    goes_by_order = each_row_says = False
    taps, roads, reads, like = ("output",), (BY_HAND, SIMULATED), (_V,), "11.4 V runs"
    fates_alone = with_fates = True
    or_fate = (_V,)
    person = pulls

    def form(self, setup: Setup) -> tuple[Field, ...]:
        return (
            Field("sources", "Sources, the first first", Names(), say("mains, pack, its own battery")),
            Field("least_v", "It may fall to", QuantityKind("V", may_be_empty=True), "", "10.8 V"),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> Iterable[Problem]:
        if len(prepared.plan.sources) < 2:
            yield refused(say("Name at least two sources in their order, like “mains, pack”."))

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return say("{n} changes", n=2 * (len(prepared.plan.sources) - 1)), say("under load")

    def asks(self, prepared: Prepared) -> Iterable[Ask]:
        text = say(
            "All sources on, the load as it is used, a meter that keeps the lowest volts at the output. What must not go dark is not on it yet."
        )
        yield Ask(text, (cautions.UNPLUG_OFF, cautions.MAINS))

    def rows(self, prepared: Prepared) -> Iterable[Prompt]:
        sources = prepared.plan.sources
        pull = words(
            "Pull {gone}: {then} should take over. Type the lowest output and what became of the load, like “{example}”: runs, falters (it restarted) or off."
        )
        for gone, then in pairwise(sources):
            yield self.row(say(pull, gone=gone, then=then, example=self.like), _change(gone, then))
        back = words("Put {back} back: it should take over from {before}. The same again, like “{example}”.")
        for before, one in pairwise(reversed(sources)):
            yield self.row(say(back, back=one, before=before, example=self.like), _change(before, one))

    def further(self, prepared: Prepared) -> Prompt:
        return self.row(say("Again any change, with a note which; or close the run."), afresh=False)

    def sums(self, seen: Seen) -> Account:
        plan, lines = seen.plan, seen.lines
        if not lines:
            text = words("No source was pulled yet: type the lowest output and what became of the load, like “{example}”.")
            raise ReadingsError(say(text, example=self.like))
        highest = max((abs(r.value) for line in lines for r in line.jotting.readings if r.quantity == "V"), default=0.0)
        findings: dict[str, Finding] = {}
        bad: list[str] = []
        warnings: list[str] = []
        for k, (_, jotting, name, *_) in enumerate(lines, start=1):
            what = name or say("change {n}", n=k)
            fate, volts = _fate(jotting), next((r for r in jotting.readings if r.quantity == "V"), None)
            if fate == RUNS and volts is not None and abs(volts.value) < _DEAD * highest:
                fate = OFF
                warnings.append(say("{what}: at {v} V nothing runs on: it is counted as off.", what=what, v=plain(volts.value)))
            if fate != RUNS:
                bad.append(say("{what}: it went off", what=what) if fate == OFF else say("{what}: it restarted", what=what))
            if volts is None:
                continue
            shown = as_read(volts.value, seen.accuracy("V")) + digit(volts.half_width, "V", when=what)
            working = say("lowest while it changed; the load {fate}", fate=say(fate))
            lowest = findings[f"lowest_{k}"] = Finding.made(f"lowest_{k}", what, shown, "V", working)
            u = lowest.expanded_uncertainty or 0.0
            if plan.least_v is not None and volts.value - u < plan.least_v:
                how = say("falls below") if volts.value + u < plan.least_v else say("may fall below")
                text = words("{what}: the output {how} the {least} V that it may fall to.")
                warnings.append(say(text, what=what, how=how, least=plain(plan.least_v)))
        each = tuple(findings)
        text = say("{n} of {m} changes held", n=len(lines) - len(bad), m=len(lines))
        if each:
            one = min(findings.values(), key=lambda f: f.value or 0.0)
            findings = {
                "lowest_output": replace(one, key="lowest_output", name=say("Lowest output in a change"), working=one.name),
                **findings,
            }
            text += say(", the output never below {v}", v=one.with_uncertainty())
        else:
            findings["changes"] = Finding("changes", say("Changes tried"), float(len(lines)), "", (), say("no volts were read"))
        return Account(
            findings,
            ("lowest_output",) if each else ("changes",),
            (Group("Each change", each),),
            sentence=f"{'; '.join((text, *bad))}.",
            warnings=tuple(warnings),
            taken=len(lines),
            drawings=lambda: (Bars(tuple((findings[key], plan.least_v, "") for key in each)),) if each else (),
            short=say("{n} of {m} held", n=len(lines) - len(bad), m=len(lines)),
        )

    def path(self, setup: Setup, found: Mapping[str, Finding], plan: HandoverPlan) -> PowerPath:
        names = " → ".join(plan.sources) or say("Sources")
        return PowerPath(
            (PathNode("battery", names), itself(setup)), (Flow(None, meter=setup.meter("output").name),), (None, None), (0.0, 0.0), "W"
        )


def _fate(jotting: TypedLine) -> str:
    """What became of the load; a note that it restarted counts as such, nothing said as that it ran on."""
    if jotting.mark in FATES:
        return plainly(jotting.mark) or RUNS
    return FALTERS if re.search(r"\b(restart|reboot|flicker)", jotting.text, re.I) else RUNS


def _change(gone: str, then: str) -> str:
    return say("{gone} to {then}", gone=gone, then=then)
