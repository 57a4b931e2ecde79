"""A day by plug meter: what a counter rose by in an exact time, what of it is standing by, and for how much of the time it is on."""

from __future__ import annotations

from dataclasses import dataclass

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.uncertainty.finding import AT_MOST, Finding
from ubrant.core.uncertainty.value import Value, as_read, digit, exactly, moment, within, wrong_by
from ubrant.core.wording import say, words

DAY_S = 86400.0
CLOCK_S = 60.0
"""A time that was noted is known to a minute to each side."""
_LONG_S = 20 * 3600.0


_MOST_SHARE = 150.0
"""Percent of a day that it can seem to run, as it starts at more than it was read at. Common practice, no source."""


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
    hours = elapsed / 3600
    at_start, at_end = say("at the start"), say("at the end")
    energy = day.end[1] + digit(day.end[2], "Wh", when=at_end) - day.start[1] - digit(day.start[2], "Wh", when=at_start)
    energy += wrong_by(power, counted, 0.0)
    seconds = elapsed + moment(CLOCK_S, at_end) - moment(CLOCK_S, at_start)
    mean = energy / (seconds / 3600)
    found = {
        "energy": Finding.made("energy", say("Counted"), energy, "Wh", f"{show(day.end[1])} − {show(day.start[1])} Wh"),
        "elapsed": Finding.made("elapsed", say("In"), seconds, "s", say("by the clock")),
        "mean_power": Finding.made("mean_power", say("Mean"), mean, "W", f"{show(counted)} Wh ÷ {show(hours)} h"),
    }
    working = say("24 h × {w} W, another day ± {n} %", w=show(mean.value), n=plain(100 * wider, 2))
    another = 1 + within(wider, words("another day"))
    found["energy_day"] = Finding.made("energy_day", say("A day"), 24 * mean * another, "Wh", working)
    if elapsed < _LONG_S:
        said.append(say("It ran for {t} only: a fridge, a day and a night differ; 24 h tell more.", t=show_duration(elapsed)))
    if day.standby is not None:
        watts, half = day.standby
        standby = _read(day.standby, power, say("standing by"))
        found["standby_power"] = Finding.made("standby_power", say("Standing by"), standby, "W", say("as read"))
        found["standby_day"] = Finding.made(
            "standby_day", say("Standing by, a day: unplugged it is saved"), 24 * standby, "Wh", f"24 h × {show(watts)} W"
        )
        if watts > mean.value * 1.05 + half:
            said.append(
                say(
                    "It is said to stand by at {a} W, more than its mean of {b} W: one of the two is not right.",
                    a=show(watts),
                    b=show(mean.value),
                )
            )
    if day.running is not None and day.running[0] > (day.standby[0] if day.standby else 0.0):
        low = standby if day.standby is not None else exactly(0.0)
        running = _read(day.running, power, say("running"))
        share = 100 * (mean - low) / (running - low)
        name = say("On for so much of the time")
        sum_of = say("({m} − {s}) ÷ ({r} − {s}) W", m=show(mean.value), s=show(low.value), r=show(running.value))
        if share.value > _MOST_SHARE:
            raise ReadingsError(
                say(
                    "{m} W on average are {times} times the {w} W that it was read to run at: did a digit slip in the counter, or were the watts of another mode?",
                    m=show(mean.value, 3),
                    times=show(mean.value / day.running[0], 2),
                    w=show(day.running[0]),
                )
            )
        if share.value > 100:
            said.append(
                say(
                    "It drew more on average than while it runs, {w} W: it starts higher, or ran at more for a while.",
                    w=show(day.running[0]),
                )
            )
            found["duty"] = Finding("duty", name, 100.0, "%", (), sum_of, bound=AT_MOST)
        else:
            found["duty"] = Finding.made("duty", name, share, "%", sum_of)
    return found, said


def _read(shown: tuple[float, float], power: Accuracy | None, when: str) -> Value:
    return as_read(shown[0], power) + digit(shown[1], "W", when=when)
