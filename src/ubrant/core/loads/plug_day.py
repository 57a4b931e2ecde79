"""A day by plug meter: what a counter rose by in an exact time, what of it is standing by, and for how much of the time it is on."""

from __future__ import annotations

from dataclasses import dataclass

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.record.readings import ReadingsError
from ubrant.core.uncertainty.contributions import Contribution, Contributions, merged, rectangular
from ubrant.core.uncertainty.finding import AT_MOST, Finding
from ubrant.core.wording import say

DAY_S = 86400.0
CLOCK_S = 60.0
"""A time that was noted is known to a minute to each side."""
_LONG_S = 20 * 3600.0


@dataclass(frozen=True)
class Day:
    """What was read: (s, Wh, half-width) of the counter at the start and the end; W standing by and running with their half-widths, None for not read."""

    start: tuple[float, float, float]
    end: tuple[float, float, float]
    standby: tuple[float, float] | None = None
    running: tuple[float, float] | None = None


def analyse_day(day: Day, power: Accuracy | None, wider: float) -> tuple[dict[str, Finding], list[str]]:
    """Findings of a day.

    Parameters
    ----------
    power : of the plug meter, in W; its counter is as wrong as its gain
    wider : half-width by which another day differs, a share: weather, settings, how it is used

    Raises
    ------
    ReadingsError
        The counter fell, or no time passed.
    """
    elapsed, counted = day.end[0] - day.start[0], day.end[1] - day.start[1]
    if counted < 0:
        raise ReadingsError(
            say(
                "The counter fell from {a} to {b} Wh: it was reset in between, or the two are swapped.",
                a=show(day.start[1]),
                b=show(day.end[1]),
            )
        )
    if not elapsed > 0:
        raise ReadingsError(say("No time passed between the two readings of the counter: note the clock with each, like “@08:10 0 Wh”."))
    said = []
    of_wh: Contributions | None = None
    if power is not None:
        digits = rectangular(day.start[2]) ** 2 + rectangular(day.end[2]) ** 2
        of_wh = merged(
            (
                Contribution(say("gain of the plug meter"), rectangular(power.gain) * counted),
                Contribution(say("last digits of the counter"), digits**0.5),
            )
        )
    hours = elapsed / 3600
    found = {"energy": Finding("energy", say("Counted"), counted, "Wh", of_wh, f"{show(day.end[1])} − {show(day.start[1])} Wh")}
    found["elapsed"] = Finding(
        "elapsed", say("In"), elapsed, "s", (Contribution(say("clock"), rectangular(CLOCK_S) * 2**0.5),), say("by the clock")
    )
    mean = counted / hours
    of_mean = None
    if of_wh is not None:
        late = Contribution(say("clock"), mean * rectangular(CLOCK_S) * 2**0.5 / elapsed)
        of_mean = merged((*(c.times(1 / hours) for c in of_wh), late))
    found["mean_power"] = Finding("mean_power", say("Mean"), mean, "W", of_mean, f"{show(counted)} Wh ÷ {show(hours)} h")
    of_day = (
        None
        if of_mean is None
        else merged((*(c.times(24) for c in of_mean), Contribution(say("another day"), rectangular(wider) * 24 * mean)))
    )
    working = say("24 h × {w} W, another day ± {n} %", w=show(mean), n=plain(100 * wider, 2))
    found["energy_day"] = Finding("energy_day", say("A day"), 24 * mean, "Wh", of_day, working)
    if elapsed < _LONG_S:
        said.append(say("It ran for {t} only: a fridge, a day and a night differ; 24 h tell more.", t=show_duration(elapsed)))
    if day.standby is not None:
        watts, half = day.standby
        parts = None if power is None else _parts(watts, half, power)
        found["standby_power"] = Finding("standby_power", say("Standing by"), watts, "W", parts, say("as read"))
        scaled = None if parts is None else tuple(c.times(24) for c in parts)
        found["standby_day"] = Finding(
            "standby_day", say("Standing by, a day: unplugged it is saved"), 24 * watts, "Wh", scaled, f"24 h × {show(watts)} W"
        )
        if watts > mean * 1.05 + half:
            said.append(
                say(
                    "It is said to stand by at {a} W, more than its mean of {b} W: one of the two is not right.",
                    a=show(watts),
                    b=show(mean),
                )
            )
    if day.running is not None and day.running[0] > (day.standby[0] if day.standby else 0.0):
        low = day.standby[0] if day.standby else 0.0
        share = 100 * (mean - low) / (day.running[0] - low)
        name = say("On for so much of the time")
        sum_of = say("({m} − {s}) ÷ ({r} − {s}) W", m=show(mean), s=show(low), r=show(day.running[0]))
        if share > 100:
            said.append(
                say(
                    "It drew more on average than while it runs, {w} W: it starts higher, or ran at more for a while.",
                    w=show(day.running[0]),
                )
            )
            found["duty"] = Finding("duty", name, 100.0, "%", (), sum_of, bound=AT_MOST)
        else:
            spread = None
            if of_mean is not None and power is not None:
                span = day.running[0] - low
                spread = merged(
                    (
                        *(c.times(100 / span) for c in of_mean if c.source != say("gain of the plug meter")),
                        Contribution(say("last digits of the watts"), share / span * rectangular(max(day.running[1], power.zero))),
                    )
                )
            found["duty"] = Finding("duty", name, share, "%", spread, sum_of)
    return found, said


def _parts(watts: float, half: float, power: Accuracy) -> Contributions:
    return merged(
        (
            Contribution(say("gain of the plug meter"), rectangular(power.gain) * watts),
            Contribution(say("zero of the plug meter"), rectangular(power.zero)),
            Contribution(say("last digit"), rectangular(half)),
        )
    )
