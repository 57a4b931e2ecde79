"""How long something ran by the clock alone, what that says of its watts, and how long it is from its alarm to the end."""

from __future__ import annotations

from dataclasses import dataclass

from ubrant.core.battery.label_doubt import Holds, doubtful
from ubrant.core.quantities.quantity import show, show_duration
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST, Finding
from ubrant.core.uncertainty.value import Value, moment, within
from ubrant.core.wording import say, words

CLOCK_S = 30.0
"""A moment that somebody noted is known to half a minute to each side."""


_ANOTHER = 0.04
"""Of the Wh it was once measured at, that it may give more or less this time. Common practice, no source."""


@dataclass(frozen=True)
class Ran:
    """Seconds: of running in all (stretches that were off left out), until its alarm, and whether it ended by itself or was stopped with some left.

    ``unseen_s``: before the end nobody looked for so long: it may have gone off any time in it. ``points``: of what it holds that were used, by its own
    display, where that did not begin full or was read when it was stopped; None for all of it. ``was_full``: False where somebody said that it was not.
    """

    ran_s: float
    alarm_s: float | None
    ended: bool
    unseen_s: float = 0.0
    points: Value | None = None
    was_full: bool | None = None


def analyse_endurance(ran: Ran, holds: Holds | None) -> tuple[dict[str, Finding], list[str]]:
    """Findings of a run with nothing but a clock.

    Raises
    ------
    ReadingsError
        It never ran.
    """
    if not ran.ran_s > 0:
        raise ReadingsError(say("It has not run yet: mark “load on” when it comes on, and “empty” when it goes off by itself."))
    said: list[str] = []
    ran_s = ran.ran_s + _clock("off") - _clock("on")
    name = say("It ran for")
    if not ran.ended:
        found = {"duration": Finding("duration", name, ran.ran_s, "s", (), say("stopped with some left"), bound=AT_LEAST)}
    else:
        sides = (ran.unseen_s, 0.0)
        found = {"duration": Finding.made("duration", name, ran_s, "s", say("load on until it went off"), sides=sides)}
        if ran.unseen_s > 0.02 * ran.ran_s:
            said.append(say("Nobody saw it go off: it may have been up to {t} earlier.", t=show_duration(ran.unseen_s)))
    if ran.alarm_s is not None:
        left = ran.ran_s - ran.alarm_s
        if ran.ended:
            found["alarm_to_off"] = Finding.made(
                "alarm_to_off",
                say("From its alarm to the end"),
                left + _clock("off") - _clock("alarm"),
                "s",
                say("the lead time of a swap"),
                sides=(ran.unseen_s, 0.0),
            )
        else:
            found["alarm_to_off"] = Finding(
                "alarm_to_off", say("From its alarm on at least"), left, "s", (), say("stopped with some left"), bound=AT_LEAST
            )
    if ran.points is not None and ran.points.value > 0:
        working = say("{t} on {points} points of its display", t=show_duration(ran.ran_s), points=show(ran.points.value, 2))
        found["from_full"] = Finding.made("from_full", say("From full, at that pace"), ran_s * 100 / ran.points, "s", working)
    if holds is not None and holds.energy_wh > 0:
        hours = ran.ran_s / 3600
        watts = holds.energy_wh / hours
        working = say("{why} ÷ {h} h", why=holds.why, h=show(hours, 3))
        share: Value | float = 1.0
        if ran.points is not None:
            share = ran.points / 100
            told = {"points": show(ran.points.value, 2), "why": holds.why, "h": show(hours, 3)}
            working = say("{points} points of {why} ÷ {h} h", **told)
        elif ran.was_full is False:
            said.append(say("It was not full: what it drew is at most this. Its own percent at the start would tell, or charge it first."))
        if (ran.ended and ran.was_full is not False) or ran.points is not None:
            early = ran.unseen_s / ran.ran_s if ran.ran_s else 0.0
            energy = holds.energy * share
            if not holds.is_label:
                energy += energy.value * within(_ANOTHER, words("another rate and another day"))
            found["inferred_power"] = doubtful(
                "inferred_power",
                say("So it drew about"),
                energy / (ran_s / 3600),
                "W",
                working,
                lower=(holds.lower,),
                higher=(early / max(1 - early, 0.1),),
            )
        else:
            found["inferred_power"] = Finding("inferred_power", say("So it drew"), watts, "W", (), working, bound=AT_MOST)
    return found, said


_MOMENTS = {"on": words("when it came on"), "off": words("when it went off"), "alarm": words("when its alarm came")}


def _clock(which: str) -> Value:
    return moment(CLOCK_S, say(_MOMENTS[which]))
