"""The charge left by the volts at rest, with an honest band; refused where it did not rest, or where volts cannot tell."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np

from ubrant.core.battery.how_full import CHARGED, NOT_SAID, USED, how_full
from ubrant.core.drawings import Bars
from ubrant.core.record.head import SIMULATED
from ubrant.core.record.power_path import PathNode, PowerPath
from ubrant.methods import cautions
from ubrant.methods import declared as d
from ubrant.methods.declared import BY_HAND, say, show, words
from ubrant.methods.form import ChoiceKind, QuantityKind
from ubrant.methods.fullness.person import looks_once
from ubrant.methods.rehearsal import Rehearsal

_V, _A = ("battery", "V"), ("battery", "A")
_AT_REST = 0.01
"""By less do its volts differ from look to look, as it settles. Common practice, no source."""


@dataclass(frozen=True)
class FullnessPlan:
    """``rested_s`` with nothing on it, None where nobody said; ``before`` that it was charged, used, or not said."""

    rested_s: float | None
    before: str


class FullnessMethod(d.TypedMethod):
    """Of a battery with everything off."""

    key, title, Plan, unplanned = "fullness", "How full it is", FullnessPlan, FullnessPlan(None, NOT_SAID)
    taps, roads, reads, spared = ("battery",), (BY_HAND, SIMULATED), (_V, _A), (_A,)
    like, counts_points, each_row_says, answers = "12.63 V", False, False, ("charge_now", "energy_now")
    nothing_yet = words("Its volts at rest were not read yet: type them, like “{example}”.")
    far_end = words("nothing on it")
    person = looks_once

    def form(self, setup: d.Setup) -> tuple[d.Field, ...]:
        ways = ChoiceKind(((say("charged"), CHARGED), (say("used"), USED), (say("not said"), NOT_SAID)))
        return (
            d.Field("rested_s", say("Everything off for"), QuantityKind("s", may_be_empty=True), "", say("4 h")),
            d.Field("before", say("Before that it was"), ways, say("not said")),
        )

    def checks(self, prepared: d.Prepared, load: d.LoadRating) -> Iterable[d.Problem]:
        label = prepared.setup.label
        kind = label.kind_of_cell if label is not None else None
        if label is None or kind is None or not label.series:
            yield d.refused(say("Its label has to say its kind of cell and its volts: by them its chart is found."))
        elif not kind.rest_chart:
            yield d.refused(say("Of {kind} the volts at rest cannot tell how full it is: count ampere-hours.", kind=kind.name))
        elif prepared.plan.rested_s is not None and prepared.plan.rested_s < 3600 * kind.rest_hours:
            yield d.to_know(say("It wants {h:g} h of rest: until then its volts only bound it.", h=kind.rest_hours))

    def facts(self, prepared: d.Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return say("one look, at rest"), ""

    def path(self, setup: d.Setup, found: Mapping[str, d.Finding], plan: FullnessPlan) -> PowerPath:
        volts = found.get("rest_voltage")
        ends = d.itself(setup, "battery"), PathNode("leads", say(self.far_end))
        return d.one_flow(setup, "battery", ends, None if volts is None else 0.0, volts.value if volts is not None else None)

    def asks(self, prepared: d.Prepared) -> Iterable[d.Ask]:
        yield d.Ask(
            say("Everything off, the charger too: what still draws or charges makes its volts say something else."), (cautions.LOOK_FIRST,)
        )

    def rows(self, prepared: d.Prepared) -> Iterable[d.Prompt]:
        yield self.row(
            say("Volts at its terminals, at rest, like “{example}”; with a clamp the amperes that still flow, too.", example=self.like)
        )

    def doubts(self, account: d.Account, record: d.Record) -> Iterable[d.Doubt]:
        """A battery at rest has the same volts at each look."""
        yield from super().doubts(account, record)
        seen = self.seen(record)
        volts = np.abs(seen.column("V")[seen.whole("V")])
        if len(volts) > 1 and float(np.ptp(volts)) > _AT_REST * float(volts[-1]):
            text = words(
                "{one} V and {other} V were read of it at rest: is one of them a slip, or did it not rest? Skip the line that is not so."
            )
            yield d.Doubt("looks", say(text, one=show(float(volts[0]), 4), other=show(float(volts[-1]), 4)))

    def sums(self, seen: d.Seen) -> d.Account:
        label = seen.setup.label
        kind = label.kind_of_cell if label is not None else None
        read = seen.whole("V")
        if label is None or kind is None or not label.series or not read.any():
            raise d.ReadingsError(say("Its label has to say its kind of cell and its volts: by them its chart is found."))
        k = int(read.nonzero()[0][-1])
        rest, flows = (
            d.as_read(abs(float(seen.column(q)[k])), seen.accuracy(q)) + d.digit(float(seen.table.half["battery", q][k]), q)
            if seen.whole(q)[k]
            else None
            for q in "VA"
        )
        assert rest is not None
        rested_h = seen.plan.rested_s / 3600 if seen.plan.rested_s is not None else None
        found = how_full(
            rest,
            label.series,
            kind,
            rested_h,
            seen.plan.before,
            label_ah=label.charge_ah or 0.0,
            label_wh=label.energy_wh or 0.0,
            flows=flows,
        )
        said = [say("Its cells may still differ: one weak cell hides in the sum of all.")] if label.series > 1 else []
        bars = tuple((one, None, "") for one in found.findings.values() if one.unit == "%")
        volts = d.Finding.made("rest_voltage", say("Volts at rest"), rest, "V", say("metered"))
        findings = {**found.findings, volts.key: volts}
        return d.Account(findings, sentence=found.sentence, warnings=tuple(said), drawings=lambda: (Bars(bars),), short=found.short)
