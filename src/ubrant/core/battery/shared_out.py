"""One source emptied into several things, one after another or the same one again: what each took, what arrived in it, what was lost, what is left."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from ubrant.core.battery.label_doubt import Holds, doubtful, in_quarters
from ubrant.core.battery.percent import percent_shown
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.uncertainty.finding import AT_MOST, Finding
from ubrant.core.uncertainty.value import Value, total_of
from ubrant.core.wording import say, words

ENOUGH_POINTS = 15.0
"""Points of the source over which a counter tells what one of them is worth. Common practice, no source."""
_BETWEEN, _SAME = 6.0, 1.25
"""So many points between one device and the next are somebody else's; two charges of one device differ by less, what displays may be off by allowed for. Common
practice, no source."""


@dataclass(frozen=True)
class Shown:
    """A display's percent at a moment; ``half`` of its last digit, 0 where it is known to be full or empty."""

    percent: float
    half: float
    time_s: float

    def value(self, whose: str) -> Value:
        """With rounding and linearity of its own: two differences that meet at one reading share them."""
        return percent_shown(self.percent, self.half, say("{whose}, at {percent} %", whose=whose, percent=plain(self.percent)))


@dataclass(frozen=True)
class Fill:
    """One thing while it was fed.

    Attributes
    ----------
    name : of the device
    source, device : what both displays showed at its begin and its end; None where one was not read at both
    counted, charge : Wh and Ah by a counter between them
    holds : what the device's battery holds; None where nobody knows
    """

    name: str
    source: tuple[Shown, Shown] | None
    device: tuple[Shown, Shown] | None
    counted: Value | None = None
    charge: Value | None = None
    holds: Holds | None = None

    @property
    def points(self) -> Value | None:
        """Of the source, positive where it fell."""
        return None if self.source is None else self.source[0].value(say("source")) - self.source[1].value(say("source"))

    def gained(self, number: int) -> Value | None:
        """Points of the device; each charge has ends of its own."""
        if self.device is None:
            return None
        whose = say("{name}, charge {n}", name=self.name, n=number)
        return self.device[1].value(whose) - self.device[0].value(whose)


@dataclass(frozen=True)
class _Taken:
    """What one device took in all of its charges; None for not known."""

    name: str
    wh: Value | None
    counted: bool
    points: Value | None
    gained: Value | None
    arrived: Value | None
    lower: float
    count: int


def shared_out(fills: Sequence[Fill], source: Holds | None, end: Shown | None) -> tuple[dict[str, Finding], list[str]]:
    """Findings of each device, by their first charge, and of all together.

    Parameters
    ----------
    source : what the source holds, measured or by its label; None where nobody knows
    end : what its display showed last
    """
    a_point, why, lower = _worth_of_a_point(fills, source)
    each = [_taken([f for f in fills if f.name == name], a_point) for name in dict.fromkeys(f.name for f in fills)]
    found: dict[str, Finding] = {}
    said: list[str] = []
    whole = total_of(one.wh for one in each if one.wh is not None) if all(one.wh is not None for one in each) else None
    by_points = any(not one.counted for one in each)
    one_sided = (lower,) if by_points and lower else ()
    if whole is not None:
        how = say("by the counter") if not by_points else why
        found["given"] = doubtful("given", say("Given to all of them"), whole, "Wh", how, lower=one_sided)
    charge = total_of(f.charge for f in fills if f.charge is not None) if all(f.charge is not None for f in fills) else None
    if charge is not None:
        found["given_charge"] = Finding.made(
            "given_charge", say("Given to all of them, by charge"), charge, "Ah", say("by the counter, at the output's volts")
        )
    if whole is not None and source is not None and source.is_label and not by_points and _is_whole(fills, end):
        share = 100 * whole / source.energy_wh
        found["label_share"] = Finding.made(
            "label_share", say("Of its label"), share, "%", f"{show(whole.value)} Wh ÷ {show(source.energy_wh)} Wh"
        )
    for one in each:
        if one.counted and one.wh is not None and one.arrived is not None and one.arrived.value > one.wh.value:
            text = words(
                "{name}: by its label {stored} Wh would be stored, and {wh} Wh were given. It holds less than its label, or a percent is not right."
            )
            said.append(say(text, name=one.name, stored=show(one.arrived.value, 3), wh=show(one.wh.value, 3)))
    for number, one in enumerate(each, start=1):
        found |= _of_one(number, one, whole, why, one_sided)
    arrived = [one.arrived for one in each]
    if whole is not None and whole.value > 0 and all(a is not None for a in arrived):
        stored = total_of(a for a in arrived if a is not None)
        below = math.hypot(*(one.lower * (one.arrived.value if one.arrived else 0.0) for one in each)) / max(stored.value, 1e-9)
        share = 100 * stored / whole
        if share.value - 2 * (share.u or 0.0) < 100:
            raised = lower / (1 - lower) if one_sided else 0.0
            made = doubtful(
                "arrives", say("Arrives in all of them"), share, "%", f"{show(stored.value)} Wh ÷ {show(whole.value)} Wh", lower=(below,)
            )
            most = max((100 - share.value) ** 2 - (made.expanded_uncertainty or 0.0) ** 2, 0.0) ** 0.5  # no more arrives than was given
            found["arrives"] = replace(made, sides=(made.sides[0], min(raised * share.value, most)))
    if end is not None and end.percent > 0:
        left = end.value(say("source"))
        found["left"] = Finding.made("left", say("Left in it, by its display"), left, "%", say("as it showed last"))
    return found, said


