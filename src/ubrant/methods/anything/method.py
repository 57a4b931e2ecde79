"""Anything on a path as a method: no plan but what the load hangs on; all that follows from what was read."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import ClassVar

from ubrant.core.drawings import Bars, Drawing
from ubrant.core.gate.figures import Doubt
from ubrant.core.gate.readings import Takes
from ubrant.core.network.graph import BATTERY, LOAD, OUTPUT, PLACES, TITLES, Graph, GraphError, Key, Stage, graph_of
from ubrant.core.network.moment import How, Instant, Known, fed_at
from ubrant.core.network.rows import agreements
from ubrant.core.network.whole import QUANTITIES, Misfit, Whole
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.record.record import Record, TapQuantity
from ubrant.core.uncertainty.contributions import COVERAGE
from ubrant.core.uncertainty.finding import AT_MOST
from ubrant.methods import cautions
from ubrant.methods import declared as d
from ubrant.methods.anything.person import walks
from ubrant.methods.declared import say, words
from ubrant.methods.form import ChoiceKind
from ubrant.methods.method import clipped
from ubrant.methods.on_path import BEHIND, BESIDE, BY_VOLTS, LIKE, OTHER_NAMES, Moments, moments_on_path
from ubrant.methods.ratings import most_at_output, volts_by_tap

_STAGES = {"charger": words("Charger"), "converter": words("Converter")}
_BY_PERCENT = (BATTERY, "W")
_MOST_ANSWERS, _MOST_LACKING, _NEAR = 4, 3, 0.25


@dataclass(frozen=True)
class AnythingPlan:
    """``load_at``: what a *load* that is read hangs on: the battery's side, the converter's output, or whichever its volts are those of."""

    load_at: str


class AnythingMethod(d.TypedMethod):
    """Of whatever was read where: the power path is the graph."""

    key, title, Plan = "anything", "Anything on a path", AnythingPlan
    taps, log, like = (BATTERY, "input", OUTPUT), d.TAP_LOG, LIKE
    reads: ClassVar[tuple[TapQuantity, ...]] = tuple((tap, q) for tap in (BATTERY, "input", OUTPUT) for q in "VA")
    wants: ClassVar[tuple[TapQuantity, ...]] = ()
    columns: ClassVar[tuple[TapQuantity, ...]] = tuple((place, q) for place in PLACES for q in "VAW")
    named: ClassVar[Mapping[str, str]] = OTHER_NAMES
    steady = (((BATTERY, "V"),), (("charger", "V"),), (("input", "V"),))
    goes_by_order = whole_lines = each_row_says = False
    counts_points, marks_load = False, True
    unplanned = AnythingPlan(BY_VOLTS)
    person = walks

    @property
    def also_read(self) -> tuple[str, ...]:
        return ("source", "charger", LOAD)

    def form(self, setup: d.Setup) -> tuple[d.Field, ...]:
        kind = ChoiceKind(
            (
                (say("whichever its volts are those of"), BY_VOLTS),
                (say("the battery's side"), BESIDE),
                (say("the converter's output"), BEHIND),
            )
        )
        return (d.Field("load_at", say("A load hangs on"), kind, kind.show(BY_VOLTS), say("only where “load” is read")),)

    def asks(self, prepared: d.Prepared) -> Iterable[d.Ask]:
        text = words(
            "Type what you read and where, in any order, like “{example}”; places are source, charger, battery, load, input and output. Out of the battery counts as positive, into it as minus. What you read within five minutes is of one moment, until a place is read again."
        )
        yield d.Ask(say(text, example=self.like), (cautions.LOOK_FIRST, cautions.MAINS))

    def further(self, prepared: d.Prepared) -> d.Prompt:
        return self.row(say("Go on anywhere on the path, at this load or another; or close the run."))

    def sums(self, seen: d.Seen) -> d.Account:
        try:
            moments = self.moments(seen.record)
        except GraphError as error:
            raise d.ReadingsError(str(error)) from None
        return self._told(seen.setup, moments)

    def follows(self, record: Record, named: Mapping[str, str]) -> d.Account | None:
        try:
            moments = moments_on_path(record, named)
        except GraphError:
            return None
        whole = moments.whole
        at = _heaviest(whole, moments)
        known = whole.known(at)
        if whole.misfits or not any(_follows(one, whole.instants[at]) for one in known.values()):
            return None
        made = self._told(record.head.setup, moments)
        lacking = _lacking(whole, at, known)
        told = (
            (made.sentence, *lacking[:1]) if any(key.endswith("_efficiency") for key in made.findings) else lacking[:2] or (made.sentence,)
        )
        return replace(made, sentence=" ".join(told), warnings=())

    def _told(self, setup: d.Setup, moments: Moments) -> d.Account:
        whole = moments.whole
        at = _heaviest(whole, moments)
        known = whole.known(at)
        findings: dict[str, d.Finding] = {}
        for one in known.values():
            if (found := _found(whole, at, one)) is not None:
                findings[found.key] = found
        answers: list[str] = []
        shares = [share for stage in whole.graph.stages if (share := _of_stage(whole.graph, stage, known)) is not None]
        for found in (found for share in shares for found in share.findings):
            findings[found.key] = found
            answers.append(found.key)
        for found in _of_leads(whole.graph, known):
            findings[found.key] = found
        follows = [f"{k[0]}_{k[1]}" for k, one in known.items() if one.how is How.WORKED_OUT]
        answers += [key for key in follows if key in findings and key.endswith("_W")]
        for found in _over_spans(whole, moments):
            findings[found.key] = found
        lacking = _lacking(whole, at, known)
        if not answers:
            answers = [key for key in findings if key.endswith("_W")][:1]
        return d.Account(
            findings,
            tuple(answers[:_MOST_ANSWERS]),
            sentence=_sentence(shares, known, findings, answers, lacking),
            warnings=(*_no_accuracy(whole), *(() if whole.misfits else lacking[:_MOST_LACKING])),
            taken=len(moments.single),
            drawings=lambda: _drawings(whole, known),
            path=lambda: _drawn(setup, whole.graph, known, whole),
            shown_at=say("At its heaviest load") if len(moments.single) > 1 else "",
            short=next((findings[key].with_uncertainty() for key in answers if key in findings), ""),
        )

    def takes(self, record: Record) -> Takes:
        return replace(super().takes(record), most=most_at_output(record.head.setup.unit))

    def volts_on_label(self, setup: d.Setup) -> Mapping[str, tuple[float, float, float]]:
        rooms = dict(volts_by_tap(setup, (BATTERY,)))
        return {**rooms, BATTERY: rooms["input"]} if "input" in rooms else rooms

    def doubts(self, account: d.Account, record: Record) -> Iterable[Doubt]:
        """Amperes that are what the volts should be, beside volts that are not."""
        yield from super().doubts(account, record)
        rooms, whole = self.volts_on_label(record.head.setup), self.whole(record)
        for instant in whole.instants.values() if whole is not None else ():
            for place, (_, _, label) in rooms.items():
                volts, amps = (instant.read.get((place, q)) for q in "VA")
                if volts is not None and amps is not None and _is_near(amps.shown, label) and not _is_near(volts.shown, label):
                    text = words("{volts} V and {amps} A at the {place}, the wrong way round? Its label says {label} V.")
                    at = say(TITLES[place]).lower()
                    said = say(text, volts=plain(volts.shown, 4), amps=plain(amps.shown, 4), place=at, label=plain(label, 4))
                    yield Doubt(f"turned-{place}-{volts.moment + 1}", said)

    def misfits(self, record: Record) -> tuple[Misfit, ...]:
        whole = self.whole(record)
        return whole.misfits if whole is not None else ()

    def path(self, setup: d.Setup, found: Mapping[str, d.Finding], plan: AnythingPlan | None) -> PowerPath:
        return _drawn(setup, graph_of(self.taps, {OUTPUT}), {})

    def moments(self, record: Record) -> Moments:
        """Everything that was read, on its graph. Raises GraphError."""
        plan = self.prepared(record.head).plan or self.unplanned
        return record.once((self.key, plan), lambda: moments_on_path(record, self.named, load_at=plan.load_at))

    def whole(self, record: Record) -> Whole | None:
        try:
            return self.moments(record).whole
        except GraphError:
            return None


def _follows(one: Known, at: Instant) -> bool:
    """It is more than the watts of a place where volts and amperes were read, and not by itself."""
    of_place = sum((one.key[0], quantity) in at.read for quantity in "VAW")
    return (one.how is How.WORKED_OUT and of_place < 2) or (one.how is How.BOUNDED and one.key[1] == "W")


def _is_near(shown: float, label: float) -> bool:
    return abs(shown / label - 1) < _NEAR


def _heaviest(whole: Whole, moments: Moments) -> int:
    """Of the moments that say most of what converts, the one at which most flows; the span where nothing else was read."""
    return max(moments.single or moments.spans, key=lambda moment: whole.instants[moment].weight)


def _drawings(whole: Whole, known: Mapping[Key, Known]) -> tuple[Drawing, ...]:
    """What the rest says of each reading, where it says anything of any; else what flows at each place, what is bounded with its most as an outline."""
    if (table := agreements(whole)) is not None:
        return (table,)
    rows: list[tuple[d.Finding, float | None, str]] = []
    for place in whole.graph.edges:
        one = known[place, "W"]
        name = say(TITLES[place])
        if one.value is not None:
            rows.append((d.Finding.made(place, name, abs(one.value), "W", ""), None, "" if one.value.value >= 0 else say("into it")))
        elif one.how is How.BOUNDED and one.between[0] >= 0:
            low, high = one.between
            rows.append((d.Finding(place, name, float(f"{low:.3g}"), "W", (), ""), high, say("to {high} W", high=show(high, 2))))
    return (Bars(tuple(rows)),)


def _found(whole: Whole, at: int, one: Known) -> d.Finding | None:
    key = f"{one.key[0]}_{one.key[1]}"
    if one.value is not None:
        how = say(one.how.value) if one.how is How.METERED else f"{say(one.how.value)}, {whole.from_what(at, one.key)}"
        return d.Finding.made(key, whole.title(one.key), one.value, one.key[1], how)
    if one.how is How.BOUNDED and one.key[1] == "W":
        return _bounded(key, whole.title(one.key), one.between, "W")
    return None


def _bounded(key: str, name: str, between: tuple[float, float], unit: str) -> d.Finding:
    """Of what nothing determines: what laws, labels and usual limits leave of it."""
    working = say("bounded by labels and by what is usual")
    if between[0] == 0.0:
        return d.Finding(key, name, between[1], unit, (), working, bound=AT_MOST)
    return d.Finding.between(key, name, between, unit, working)


def _fed(graph: Graph, stage: Stage, known: Mapping[Key, Known]) -> tuple[Known, str]:
    """The watts that a stage takes, and what it is called: with its leads, where only those of what feeds it through them are known."""
    place, name = fed_at(graph, stage, [edge for edge in graph.edges if known[edge, "W"].value is not None]), say(_STAGES[stage.name])
    return known[place, "W"], name if place == stage.into else say("{name} with its leads", name=name)


@dataclass(frozen=True)
class _Share:
    """What a stage gives of what it takes: its efficiency and what is lost, or between what that lies, in words, where nothing determines it."""

    name: str
    findings: tuple[d.Finding, ...]
    between: str = ""


def _of_stage(graph: Graph, stage: Stage, known: Mapping[Key, Known]) -> _Share | None:
    """By two powers that are known, those of what feeds it through leads where its own is not, else between what they lie; None where nothing is, or more would come out than goes in."""
    (into, name), out = _fed(graph, stage, known), known[stage.out, "W"]
    key, title = f"{stage.name}_efficiency", say("{name}, efficiency", name=name)
    if into.value is not None and out.value is not None and into.value.value > 0 and out.value.value > 0:
        share, lost = 100 * out.value / into.value, into.value - out.value
        if lost.value < -COVERAGE * (lost.u or 0.0):
            return None
        sum_of = f"{show(out.value.value)} W ÷ {show(into.value.value)} W"
        if into.key[0] != stage.into:
            sum_of = say("{sum_of}, if nothing else hangs between", sum_of=sum_of)
        found = d.Finding.made(key, title, share, "%", sum_of)
        lost_in = say("{name}, lost in it", name=name)
        return _Share(name, (found, d.Finding.made(f"{stage.name}_lost", lost_in, lost, "W", say("what goes in, less what comes out"))))
    if not (out.between[0] > 0 and into.between[0] > 0 and math.isfinite(into.between[1])):
        return None
    low, high = 100 * out.between[0] / into.between[1], 100 * min(out.between[1] / into.between[0], 1.0)
    between = say("between {low} and {high} %", low=show(low, 2), high=show(high, 2))
    found = _bounded(key, title, (low, high), "%")
    return _Share(name, (found,), between)


def _of_leads(graph: Graph, known: Mapping[Key, Known]) -> list[d.Finding]:
    """What falls between two places that one current goes through, where both have their volts."""
    found = []
    for joint in graph.joints:
        if len(joint.inward) != 1 or len(joint.outward) != 1:
            continue
        (first,), (last,) = joint.inward, joint.outward
        one, other, amps = known[first, "V"].value, known[last, "V"].value, known[first, "A"].value
        if one is None or other is None:
            continue
        drop = one - other
        found.append(
            d.Finding.made(
                f"drop_{last}",
                say("Leads before the {place}, drop", place=say(TITLES[last]).lower()),
                drop,
                "V",
                say("difference of both volts"),
            )
        )
        if amps is not None and amps.value > 0:
            watts = drop * amps
            found.append(
                d.Finding.made(
                    f"leads_{last}",
                    say("Leads before the {place}, burnt", place=say(TITLES[last]).lower()),
                    watts,
                    "W",
                    say("drop × current"),
                )
            )
    return found


def _over_spans(whole: Whole, moments: Moments) -> list[d.Finding]:
    """What counters counted and what follows, as energy and charge."""
    found = []
    for moment, hours in zip(moments.spans, moments.hours, strict=True):
        if moment not in whole.instants:
            continue
        known = whole.known(moment)
        found += [_held_over(one, hours) for one in known.values() if one.key == _BY_PERCENT and one.how is How.BOUNDED]
        for one in known.values():
            if one.value is not None and one.key[1] in "AW":
                unit = f"{one.key[1]}h"
                name = say("{place}, {quantity}", place=say(TITLES[one.key[0]]), quantity=say("energy") if unit == "Wh" else say("charge"))
                found.append(
                    d.Finding.made(f"{one.key[0]}_{unit}", name, one.value * hours, unit, f"{say(one.how.value)}, {whole.names[moment]}")
                )
        for stage in whole.graph.stages:
            share = _of_stage(whole.graph, stage, known) if moments.single else None
            if share is not None:
                first = share.findings[0]
                found.append(replace(first, key=f"{first.key}_over", name=f"{first.name}, {whole.names[moment]}"))
    return found


def _held_over(one: Known, hours: float) -> d.Finding:
    """Between what the energy lies that a battery gave over a span, by its percents."""
    name = say("{place}, {quantity}", place=say(TITLES[one.key[0]]), quantity=say("energy"))
    low, high = one.between
    return _bounded(f"{one.key[0]}_Wh", name, (low * hours, high * hours), "Wh")


def _lacking(whole: Whole, at: int, known: Mapping[Key, Known]) -> list[str]:
    """What is not known, and which reading would make it known: of each place the watts."""
    said = []
    for place in whole.graph.edges:
        one = known[place, "W"]
        if one.value is not None:
            continue
        tell = _together(whole.would_tell(at, one.key))
        between = whole.between(one)
        if between:
            said.append(say("{name}: {between}; the {tell} would tell.", name=whole.title(one.key), between=between, tell=tell))
        else:
            said.append(say("{name}: not known; the {tell} would tell.", name=whole.title(one.key), tell=tell))
    return said


def _together(keys: Iterable[Key]) -> str:
    """``volts and amperes of the input``."""
    of: dict[str, list[str]] = {}
    for place, quantity in sorted(keys, key=lambda key: "VAW".index(key[1])):
        of.setdefault(place, []).append(say(QUANTITIES[quantity]))
    parts = (
        say("{quantity} of the {place}", quantity=say(" and ").join(several), place=say(TITLES[place]).lower())
        for place, several in of.items()
    )
    return say(" and the ").join(parts)


def _no_accuracy(whole: Whole) -> list[str]:
    bare = list(dict.fromkeys(one.key[0] for one in whole.reads if one.accuracy is None))
    if not bare:
        return []
    text = words(
        "No accuracy was given for the meter at the {place}: what rests on it has no ±; whether it fits is judged by what such meters usually are."
    )
    return [say(text, place=say(" and ").join(say(TITLES[place]).lower() for place in bare))]


def _sentence(
    shares: Sequence[_Share], known: Mapping[Key, Known], findings: Mapping[str, d.Finding], answers: list[str], lacking: list[str]
) -> str:
    parts = []
    for one in shares:
        share, *lost = (found.with_uncertainty() for found in one.findings)
        if lost:
            parts.append(say("{name} {share}, {lost} lost in it", name=one.name, share=share, lost=lost[0]))
        else:
            parts.append(say("{name} {between}", name=one.name, between=one.between))
    battery = findings.get(f"{BATTERY}_W")
    if battery is not None and battery.value is not None and known[BATTERY, "W"].value is not None:
        text = words("the battery gives {w}") if battery.value >= 0 else words("{w} go into the battery")
        shown = d.Finding.made("", "", abs(battery.known), "W", "")
        parts.append(say(text, w=shown.with_uncertainty()))
    if not parts:
        parts = [
            say("{name} {value}", name=findings[key].name, value=findings[key].with_uncertainty()) for key in answers[:2] if key in findings
        ]
    if not parts and lacking:
        return lacking[0]
    text = "; ".join(parts)
    return f"{text[0].upper()}{text[1:]}." if text else say("Readings of single quantities: nothing follows from them yet.")


def _drawn(setup: d.Setup, graph: Graph, known: Mapping[Key, Known], whole: Whole | None = None) -> PowerPath:
    """The path as it goes: what feeds, the joint with the battery at it, what converts, what is fed."""

    def flow(place: str) -> Flow:
        meter = setup.meter(place)
        one = {q: known.get((place, q)) for q in "VAW"}
        value = {q: k.value.value if k is not None and k.value is not None else None for q, k in one.items()}
        metered = any(k is not None and k.how is How.METERED for k in one.values())
        name = (meter.name or say("read")) if metered else "" if known else clipped(meter)
        watts = one["W"]
        between = whole.between(watts) if whole is not None and watts is not None and watts.value is None else ""
        return Flow(value["W"], value["V"], value["A"], name, between)

    there = [place for place in PLACES if place in graph.edges]
    nodes: list[PathNode] = []
    flows: list[Flow] = []
    joins: tuple[PathNode, Flow] | None = None
    unit = PathNode("converter", setup.unit.name, setup.unit.printed)
    battery = PathNode("battery", say(TITLES[BATTERY]))
    rest = [place for place in ("input", OUTPUT, LOAD) if place in there]
    if fed := [place for place in ("charger", "source") if place in there][:1]:
        into = flow("source") if fed == ["charger"] and "source" in there else None
        detail = say("{w} W go in", w=show(into.amount)) if into is not None and into.amount is not None else ""
        nodes.append(PathNode("battery", say(TITLES[fed[0]]), detail))
        flows.append(flow(fed[0]))
        joins = (battery, flow(BATTERY)) if BATTERY in there else None
    elif BATTERY in there:
        nodes.append(battery)
        flows.append(flow(BATTERY))
    if nodes and (rest or joins is not None):
        nodes.append(PathNode("leads", say("meeting point")))
    for place in rest:
        if place == OUTPUT:
            nodes.append(unit)
        elif place == "input" and not nodes:
            nodes.append(PathNode("battery", say("Source")))
        elif place == LOAD and OUTPUT in rest:
            nodes.append(PathNode("leads", say("leads")))
        flows.append(flow(place))
    nodes.append(PathNode("load", say("Load")) if rest else PathNode("leads", ""))
    flows = flows[: len(nodes) - 1]
    lost: list[str | None] = [None] * len(nodes)
    amounts = [0.0] * len(nodes)
    for stage in graph.stages if known else ():
        taken, given = _fed(graph, stage, known)[0].value, known[stage.out, "W"].value
        if whole is None or stage.out != OUTPUT or taken is None or given is None or taken.value <= given.value:
            continue
        at = nodes.index(unit)
        amounts[at] = taken.value - given.value
        lost[at] = say("{w} lost", w=whole.amount(taken - given, (OUTPUT, "W")))
    return PowerPath(tuple(nodes), tuple(flows), tuple(lost), tuple(amounts), "W", joins)
