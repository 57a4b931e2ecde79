"""What a display promised, hours left or percent, held against what then came; and what the next promise is worth by those that were kept."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array, Series
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.sources import ErrorKind
from ubrant.core.uncertainty.value import Value, digit, exactly, scattered, within
from ubrant.core.wording import say, words

_OFF_BY, _FAR_OFF = 10.0, 2.0
_COMMON_SHARE, _COMMON_DOF, _NEAR_PROMISE = 0.05, 6, 20.0
"""By such a share days differ, as if that had been seen so often before; a promise tells of others within so many points of its percent. Common practice, no
source."""
_NO_SLIP = (0.2, 5.0)
"""What comes of a promise lies within so many times of it: else minutes were typed for hours, or another unit. Common practice, no source."""
LOOKED_AT = (50.0, 20.0)
_NEAR_POINTS, _CURVED = 15.0, 0.1
"""A reading of percent says something of what lies within so many points of it; half way between two, a display may stray from straight by so much of what lies
between them. Common practice, no source."""


@dataclass(frozen=True)
class DisplayPromise:
    """One thing its display said: hours left, half of their digit, watts and percent then."""

    time_s: float
    hours: float
    half_h: float
    watts: float | None = None
    percent: float | None = None


@dataclass(frozen=True)
class KeptPromise:
    """Hours that were said, half of their digit, those that then came at the watts of that moment, and the percent that it showed then."""

    said_h: float
    half_h: float
    came_h: float
    percent: float | None = None

    @property
    def share(self) -> float:
        return self.came_h / self.said_h


def kept_promises(told: Sequence[DisplayPromise], ended_s: float | None, flowed: tuple[Array, Array] | None) -> tuple[KeptPromise, ...]:
    """Each with what came: the energy that was still given over the watts of its moment, else the hours until it ended.

    Parameters
    ----------
    ended_s : when it was empty; None where it was not, so that none is kept
    flowed : (n,) s and (n,) Wh given until then; None where nobody read it
    """
    if ended_s is None:
        return ()
    kept = []
    for one in told:
        if not ended_s > one.time_s or not one.hours > 0:
            continue
        came = (ended_s - one.time_s) / 3600
        if flowed is not None and one.watts and flowed[0][0] <= one.time_s:
            at, end = np.interp([one.time_s, ended_s], *flowed)
            came = float(end - at) / one.watts or came
        promise = KeptPromise(one.hours, one.half_h, came, one.percent)
        if _NO_SLIP[0] < promise.share < _NO_SLIP[1]:
            kept.append(promise)
    return tuple(kept)


def worth(runs: Sequence[Sequence[KeptPromise]], percent: float | None = None) -> Value | None:
    """Which share of a promise comes, by what came of those of some runs; None where none of them tells.

    Parameters
    ----------
    percent : that its display shows with it: a display is off by another share at its beginning than near its end; None where it shows none
    """
    shares, widths = [], []
    for run in runs:
        if (found := _share_of(run, percent)) is not None:
            shares.append(found[0])
            widths.append(found[1])
    if not shares:
        return None
    mean = float(np.mean(shares))
    value = mean + digit(max(widths), "", of=words("digits of the hours that it said before"))
    squares = float(np.sum((np.array(shares) - mean) ** 2)) + _COMMON_DOF * (_COMMON_SHARE * mean) ** 2
    dof = len(shares) - 1 + _COMMON_DOF
    return value + scattered(math.sqrt(squares / dof * (1 + 1 / len(shares))), words("days that differ"), dof=dof)


def _share_of(run: Sequence[KeptPromise], percent: float | None) -> tuple[float, float] | None:
    """(share that came, half a digit of it) in one run, where it showed about this percent; its middle where none was shown."""
    if not run:
        return None
    if percent is None or any(one.percent is None for one in run):
        middle = sorted(run, key=lambda one: one.share)[len(run) // 2]
        return float(np.mean([one.share for one in run])), middle.half_h / middle.said_h * middle.share
    by_percent = sorted(run, key=lambda one: one.percent or 0.0)
    at = np.array([one.percent for one in by_percent], float)
    near = int(np.argmin(np.abs(at - percent)))
    if abs(at[near] - percent) > _NEAR_PROMISE:
        return None
    nearest = by_percent[near]
    return float(np.interp(percent, at, [one.share for one in by_percent])), nearest.half_h / nearest.said_h * nearest.share


def still_comes(promise: DisplayPromise, share: Value) -> Value:
    """Hours, of those that it says now."""
    return (promise.hours + digit(promise.half_h, "h", of=words("digits of its hours"))) * share


def as_told(told: Sequence[DisplayPromise], kept: Sequence[KeptPromise], label_wh: float | None, said: list[str]) -> dict[str, Finding]:
    """What its hours left imply, whether they agree with each other, how far off they were in the end, and what the next are worth."""
    found: dict[str, Finding] = {}
    whole = [(t.hours * t.watts / (t.percent / 100), t.half_h / t.hours) for t in told if t.watts and t.percent and t.hours > 0]
    if whole:
        value = float(np.mean([wh for wh, _ in whole]))
        implied = value * (1 + within(max(share for _, share in whole), words("digits of its hours"), kind=ErrorKind.DIGIT))
        working = say("hours × watts ÷ percent, mean of {n}", n=len(whole))
        found["told_capacity"] = Finding.made("told_capacity", say("Its hours left imply"), implied, "Wh", working)
        if label_wh and not label_wh / _FAR_OFF < value < _FAR_OFF * label_wh:
            text = say(
                "Its hours left imply {a} Wh, and its label says {b}: hours for minutes, or another load when it said so?",
                a=show(value, 3),
                b=show(label_wh, 3),
            )
            said.append(text)
    if len(told) > 1:
        ends = [t.time_s + 3600 * t.hours for t in told]
        apart, width = (max(ends) - min(ends)) / 3600, 2 * max(t.half_h for t in told)
        working = say("the ends they promise lie so far apart; their digits alone explain {h} h", h=show(width, 2))
        differ = apart + digit(width, "h", of=words("digits of its hours"))
        found["told_spread"] = Finding.made("told_spread", say("Its statements differ by"), differ, "h", working)
    if kept:
        found["told_error"] = _first_off(kept[0], said)
    if len(kept) > 1:
        found["hours_come"] = hours_come([kept])
    return found


def hours_come(runs: Sequence[Sequence[KeptPromise]]) -> Finding:
    """The middle of what came of all that was said, and from the least to the most."""
    shares = np.array([100 * one.share for run in runs for one in run])
    middle = float(shares.mean())
    working = say("what came of {n} that it said", n=len(shares))
    if len(runs) > 1:
        working = say("what came of {n} that it said, in {runs} runs", n=len(shares), runs=len(runs))
    sides = (middle - float(shares.min()), float(shares.max()) - middle)
    return Finding.made("hours_come", say("Of the hours that it says, come"), exactly(middle), "%", working, sides=sides)


def _first_off(first: KeptPromise, said: list[str]) -> Finding:
    off = 100 * ((first.said_h + digit(first.half_h, "h", of=words("digits of its hours"))) / first.came_h - 1)
    if abs(off.value) > _OFF_BY:
        said.append(
            say(
                "It said {a} h left, and {b} h came: {p} % {sign}.",
                a=show(first.said_h, 3),
                b=show(first.came_h, 3),
                p=plain(abs(off.value), 2),
                sign=say("too much") if off.value > 0 else say("too little"),
            )
        )
    working = say("{a} h said, {b} h came", a=show(first.said_h, 3), b=show(first.came_h, 3))
    return Finding.made("told_error", say("Its first hours left were off by"), off, "%", working)


@dataclass(frozen=True, eq=False)
class DisplayCurve:
    """What a display said on the way from full to empty, and which share was still to come: (n,) each, in %."""

    shown: Array
    left: Array

    def left_at(self, percent: float, half: float) -> Value | None:
        """What is left where the display says so much; None where it was not read near enough to both sides."""
        falling = np.flatnonzero(np.diff(self.shown) < 0)
        for k in falling:
            high, low = float(self.shown[k]), float(self.shown[k + 1])
            if not low <= percent <= high:
                continue
            way = min(high - percent, percent - low)
            if way > _NEAR_POINTS:
                return None
            slope = float(self.left[k] - self.left[k + 1]) / (high - low)
            at = float(self.left[k + 1]) + slope * (percent - low)
            way = min(high - percent, percent - low)
            return (
                at
                + slope * digit(half, "points", of=words("whole points"))
                + within(4 * _CURVED * (high - percent) * (percent - low) / (high - low), words("between two looks"), "points")
            )
        return None


def display_curve(percent: Series, flowed: tuple[Array, Array] | None, ended_s: float | None) -> DisplayCurve | None:
    """Of one that was full and gave until it was empty; None where what came out was not followed."""
    if flowed is None or ended_s is None or len(percent) < 2:
        return None
    out = np.interp(np.append(percent.time_s, ended_s), *flowed)
    if not out[-1] > 0:
        return None
    inside = percent.time_s <= ended_s
    return DisplayCurve(percent.value[inside], 100 * (1 - out[:-1][inside] / out[-1]))


def left_where_it_says(curve: DisplayCurve, half: float) -> dict[str, Finding]:
    """*When it says 50 %, 41 % are left.*"""
    found = {}
    for percent in LOOKED_AT:
        if (left := curve.left_at(percent, half)) is not None:
            key, name = f"left_at_{percent:.0f}", say("Where it says {p} %, is left", p=plain(percent))
            found[key] = Finding.made(key, name, left, "%", say("of all that came out, by Wh"))
    return found