def _of_one(number: int, one: _Taken, whole: Value | None, why: str, one_sided: tuple[float, ...]) -> Mapping[str, Finding]:
    found: dict[str, Finding] = {}
    sides = () if one.counted else one_sided
    if one.wh is not None and one.wh.value > 0:
        how = (
            say("by the counter")
            if one.counted
            else say("{points} points; {why}", points=show(one.points.value if one.points else 0.0, 3), why=why)
        )
        found[f"took_{number}"] = doubtful(f"took_{number}", say("{name} took", name=one.name), one.wh, "Wh", how, lower=sides)
        if whole is not None and whole.value > one.wh.value:
            share = 100 * one.wh / whole
            name = say("{name}, of all that was given", name=one.name)
            found[f"share_{number}"] = Finding.made(
                f"share_{number}", name, share, "%", f"{show(one.wh.value)} Wh ÷ {show(whole.value)} Wh"
            )
    elif one.wh is not None:
        u = 2 * (one.wh.u or 0.0)
        found[f"took_{number}"] = Finding(
            f"took_{number}",
            say("{name} took", name=one.name),
            max(one.wh.value, 0.0) + u,
            "Wh",
            (),
            say("its display hardly moved"),
            bound=AT_MOST,
        )
    if one.gained is not None and one.gained.value > 0:
        charges = one.gained / 100
        text = (
            say("{points} points in {n} charges", points=plain(one.gained.value), n=one.count)
            if one.count > 1
            else say("{points} points", points=plain(one.gained.value))
        )
        found[f"charges_{number}"] = Finding.made(
            f"charges_{number}", say("Charges of {name}", name=one.name), charges, "", f"{text}: {in_quarters(charges.value)}"
        )
        if one.points is not None and one.points.value > 2 * (one.points.u or 0.0):
            full = one.gained / one.points
            name = say("{name}, charges from full", name=one.name)
            working = say("{a} points of it ÷ {b} of the source", a=plain(one.gained.value), b=plain(one.points.value))
            found[f"from_full_{number}"] = Finding.made(f"from_full_{number}", name, full, "", working)
    if one.arrived is not None and one.arrived.value > 0:
        found[f"arrived_{number}"] = doubtful(
            f"arrived_{number}",
            say("Stored in {name}", name=one.name),
            one.arrived,
            "Wh",
            say("its points of its label"),
            lower=(one.lower,),
        )
    return found


def _taken(fills: Sequence[Fill], a_point: Value | None) -> _Taken:
    """Over all charges of one device: by the counter where that was read at each, else by the source's points."""
    counted = all(f.counted is not None for f in fills)
    points = [p for f in fills if (p := f.points) is not None]
    whole_points = total_of(points) if len(points) == len(fills) else None
    wh = total_of(f.counted for f in fills if f.counted is not None) if counted else None
    if wh is None and whole_points is not None and a_point is not None:
        wh = whole_points * a_point
    gained = [g for k, f in enumerate(fills, start=1) if (g := f.gained(k)) is not None]
    whole_gained = total_of(gained) if len(gained) == len(fills) else None
    holds = fills[0].holds
    arrived = holds.energy * whole_gained / 100 if holds is not None and whole_gained is not None else None
    return _Taken(fills[0].name, wh, counted, whole_points, whole_gained, arrived, holds.lower if holds is not None else 0.0, len(fills))


