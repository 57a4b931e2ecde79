"""What a store's own percent lost while it stood, with one thing after another on: each apart, by looks that end one stretch and begin the next."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

from ubrant.core.battery.label_doubt import Holds
from ubrant.core.battery.percent import percent_shown
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.uncertainty.contributions import COVERAGE
from ubrant.core.uncertainty.finding import AT_MOST, Finding
from ubrant.core.uncertainty.value import Value, exactly
from ubrant.core.wording import say, words

DAY_S, MONTH_D = 86_400.0, 365.25 / 12
ALL_OFF = words("all off")
_ALL = 100.0


@dataclass(frozen=True)
class Look:
    """What a display showed, half of its last digit (0 where that is known to be full or empty), and what is on from then on."""

    time_s: float
    percent: float
    half: float
    on: str


@dataclass(frozen=True)
class Stood:
    """What was lost with one thing on, over all stretches of it, in points, and how long they lasted."""

    on: str
    lost: Value
    days: float

    @property
    def name(self) -> str:
        return say(ALL_OFF) if self.on == ALL_OFF else say("{on} on", on=self.on)

    @property
    def working(self) -> str:
        return say("{points} points in {days} days", points=plain(round(self.lost.value, 6)), days=show(self.days, 3))

    @property
    def a_day(self) -> Value:
        return self.lost * (1 / self.days)


def stood_with(looks: Sequence[Look]) -> list[Stood]:
    """Of each thing that was on, in the order of their first stretch. A look that ends one stretch and begins the next is off by one error in both."""
    shown = [percent_shown(look.percent, look.half, say("look {n}", n=place)) for place, look in enumerate(looks, start=1)]
    lost: dict[str, Value] = {}
    days: dict[str, float] = {}
    for (one, before), (other, after) in itertools.pairwise(zip(looks, shown, strict=True)):
        lost[one.on] = lost.get(one.on, exactly(0.0)) + (before - after)
        days[one.on] = days.get(one.on, 0.0) + (other.time_s - one.time_s) / DAY_S
    return [Stood(on, value, days[on]) for on, value in lost.items() if days[on] > 0]


def burnt(stretches: Sequence[Stood], holds: Holds | None) -> dict[str, Finding]:
    """What it loses a month and burns, and when a full one is empty; of several things one after another each by its number, beside *all off* what it adds.

    Raises
    ------
    ReadingsError
        There is more in it at the end than at the beginning.
    """
    if len(stretches) == 1:
        return _of_one(stretches[0], holds)
    found: dict[str, Finding] = {}
    resting = next((one for one in stretches if one.on == ALL_OFF), None)
    for number, one in enumerate(stretches, start=1):
        found |= _of_several(one, number, holds)
        if resting is not None and one is not resting and holds is not None and not _takes_less(one, resting):
            name = say("{on}: more than with all off", on=one.name)
            more = at_least_nothing(f"adds_{number}", name, _watts(one.a_day - resting.a_day, holds), "W", one.working, holds.lower)
            found[more.key] = more
    return found


def less_than_off(stretches: Sequence[Stood]) -> str:
    """What cannot be: less is lost with something on than with all off. In a sentence; empty where it is not so."""
    resting = next((one for one in stretches if one.on == ALL_OFF), None)
    less = next((one for one in stretches if resting is not None and one is not resting and _takes_less(one, resting)), None)
    if less is None or resting is None:
        return ""
    text = words("With {on} on it loses {a} % a day, and {b} % with all off: are the two swapped, or was something else on?")
    return say(text, on=less.on, a=show(less.a_day.value, 2), b=show(resting.a_day.value, 2))


def _takes_less(one: Stood, resting: Stood) -> bool:
    more = one.a_day - resting.a_day
    return more.value + COVERAGE * (more.u or 0.0) < 0


def _of_one(one: Stood, holds: Holds | None) -> dict[str, Finding]:
    month = at_least_nothing("lost_a_month", say("Loses in a month"), one.a_day * MONTH_D, "%", one.working)
    found = {month.key: month} if (month.value or 0.0) <= _ALL else {}
    if month.bound != AT_MOST:
        found["empty_after"] = _empty("empty_after", say("A full one is empty after"), one)
    if holds is not None:
        working = f"{one.working}, {holds.why}"
        found["self_power"] = at_least_nothing("self_power", say("Burns by itself"), _watts(one.a_day, holds), "W", working, holds.lower)
    return found


def _of_several(one: Stood, number: int, holds: Holds | None) -> dict[str, Finding]:
    day = at_least_nothing(f"lost_a_day_{number}", say("{on}: loses in a day", on=one.name), one.a_day, "%", one.working)
    found = {day.key: day}
    if day.bound != AT_MOST:
        key = f"empty_after_{number}"
        found[key] = _empty(key, say("{on}: a full one is empty after", on=one.name), one)
    if holds is not None:
        key = f"self_power_{number}"
        found[key] = at_least_nothing(key, one.name, _watts(one.a_day, holds), "W", f"{one.working}, {holds.why}", holds.lower)
    return found


def _watts(a_day: Value, holds: Holds) -> Value:
    return holds.energy * a_day * (1 / (100 * 24))


def _empty(key: str, name: str, one: Stood) -> Finding:
    return Finding.made(key, name, 100 * DAY_S / one.a_day, "s", one.working)


def at_least_nothing(key: str, name: str, value: Value, unit: str, working: str, lower: float = 0.0) -> Finding:
    """What may be nothing is at most so much; ``lower`` is the share by which it may be less for reasons on one side only.

    Raises
    ------
    ReadingsError
        It is less than nothing.
    """
    made = Finding.made(key, name, value, unit, working, sides=(lower * max(value.value, 0.0), 0.0))
    room = made.expanded_uncertainty or 0.0
    if value.value + room < 0:
        raise ReadingsError(
            say("There is more in it at the last look than at the first: was it charged meanwhile, or are the two swapped?")
        )
    if made.value is not None and made.value - room > 0:
        return made
    return Finding(key, name, max((made.value or 0.0) + room, 0.0), unit, made.contributions, working, bound=AT_MOST)
