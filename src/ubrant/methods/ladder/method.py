"""A supply turned down step by step, and up again: at which volts a thing starts, falters, goes off and comes back."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ubrant.core.account import Group
from ubrant.core.drawings import OFF as OFF_DOT
from ubrant.core.drawings import OUTSIDE, TAKEN, Ladder, Layer, Rule, Rung
from ubrant.core.gate.readings import Takes
from ubrant.core.loads.dc_modes import law_over
from ubrant.core.loads.ladder import Climbed, LadderEdge, LadderStep, climb, is_limited
from ubrant.core.quantities.jot import FALTERS, FATES, NO_START, OFF, RUNS, STARTS
from ubrant.core.record.head import SIMULATED
from ubrant.core.record.windows import window_of
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST
from ubrant.methods import declared as d
from ubrant.methods.declared import BY_HAND, plain, say, show, words
from ubrant.methods.form import Quantities
from ubrant.methods.ladder.person import turns_down
from ubrant.methods.ratings import volts_by_tap

_V, _A = ("input", "V"), ("input", "A")
_STEPS, _ROUND = 9, (1.0, 2.0, 5.0)
_FROM, _TO = 1.15, 0.6
"""Of the volts on its label: from where to where it is turned down. Common practice, no source."""
_SHORT_OF, _TAKES_NONE, _TAKES_ALL, _BELOW_LABEL = 0.93, 0.03, 0.5, 0.8
"""Volts under such a share of what was to be set are a supply's at its limit; with less of the most amperes a thing does not run, and with more it is not
off; a ladder that ends under such a share of the label never was at it. Common practice, no source."""
_EDGES = (
    ("starts_at", words("Starts at"), "good"),
    ("falters_at", words("Falters at"), "caution"),
    ("off_at", words("Goes off at"), "loss"),
    ("back_at", words("Comes back by itself at"), "current"),
)


@dataclass(frozen=True)
class LadderPlan:
    """``volts`` to be set one after the other, downward; ``limit_a`` that the supply gives at most, None for not known."""

    volts: tuple[float, ...] = ()
    limit_a: float | None = None


class LadderMethod(d.TypedMethod):
    """Of loads, converters and inverters; typed."""

    key, title, Plan, unplanned, plan_from_label = "ladder", "A ladder of volts", LadderPlan, LadderPlan(), False
    taps, roads, reads, wants, like = ("input",), (BY_HAND, SIMULATED), (_V, _A), (_V,), "3.60 V 0.421 A runs"
    groups = (Group(words("What it draws"), ("power", "drawn_at", "law")),)
    counts_points, flows, person = False, "power", turns_down
    whole_lines, needs_fate = False, True

    def form(self, setup: d.Setup) -> tuple[d.Field, ...]:
        usual = ", ".join(plain(v) for v in _usual_steps(setup))
        return (
            d.Field("volts", "Steps, downward", Quantities("V"), f"{usual} V" if usual else "", "14, 13, 12, 11 V"),
            d.Field("limit_a", "The supply gives at most", d.QuantityKind("A", may_be_empty=True), "", "3 A, if you know it"),
        )

    def checks(self, prepared: d.Prepared, load: d.LoadRating) -> Iterable[d.Problem]:
        volts, window = prepared.plan.volts, window_of(prepared.setup.unit.label_text)
        if len(volts) < 2:
            yield d.refused(say("At least two steps are needed, like “14, 13, 12, 11 V”."))
        elif window is not None and max(volts) > window[1]:
            text = words("{v} V are over the {high} V that its label allows: over its window is damage.")
            yield d.refused(say(text, v=plain(max(volts)), high=plain(window[1])))
        if any(later >= one for one, later in itertools.pairwise(volts)):
            yield d.to_know(say("The steps should go downward: what it starts at is tried on the way up, switched on anew at each."))

    def facts(self, prepared: d.Prepared, expected: object) -> tuple[str, str]:
        return say("{count} steps down", count=len(prepared.plan.volts)), say("and up again until it starts")

    def asks(self, prepared: d.Prepared) -> Iterable[d.Ask]:
        text = say(
            "The supply at {v} V, its own current limit well above what is drawn at a start; a voltmeter on the terminals of {name}, not on the supply's. Then switch on.",
            v=plain(prepared.plan.volts[0]) if prepared.plan.volts else "–",
            name=prepared.setup.unit.name or say("the thing"),
        )
        yield d.Ask(text, (d.cautions.POLARITY, d.cautions.WINDOW, d.cautions.UNPLUG_OFF))

    def rows(self, prepared: d.Prepared) -> Iterable[d.Prompt]:
        text = words(
            "Down to {v} V, wait until it has settled. Type its volts, amperes if you have them, and what it does, like “{example}”: runs, dims, restarts, off. Where the supply reaches its own limit: “supply limited”."
        )
        for volts in prepared.plan.volts:
            row = self.row(say(text, v=plain(volts), example=self.like), f"{plain(volts)} V")
            yield replace(row, expected={_V: volts}, until=(OFF, NO_START))

    def further(self, prepared: d.Prepared) -> d.Prompt:
        text = words(
            "Now where it starts: switch the supply off, a step higher, and on again, like “3.20 V does not start”, until “3.40 V starts”. Then a finer step wherever two lie far apart; or close the run."
        )
        return self.row(say(text), say("up again"))

    def sums(self, seen: d.Seen) -> d.Account:
        steps = _steps(seen)
        told = [one for one in steps if one.fate]
        if not told:
            text = words(
                "What became of it is missing: behind the volts of each step type runs, dims, off, starts or does not start, like “{example}”."
            )
            raise d.LackingError(say(text, example=self.like))
        climbed = climb(told, seen.plan.limit_a)
        found: dict[str, d.Finding] = {}
        said = list(_of_limit(climbed, steps))
        edges = {
            "starts_at": climbed.starts,
            "falters_at": climbed.holds if any(one.fate == FALTERS for one in told) else None,
            "off_at": climbed.stays_on,
            "back_at": climbed.comes_back,
        }
        for key, name, _ in _EDGES:
            edge = edges[key]
            if edge is not None and not (key == "back_at" and edge.did is None):
                found[key] = self._edge(seen, key, name, edge)
                said += _fails_once(edge)
        if not found:
            raise d.ReadingsError(" ".join([*said, say("At no step was it seen to run: begin at volts at which it does.")]))
        if climbed.starts is None:
            said.append(say("Where it starts was not tried: it may take more than to hold. Switch it on anew at each step upward."))
        found |= self._draw(seen, climbed)
        sentence = _sentence(found, edges)
        return d.Account(
            found,
            tuple(key for key, *_ in _EDGES if key in found),
            sentence=f"{sentence[:1].upper()}{sentence[1:]}.",
            warnings=tuple(said) + tuple(d.no_accuracy(next(iter(found.values())))),
            drawings=lambda: _drawn(steps, found),
            short=_short(found, edges),
        )

    def _edge(self, seen: d.Seen, key: str, name: str, edge: LadderEdge) -> d.Finding:
        value = d.as_read(edge.middle_v, seen.accuracy("V"), "input") + d.digit(edge.digit_v, "V")
        did = _step_text(edge.did, words("it did at {v} V")), _step_text(edge.did_not, words("not at {v} V"))
        working = ", ".join(filter(None, did))
        if edge.bound:
            room = d.Finding.made(key, "", value, "V", "").expanded_uncertainty or 0.0
            bounded = edge.middle_v + room if edge.bound == AT_MOST else edge.middle_v - room
            return d.Finding(key, say(name), bounded, "V", (), working, bound=edge.bound)
        value += d.within(edge.half_v, words("bracket"), "V", note=say("half of the way between them"))
        return d.Finding.made(key, say(name), value, "V", working)

    def _draw(self, seen: d.Seen, climbed: Climbed) -> dict[str, d.Finding]:
        """Watts at the highest step at which it ran, and how they follow its volts."""
        read = [one for one in climbed.on if one.amps]
        if not read:
            return {}
        top = read[0]
        amps = abs(top.amps or 0.0)
        volts = d.as_read(top.volts, seen.accuracy("V"), "input") + d.digit(top.half_v, "V")
        watts = volts * d.as_read(amps, seen.accuracy("A"), "input")
        name = say("Draws at {v} V", v=plain(top.volts))
        found = {
            "power": d.Finding.made("power", name, watts, "W", f"{plain(top.volts)} V × {show(amps)} A"),
            "drawn_at": d.Finding.made("drawn_at", say("Its volts then"), volts, "V", say("the highest step at which it ran")),
        }
        law = law_over([(one.volts, abs(one.amps or 0.0)) for one in read if one.fate != FALTERS])
        if law is not None:
            working = say("{how} over {a} to {b} V: slope of ln W over ln V", how=law[1], a=show(law[2], 3), b=show(law[3], 3))
            found["law"] = d.Finding("law", say("Over its volts"), law[0], "", (), working)
        return found

    def takes(self, record: d.Record) -> Takes:
        """A step is what was to be set, unless the supply could not."""
        return replace(super().takes(record), steady=(), smooth=())

    def volts_on_label(self, setup: d.Setup) -> Mapping[str, tuple[float, float, float]]:
        return {}

    def doubts(self, account: d.Account, record: d.Record) -> Iterable[d.Doubt]:
        """What ran takes something, what is off takes nothing, and a supply gives what was set."""
        yield from super().doubts(account, record)
        seen = self.seen(record)
        limit = seen.plan.limit_a
        steps = [one for one in _steps(seen) if not is_limited(one, limit)]
        most = max((abs(one.amps) for one in steps if one.amps is not None), default=0.0)
        for one in steps:
            if one.amps is None or not most:
                continue
            if one.fate in {RUNS, STARTS, FALTERS} and abs(one.amps) < _TAKES_NONE * most:
                text = words(
                    "{v} V: it runs, and takes {a} A, where it took {most} A elsewhere. Was it on, and are the amperes in their unit?"
                )
                yield d.Doubt(f"none-{plain(one.volts)}", say(text, v=plain(one.volts), a=plain(one.amps), most=plain(most)))
            if one.fate in {OFF, NO_START} and abs(one.amps) > _TAKES_ALL * most:
                text = words(
                    "{v} V: it is off, and takes {a} A: did the supply reach its limit, or does it stand by? At its limit write “supply limited”."
                )
                yield d.Doubt(f"takes-{plain(one.volts)}", say(text, v=plain(one.volts), a=plain(one.amps)))
        yield from _fell_short(seen)
        low, high = (account.findings.get(key) for key in ("starts_at", "off_at"))
        if low is not None and high is not None and low.value is not None and high.value is not None and not high.bound:
            room = (low.expanded_uncertainty or 0.0) + (high.expanded_uncertainty or 0.0)
            if low.bound != AT_LEAST and low.value + room < high.value:
                text = words("It starts at {low} and goes off at {high}: higher than it starts. Are the two mixed up?")
                yield d.Doubt("order", say(text, low=low.value_text(), high=high.value_text()))
        allowed = volts_by_tap(seen.setup, self.taps).get("input")
        top = max((one.volts for one in steps), default=0.0)
        if allowed is not None and steps and not _BELOW_LABEL * allowed[2] <= top <= allowed[1]:
            text = words("{v} V is the highest step, and its label says {label} V: is it this one's, and are the volts in their unit?")
            yield d.Doubt("label", say(text, v=plain(top), label=plain(allowed[2])))


def _fell_short(seen: d.Seen) -> Iterable[d.Doubt]:
    """Less than was to be set, where it failed and nobody read the amperes, which would tell: a supply at its limit gives all it has."""
    for answer in seen.lines:
        read = {r.quantity: abs(r.value) for r in answer.jotting.readings}
        asked, volts = answer.expected.get(_V), read.get("V")
        if not asked or volts is None or "A" in read or answer.jotting.mark not in {OFF, FALTERS, NO_START}:
            continue
        nearest = min(seen.plan.volts, key=lambda step: abs(step - volts))
        if volts < _SHORT_OF * asked and nearest == asked:
            text = words(
                "{v} V stood at it where {asked} V were to be set: was the supply at its own limit? Then it says nothing of it: write “supply limited”."
            )
            yield d.Doubt(f"short-{plain(asked)}", say(text, v=plain(volts), asked=plain(asked)))


def _usual_steps(setup: d.Setup) -> tuple[float, ...]:
    """From the top of its window, or a little over its volts, down to little more than half of them, in round steps."""
    window, known = window_of(setup.unit.label_text), volts_by_tap(setup, ("input",)).get("input")
    if window is None and known is None:
        return ()
    high, low = (
        (window[1], 0.8 * window[0]) if window is not None else (_FROM * known[2], _TO * known[2]) if known is not None else (0.0, 0.0)
    )
    rough = (high - low) / _STEPS
    ten = 10.0 ** math.floor(math.log10(rough))
    step = next((k * ten for k in _ROUND if k * ten >= rough), 10 * ten)
    top = math.floor(high / step + 1e-9) * step
    return tuple(round(top - k * step, 6) for k in range(int((top - low) / step + 1e-9) + 1))


def _steps(seen: d.Seen) -> list[LadderStep]:
    """Each line with volts, in its order."""
    found = []
    for _, jotting, *_ in seen.lines:
        read = {r.quantity: r for r in jotting.readings if r.kind != "peak"}
        if "V" in read:
            fate = jotting.mark if jotting.mark in FATES else ""
            amps = read["A"].value if "A" in read else None
            found.append(LadderStep(abs(read["V"].value), read["V"].half_width, fate, amps, jotting.text.strip('" ')))
    return found


def _step_text(step: LadderStep | None, text: str) -> str:
    return say(text, v=plain(step.volts)) if step is not None else ""


def _only(edge: LadderEdge | None) -> str:
    """The volts of the one step that bounds it."""
    step = (edge.did or edge.did_not) if edge is not None else None
    return plain(step.volts) if step is not None else ""


def _of_limit(climbed: Climbed, steps: Sequence[LadderStep]) -> Iterable[str]:
    if climbed.limited:
        at = ", ".join(plain(one.volts) for one in climbed.limited)
        yield say("At {v} V the supply was at its own limit: that says nothing of the thing. Raise the limit and try again.", v=at)
    silent = [one for one in steps if not one.fate]
    if silent:
        yield say("What became of it at {v} V was not said.", v=", ".join(plain(one.volts) for one in silent))


def _fails_once(edge: LadderEdge) -> list[str]:
    if edge.before is None or edge.did_not is None:
        return []
    return [
        say(
            "It did at {low} V and not at {high} V: what fails once may fail again, so the higher one counts.",
            low=plain(edge.before.volts),
            high=plain(edge.did_not.volts),
        )
    ]


def _falters(edges: Mapping[str, LadderEdge | None]) -> str:
    """In the person's own word where one was given."""
    edge = edges["falters_at"]
    word = (
        edge.did_not.words.partition(",")[0].strip()
        if edge is not None and edge.did_not is not None and edge.did_not.fate == FALTERS
        else ""
    )
    return word or say("falters")