def _worth_of_a_point(fills: Sequence[Fill], source: Holds | None) -> tuple[Value | None, str, float]:
    """Wh of a point of the source: by the counter, where that ran over enough of them, else by what it holds; how, and by which share it may be less."""
    both = [(f.counted, p) for f in fills if f.counted is not None and (p := f.points) is not None]
    if both and sum(p.value for _, p in both) >= ENOUGH_POINTS:
        worth = total_of(c for c, _ in both) / total_of(p for _, p in both)
        return worth, say("{wh} Wh a point, as the counter said of the others", wh=show(worth.value, 3)), 0.0
    if source is None:
        return None, "", 0.0
    return source.energy / 100, say("{why}, ÷ 100 a point", why=source.why), source.lower


def _is_whole(fills: Sequence[Fill], end: Shown | None) -> bool:
    """From a known full to a known empty."""
    first = next((f.source[0] for f in fills if f.source is not None), None)
    return first is not None and first.percent >= 100 and end is not None and end.percent <= 0 and not end.half


def what_does_not_fit(fills: Sequence[Fill], source: Holds | None) -> Iterable[tuple[str, str]]:
    """(by what it is asked, the question): a counter that is none of the source's, a device that gains more than was given, something that drew in between."""
    for number, one in enumerate(fills, start=1):
        points = one.points
        if one.counted is not None and points is not None and source is not None and points.value > 3 * (points.u or 0.0):
            worth, room = one.counted.value / points.value, 1 + 2 * (points.u or 0.0) / points.value
            of_label = 100 * worth / source.energy_wh
            if of_label > 1.15 * room or of_label < 0.35 / room:
                text = words(
                    "{name}: {wh} Wh for {points} points of {all} Wh: is the counter in Wh, was it reset, and does it count this one?"
                )
                yield (
                    f"counter-{number}",
                    say(text, name=one.name, wh=show(one.counted.value, 3), points=plain(points.value), all=plain(source.energy_wh, 3)),
                )
        if one.counted is not None and one.holds is not None and one.device is not None:
            stored = one.holds.energy_wh * (one.device[1].percent - one.device[0].percent) / 100
            if stored * (1 - one.holds.lower) > 1.05 * one.counted.value + 2 * (one.counted.u or 0.0):
                text = words(
                    "{name}: {stored} Wh or so would be stored, and {wh} Wh were counted: is its label the right one, and did the counter run all the time?"
                )
                yield f"stored-{number}", say(text, name=one.name, stored=show(stored, 2), wh=show(one.counted.value, 3))
    for number, (one, other) in enumerate(itertools.pairwise(fills), start=1):
        if one.source is None or other.source is None:
            continue
        fell = one.source[1].percent - other.source[0].percent
        if abs(fell) > _BETWEEN:
            text = words("Between {a} and {b} the source went from {x} to {y} %: did something else draw on it, or charge it?")
            told = {"x": plain(one.source[1].percent), "y": plain(other.source[0].percent)}
            yield f"between-{number}", say(text, a=one.name, b=other.name, **told)
    yield from _unlike(fills)


def _unlike(fills: Sequence[Fill]) -> Iterable[tuple[str, str]]:
    """Charges of one device that took very different shares of the source."""
    shares: dict[str, tuple[float, float]] = {}
    for number, one in enumerate(fills, start=1):
        points, gained = one.points, one.gained(number)
        if points is None or gained is None or not gained.value > 0:
            continue
        room = 2 * math.hypot((points.u or 0.0) / max(points.value, 1.0), (gained.u or 0.0) / gained.value)
        share = points.value / gained.value
        low, high = share / (1 + room), share * (1 + room)
        known = shares.setdefault(one.name, (low, high))
        if low > _SAME * known[1] or known[0] > _SAME * high:
            text = words(
                "{name}: one charge took {a} points of the source for {b} of it, and another far from that: did a digit slip, or was it another device?"
            )
            yield f"unlike-{number}", say(text, name=one.name, a=plain(points.value), b=plain(gained.value))
