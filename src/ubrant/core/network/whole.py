"""A run held against itself: what is metered, worked out, bounded or not known at each moment, what does not fit, and what would tell."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cached_property
from itertools import combinations

from scipy.special import chdtrc, ndtri

from ubrant.core.network.bounds import Box, Interval, bounded
from ubrant.core.network.fit import FALSE_ALARMS, AgainstRest, EdgeReading, Fitted, determined, fit
from ubrant.core.network.graph import BATTERY, PLACES, TITLES, Graph, Key
from ubrant.core.network.laws import CurrentLaw, Limit, PowerLaw, exact_laws, limits
from ubrant.core.quantities.accuracy import LINEARITY, Accuracy
from ubrant.core.quantities.quantity import plain, show, show_with
from ubrant.core.uncertainty.contributions import COVERAGE
from ubrant.core.uncertainty.sources import ErrorKind, ErrorSource
from ubrant.core.uncertainty.value import Parts, Value, as_read, digit, within
from ubrant.core.wording import say, words

USUAL = {"V": (0.01, 0.02), "A": (0.02, 0.05), "W": (0.02, 1.0)}
"""A usual limit of a meter of nobody's accuracy (gain, zero), for the question whether it fits only; its answers have no ±. Common practice, no source."""
STANDS_STILL = 0.005
"""A load, a charger and a battery at rest stay so near to where they were while a person walks from one meter to the next. Common practice, no source."""
QUANTITIES = {"V": words("volts"), "A": words("amperes"), "W": words("watts")}
_SLIPS = ((1000.0, words("a thousandth")), (10.0, words("a tenth")), (0.001, words("a thousand times")), (0.1, words("ten times")))
"""What a reading was multiplied with, were it this part of what was there."""
_RIVALS = 9.0
"""By so much of χ² one explanation has to be better than every other before it is offered. Common practice, no source."""
_ANY_VOLTS = 0.5
"""Volts that are a quotient by amperes of about nothing are any volts."""
_PLAUSIBLE, _SAYS_NOTHING = 0.05, 0.02
HEAVIER, FALLS = 1.3, 0.85
"""From so many times the load on a stage has to lose at least so much of what it lost at the lighter. Common practice, no source."""
_SURE = 3.0


class How(StrEnum):
    """How something is known."""

    METERED = "metered"
    WORKED_OUT = "worked out"
    BOUNDED = "bounded"
    NOT_KNOWN = "not known"


@dataclass(frozen=True)
class Known:
    """One quantity at one moment.

    Attributes
    ----------
    value : None where it is not determined
    between : the least and the greatest value that it can have; without end where nothing bounds it
    """

    key: Key
    how: How
    value: Value | None
    between: Interval


@dataclass(frozen=True)
class Misfit:
    """What does not go together: by what a person confirms it, a sentence with its question, the readings concerned, and a slip that explains it."""

    key: str
    sentence: str
    readings: tuple[EdgeReading, ...]
    slip: str = ""


def reading(moment: int, key: Key, shown: float, half: float, accuracy: Accuracy | None) -> EdgeReading:
    """One as it was read.

    Parameters
    ----------
    shown, half : and how wide it is to both sides, by its digits
    accuracy : of its meter at that place; None where nobody said
    """
    edge, quantity = key
    when = f"{edge} {quantity} {moment + 1}"
    value = as_read(shown, accuracy, edge) + digit(half, quantity, when=when)
    gain, zero = USUAL[quantity]
    by = accuracy if accuracy is not None else Accuracy(gain, zero, quantity)
    still = ErrorSource(ErrorKind.NOISE, words("it stood still meanwhile"), when=when)
    rounded = ErrorSource(ErrorKind.DIGIT, words("last digit"), quantity, when=when)

    def doubt(at: float) -> Parts:
        near = max(abs(at), abs(shown) if abs(shown) < abs(at) else 0.0)
        own = (LINEARITY * by.gain + STANDS_STILL) * near / math.sqrt(3)
        return {**(as_read(near, by, edge).parts or {}), rounded: half / math.sqrt(3), still: own}

    return EdgeReading(moment, key, value, doubt)


