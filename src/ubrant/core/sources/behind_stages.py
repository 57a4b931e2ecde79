"""A battery with converters between it and what is read, as in a backup module: charger, cell, step-up. What the cell does at each load.

Its current where that was read, else its volts at one load, else what laws and labels leave of its watts (core.network).
"""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ubrant.core.network.graph import BATTERY as AT_BATTERY
from ubrant.core.network.graph import CHARGER, LOAD, ON_BOARD, ONE_VOLTAGE, OUTPUT, SOURCE, graph_of
from ubrant.core.network.moment import Read, instant_of
from ubrant.core.quantities.quantity import show, show_duration
from ubrant.core.quantities.readings import Array
from ubrant.core.sources.branches import BATTERY, BRANCHES, CARRIED, IN, LOSING, NO_DRAIN_SEEN, NOT_KNOWN, ON_BATTERY, OUT, STANDS, Branches
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST, Finding
from ubrant.core.uncertainty.value import as_read, digit
from ubrant.core.wording import say, words

SETTLES_S = 300.0
"""So long after another load a cell's volts still move by themselves; and so long it takes to see them move at one. Common practice, no source."""
_MOVED = 0.0015
"""Volts have moved where they have by more than both last digits and this share. Common practice, no source."""
_BY_ITSELF, _RECOVERS_S = 0.005, 3600.0
"""So much its volts fall by themselves after a heavier load; so long they rise after a lighter one. Common practice, no source."""
_ONE_LOAD = 0.03
_OVER_HEAVIEST = 2.0
"""Where no label says what a module can give: so many times the heaviest load that was read. Common practice, no source."""
_TURNS, _LEAST_S = 6, 1200.0


@dataclass(frozen=True)
class AtLoad:
    """What is known of the battery at one load.

    Attributes
    ----------
    state : CARRIED, LOSING, ON_BATTERY, NO_DRAIN_SEEN (its volts stand, which a small drain lets them do as well) or NOT_KNOWN
    told : in a few words, with how it is known
    by_volts : it is known by the cell's volts alone
    stands : it neither gives nor is charged
    between_w : between what its watts lie, where its current was not read; positive where it gives
    """

    state: str
    told: str
    by_volts: bool = False
    stands: bool = False
    between_w: tuple[float, float] | None = None


def behind_stages(read: Branches) -> frozenset[str]:
    """The branches whose volts are not the battery's, at any load: something converts between. Leads drop less at the lightest."""
    found = set()
    for branch in (IN, OUT):
        volts, near = read.volts[branch], read.volts[BATTERY]
        there = np.isfinite(volts) & np.isfinite(near) & (volts > 0) & (near > 0)
        if there.any():
            apart = np.abs(volts[there] / near[there] - 1)
        elif (np.nan_to_num(volts) > 0).any() and (np.nan_to_num(near) > 0).any():
            apart = np.array([abs(np.nanmedian(volts) / np.nanmedian(near) - 1)])
        else:
            continue
        if float(apart.min()) > ONE_VOLTAGE:
            found.add(branch)
    if not found and not np.isfinite(read.volts[BATTERY]).any():
        ratios = read.volts[IN] / np.where(read.volts[OUT] > 0, read.volts[OUT], np.nan)
        ratios = np.abs(ratios[np.isfinite(ratios)] - 1)
        if len(ratios) and float(ratios.min()) > _FAR:
            found = {IN, OUT}
    return frozenset(found)


_FAR = 0.3
"""Without the battery's own volts: a charger's and a load's lie further apart than leads make of them."""


def path_places(behind: frozenset[str]) -> Mapping[str, str]:
    """By branch its place on the path: before a charger that converts, behind a converter, or at the battery's own voltage."""
    return {IN: SOURCE if IN in behind else CHARGER, OUT: OUTPUT if OUT in behind else LOAD, BATTERY: AT_BATTERY}


def at_one_load(read: Branches) -> list[list[int]]:
    """Rows that follow each other at one load; a row that does not read the load is of the one before it."""
    groups: list[list[int]] = []
    for k in range(len(read)):
        load = float(read.amps[OUT][k])
        before = float(read.amps[OUT][groups[-1][0]]) if groups else np.nan
        if groups and (np.isnan(load) or abs(load - before) <= _ONE_LOAD * abs(before) + 2 * read.half_of(OUT, "A", k)):
            groups[-1].append(k)
        elif np.isfinite(load):
            groups.append([k])
    return groups


def at_loads(read: Branches, groups: Sequence[Sequence[int]], behind: frozenset[str], rating_w: float | None) -> list[AtLoad]:
    """What the battery does at each load."""
    ended = [-np.inf, *(float(read.time_s[group[-1]]) for group in groups)]  # the first was waited for, as is asked
    loads = [_middle(read.amps[OUT][list(group)]) for group in groups]
    rises = [0.0, *(after - before for before, after in itertools.pairwise(loads))]
    return [_at_load(read, group, before, rise, behind, rating_w) for group, before, rise in zip(groups, ended, rises, strict=False)]


