"""The node as a method: its form, checks, rows, account."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from itertools import groupby
from typing import ClassVar

import numpy as np

from ubrant.core.account import Account, Group
from ubrant.core.drawings import DASHED, SOLID, Bars, Curve, Dots, Drawing, Plot, Rule
from ubrant.core.gate.figures import Doubt
from ubrant.core.gate.readings import Takes
from ubrant.core.network.graph import OUTPUT, SOURCE
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.record.head import Setup, label_of
from ubrant.core.record.power_path import Flow, PowerPath
from ubrant.core.record.power_path import PathNode as Box
from ubrant.core.record.record import Record, TapQuantity
from ubrant.core.sources.behind_stages import behind_stages, path_places
from ubrant.core.sources.branches import BATTERY, BRANCHES, IN, NO_DRAIN_SEEN, NOT_KNOWN, ON_BATTERY, OUT, Branches
from ubrant.core.sources.node import NodeFound, analyse_node
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST, BETWEEN, Finding
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.balance.person import sweeps
from ubrant.methods.declared import Seen, TypedMethod
from ubrant.methods.form import Field, Loads
from ubrant.methods.method import TAP_LOG, LoadRating, Prepared, Problem, refused, to_know
from ubrant.methods.ratings import watts_of_label
from ubrant.methods.rows import Prompt
from ubrant.methods.steps import Ask

_KEYS: tuple[TapQuantity, ...] = tuple((branch, q) for branch in BRANCHES for q in "VA")
_AMPS: tuple[TapQuantity, ...] = ((IN, "A"), (OUT, "V"), (OUT, "A"), (BATTERY, "A"))
_CIRCUIT_V, _MOST_ANSWERS = 12.0, 4
_MOST_RATE = 10.0
"""Amperes over ampere-hours; a starter battery gives no more for the seconds that it starts. Common practice, no source."""
_NOTHING, _MOSTLY = 0.02, 0.5
"""Of the largest current: less is none. Common practice, no source."""


@dataclass(frozen=True)
class BalancePlan:
    """``loads`` in A, in the order they are set: up, and down again; NaN for what nobody knows."""

    loads: tuple[float, ...]


class BalanceMethod(TypedMethod):
    """Of a charger, a battery and a load at one node; typed, or from a table."""

    key, title, Plan = "balance", "Charging and using at once", BalancePlan
    steady, whole_lines = (tuple((branch, "V") for branch in BRANCHES),), False
    taps, log, like = ("charger", "load", "battery"), TAP_LOG, "charger 13.9 V 2.0 A load 13.2 V 1.0 A battery 13.3 V -1.0 A"
    reads, columns, spared = _AMPS, tuple((branch, q) for branch in BRANCHES for q in "VA"), ((IN, "A"), (BATTERY, "A"), (OUT, "V"))
    named: ClassVar = {"input": IN, "output": OUT, **dict.fromkeys(("source", "bank", "station", ""), BATTERY)}
    between: ClassVar = frozenset({(BATTERY, "V")})
    nothing_yet = words("No point was taken yet: type a line like “{example}”.")
    person = sweeps

    def takes(self, record: Record) -> Takes:
        """Ten times its charge in an hour is more than it gives, and ten times its volts are none of it."""
        label = record.head.setup.label
        if label is None or not label.charge_ah or not label.voltage_v:
            return super().takes(record)
        most = dict.fromkeys(((BATTERY, "A"), (OUT, "A"), (IN, "A")), _MOST_RATE * label.charge_ah)
        return replace(super().takes(record), most=most, label={(BATTERY, "V"): label.voltage_v})

    def form(self, setup: Setup) -> tuple[Field, ...]:
        label = label_of(setup.unit)
        volts = label.voltage_v if label is not None and label.voltage_v else _CIRCUIT_V
        return (Field("loads", "Loads", Loads(volts), "0, 1, 2, 3, 2, 1, 0 A", "up, and down again"),)

    def checks(self, prepared: Prepared, load: LoadRating) -> Iterable[Problem]:
        if len(prepared.plan.loads) < 2:
            yield refused(say("At least two loads are needed, nothing at all among them."))
        meters = prepared.setup.meters
        if len({m.uid for m in meters.values()}) == 1 and len(meters) > 1:
            yield to_know(say("One meter at three places: the point has to hold still while it is moved; zero it each time."))

    def asks(self, prepared: Prepared) -> Iterable[Ask]:
        text = say(
            "Charger, battery and load where they meet, a meter in each branch. Out of the battery counts as positive: charging reads as minus. Of a module whose battery has no meter in its lead type the battery's volts: five minutes after each load was set, and again ten minutes later, like “battery 3.94 V”."
        )
        yield Ask(text, (cautions.LOOK_FIRST, cautions.NOT_COLD, cautions.UNPLUG_OFF))

    def rows(self, prepared: Prepared) -> Iterable[Prompt]:
        loads = prepared.plan.loads
        text = words(
            "Point {n} of {count}: {load} on the load; wait until all stand still, then type what each branch carries, like “{example}”."
        )
        for k, amps in enumerate(loads, start=1):
            known = amps == amps
            load = say("{a} A", a=plain(amps)) if known else say("the next thing")
            short = say("load {a} A", a=plain(amps)) if known else say("the next load")
            yield self.row(say(text, n=k, count=len(loads), load=load, example=self.like), short)

    def further(self, prepared: Prepared) -> Prompt:
        return self.row(say("That was the last. Further points the same way, or close the run."))

    def row_findings(self, record: Record) -> dict[float, str]:
        seen = self.seen(record)
        try:
            node = self._node(seen)
        except ReadingsError:
            return {}
        return dict(zip(node.branches.time_s.tolist(), node.told, strict=True))

    def _node(self, seen: Seen) -> NodeFound:
        return seen.record.once(("node", self.key), lambda: analyse_node(_branches(seen), watts_of_label(seen.setup.unit)))

    def on_path(self, record: Record) -> Mapping[str, str]:
        """Where each branch is: before a charger that converts, behind a converter, or at the battery's own voltage."""
        places = self._places(record)
        return {**super().on_path(record), **{name: places[branch] for name, branch in self.named.items()}, **places}

    def _places(self, record: Record) -> Mapping[str, str]:
        return record.once(("places", self.key), lambda: path_places(behind_stages(_branches(self.seen(record)))))

    def volts_judged(self, record: Record) -> Mapping[str, tuple[float, float, float]]:
        """Behind a converter the volts are not the battery's."""
        rooms, places = super().volts_judged(record), self._places(record)
        return {tap: room for tap, room in rooms.items() if places[tap] not in {SOURCE, OUTPUT}}

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        """Who is supplied at no point is not being charged and used at once."""
        yield from super().doubts(account, record)
        flows = {tap: np.abs(record.either(tap, "A").value) for tap in ("charger", "load")}
        most = max((float(amps.max(initial=0.0)) for amps in flows.values()), default=0.0)
        if len(flows["charger"]) > 1 and float(flows["charger"].max()) < _NOTHING * most:
            yield Doubt("supplied", say("Nothing came in at any point: was what feeds it on, and its meter in its lead?"))
        closes = [] if account.trouble else [one for one in self._node(self.seen(record)).closes if one is not None]
        if (left := closes.count(False)) > _MOSTLY * len(closes) and left > 1:
            text = words(
                "At {n} of {all} points what comes in is not what goes out: what else draws or feeds there, or which meter is wrong?"
            )
            yield Doubt("open", say(text, n=left, all=len(closes)))

    def sums(self, seen: Seen) -> Account:
        node = self._node(seen)
        if not node.findings:
            raise ReadingsError(" ".join(node.warnings))
        findings, said = dict(node.findings), list(node.warnings)
        if any(f.contributions is None and f.value is not None for f in findings.values()):
            said.append(say("No accuracy was given for a meter: whether it closes cannot be told from its ±."))
        if ON_BATTERY in node.states:
            said.append(say("At {n} points it ran on its battery although it was supplied.", n=node.states.count(ON_BATTERY)))
        said += _hysteresis(node)
        largest = findings.get("largest_sustained_load")
        open_points = tuple(f"residual_{k}" for k, closes in enumerate(node.closes, start=1) if closes is False)
        return Account(
            findings,
            ("largest_sustained_load", *open_points)[:_MOST_ANSWERS],
            (
                Group("Balance of each point", tuple(k for k in findings if k.startswith("residual_"))),
                Group("What its battery does", tuple(k for k in findings if k.startswith("battery_"))),
                Group("What the meters say of each other", ("gain_charger", "gain_battery")),
                Group("From where they meet to where each was read", ("lead_charger", "lead_battery", "lead_load")),
            ),
            sentence=_sentence(node),
            warnings=tuple(said),
            taken=len(node.branches),
            drawings=lambda: (_drawn(node),),
            path=lambda: _path(seen.setup, node),
            shown_at=say("At its heaviest load"),
            short=largest.value_text() if largest is not None else "",
        )

    def path(self, setup: Setup, found: Mapping[str, Finding], plan: BalancePlan | None) -> PowerPath:
        return _path(setup, None)


