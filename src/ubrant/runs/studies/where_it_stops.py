"""The edges of a ladder laid over the batteries of a shelf: how long until each, what stays unused, which of them gives the longest."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from ubrant.core.account import Account
from ubrant.core.drawings import DASHED, Curve, Plot, Rule
from ubrant.core.equipment.unit import Unit
from ubrant.core.outlook.answers import OutlookAnswer, look
from ubrant.core.outlook.kit import CURRENT, POWER, RESISTANCE, Kit, Load, Source, highest_v, with_volts
from ubrant.core.outlook.spread import Uncertain
from ubrant.core.outlook.walk import GIVES_UP
from ubrant.core.quantities.quantity import QuantityError, plain, show, show_duration
from ubrant.core.record.windows import window_of
from ubrant.core.uncertainty.finding import AT_LEAST, Finding
from ubrant.core.wording import say
from ubrant.logbook.logbook import Logbook
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.studies.mode_table import sources_of

_EDGES = ("falters_at", "off_at")
_DRAWS, _LOOKED_AT, _OVER, _LAW = 200, 8, 1.05, 0.5
"""A battery that comes higher than so many times the highest step that was tried is none for it; so near an exponent of W over V is that law. Common
practice, no source."""
_LAWS = {0: POWER, 1: CURRENT, 2: RESISTANCE}


@dataclass(frozen=True)
class UntilEdge:
    """How long a battery keeps it above an edge, in words, in seconds (inf where it never falls to it), which share of it is left then, and whether the battery ended before."""

    text: str
    seconds: float
    left: float
    ends_first: bool = False


@dataclass(frozen=True)
class OnBattery:
    """One battery: until each edge, and its volts over the hours with the edges across."""

    name: str
    why: str
    until: tuple[UntilEdge, ...]
    drawing: Plot | None


@dataclass(frozen=True)
class WhereItStops:
    """``edges``: (name, volts in words); ``batteries``: the one that keeps it on longest first."""

    edges: tuple[tuple[str, str], ...]
    draws: str
    batteries: tuple[OnBattery, ...]


def has_edges(account: Account) -> bool:
    """Whether an account says at which volts its unit stops, and what it draws."""
    return {"off_at", "power"} <= account.findings.keys() and not account.held_back


def where_it_stops(logbook: Logbook, unit: Unit) -> WhereItStops | None:
    """The newest ladder of a unit over every battery whose volts on the way down are known, measured or by its kind; None where it has no ladder,
    or none with amperes: without what it draws nobody knows how long.
    """
    found: Mapping[str, Finding] = {}
    tried = 0.0
    for run, _ in logbook.runs(limit=_LOOKED_AT, unit_id=unit.id):
        record, account = account_of(logbook, run)
        if run.state != "running" and has_edges(account):
            found = account.findings
            tried = max((abs(r.value) for e in record.lines for r in e.jotting.readings if r.quantity == "V"), default=0.0)
            break
    edges = [found[key] for key in _EDGES if key in found and found[key].value is not None and found[key].bound != AT_LEAST]
    if not edges:
        return None
    load, window = _drawn(unit.name, found), window_of(unit.label_text)
    most = window[1] if window is not None else _OVER * tried
    batteries = [_on(source, load, edges, most) for one in sources_of(logbook) if (source := with_volts(one)) is not None]
    batteries.sort(key=lambda one: -(one.until[-1].seconds if one.until else -1.0))
    told = tuple((f.name, f.with_uncertainty()) for f in edges)
    return WhereItStops(told, found["power"].with_uncertainty(), tuple(batteries))


def _drawn(name: str, found: Mapping[str, Finding]) -> Load:
    """What it draws, and how that follows its volts, where it was read at several."""
    power, law = found["power"], found.get("law")
    watts = Uncertain(power.value or 0.0, power.standard_uncertainty or 0.0)
    kind = POWER
    if law is not None and law.value is not None and (near := round(law.value)) in _LAWS and abs(law.value - near) < _LAW:
        kind = _LAWS[near]
    at_v = found["drawn_at"].value or 1.0
    return Load(name, watts.times(1 / at_v) if kind == CURRENT else watts, kind=kind, at_v=at_v)


def _on(source: Source, load: Load, edges: list[Finding], most_v: float) -> OnBattery:
    highest, lowest = highest_v(source), min(f.value or 0.0 for f in edges)
    if highest is not None and highest > most_v:
        text = say("not tried so high: {v} V when full", v=plain(highest, 3))
        return OnBattery(source.name, source.why, tuple(UntilEdge(text, -1.0, 1.0) for _ in edges), None)
    if highest is not None and highest <= lowest:
        text = say("too low for it: {v} V when full", v=plain(highest, 3))
        return OnBattery(source.name, source.why, tuple(UntilEdge(text, -1.0, 1.0) for _ in edges), None)
    until: list[UntilEdge] = []
    last: OutlookAnswer | None = None
    for edge in edges:
        if until and until[-1].ends_first:  # it ends over the higher edge, and so over this one
            until.append(until[-1])
            continue
        try:
            made, last = _until(source, load, edge)
        except QuantityError as error:
            made = UntilEdge(str(error), -1.0, 1.0)
        until.append(made)
    return OnBattery(source.name, source.why, tuple(until), _volts_over_hours(last, edges) if last is not None else None)


def _until(source: Source, load: Load, edge: Finding) -> tuple[UntilEdge, OutlookAnswer]:
    """By a walk along its volts; the doubt of the edge and that of the battery together, as roots of squares."""

    def ends(volts: float, count: int) -> OutlookAnswer:
        return look(Kit((source,), (replace(load, gives_up_v=volts),)), count)

    volts, room = edge.value or 0.0, edge.expanded_uncertainty or 0.0
    middle = ends(volts, _DRAWS)
    if middle.runtime_s is None:
        return UntilEdge(say("never"), math.inf, 1.0), middle
    at = middle.runtime_s
    sooner, later = (
        one.runtime_s if one.runtime_s is not None else at for one in (ends(volts + room, 0), ends(max(volts - room, 1e-3), 0))
    )
    low, high = at - math.hypot(at - middle.low_s, at - sooner), at + math.hypot(middle.high_s - at, later - at)
    left = float(np.interp(at, middle.middle.time_s, middle.middle.left[:, 0]))
    told = show_duration(at)
    if high - low > 0.02 * at:
        told = say("{what} ({low} to {high})", what=told, low=show_duration(max(low, 0.0)), high=show_duration(high))
    if middle.first is None or middle.first.kind != GIVES_UP:
        return UntilEdge(say("{time}: the battery ends first", time=told), at, left, ends_first=True), middle
    return UntilEdge(say("{time}; {percent} % stays unused", time=told, percent=show(100 * left, 2)), at, left), middle


def _volts_over_hours(looked: OutlookAnswer, edges: list[Finding]) -> Plot:
    walk = looked.middle
    end = looked.runtime_s if looked.runtime_s is not None else walk.horizon_s
    on = walk.time_s <= end + 1e-6
    hours, volts, gone = walk.time_s[on] / 3600, walk.volts[on, 0].copy(), 100 * (1 - walk.left[on, 0])
    volts[0] = volts[min(1, len(volts) - 1)]  # before the first step it is not under load
    levels = [f.value or 0.0 for f in edges]
    low, high = min(*levels, float(volts.min())), max(*levels, float(volts.max()))
    room = 0.08 * (high - low or 1.0)
    rules = [Rule(f.value or 0.0, f"{f.name} {f.with_uncertainty()}", tint="caution" if f is not edges[-1] else "loss") for f in edges]
    told = say("{hours} h, {percent} % taken out by then", hours=show(float(hours[-1]), 3), percent=show(float(gone[-1]), 3))
    curve = Curve(hours, volts, "voltage", DASHED)
    span = (0.0, max(1.03 * float(hours[-1]), 1e-3))
    return Plot(say("Its volts on the way down"), say("h; {told}", told=told), "V", span, (low - room, high + room), (curve, *rules), told)