def _at_load(
    read: Branches, group: Sequence[int], before_s: float, rise_a: float, behind: frozenset[str], rating_w: float | None
) -> AtLoad:
    into_w, out_w = (_middle(read.volts[b][list(group)]) * _middle(read.amps[b][list(group)]) for b in (IN, OUT))
    supplied = not np.isfinite(into_w) or into_w > STANDS * max(abs(out_w), 1e-9)
    amps = _middle(read.amps[BATTERY][list(group)])
    if np.isfinite(amps):
        return _by_amps(amps, _largest(read), supplied)
    between_w = _bounds_w(read, group, behind, rating_w)
    found = _by_bounds(between_w, _by_volts(read, group, before_s, rise_a, supplied), supplied)
    low, high = between_w
    if found.state == CARRIED:
        high = min(high, 0.0)
    elif found.state in {LOSING, ON_BATTERY}:
        low = max(low, 0.0)
    return replace(found, between_w=(low, high))


def _by_bounds(between_w: tuple[float, float], volts: AtLoad | None, supplied: bool) -> AtLoad:
    """By what its watts can be and how its volts moved; where those contradict each other nobody knows."""
    low, high = between_w
    if low > 0:
        if volts is not None and volts.state == CARRIED:
            return AtLoad(NOT_KNOWN, say("more comes out than goes in, and yet {told}", told=volts.told))
        return AtLoad(LOSING if supplied else ON_BATTERY, say("gives {w} W or more", w=show(low, 2)))
    if high < 0:
        if volts is not None and volts.state in {LOSING, ON_BATTERY}:
            return AtLoad(NOT_KNOWN, say("more goes in than comes out, and yet {told}", told=volts.told))
        return AtLoad(CARRIED, say("charges with {w} W or more", w=show(-high, 2)))
    return volts or AtLoad(NOT_KNOWN, say("battery from {low} to {high} W", low=show(low, 2), high=show(high, 2)))


def _by_amps(amps: float, largest: float, supplied: bool) -> AtLoad:
    if abs(amps) <= STANDS * max(largest, 1e-9):
        return AtLoad(CARRIED, say("battery stands"), stands=True)
    if amps < 0:
        return AtLoad(CARRIED, say("charges {a} A", a=show(-amps, 3)))
    return AtLoad(LOSING if supplied else ON_BATTERY, say("gives {a} A", a=show(amps, 3)))


def _by_volts(read: Branches, group: Sequence[int], before_s: float, rise_a: float, supplied: bool) -> AtLoad | None:
    """By how its volts moved at this load once they had settled; None where they were not read twice, so far apart.

    After a heavier load volts go on falling for a while, and after a lighter one rising, whichever way its current goes: such a move has to be a large
    one, or an hour later.
    """
    seen = [k for k in group if np.isfinite(read.volts[BATTERY][k]) and read.time_s[k] - before_s >= SETTLES_S]
    if len(seen) < 2 or read.time_s[seen[-1]] - read.time_s[seen[0]] < SETTLES_S:
        return None
    a, b = seen[0], seen[-1]
    was, now = (float(read.volts[BATTERY][k]) for k in (a, b))
    span = show_duration(float(read.time_s[b] - read.time_s[a]))
    told = {"was": show(was), "now": show(now), "span": span}
    if abs(now - was) <= _MOVED * abs(was) + sum(read.half_of(BATTERY, "V", k) for k in (a, b)):
        return AtLoad(NO_DRAIN_SEEN, say("its volts stand at {now} V over {span}", **told), by_volts=True)
    by_itself = (rise_a > 0 and now < was and was - now <= _BY_ITSELF * abs(was)) or (rise_a < 0 and now > was)
    if by_itself and read.time_s[a] - before_s < _RECOVERS_S:
        return None
    if now < was:
        return AtLoad(LOSING if supplied else ON_BATTERY, say("its volts fall, {was} to {now} V in {span}", **told), by_volts=True)
    return AtLoad(CARRIED, say("its volts rise, {was} to {now} V in {span}", **told), by_volts=True)


def _bounds_w(read: Branches, group: Sequence[int], behind: frozenset[str], rating_w: float | None) -> tuple[float, float]:
    """Between what the battery's watts lie by what goes in and what comes out, W; positive where it gives."""
    places = path_places(behind)
    reads = [
        Read(0, (places[b], q), float(value), read.half_of(b, q, group[0]), read.accuracy.get((b, q)))
        for b in BRANCHES
        for q, columns in (("V", read.volts), ("A", read.amps))
        if np.isfinite(value := _middle(columns[b][list(group)]))
    ]
    rating = rating_w or _OVER_HEAVIEST * float(np.nanmax(read.volts[OUT] * read.amps[OUT], initial=0.0)) or None
    graph = graph_of({*places.values()}, rating_w=rating)
    stages = tuple(replace(stage, rating_w=rating) for stage in graph.stages)
    if len(stages) > 1:
        graph = replace(graph, joints=tuple(replace(joint, drop=ON_BOARD) for joint in graph.joints))
    return instant_of(replace(graph, stages=stages), tuple(reads)).box[AT_BATTERY, "W"]