def _branches(seen: Seen) -> Branches:
    """Each row that read a branch, but for what was read of the battery alone after the load went off."""
    read = _read(seen)
    marks = sorted((e.time_s, e.jotting.mark) for e in seen.record.lines if e.jotting.mark in {"load off", "off"})
    last, keep = float("-inf"), np.ones(len(read), bool)
    for k in np.argsort(read.time_s, kind="stable").tolist():
        if np.isfinite(read.amps[OUT][k]):
            last = float(read.time_s[k])
        keep[k] = np.isfinite(read.amps[OUT][k]) or not any(last <= at <= read.time_s[k] for at, _ in marks)
    return read.rows(keep)


def _read(seen: Seen) -> Branches:
    return Branches(
        {b: seen.column("V", b) for b in BRANCHES},
        {b: seen.column("A", b) for b in BRANCHES},
        {f"{b} {q}": seen.table.half[(b, q)] for b in BRANCHES for q in "VA"},
        {(b, q): seen.accuracy(q, b) for b in BRANCHES for q in "VA"},
        np.asarray(seen.table.time_s),
    )


def _hysteresis(node: NodeFound) -> list[str]:
    """Loads that were carried on the way up and not on the way down, or the other way round."""
    loads = node.branches.amps[OUT]
    top = int(np.argmax(loads))
    up = {round(float(a), 1): s for a, s in zip(loads[: top + 1], node.states[: top + 1], strict=True)}
    down = {round(float(a), 1): s for a, s in zip(loads[top:], node.states[top:], strict=True)}
    other = [(a, up[a], down[a]) for a in up if a in down and up[a] != down[a]]
    return [
        say("At {a} A it was {up} on the way up and {down} on the way down.", a=plain(a), up=say(on_up), down=say(on_down))
        for a, on_up, on_down in other[:2]
    ]