def _sentence(found: Mapping[str, d.Finding], edges: Mapping[str, LadderEdge | None]) -> str:
    parts = []
    if (one := found.get("starts_at")) is not None:
        parts.append(
            say("did not start up to {v} V", v=_only(edges["starts_at"]))
            if one.bound == AT_LEAST
            else say("starts at {v}", v=one.with_uncertainty())
        )
    if (one := found.get("falters_at")) is not None:
        parts.append(say("{falters} at {v}", falters=_falters(edges), v=one.with_uncertainty()))
    if (one := found.get("off_at")) is not None:
        parts.append(
            say("never went off, down to {v} V", v=_only(edges["off_at"]))
            if one.bound == AT_MOST
            else say("goes off at {v}", v=one.with_uncertainty())
        )
    if (one := found.get("back_at")) is not None:
        parts.append(say("comes back by itself at {v}", v=one.with_uncertainty()))
    return "; ".join(parts)


def _short(found: Mapping[str, d.Finding], edges: Mapping[str, LadderEdge | None]) -> str:
    """For a card: *starts 10.8, dims 10.2, off 9.6 V*."""
    names = {"starts_at": say("starts"), "falters_at": _falters(edges), "off_at": say("off")}
    parts = [f"{name} {found[key].value_text().removesuffix(' V')}" for key, name in names.items() if key in found and not found[key].bound]
    if "off_at" in found and found["off_at"].bound:
        parts.append(say("holds to {v}", v=_only(edges["off_at"])))
    return f"{', '.join(filter(None, parts))} V" if any(parts) else ""


