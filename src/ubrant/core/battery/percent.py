"""What a percent display says: how far it fell or rose, and how well that is known."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.quantities.readings import Array, Series
from ubrant.core.uncertainty.contributions import COVERAGE
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import Value, digit, exactly, rectangular, within
from ubrant.core.wording import say, words

LINEARITY_POINTS = 3.0
"""A display may be off by so many points at each end until its linearity was measured, rectangular. Common practice, no source."""
_STANDS = 99.5
LEAST_POINTS = 0.5
"""From here on a display stands at its top."""
WANTED_SHARE = 0.1
"""A drop is called too small where its ± is over twice this share of it."""


def percent_shown(shown: float, half: float, when: str, shared: str = "") -> Value:
    """A display's percent, in points, with its rounding and its linearity; exact where ``half`` of its last digit is 0, as it is known to be full or empty.

    Parameters
    ----------
    when : tells its errors from those of another reading
    shared : tells what it is off by there, where another reading is off by the same; as ``when``, unless said
    """
    if not half:
        return exactly(shown)
    linear = within(LINEARITY_POINTS, words("display not linear"), "points", when=shared or when)
    return shown + digit(half, "points", when=when, of=words("whole points")) + linear


@dataclass(frozen=True)
class PercentChange:
    """From one reading of a display to a later one.

    Attributes
    ----------
    start, end : in percent
    start_half, end_half : half of the last digit; 0 for an end that is known to be full or empty
    from_s, to_s : when
    stood_s : how long it stood still, loaded: at its top before it moved, or later where it should have moved
    """

    start: float
    end: float
    start_half: float
    end_half: float
    from_s: float
    to_s: float
    stood_s: float = 0.0

    @property
    def points(self) -> float:
        """Positive where it fell."""
        return self.start - self.end

    def fell(self, whose: str = "") -> Value:
        """The points: rounding and linearity of each end, none at an end that is known; ``whose`` display it is tells its errors from another's."""

        def end(shown: float, half: float, name: str) -> Value:
            return percent_shown(shown, half, f"{name}, {whose}" if whose else name)

        return end(self.start, self.start_half, say("at the start")) - end(self.end, self.end_half, say("at the end"))

    @property
    def expanded_points(self) -> float:
        """Expanded uncertainty of the points."""
        return COVERAGE * (self.fell().u or 0.0)

    @property
    def coarse_u(self) -> float:
        """Expanded uncertainty by the coarseness alone, in points."""
        return COVERAGE * math.hypot(rectangular(self.start_half), rectangular(self.end_half))

    @property
    def hidden(self) -> float:
        """Points by which it may have fallen more: what was taken while it stood still, at the pace of the rest."""
        moving = self.to_s - self.from_s - self.stood_s
        return abs(self.points) * self.stood_s / moving if self.stood_s > 0 and moving > 0 else 0.0


def change_between(series: Series, half: Array, from_s: float, to_s: float, *, steadily: bool = False) -> PercentChange | None:
    """What a display did from the reading nearest to one moment to the one nearest to another; None where it was not read twice.

    ``steadily``: as much was taken all the time, so that it may not stand still in between either.
    """
    if len(series) < 2:
        return None
    first = int(np.argmin(np.abs(series.time_s - from_s)))
    last = len(series) - 1 - int(np.argmin(np.abs(series.time_s[::-1] - to_s)))
    if first >= last:
        return None
    stood = 0.0
    if half[first] and series.value[first] >= _STANDS:
        held = np.flatnonzero(series.value[first : last + 1] < _STANDS)
        still = first + int(held[0]) - 1 if len(held) else last
        stood = float(series.time_s[still] - series.time_s[first])
    value = series.value
    if steadily:
        stood += _stood_s(Series(series.time_s[first : last + 1] - series.time_s[first] - stood, value[first : last + 1]), half[first])
    return PercentChange(
        float(value[first]),
        float(value[last]),
        float(half[first]),
        float(half[last]),
        float(series.time_s[first]),
        float(series.time_s[last]),
        stood,
    )


def _stood_s(series: Series, half: float) -> float:
    """Seconds after the first in which it stood still although, at its mean pace, it should have fallen by more than it may be off."""
    moved = abs(float(series.value[-1] - series.value[0]))
    edges = np.flatnonzero(np.diff(series.value)) + 1
    stood = 0.0
    for run in np.split(series.time_s, edges):
        span = float(run[-1] - max(run[0], 0.0))
        if series.time_s[-1] > 0 and moved * span / series.time_s[-1] > LINEARITY_POINTS + 2 * half:
            stood += span
    return stood


def stood_still(change: PercentChange) -> str:
    """That a display stood still while as much was taken as before; empty where it did not."""
    if not change.hidden:
        return ""
    return say(
        "Its percent stood still for {time} while as much was taken: it may have fallen {points} points more than it shows.",
        time=show_duration(change.stood_s),
        points=show(change.hidden, 2),
    )


def points_finding(key: str, name: str, change: PercentChange) -> Finding:
    """The points, with the ± by coarseness alone beside it."""
    working = say("from {start} % to {end} %", start=plain(change.start), end=plain(change.end))
    beside = say("by its coarseness alone ± {u} points", u=show(change.coarse_u, 2)) if change.coarse_u else say("both ends are known")
    return Finding.made(key, name, abs(change.fell()), "points", f"{working}; {beside}", sides=(0.0, change.hidden))


def too_small(change: PercentChange, share: float = WANTED_SHARE) -> str:
    """That a drop is too small to say much, and which one would do; empty where it is not."""
    u = change.expanded_points
    points = abs(change.points)
    if not u or u <= 2 * share * points:
        return ""
    wanted = min(u / share, 100.0)
    if points < LEAST_POINTS:
        return say(
            "A display that does not move says next to nothing of what it gave: a drop of {wanted} points would be known to ± {then} %.",
            wanted=plain(math.ceil(wanted)),
            then=show(100 * u / wanted, 2),
        )
    return say(
        "A drop of {points} points is small for a display that may be off by {limit} at each end: it is known to ± {share} % of itself. A drop of {wanted} would be known to ± {then} %.",
        points=plain(points),
        limit=plain(LINEARITY_POINTS),
        share=show(100 * u / max(points, 1e-9), 2),
        wanted=plain(math.ceil(wanted)),
        then=show(100 * u / wanted, 2),
    )
