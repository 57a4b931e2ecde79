"""The same load fed in several ways: watts at the source for each, what the way burns, how long the source lasts."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ubrant.core.battery.label_doubt import Holds, product
from ubrant.core.battery.percent import Change
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.uncertainty.contributions import COVERAGE, Contribution, Contributions, combined, merged, rectangular
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST, Finding
from ubrant.core.wording import say


@dataclass(frozen=True)
class Watts:
    """A power that was read, half of its last digit, and where its ± comes from (None without an accuracy)."""

    value: float
    half: float
    contributions: Contributions | None


@dataclass(frozen=True)
class Way:
    """One way to feed it, and what was read of it.

    Attributes
    ----------
    name : as a person calls it
    source_w, load_w : at the source, and at what is fed; None where it was not read
    percent : what the source's display did meanwhile; None where it was not read twice
    hours_s : how long it ran; 0 where nobody noted it
    gave_up : it ran until the source was empty
    """

    name: str
    source_w: Watts | None = None
    load_w: Watts | None = None
    percent: Change | None = None
    hours_s: float = 0.0
    gave_up: bool = False


def power_read(name: str, watts: float, half: float, accuracy: Accuracy | None) -> Watts:
    """Watts off a display."""
    if accuracy is None:
        return Watts(watts, half, None)
    parts = (
        Contribution(f"{name} power gain", rectangular(accuracy.gain) * watts),
        Contribution(f"{name} power zero", rectangular(accuracy.zero)),
        Contribution(f"last digit at {name} {show(watts)}", rectangular(half)),
    )
    return Watts(watts, half, merged(parts))


def power_of(name: str, volts: float, amps: float, halves: tuple[float, float], of_v: Accuracy | None, of_a: Accuracy | None) -> Watts:
    """Watts by volts and amperes, on DC."""
    watts = volts * amps
    if of_v is None or of_a is None:
        return Watts(watts, 0.0, None)
    parts = (
        Contribution(f"{name} voltage gain", rectangular(of_v.gain) * watts),
        Contribution(f"{name} voltage zero", rectangular(of_v.zero) * amps),
        Contribution(f"{name} current gain", rectangular(of_a.gain) * watts),
        Contribution(f"{name} current zero", rectangular(of_a.zero) * volts),
        Contribution(f"last digits at {name} {show(watts)}", math.hypot(rectangular(halves[0]) * amps, rectangular(halves[1]) * volts)),
    )
    return Watts(watts, 0.0, merged(parts))


def feeding_findings(ways: Sequence[Way], source: Holds | None) -> tuple[dict[str, Finding], list[str]]:
    """For each way W at the source, hours from full, and what the way burns; what has to be said of it."""
    found: dict[str, Finding] = {}
    said: list[str] = []
    for k, way in enumerate(ways, start=1):
        power, runtime = _power(k, way, source, said), _runtime(k, way, source)
        if runtime is None and power is not None and source is not None and power.value and not power.bound:
            runtime = _by_power(k, way, power, source)
        for one in (power, runtime):
            if one is not None:
                found[one.key] = one
    _overheads(ways, found)
    return found, said


def _own(way: int, parts: Contributions) -> Contributions:
    """Errors of a display that are of this way alone."""
    return tuple(Contribution(say("way {n}: {what}", n=way, what=c.source), c.amount, c.why, c.dof) for c in parts)


def _power(k: int, way: Way, source: Holds | None, said: list[str]) -> Finding | None:
    key, name = f"source_power_{k}", say("{way}: at the source", way=way.name)
    if way.source_w is not None and way.source_w.value > 0:
        return Finding(key, name, way.source_w.value, "W", way.source_w.contributions, say("as it was read"))
    if way.source_w is not None:
        said.append(
            say(
                "{way}: the source's display shows 0 W. It is blind to so little: take its percent, and again after about a day.",
                way=way.name,
            )
        )
    change, hours = way.percent, way.percent.to_s / 3600 - way.percent.from_s / 3600 if way.percent is not None else 0.0
    if change is not None and source is not None and hours > 0:
        off = COVERAGE * combined(change.contributions)
        if not change.points > off:
            most = (max(change.points, 0.0) + off) * source.energy_wh / 100 / hours
            working = say("its display fell by less than it may be off, in {time}", time=show_duration(3600 * hours))
            return Finding(key, name, most, "W", (), working, bound=AT_MOST)
        value = source.energy_wh * change.points / 100 / hours
        working = say("{p} points of {why}, in {time}", p=plain(change.points), why=source.why, time=show_duration(3600 * hours))
        return product(
            key,
            name,
            value,
            "W",
            (
                (_own(k, change.contributions), change.points, 0.0, change.hidden / change.points),
                (source.contributions, source.energy_wh, source.lower_wh / source.energy_wh, 0.0),
            ),
            working,
        )
    if way.hours_s > 0 and source is not None:
        value = source.energy_wh / (way.hours_s / 3600)
        working = say("{why}, in {time}", why=source.why, time=show_duration(way.hours_s))
        if not way.gave_up:
            return Finding(
                key,
                name,
                value,
                "W",
                (),
                say("{why}, and it ran longer than {time}", why=source.why, time=show_duration(way.hours_s)),
                bound=AT_MOST,
            )
        return product(key, name, value, "W", ((source.contributions, source.energy_wh, source.lower_wh / source.energy_wh, 0.0),), working)
    return None


def _runtime(k: int, way: Way, source: Holds | None) -> Finding | None:
    """Hours from full, where they follow without what the source holds."""
    key, name = f"runtime_from_full_{k}", say("{way}: from full", way=way.name)
    change = way.percent
    if change is not None:
        hours = (change.to_s - change.from_s) / 3600
        most = max(change.points, 0.0) + (off := COVERAGE * combined(change.contributions))
        if not change.points > off:
            working = say("its display fell by less than it may be off, in {time}", time=show_duration(3600 * hours))
            return Finding(key, name, 100 * hours / most if most else hours, "h", (), working, bound=AT_LEAST)
        value = 100 * hours / change.points
        hidden = change.hidden / change.points
        turned = tuple(c.times(-1.0) for c in _own(k, change.contributions))
        working = say("{time} ÷ {p} points × 100", time=show_duration(3600 * hours), p=plain(change.points))
        return product(key, name, value, "h", ((turned, change.points, hidden / (1 + hidden), 0.0),), working)
    if way.hours_s > 0:
        hours = way.hours_s / 3600
        if way.gave_up:
            return Finding(key, name, hours, "h", (), say("until it gave up"))
        return Finding(key, name, hours, "h", (), say("stopped with some left"), bound=AT_LEAST)
    return None


def _by_power(k: int, way: Way, power: Finding, source: Holds) -> Finding:
    assert power.value
    value = source.energy_wh / power.value
    working = say("{why} ÷ {w} W", why=source.why, w=show(power.value))
    turned = None if power.contributions is None else tuple(c.times(-1.0) for c in power.contributions)
    return product(
        f"runtime_from_full_{k}",
        say("{way}: from full", way=way.name),
        value,
        "h",
        ((turned, power.value, 0.0, 0.0), (source.contributions, source.energy_wh, source.lower_wh / source.energy_wh, 0.0)),
        working,
    )


def _overheads(ways: Sequence[Way], found: dict[str, Finding]) -> None:
    """What each way burns: above what the load takes, where that was read; else above the way that takes least."""
    powers = {k: f for k in range(1, len(ways) + 1) if (f := found.get(f"source_power_{k}")) is not None and not f.bound and f.value}
    if not powers:
        return
    best = min(powers, key=lambda k: powers[k].value or math.inf)
    for k, power in powers.items():
        way = ways[k - 1]
        key, name = f"way_overhead_{k}", say("{way}: what it burns", way=way.name)
        if way.load_w is not None:
            found[key] = _difference(
                key,
                name,
                power,
                Finding("", "", way.load_w.value, "W", way.load_w.contributions, ""),
                say("less {w} W that the load takes", w=show(way.load_w.value)),
            )
        elif k != best:
            found[key] = _difference(key, name, power, powers[best], say("more than {way}", way=ways[best - 1].name))
    if len(powers) > 1:
        worst = max((k for k in powers if k != best), key=lambda k: powers[k].value or 0.0)
        value = (powers[worst].value or 0.0) / (powers[best].value or 1.0)
        parts = _ratio_parts(powers[worst], powers[best])
        name = say("{best} lasts longer than {worst} by", best=ways[best - 1].name, worst=ways[worst - 1].name)
        found["ratio"] = Finding(
            "ratio", name, value, "times", parts, f"{show(powers[worst].value or 0.0)} W ÷ {show(powers[best].value or 0.0)} W"
        )


def _difference(key: str, name: str, one: Finding, other: Finding, working: str) -> Finding:
    """Errors that both share cancel; a label's doubt is the same share of both."""
    assert one.value is not None and other.value is not None
    known = one.contributions is not None and other.contributions is not None
    parts = merged((*(one.contributions or ()), *(c.times(-1.0) for c in other.contributions or ()))) if known else None
    value = one.value - other.value
    lower = one.sides[0] if not other.sides[0] else abs(one.sides[0] - other.sides[0])
    return Finding(key, name, value, "W", parts, f"{show(one.value)} − {show(other.value)} W: {working}", sides=(lower, 0.0))


def _ratio_parts(top: Finding, bottom: Finding) -> Contributions | None:
    if top.contributions is None or bottom.contributions is None or not top.value or not bottom.value:
        return None
    over = [c.times(1 / bottom.value) for c in top.contributions]
    under = [c.times(-top.value / bottom.value**2) for c in bottom.contributions]
    return merged((*over, *under))


def told_apart(found: Finding | None) -> bool:
    """Whether one way surely takes more than the other."""
    u = found.expanded_uncertainty if found is not None else None
    return found is not None and found.value is not None and u is not None and found.value - u > 1.0