def at_points(read: Branches, groups: Sequence[Sequence[int]]) -> Branches:
    """A row a load: the middle of what was read there."""

    def middles(columns: Mapping[str, Array]) -> dict[str, Array]:
        return {key: np.array([_middle(column[list(group)]) for group in groups]) for key, column in columns.items()}

    return replace(
        read,
        volts=middles(read.volts),
        amps=middles(read.amps),
        half=middles(read.half),
        time_s=np.array([read.time_s[g[0]] for g in groups]),
    )


def between_at(points: Branches, found: Sequence[AtLoad]) -> list[Finding]:
    """Between what the battery's watts lie at each load, where its current was not read."""
    name = words("Its battery at point {n}")
    return [
        Finding.between(
            f"battery_{k}",
            say(name, n=k),
            at.between_w,
            "W",
            say("at {a} A: {told}", a=show(float(points.amps[OUT][k - 1]), 3), told=at.told),
        )
        for k, at in enumerate(found, start=1)
        if at.between_w is not None and np.isfinite(at.between_w).all()
    ]


def largest_for_ever(points: Branches, found: Sequence[AtLoad]) -> Finding | None:
    """The largest load that does not drain it: between the largest that it carried and the next that it did not."""
    key, name = "largest_sustained_load", say("The most it carries without running down")
    watts = points.volts[OUT] * points.amps[OUT]
    known = [(float(w), at) for w, at in zip(watts, found, strict=True) if np.isfinite(w) and at.state not in {NOT_KNOWN, NO_DRAIN_SEEN}]
    carried, drains = ([w for w, at in known if (at.state == CARRIED) is wanted] for wanted in (True, False))
    if len(known) < 2:
        return None
    if not carried:
        return Finding(key, name, min(drains), "W", (), say("at all of {n} loads the battery gave", n=len(known)), bound=AT_MOST)
    most = max(carried)
    above = [w for w in drains if w > most * (1 - _ONE_LOAD)]
    by_volts = words("by the battery's volts at each load")
    how = say(by_volts if any(at.by_volts for _, at in known) else words("by what goes in and comes out"))
    if not above:
        return Finding(
            key,
            name,
            most,
            "W",
            (),
            say("carried at {low} W, and nothing heavier was tried; {how}", low=show(most, 3), how=how),
            bound=AT_LEAST,
        )
    if min(above) <= most:  # at one load once so and once so
        return None
    working = say("carried at {low} W, drained at {high} W; {how}", low=show(most, 3), high=show(min(above), 3), how=how)
    return Finding.between(key, name, (most, min(above)), "W", working)


def top_ups(read: Branches, groups: Sequence[Sequence[int]]) -> Finding | None:
    """How often an hour its charging comes on again at one load: turns of the cell's volts from falling to rising."""
    for group in sorted(groups, key=len, reverse=True):
        seen = [k for k in group if np.isfinite(read.volts[BATTERY][k])]
        if len(seen) < _TURNS or read.time_s[seen[-1]] - read.time_s[seen[0]] < _LEAST_S:
            return None
        volts = [float(read.volts[BATTERY][k]) for k in seen]
        step = _MOVED * abs(volts[0]) + 2 * read.half_of(BATTERY, "V", seen[0])
        count = _turns_up(volts, step)
        hours = float(read.time_s[seen[-1]] - read.time_s[seen[0]]) / 3600
        name = say("Tops up its battery while supplied")
        working = say("its volts turned up {n} times in {span}", n=count, span=show_duration(3600 * hours))
        return Finding(key="top_ups", name=name, value=count / hours, unit="1/h", contributions=(), working=working)
    return None


def _turns_up(volts: Sequence[float], step: float) -> int:
    """How often they fell and then rose by more than a step."""
    count, low, high, falling = 0, volts[0], volts[0], False
    for value in volts:
        low, high = min(low, value), max(high, value)
        if not falling and high - value > step:
            falling, low = True, value
        elif falling and value - low > step:
            falling, high = False, value
            count += 1
    return count


def idle_power(points: Branches, found: Sequence[AtLoad]) -> Finding | None:
    """What it takes with nothing on it while its battery stands."""
    for k, at in enumerate(found):
        row = [float(columns[IN][k]) for columns in (points.volts, points.amps)]
        if not at.stands or not np.isfinite(row).all() or points.amps[OUT][k] > STANDS * max(_largest(points), 1e-9):
            continue
        volts, amps = (
            as_read(shown, points.accuracy.get((IN, q)), IN) + digit(points.half_of(IN, q, k), q, when=f"{IN} {k}")
            for q, shown in zip("VA", row, strict=True)
        )
        return Finding.made("idle_power", say("Takes with nothing on it"), volts * amps, "W", say("volts × amperes, its battery standing"))
    return None


def _middle(values: Array) -> float:
    there = values[np.isfinite(values)]
    return float(np.median(there)) if len(there) else float("nan")


def _largest(read: Branches) -> float:
    return max((float(np.nanmax(np.abs(a))) for a in read.amps.values() if np.isfinite(a).any()), default=0.0)
