"""Ways to feed a load as a method: its form, checks, rows, account."""

from __future__ import annotations

import itertools
import math
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from ubrant.core.account import Account, Group
from ubrant.core.battery.label_doubt import held_by_source
from ubrant.core.battery.percent import change_between, stood_still
from ubrant.core.drawings import DASHED, DOTTED, SOLID, Chains, Curve, Drawing, Plot
from ubrant.core.gate.figures import Doubt, of_display
from ubrant.core.quantities.alternating import AC_FROM_V
from ubrant.core.quantities.jot import TypedLine
from ubrant.core.quantities.quantity import QuantityError, plain, show
from ubrant.core.quantities.readings import ReadingsError, Series
from ubrant.core.record.events import PointTaken
from ubrant.core.record.head import Setup, label_of
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.record.record import Record
from ubrant.core.record.windows import beyond, volts_fed
from ubrant.core.sources.feeding import FeedWay, feeding_findings, power_at, power_read, told_apart
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST, Finding
from ubrant.core.uncertainty.value import Value
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.declared import Seen, TypedMethod
from ubrant.methods.form import Field, Names, QuantityKind, Words
from ubrant.methods.method import LoadRating, Prepared, Problem, refused, to_know
from ubrant.methods.points_by_hand import points_at
from ubrant.methods.ratings import watts_of_label
from ubrant.methods.rows import Prompt
from ubrant.methods.steps import Ask
from ubrant.methods.ways.person import STRAIGHT, feeds

_SOURCES = {"", "source", "bank", "station", "battery", "dc", "input"}
_LOADS = {"load", "device", "ac", "output"}
_PLACES = {**dict.fromkeys(_SOURCES - {"source"}, "source"), **dict.fromkeys(_LOADS - {"load"}, "load")}
_STYLES = (("voltage", SOLID), ("current", DASHED), ("power", DOTTED))
_RATED_SHARE = 0.25
"""Under this share of its label what is fed was most likely off, or the display stood still. Common practice, no source."""
_MARKS = {"load on", "load off", "empty", "off"}


def _window(text: str) -> None:
    if text.strip():
        _span(text)


def _span(text: str) -> tuple[float, float]:
    """Volts that a device takes: ``10-15 V``. Raises ValueError."""
    match = re.fullmatch(r"\s*(\d+(?:[.,]\d+)?)\s*V?\s*(?:-|–|to|\.\.)\s*(\d+(?:[.,]\d+)?)\s*V?\s*", text)
    if match is None:
        raise QuantityError(say("“{what}” is no window: write it like “10-15 V”.", what=text))
    low, high = sorted(float(x.replace(",", ".")) for x in match.groups())
    return low, high


@dataclass(frozen=True)
class WaysPlan:
    """The ways in their order; Wh that the source was measured to give, and its ±; the window of what is fed, in V, as typed."""

    ways: tuple[str, ...]
    usable: float | None = None
    usable_u: float | None = None
    window: str = ""


@dataclass
class _Seen:
    """What was read of one way, as it comes."""

    name: str
    source_w: Value | None = None
    load_w: Value | None = None
    times: list[float] = field(default_factory=list)
    percents: list[tuple[float, float, float]] = field(default_factory=list)
    on_s: float | None = None
    off_s: float | None = None
    gave_up: bool = False