def _sentence(node: NodeFound) -> str:
    found = node.findings.get("largest_sustained_load")
    ranges = _ranges(node)
    if found is None or found.value is None:
        return say("{ranges}.", ranges="; ".join(ranges)) if ranges else say("Too few loads for where it begins to lose.")
    if found.bound == AT_LEAST:
        text = say("Every load was carried, up to {w} W", w=show(found.value, 3))
    elif found.bound == AT_MOST:
        text = say("Every load drained the battery, from {w} W on", w=show(found.value, 3))
    elif found.bound == BETWEEN and found.span is not None:
        low, high = found.span
        text = say("It carries {low} W without running down, and {high} W no more", low=show(low, 3), high=show(high, 3))
    else:
        text = say("It carries {w} without running down", w=found.with_uncertainty())
    return f"{'; '.join((text, *ranges))}."


def _ranges(node: NodeFound) -> list[str]:
    """Each state with the loads that it was seen at, from the lightest on, but for loads at which it was once so and once so; empty where all are one."""
    rows = zip(node.branches.amps[OUT].tolist(), node.states, node.closes, strict=True)
    known = sorted((amps, state) for amps, state, closed in rows if closed is not False and state not in {NO_DRAIN_SEEN, NOT_KNOWN})
    states: dict[float, set[str]] = {}
    for amps, state in known:
        states.setdefault(round(amps, 1), set()).add(state)
    known = [(amps, state) for amps, state in known if len(states[round(amps, 1)]) == 1]
    if len({state for _, state in known}) < 2:
        return []
    told = []
    for state, several in groupby(known, key=lambda one: one[1]):
        loads = [amps for amps, _ in several]
        low, high = loads[0], loads[-1]
        span = plain(low, 3) if high - low < 1e-9 else say("{a} to {b}", a=plain(low, 3), b=plain(high, 3))
        told.append(say("{state} at {span} A", state=say(state), span=span))
    return told