def _drawn(steps: Sequence[LadderStep], found: Mapping[str, d.Finding]) -> tuple[Ladder | d.Plot, ...]:
    """The steps in their order, and the edges on one axis of volts."""
    volts = np.array([one.volts for one in steps])
    low, high = float(volts.min()), float(volts.max())
    room = 0.08 * (high - low or 1.0)
    span = (low - room, high + room)
    dots = {RUNS: TAKEN, STARTS: TAKEN, FALTERS: OUTSIDE}
    states = tuple(dots.get(one.fate, OFF_DOT) for one in steps)
    edges = [(found[key], say(name), tint) for key, name, tint in _EDGES if key in found and not found[key].bound]
    told = "; ".join(f"{plain(one.volts)} V {say(one.fate) if one.fate else '–'}" for one in steps)
    layers: tuple[Layer, ...] = (
        *(Rule(f.value or 0.0, "", tint=tint) for f, _, tint in edges),
        d.Dots(np.arange(1.0, len(steps) + 1), volts, states),
    )
    plot = d.Plot(say("Step by step"), say("step"), "V", (0.5, len(steps) + 0.5), span, layers, told)
    rungs = tuple(Rung(f, name, tint) for f, name, tint in edges)
    return (plot, Ladder(say("Where it starts and stops, V"), rungs, span)) if rungs else (plot,)