class WaysMethod(TypedMethod):
    """Of batteries, banks and stations with a load; typed."""

    key, title, Plan, unplanned = "ways", "Which way to feed it", WaysPlan, WaysPlan(())
    goes_by_order, taps, like, counted = False, ("source", "load"), "source 44 W", words("{count} ways")
    reads, wants = (("source", "W"), ("source", "%"), ("load", "W")), ()
    device, device_kinds = "What is fed", ("load", "converter", "inverter")
    counts_points = False
    person = feeds

    def form(self, setup: Setup) -> tuple[Field, ...]:
        return (
            Field("ways", "Ways", Names(), "mains socket, 12 V socket", "mains socket, 12 V socket, straight"),
            Field("usable", "Gives, if measured", QuantityKind("Wh", may_be_empty=True), "", "its label"),
            Field("usable_u", "±", QuantityKind("Wh", may_be_empty=True), "", "Wh", beside=True),
            Field("window", "It takes", Words(_window), "", "10-15 V, if fed straight"),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> Iterable[Problem]:
        plan, setup = prepared.plan, prepared.setup
        if not plan.ways:
            yield refused(say("Name at least one way, like “mains socket, 12 V socket”."))
        if held_by_source(label_of(setup.unit), plan.usable, plan.usable_u) is None:
            yield to_know(say("The label of {name} has no Wh: hours and watts by its percent cannot be said.", name=setup.unit.name))
        if any(STRAIGHT.search(way) for way in plan.ways):
            yield from _straight_checks(setup, plan)

    def asks(self, prepared: Prepared) -> Iterable[Ask]:
        straight = any(STRAIGHT.search(way) for way in prepared.plan.ways)
        text = say(
            "The same load, the same settings, each way once. Read the watts at the source, by its display or a meter; its percent too, where it has one."
        )
        yield Ask(text, (cautions.UNPLUG_OFF, *((cautions.FUSE, cautions.POLARITY, cautions.WINDOW) if straight else ())))

    def rows(self, prepared: Prepared) -> Iterable[Prompt]:
        text = words(
            '{way}: wait until it has settled, then type what the source gives, like “{example}”; or its percent now, and again after about a day: “source 97 % "{way}"”.'
        )
        for way in prepared.plan.ways:
            yield self.row(say(text, way=way, example=self.like), way, marks=("skip", "load on", "load off", "empty"))

    def further(self, prepared: Prepared) -> Prompt:
        text = say("That was the last way. A second percent of a way: with its name in quotes behind it. Or close the run.")
        return Prompt(text, marks=("load on", "load off", "empty"))

    def sums(self, seen: Seen) -> Account:
        record, setup, plan = seen.record, seen.setup, seen.plan
        ways = _ways(record, plan.ways)
        if not ways:
            text = words("Nothing was read yet: type what the source gives, like “{example}”, or its percent.")
            raise ReadingsError(say(text, example=self.like))
        if trouble := _trouble(ways):
            raise ReadingsError(trouble)
        holds = held_by_source(label_of(setup.unit), plan.usable, plan.usable_u)
        findings, said = feeding_findings(ways, holds)
        if not findings:
            raise ReadingsError(said[0] if said else say("One reading of its percent only: type it again after about a day."))
        if holds is not None and holds.is_label and any(way.percent is not None or way.source_w is None for way in ways):
            said.append(say("{name} was not measured: 65 to 100 % of its label may come out.", name=setup.unit.name))
        said += [f"{way.name}: {text}" for way in ways if way.percent is not None and (text := stood_still(way.percent))]
        not_read = [name for name in plan.ways if name.lower() not in {way.name.lower() for way in ways}]
        said += [say("Not read: {names}.", names=", ".join(not_read))] if not_read else []
        if plan.window:
            said += beyond([*volts_fed(record), *_volts_straight(record, plan.ways)], _span(plan.window))
        answers = tuple(k for k in findings if k.startswith(("source_power_", "runtime_from_full_")))
        return Account(
            findings,
            answers[:8],
            (Group("What each way burns", tuple(k for k in findings if k.startswith("way_overhead_"))),),
            sentence=_sentence(ways, findings),
            warnings=tuple(said),
            taken=len(ways),
            planned=len(plan.ways) or None,
            drawings=lambda: _drawn(setup, ways, findings, _percents(record, plan.ways)),
            path=lambda: None,
            short=_short(findings, ways),
        )

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        """A source gives no less than what is fed takes."""
        yield from super().doubts(account, record)
        for way in _seen(record, self.seen(record).plan.ways):
            yield from of_display(way.percents, way.name)
        fed = [r.value for e in record.lines for r in e.jotting.readings if r.quantity == "W" and r.tap in _LOADS]
        device = record.head.setup.device
        rated_w = watts_of_label(device) if device is not None and not fed else None
        for key, found in account.findings.items():
            if rated_w and key.startswith("source_power_") and found.bound != AT_LEAST and (found.value or 0.0) < _RATED_SHARE * rated_w:
                text = words(
                    "{name}: {most}, and the label of what is fed says {w} W: was it off, did the display stand still, or a digit slip?"
                )
                yield Doubt(f"less-{key}", say(text, name=found.name, most=found.with_uncertainty(), w=plain(rated_w)))
        for key, found in account.findings.items():
            if fed and key.startswith("source_power_") and found.bound == AT_MOST and (found.value or 0.0) < min(fed):
                yield Doubt(
                    f"less-{key}",
                    say(
                        "{name}: by its display {most}, and {fed} W arrived: did the display stand still?",
                        name=found.name,
                        most=found.with_uncertainty(),
                        fed=plain(min(fed), 3),
                    ),
                )

    def path(self, setup: Setup, found: Mapping[str, Finding], plan: WaysPlan) -> PowerPath:
        return _path(setup, None, None)


def _volts_straight(record: Record, names: Sequence[str]) -> list[float]:
    """Volts of the source where the load stands straight at it."""
    only = bool(names) and all(STRAIGHT.search(name) for name in names)
    return [
        r.value
        for e in record.lines
        if only or STRAIGHT.search(e.jotting.text)
        for r in e.jotting.readings
        if r.quantity == "V" and r.tap in _SOURCES and r.kind != "peak"
    ]


def _straight_checks(setup: Setup, plan: WaysPlan) -> Iterable[Problem]:
    """Whether what is fed stands the battery while it is charged."""
    label = label_of(setup.unit)
    kind = label.kind_of_cell if label is not None else None
    if not plan.window:
        text = words(
            "Straight from the cells: write the volts that the device takes, like “10-15 V”. Fuse at the battery, polarity checked."
        )
        yield refused(say(text))
        return
    low, high = _span(plan.window)
    if label is None or kind is None or not label.series:
        text = words("How high {name} goes while it is charged is not known from its label: check it against {high} V.")
        yield to_know(say(text, name=setup.unit.name, high=plain(high)))
        return
    charged, empty = kind.charged_v[1] * label.series, kind.usual_cutoff_v * label.series
    if charged > high:
        text = words("Charged, {name} stands at up to {v} V, over the {high} V that the device takes: that is damage.")
        yield refused(say(text, name=setup.unit.name, v=plain(charged, 3), high=plain(high)))
    elif empty < low:
        text = words("Nearly empty, {name} falls to {v} V, under the {low} V that the device takes: it stops before.")
        yield to_know(say(text, name=setup.unit.name, v=plain(empty, 3), low=plain(low)))


def _seen(record: Record, names: Sequence[str]) -> list[_Seen]:
    """What was read, told to the ways: by a way's name in the line, else in their order; of instruments a point a way."""
    if record.of(PointTaken):
        return _seen_by_points(record, names)
    seen = [_Seen(name) for name in names]
    at = 0
    for entry in record.lines:
        jotting = entry.jotting
        if jotting.mark == "skip":
            at += 1
            continue
        if not jotting.readings and jotting.mark not in _MARKS:
            continue
        named = next((k for k, one in enumerate(seen) if one.name.lower() in jotting.line.lower()), None) if jotting.text else None
        if named is None and jotting.text and jotting.readings and (not seen or at >= len(seen)):
            seen.append(_Seen(jotting.text))
            named = len(seen) - 1
        at = named if named is not None else _next(seen, at, jotting)
        while at >= len(seen):
            seen.append(_Seen(say("way {n}", n=len(seen) + 1)))
        _take(record, seen[at], entry.time_s, jotting)
    return seen


def _seen_by_points(record: Record, names: Sequence[str]) -> list[_Seen]:
    """Of meters that talk: each point is the next way."""
    keys = tuple((place, q) for place in ("source", "load") for q in "WVA")
    table = points_at(record, keys, _PLACES)
    seen = []
    for k in range(len(table)):
        one = _Seen(names[k] if k < len(names) else say("way {n}", n=k + 1))
        for place in ("source", "load"):
            watts, volts, amps = (float(table.values[(place, q)][k]) for q in "WVA")
            made = None
            if math.isfinite(watts):
                made = power_read(place, watts, 0.0, record.accuracy(place, "W"), one.name)
            elif math.isfinite(volts) and math.isfinite(amps) and volts < AC_FROM_V:
                made = power_at(place, volts, amps, (0.0, 0.0), record.accuracy(place, "V"), record.accuracy(place, "A"), one.name)
            if place == "source":
                one.source_w = made
            else:
                one.load_w = made
        seen.append(one)
    return seen


def _percents(record: Record, names: Sequence[str]) -> dict[str, Series]:
    """What the display said of each way, where it was read more than once."""
    columns = {one.name: [np.array(column) for column in zip(*one.percents, strict=True)] for one in _seen(record, names) if one.percents}
    return {name: Series(time, value) for name, (time, value, _) in columns.items() if len(time) > 1}


def _ways(record: Record, names: Sequence[str]) -> list[FeedWay]:
    """The ways of which enough was read."""
    found = []
    for one in _seen(record, names):
        change = None
        if len(one.percents) > 1:
            time, value, half = (np.array(column) for column in zip(*one.percents, strict=True))
            change = change_between(Series(time, value), half, float(time[0]), float(time[-1]), steadily=True)
        if one.source_w is None and change is None and not (one.on_s is not None and one.off_s is not None):
            continue
        hours_s = one.off_s - one.on_s if one.on_s is not None and one.off_s is not None else 0.0
        found.append(FeedWay(one.name, one.source_w, one.load_w, change, hours_s, one.gave_up))
    return found


def _next(seen: Sequence[_Seen], at: int, jotting: TypedLine) -> int:
    """A second reading of watts is of the next way; of percent the third."""
    if at >= len(seen):
        return at
    watts = any(r.quantity == "W" and r.tap in _SOURCES for r in jotting.readings)
    percent = any(r.quantity == "%" for r in jotting.readings)
    one = seen[at]
    full = (
        (watts and one.source_w is not None) or (percent and len(one.percents) > 1) or (jotting.mark == "load on" and one.on_s is not None)
    )
    return at + 1 if full else at


def _take(record: Record, one: _Seen, time_s: float, jotting: TypedLine) -> None:
    read = {
        ("source" if r.tap in _SOURCES else "load", r.quantity): r
        for r in jotting.readings
        if r.kind != "peak" and r.tap in _SOURCES | _LOADS
    }
    for place in ("source", "load"):
        watts, volts, amps = (read.get((place, q)) for q in "WVA")
        made = None
        if watts is not None:
            made = power_read(place, watts.value, watts.half_width, record.accuracy(place, "W"), one.name)
        elif volts is not None and amps is not None:
            halves = volts.half_width, amps.half_width
            made = power_at(place, volts.value, amps.value, halves, record.accuracy(place, "V"), record.accuracy(place, "A"), one.name)
        if made is not None and place == "source":
            one.source_w = made
        elif made is not None:
            one.load_w = made
    if (percent := read.get(("source", "%"))) is not None:
        one.percents.append((time_s, percent.value, percent.half_width))
    if jotting.mark == "load on":
        one.on_s = time_s
    if jotting.mark in {"load off", "empty", "off"}:
        one.off_s, one.gave_up = time_s, jotting.mark != "load off"


_TOO_DIFFERENT = 12.0
"""No two ways to feed one load differ by so many times. Common practice, no source."""


def _trouble(ways: Sequence[FeedWay]) -> str:
    read = [way.source_w.value for way in ways if way.source_w is not None and way.source_w.value > 0]
    if read and max(read) > _TOO_DIFFERENT * min(read):
        return say("{a} W and {b} W for the same load: a slip of unit, or its settings changed.", a=show(max(read)), b=show(min(read)))
    for way in ways:
        if way.percent is not None and not way.percent.to_s > way.percent.from_s:
            return say("{way}: both of its percents are of one moment. Mend the time of one of them.", way=way.name)
        if way.percent is not None and way.percent.points < 0:
            return say("{way}: the percent rises while it feeds: it was charged meanwhile, or start and end are swapped.", way=way.name)
        if way.source_w is not None and way.load_w is not None and way.load_w.value > 1.05 * way.source_w.value > 0:
            return say(
                "{way}: more arrives ({a} W) than the source gives ({b} W): swapped, or another unit.",
                way=way.name,
                a=show(way.load_w.value),
                b=show(way.source_w.value),
            )
        if way.source_w is not None and way.source_w.value < 0:
            return say("{way}: less than nothing flows out of the source: the meter is the other way round.", way=way.name)
    return ""


def _sentence(ways: Sequence[FeedWay], findings: dict[str, Finding]) -> str:
    parts = []
    for k, way in enumerate(ways, start=1):
        runtime, power = findings.get(f"runtime_from_full_{k}"), findings.get(f"source_power_{k}")
        shown = [f.with_uncertainty() for f in (power, runtime) if f is not None and f.value is not None]
        if shown:
            parts.append(say("{way}: {what}", way=way.name, what=say(", from full ").join(shown) if len(shown) > 1 else shown[0]))
    ratio = findings.get("ratio")
    if ratio is not None and ratio.value is not None:
        if told_apart(ratio):
            parts.append(say("{name} {times}", name=ratio.name, times=ratio.with_uncertainty()))
        elif ratio.expanded_uncertainty is not None:
            parts.append(say("they cannot be told apart by this"))
    text = "; ".join(parts)
    return f"{text[0].upper()}{text[1:]}." if text else ""


def _short(findings: dict[str, Finding], ways: Sequence[FeedWay]) -> str:
    """Which lasts longest, and how long."""
    times = [
        (found, way) for k, way in enumerate(ways, start=1) if (found := findings.get(f"runtime_from_full_{k}")) is not None and found.value
    ]
    if not times:
        return ""
    longest, way = max(times, key=lambda pair: pair[0].value or 0.0)
    return say("{way}: {h} from full", way=way.name, h=longest.value_text())


def _drawn(setup: Setup, ways: Sequence[FeedWay], findings: Mapping[str, Finding], percents: Mapping[str, Series]) -> tuple[Drawing, ...]:
    """All ways on one scale, one below the other; and what the display said of each over its hours."""
    powers = {k: findings.get(f"source_power_{k}") for k in range(1, len(ways) + 1)}
    rows = tuple(
        (way.name, _path(setup, way, power, findings.get(f"way_overhead_{k}")))
        for k, way in enumerate(ways, start=1)
        if (power := powers[k]) is not None and power.value is not None
    )
    drawings: list[Drawing] = [Chains(rows)] if rows else []
    curves = [(name, (s.time_s - s.time_s[0]) / 3600, s.value) for name, s in percents.items() if len(s) > 1]
    if curves:
        longest = max(float(hours[-1]) for _, hours, _ in curves)
        layers = tuple(
            Curve(hours, percent, tint, style, name)
            for (name, hours, percent), (tint, style) in zip(curves, itertools.cycle(_STYLES), strict=False)
        )
        low = min(float(p.min()) for _, _, p in curves)
        told = "; ".join(
            say("{name}: from {a} to {b} % in {h} h", name=name, a=plain(float(p[0])), b=plain(float(p[-1])), h=plain(float(h[-1]), 3))
            for name, h, p in curves
        )
        drawings.append(
            Plot(
                say("What the display said"),
                say("hours since it began"),
                "%",
                (0.0, 1.15 * longest),
                (max(low - 10.0, 0.0), 104.0),
                layers,
                told,
            )
        )
    return tuple(drawings)


def _path(setup: Setup, way: FeedWay | None, power: Finding | None, burnt: Finding | None = None) -> PowerPath:
    fed = setup.device
    nodes = (
        PathNode("battery", setup.unit.name, setup.unit.printed),
        PathNode("converter", way.name if way is not None else say("The way"), say("the way itself")),
        PathNode("load", fed.name if fed is not None else say("Load"), fed.printed if fed is not None else ""),
    )
    if way is None:
        return PowerPath(nodes, (Flow(None, meter=say("its display")), Flow(None, meter=say("plug meter"))), (None,) * 3, (0.0,) * 3, "W")
    into, out = power.value if power is not None else None, way.load_w.value if way.load_w is not None else None
    lost = max(burnt.value or 0.0, 0.0) if burnt is not None else 0.0
    text = say("{w} burnt by the way", w=burnt.with_uncertainty()) if burnt is not None and lost else None
    return PowerPath(nodes, (Flow(into), Flow(out)), (None, text, None), (0.0, lost, 0.0), "W")