def _drawn(node: NodeFound) -> Drawing:
    """The battery's current over the load's; where that was not read, what it did at each load."""
    if node.is_module and not np.isfinite(node.branches.amps[BATTERY]).all():
        return _states(node)
    loads, battery = node.branches.amps[OUT], node.branches.amps[BATTERY]
    high = max(float(np.max(np.abs(battery), initial=0.0)), 0.1) * 1.15
    order = np.argsort(loads, kind="stable")
    layers = (
        Rule(0.0, say("battery stands"), below=True),
        Curve(loads[order], battery[order], "current", SOLID),
        Curve(loads[order], node.branches.amps[IN][order], "power", DASHED, say("in")),
        Dots(loads, battery),
    )
    top = max(high, float(np.max(node.branches.amps[IN], initial=0.0)) * 1.1)
    text = say(
        "battery's current from {a} to {b} A over loads up to {c} A",
        a=show(float(battery.min())),
        b=show(float(battery.max())),
        c=show(float(loads.max())),
    )
    return Plot(
        say("What the battery gives, over the load"),
        say("load, A"),
        say("A"),
        (0.0, 1.06 * max(float(loads.max()), 0.1)),
        (-high, top),
        layers,
        text,
    )


def _states(node: NodeFound) -> Drawing:
    """A bar a load, in the order they were set, with what the battery did there."""
    b = node.branches
    rows: list[tuple[Finding, float | None, str]] = []
    for k, (state, told) in enumerate(zip(node.states, node.told, strict=True)):
        watts = float(b.volts[OUT][k] * b.amps[OUT][k])
        name = say("load {a} A: {state}", a=plain(float(b.amps[OUT][k]), 3), state=say(state))
        rows.append((Finding(f"load_{k + 1}", name, watts if math.isfinite(watts) else 0.0, "W", (), told), None, told))
    return Bars(tuple(rows))


def _path(setup: Setup, node: NodeFound | None) -> PowerPath:
    """What charges and the battery at one node, and the load behind it; at the heaviest load."""
    unit = setup.unit
    boxes = (Box("battery", say("Charger")), Box("leads", say("meeting point")), Box("load", say("Load")))
    if node is None:
        flows = (Flow(None, meter=setup.meter(IN).name), Flow(None, meter=setup.meter(OUT).name))
        joins = Box("battery", unit.name, unit.printed), Flow(None, meter=setup.meter(BATTERY).name)
        return PowerPath(boxes, flows, (None, None, None), (0.0, 0.0, 0.0), "W", joins)
    k = int(np.nanargmax(node.branches.amps[OUT]))
    b = node.branches

    def flow(branch: str) -> Flow:
        read, amps = float(b.volts[branch][k]), float(b.amps[branch][k])
        near = [float(v[k]) for v in b.volts.values() if math.isfinite(float(v[k]))]
        volts = read if math.isfinite(read) or not near or node.is_module else near[0]  # of one node
        watts = volts * amps if math.isfinite(volts) and math.isfinite(amps) else None
        return Flow(watts, read if math.isfinite(read) else None, amps if math.isfinite(amps) else None, setup.meter(branch).name)

    left = node.findings.get(f"residual_{k + 1}")
    closes = node.closes[k] if k < len(node.closes) else None
    note = node.told[k]
    if left is not None and left.value is not None and closes is not None:
        said = say("it closes") if closes else say("it does not close")
        note = f"{left.working} = {left.with_uncertainty()}: {said}"
    if node.is_module:
        boxes = boxes[0], Box("converter", unit.name, unit.printed), boxes[2]
        joins = Box("battery", say("its battery")), replace(flow(BATTERY), between=node.told[k])
        return PowerPath(boxes, (flow(IN), flow(OUT)), (None, None, None), (0.0, 0.0, 0.0), "W", joins)
    boxes = (boxes[0], Box("leads", say("meeting point"), note=note), boxes[2])
    joins = Box("battery", unit.name, unit.printed), flow(BATTERY)
    return PowerPath(boxes, (flow(IN), flow(OUT)), (None, None, None), (0.0, 0.0, 0.0), "W", joins)