@dataclass(frozen=True, eq=False)
class Whole:
    """Readings on a graph, moment by moment.

    Attributes
    ----------
    names : what each moment is called, such as its time
    """

    graph: Graph
    readings: tuple[EdgeReading, ...]
    names: tuple[str, ...]

    @cached_property
    def fitted(self) -> Fitted:
        return fit(self.graph, self.readings)

    @cached_property
    def read(self) -> dict[tuple[int, Key], EdgeReading]:
        return {(one.moment, one.key): one for one in self.readings}

    def known(self, moment: int) -> dict[Key, Known]:
        """All quantities at one moment."""
        box = self._box(moment)
        return {key: self._known(moment, key, box[key]) for key in self.graph.every_key()}

    def _known(self, moment: int, key: Key, between: Interval) -> Known:
        read = self.read.get((moment, key))
        if read is not None:
            return Known(key, How.METERED, read.value, between)
        worked = self.fitted.worked_out(moment, key)
        if worked is not None and not (key[1] == "V" and COVERAGE * (worked.u or 0.0) > _ANY_VOLTS * abs(worked.value)):
            if doubtful := [one.reading for one in self._suspects if one.reading.moment == moment]:
                return Known(key, How.BOUNDED, None, self._hull(key, doubtful))
            return Known(key, How.WORKED_OUT, worked, between)
        return Known(key, How.BOUNDED if all(map(math.isfinite, between)) else How.NOT_KNOWN, None, between)

    @cached_property
    def _suspects(self) -> tuple[AgainstRest, ...]:
        """Of the moment that fits least, the readings without which the others go together, as far as they can be told apart; empty where all fit."""
        if self.fitted.fits or not self.fitted.against:
            return ()
        moment = max(self.fitted.against, key=lambda one: abs(one.z)).reading.moment
        here = [(self._without(one.reading).chi2, one) for one in self.fitted.against if one.reading.moment == moment]
        best = min(left for left, _ in here)
        return tuple(one for left, one in here if left < best + _RIVALS)

    def _hull(self, key: Key, doubtful: Sequence[EdgeReading]) -> Interval:
        """What contradicts itself is not averaged: what one makes of it and what the other does, and all between."""
        ends: list[float] = []
        for one in doubtful:
            found = self._without(one)
            value = found.worked_out(one.moment, key)
            if value is not None:
                ends += [value.value - COVERAGE * (value.u or 0.0), value.value + COVERAGE * (value.u or 0.0)]
        return (min(ends), max(ends)) if ends else (-math.inf, math.inf)

    def _without(self, left_out: EdgeReading) -> Fitted:
        """One moment without one of its readings."""
        return fit(self.graph, [one for one in self.readings if one.moment == left_out.moment and one is not left_out])

    def rest_of(self, one: AgainstRest) -> Value:
        """What the rest says of a reading; of one that is far off without it, as no straight line leads so far."""
        if abs(one.z) <= self.fitted.most:
            return one.rest
        return self._without(one.reading).worked_out(one.reading.moment, one.reading.key) or one.rest

    def _box(self, moment: int) -> Box:
        known: dict[Key, Interval] = {}
        for one in self.readings:
            if one.moment == moment:
                parts = one.value.parts if one.value.parts is not None else one.doubt(one.value.value)
                half = math.sqrt(3) * sum(abs(part) for part in parts.values()) + STANDS_STILL * abs(one.value.value)
                known[one.key] = one.value.value - half, one.value.value + half
        return bounded(self.graph, known)

    @cached_property
    def misfits(self) -> tuple[Misfit, ...]:
        """What does not go together, the worst first; empty where all fits."""
        found = []
        if not self.fitted.fits:
            found.append(self._of_suspects(self._suspects))
        found += self._over_limits()
        return tuple(found) or tuple(self._impossible()) or tuple(self._losses_that_fall())

    def _losses_that_fall(self) -> Iterator[Misfit]:
        """A stage that loses less at a clearly heavier load, by more than its readings may be off, once each."""
        for stage in self.graph.stages:
            seen = []
            for moment in sorted({one.moment for one in self.readings}):
                into, out = (self._product(moment, ((edge, "W"),)) for edge in (stage.into, stage.out))
                if into is not None and out is not None and into.parts is not None and out.parts is not None:
                    seen.append((out.value, into - out, moment))
            seen.sort(key=lambda one: one[0])
            for (light_w, light, before), (heavy_w, heavy, moment) in combinations(seen, 2):
                fell = light - heavy
                if heavy_w < HEAVIER * light_w or fell.value < _SURE * (fell.u or math.inf) or heavy.value > FALLS * light.value:
                    continue
                text = say(
                    "At {heavy_w} W it loses {heavy}, and {light} at {light_w} W: a converter loses more the more it carries; was one of them read, or written, wrong?",
                    heavy_w=show(heavy_w, 3),
                    heavy=self.amount(heavy, (stage.into, "W")),
                    light=self.amount(light, (stage.into, "W")),
                    light_w=show(light_w, 3),
                )
                here = tuple(one for one in self.readings if one.moment in {before, moment} and one.key[0] in {stage.into, stage.out})
                yield Misfit(f"loss-{stage.name}-{moment + 1}", text, here)
                break

    def _impossible(self) -> Iterator[Misfit]:
        """A moment at which something would have to be over and under one figure at once, at all limits of error."""
        for moment in sorted({one.moment for one in self.readings}):
            if (broken := self._box(moment).broken) is not None:
                (place, quantity), low, high = broken
                text = say(
                    "{at}{name} would have to be at least {low} {unit} by one reading and at most {high} {unit} by another; was one of them read at another moment, or a unit or a place mixed up?",
                    at=_at(self.names[moment]),
                    name=self.name((place, quantity)),
                    low=show(low, 3),
                    high=show(high, 3),
                    unit=quantity,
                )
                readings = tuple(one for one in self.readings if one.moment == moment)
                yield Misfit(f"between-{moment + 1}-{place}", f"{text[0].upper()}{text[1:]}", readings)
                return

    def _of_suspects(self, suspects: Sequence[AgainstRest]) -> Misfit:
        readings = tuple(one.reading for one in suspects)
        moment = readings[0].moment
        slip = self._slip(readings)
        at = self.names[moment]
        if len(suspects) == 1:
            (one,) = suspects
            rest = self.amount(self.rest_of(one), one.reading.key)
            text = say("{at}{read}, and the rest says {rest}", at=_at(at), read=self.told(one.reading), rest=rest)
        else:
            several = say(" and ").join(filter(None, (", ".join(map(self.told, readings[:-1])), self.told(readings[-1]))))
            text = say("{at}{several} do not go together: {why}", at=_at(at), several=several, why=self._why(readings))
        asked = slip or (
            say("was it read, or written, wrong?")
            if len(suspects) == 1
            else say("is one of them a slip, a direction turned round, or does something else draw or feed there?")
        )
        text = f"{text}: {asked}" if len(suspects) == 1 else f"{text}; {asked}"
        return Misfit(f"fits-{moment + 1}-{'-'.join(readings[0].key)}", f"{text[0].upper()}{text[1:]}", readings, slip)

    def _why(self, readings: Sequence[EdgeReading]) -> str:
        """The law that joins them."""
        keys = {one.key for one in readings}
        laws = exact_laws(self.graph)
        best = max(laws, key=lambda law: (len(keys & set(law.keys)), -len(law.keys)))
        return say(best.reason)

    def _slip(self, suspects: Sequence[EdgeReading]) -> str:
        """The one slip that would explain it, as a question; empty where none does, or where several would."""
        here = [one for one in self.readings if one.moment == suspects[0].moment]
        tried: list[tuple[float, int, str]] = []
        for one in suspects:
            what = self.told(one)
            least = _SAYS_NOTHING * max(
                (abs(other.value.value) for other in here if other.key[1] == one.key[1] and other is not one), default=0.0
            )
            for factor, name in _SLIPS:
                if abs(one.value.value * factor) < least:
                    continue  # so little would explain anything
                tried.append(
                    (*self._chi2(here, one, one.value.value * factor), say("is {what} {name} what was there?", what=what, name=say(name)))
                )
            if one.key == (BATTERY, "A"):
                tried.append((*self._chi2(here, one, -one.value.value), say("does {what} flow the other way round?", what=what)))
        tried.sort(key=lambda one: one[0])
        best, conditions, text = tried[0] if tried else (0.0, 0, "")
        is_good = conditions > 0 and float(chdtrc(conditions, best)) >= _PLAUSIBLE
        return text if is_good and all(rival - best >= _RIVALS for rival, _, _ in tried[1:2]) else ""

    def _chi2(self, here: Sequence[EdgeReading], changed: EdgeReading, to: float) -> tuple[float, int]:
        moved = [replace(one, value=Value(to, one.value.parts)) if one is changed else one for one in here]
        found = fit(self.graph, moved)
        return found.chi2, found.conditions

    def _over_limits(self) -> Iterable[Misfit]:
        """Each limit that is broken by more than the doubt of both sides, once: at the moment where it is broken most."""
        moments = sorted({one.moment for one in self.readings})
        for limit in limits(self.graph):
            worst: tuple[float, int, Value, Value] | None = None
            for moment in moments:
                sides = [self._product(moment, keys) for keys in (limit.smaller, limit.larger)]
                if sides[0] is None or sides[1] is None:
                    continue
                over = sides[0] - sides[1]
                z = over.value / (over.u or math.inf) if over.parts is not None else over.value / max(0.05 * abs(sides[1].value), 1e-9)
                if worst is None or z > worst[0]:
                    worst = z, moment, sides[0], sides[1]
            if worst is not None and worst[0] > -float(ndtri(FALSE_ALARMS / max(len(moments), 1))) and worst[2].value > worst[3].value:
                yield self._broken(limit, *worst[1:])

    def _product(self, moment: int, keys: Sequence[Key]) -> Value | None:
        found = Value(1.0)
        for key in keys:
            one = self.read.get((moment, key))
            value = one.value if one is not None else self.fitted.worked_out(moment, key)
            if value is None:
                return None
            if one is not None and value.parts is not None:
                value += within(STANDS_STILL * value.value, words("it stood still meanwhile"), when=f"{key} {moment}")
            found = found * value
        return found

    def _broken(self, limit: Limit, moment: int, smaller: Value, larger: Value) -> Misfit:
        text = say(
            "{at}{reason}: {smaller} at the {out}, and {larger} at the {into}; was one of them read at another moment, or a unit or a place mixed up?",
            at=_at(self.names[moment]),
            reason=say(limit.reason),
            smaller=self.amount(smaller, (limit.smaller[0][0], "W")),
            larger=self.amount(larger, (limit.larger[0][0], "W")),
            out=say(TITLES[limit.smaller[0][0]]).lower(),
            into=say(TITLES[limit.larger[0][0]]).lower(),
        )
        readings = tuple(one for key in limit.keys if (one := self.read.get((moment, key))) is not None)
        return Misfit(f"limit-{limit.smaller[0][0]}", f"{text[0].upper()}{text[1:]}", readings)

    # what would tell

    def would_tell(self, moment: int, key: Key) -> tuple[Key, ...]:
        """The one reading, else the two, not read at that moment, that would determine it; empty where none would."""
        unread = [other for other in self.graph.every_key() if (moment, other) not in self.read]
        near = sorted(unread, key=lambda other: (other != key, other[0] != key[0], "AVW".index(other[1]), PLACES.index(other[0])))
        for count in (1, 2):
            for added in combinations(near, count):
                if key not in added and key in determined(self.graph, frozenset(unread) - set(added)):
                    return added
        return (key,)

    # in words

    def name(self, key: Key) -> str:
        """``input watts``."""
        return f"{say(TITLES[key[0]]).lower()} {say(QUANTITIES[key[1]])}"

    def told(self, one: EdgeReading) -> str:
        """``battery −1.0 A``."""
        return f"{say(TITLES[one.key[0]]).lower()} {plain(one.value.value, 5)} {one.key[1]}"

    def amount(self, value: Value, key: Key) -> str:
        """``8.20 ± 0.05 A``; without a ± where one of its meters has none."""
        if value.parts is None or not value.u:
            return f"{show(value.value)} {key[1]}"
        return " ± ".join(show_with(value.value, COVERAGE * value.u)) + f" {key[1]}"

    def between(self, known: Known) -> str:
        """``between 80 and 97 W``, ``at least 80 W``, ``at most 97 W``."""
        low, high = known.between
        unit = known.key[1]
        if not math.isfinite(high):
            return say("at least {low} {unit}", low=show(low, 2), unit=unit) if low > 0 else ""
        if low == 0.0:
            return say("at most {high} {unit}", high=show(high, 2), unit=unit)
        return say("between {low} and {high} {unit}", low=show(low, 2), high=show(high, 2), unit=unit) if math.isfinite(low) else ""

    def from_what(self, moment: int, key: Key) -> str:
        """By which law it was worked out, with its readings: ``12.5 V × 8.0 A``."""
        edge, quantity = key
        joint = self.graph.joint_of(edge)
        if quantity == "A" and joint is not None and all((moment, (other, "A")) in self.read for other in joint.edges if other != edge):
            return say("by the other currents at the joint")
        return (
            say("volts times amperes")
            if quantity == "W"
            else say("watts, volts and amperes of one place")
            if joint is None
            else say("by what goes into and out of the joint")
        )


def _at(name: str) -> str:
    return f"{name}: " if name else ""


__all__ = ["CurrentLaw", "How", "Known", "Misfit", "PowerLaw", "Whole", "reading"]
