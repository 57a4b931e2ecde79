"""The same load fed in several ways: watts at the source for each, what the way burns, how long the source lasts."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ubrant.core.battery.label_doubt import Holds, doubtful
from ubrant.core.battery.percent import PercentChange
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST, Finding
from ubrant.core.uncertainty.value import Value, as_read, digit
from ubrant.core.wording import say


@dataclass(frozen=True)
class FeedWay:
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
    source_w: Value | None = None
    load_w: Value | None = None
    percent: PercentChange | None = None
    hours_s: float = 0.0
    gave_up: bool = False


def power_read(place: str, watts: float, half: float, accuracy: Accuracy | None, when: str = "") -> Value:
    """Watts off a display; ``when`` tells it from another reading of it."""
    return as_read(watts, accuracy, place) + digit(half, "W", when=f"{say(place)} {when}".strip())


def power_at(
    place: str, volts: float, amps: float, halves: tuple[float, float], of_v: Accuracy | None, of_a: Accuracy | None, when: str = ""
) -> Value:
    """Watts by volts and amperes, on DC."""
    at = f"{say(place)} {when}".strip()
    return (as_read(volts, of_v, place) + digit(halves[0], "V", when=at)) * (as_read(amps, of_a, place) + digit(halves[1], "A", when=at))


def feeding_findings(ways: Sequence[FeedWay], source: Holds | None) -> tuple[dict[str, Finding], list[str]]:
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


def _fell(k: int, change: PercentChange) -> Value:
    """Points of the source's display, whose errors are of this way alone."""
    return change.fell(say("way {n}", n=k))


def _power(k: int, way: FeedWay, source: Holds | None, said: list[str]) -> Finding | None:
    key, name = f"source_power_{k}", say("{way}: at the source", way=way.name)
    if way.source_w is not None and way.source_w.value > 0:
        return Finding.made(key, name, way.source_w, "W", say("as it was read"))
    if way.source_w is not None:
        said.append(
            say(
                "{way}: the source's display shows 0 W. It is blind to so little: take its percent, and again after about a day.",
                way=way.name,
            )
        )
    change, hours = way.percent, way.percent.to_s / 3600 - way.percent.from_s / 3600 if way.percent is not None else 0.0
    if change is not None and source is not None and hours > 0:
        off = change.expanded_points
        if not change.points > off:
            most = (max(change.points, 0.0) + off) * source.energy_wh / 100 / hours
            working = say("its display fell by less than it may be off, in {time}", time=show_duration(3600 * hours))
            return Finding(key, name, most, "W", (), working, bound=AT_MOST)
        working = say("{p} points of {why}, in {time}", p=plain(change.points), why=source.why, time=show_duration(3600 * hours))
        value = source.energy * _fell(k, change) / 100 / hours
        return doubtful(key, name, value, "W", working, lower=(source.lower,), higher=(change.hidden / change.points,))
    if way.hours_s > 0 and source is not None:
        value = source.energy / (way.hours_s / 3600)
        working = say("{why}, in {time}", why=source.why, time=show_duration(way.hours_s))
        if not way.gave_up:
            return Finding(
                key,
                name,
                value.value,
                "W",
                (),
                say("{why}, and it ran longer than {time}", why=source.why, time=show_duration(way.hours_s)),
                bound=AT_MOST,
            )
        return doubtful(key, name, value, "W", working, lower=(source.lower,))
    return None


def _runtime(k: int, way: FeedWay, source: Holds | None) -> Finding | None:
    """Hours from full, where they follow without what the source holds."""
    key, name = f"runtime_from_full_{k}", say("{way}: from full", way=way.name)
    change = way.percent
    if change is not None:
        hours = (change.to_s - change.from_s) / 3600
        most = max(change.points, 0.0) + (off := change.expanded_points)
        if not change.points > off:
            working = say("its display fell by less than it may be off, in {time}", time=show_duration(3600 * hours))
            return Finding(key, name, 100 * hours / most if most else hours, "h", (), working, bound=AT_LEAST)
        hidden = change.hidden / change.points
        working = say("{time} ÷ {p} points × 100", time=show_duration(3600 * hours), p=plain(change.points))
        return doubtful(key, name, 100 * hours / _fell(k, change), "h", working, lower=(hidden / (1 + hidden),))
    if way.hours_s > 0:
        hours = way.hours_s / 3600
        if way.gave_up:
            return Finding(key, name, hours, "h", (), say("until it gave up"))
        return Finding(key, name, hours, "h", (), say("stopped with some left"), bound=AT_LEAST)
    return None


def _by_power(k: int, way: FeedWay, power: Finding, source: Holds) -> Finding:
    assert power.value
    working = say("{why} ÷ {w} W", why=source.why, w=show(power.value))
    name = say("{way}: from full", way=way.name)
    return doubtful(f"runtime_from_full_{k}", name, source.energy / power.known, "h", working, lower=(source.lower,))


def _overheads(ways: Sequence[FeedWay], found: dict[str, Finding]) -> None:
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
                key, name, power, Finding.made("", "", way.load_w, "W", ""), say("less {w} W that the load takes", w=show(way.load_w.value))
            )
        elif k != best:
            found[key] = _difference(key, name, power, powers[best], say("more than {way}", way=ways[best - 1].name))
    if len(powers) > 1:
        worst = max((k for k in powers if k != best), key=lambda k: powers[k].value or 0.0)
        name = say("{best} lasts longer than {worst} by", best=ways[best - 1].name, worst=ways[worst - 1].name)
        working = f"{show(powers[worst].value or 0.0)} W ÷ {show(powers[best].value or 0.0)} W"
        found["ratio"] = Finding.made("ratio", name, powers[worst].known / powers[best].known, "times", working)


def _difference(key: str, name: str, one: Finding, other: Finding, working: str) -> Finding:
    """Errors that both share cancel; a label's doubt is the same share of both."""
    assert one.value is not None and other.value is not None
    lower = one.sides[0] if not other.sides[0] else abs(one.sides[0] - other.sides[0])
    working = f"{show(one.value)} − {show(other.value)} W: {working}"
    return Finding.made(key, name, one.known - other.known, "W", working, sides=(lower, 0.0))


def told_apart(found: Finding | None) -> bool:
    """Whether one way surely takes more than the other."""
    u = found.expanded_uncertainty if found is not None else None
    return found is not None and found.value is not None and u is not None and found.value - u > 1.0
