"""A run held against itself, moment by moment and from one to another: what does not fit, in a sentence with its question, and what would tell."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import combinations, pairwise

from scipy.special import chdtrc, ndtri

from ubrant.core.network.direction import volts_moved
from ubrant.core.network.fit import AgainstRest, determined
from ubrant.core.network.graph import BATTERY, PLACES, TITLES, Graph, Key
from ubrant.core.network.laws import Limit, PowerLaw, exact_laws, limits
from ubrant.core.network.moment import RIVALS, Held, Instant, Known, Read, moments_of_reads
from ubrant.core.quantities.quantity import plain, show, show_with
from ubrant.core.record.mend import Mend
from ubrant.core.uncertainty.contributions import COVERAGE
from ubrant.core.uncertainty.decision import NO_ACCURACY
from ubrant.core.uncertainty.value import Value, total_of
from ubrant.core.wording import say, words

FALSE_ALARMS = 0.005
"""Over all readings of a run together, while nothing is wrong; as many again by the sum over each moment."""
QUANTITIES = {"V": words("volts"), "A": words("amperes"), "W": words("watts")}
_SLIPS = ((1000.0, words("a thousandth")), (10.0, words("a tenth")), (0.001, words("a thousand times")), (0.1, words("ten times")))
"""What a reading was multiplied with, were it this part of what was there."""
_PLAUSIBLE, _SAYS_NOTHING = 0.05, 0.02
HEAVIER, FALLS = 1.3, 0.85
"""From so many times the load on a stage has to lose at least so much of what it lost at the lighter. Common practice, no source."""
_SURE = 3.0


@dataclass(frozen=True)
class Misfit:
    """What does not go together.

    Attributes
    ----------
    key : by what a person confirms it
    sentence : with its question
    readings : those that are concerned
    slip, mend : the one slip that explains it, in words, and what the reading should be
    is_of_limit : a limit was broken, and no exact law
    """

    key: str
    sentence: str
    readings: tuple[Key, ...]
    slip: str = ""
    mend: Mend | None = None
    is_of_limit: bool = False


@dataclass(frozen=True, eq=False)
class Whole:
    """Readings on a graph.

    Attributes
    ----------
    names : what each moment is called, such as its time
    held : what is held of moments besides what was read
    """

    graph: Graph
    reads: tuple[Read, ...]
    names: tuple[str, ...]
    held: tuple[Held, ...] = ()

    @cached_property
    def instants(self) -> dict[int, Instant]:
        return moments_of_reads(self.graph, self.reads, self.held)

    @cached_property
    def against(self) -> tuple[AgainstRest, ...]:
        """Each reading that the rest of its moment says something of."""
        return tuple(one for moment in self.instants.values() for one in moment.fitted.against)

    @cached_property
    def most(self) -> float:
        """How far a reading may be off from the rest before it is asked about, in standard uncertainties."""
        return -float(ndtri(FALSE_ALARMS / 2 / max(len(self.against), 1)))

    def known(self, moment: int) -> dict[Key, Known]:
        """All quantities at one moment."""
        return self.instants[moment].known(self.most)

    def rest_of(self, one: AgainstRest) -> Value:
        """What the rest says of a reading."""
        return self.instants[one.reading.moment].rest_of(one, self.most)

    @cached_property
    def misfits(self) -> tuple[Misfit, ...]:
        """What does not go together, the worst first; empty where all fits."""
        sure = *self.exact_misfits, *self._over_limits(of_one_place=False)
        return sure or tuple(self._impossible()) or tuple(self._losses_that_fall())

    @cached_property
    def exact_misfits(self) -> tuple[Misfit, ...]:
        """Those by laws that determine, of each place by itself, and of the battery's volts; the worst first."""
        found = sorted(self._of_moments(), key=lambda pair: -pair[0])
        return (*(misfit for _, misfit in found), *self._over_limits(of_one_place=True), *self._other_way_round())

    def _of_moments(self) -> Iterator[tuple[float, Misfit]]:
        for number, moment in self.instants.items():
            if moment.is_off(self.most) or moment.chance() < FALSE_ALARMS / len(self.instants):
                yield max((abs(one.z) for one in moment.fitted.against), default=0.0), self._of_suspects(number, moment)

    def _other_way_round(self) -> Iterator[Misfit]:
        """The battery's volts fall at one load although it would be charged all the while, or rise although it would give."""
        for one in volts_moved(self.instants):
            flows = [flow for number in (one.before, one.after) if (flow := self._sure_flow(number)) is not None]
            if len(flows) < 2 or any((value.value < 0) != one.fell for value, _ in flows):
                continue
            fell = words(
                "{at}the battery's volts fell from {before} to {after} V at one load, although {flow} would go into it; does something else draw there, or is a reading a slip?"
            )
            rose = words(
                "{at}the battery's volts rose from {before} to {after} V at one load, although it would give {flow}; does something else charge it, or is a reading a slip?"
            )
            value, unit = flows[-1]
            text = say(
                fell if one.fell else rose,
                at=_at(self.names[one.after]),
                before=show(one.from_v),
                after=show(one.to_v),
                flow=self.amount(abs(value), (BATTERY, unit)),
            )
            read = tuple(self.instants[one.after].read)
            yield Misfit(self._key("volts", one.after, (BATTERY, "V"), one.to_v), f"{text[0].upper()}{text[1:]}", read)

    def _sure_flow(self, moment: int) -> tuple[Value, str] | None:
        """The battery's amperes, or its watts where those do not follow; None where its direction is not sure."""
        instant = self.instants[moment]
        for unit in "AW":
            value = instant.product(((BATTERY, unit),))
            if value is None:
                continue
            most = max((abs(one.shown) for one in instant.reads if one.key[1] == unit), default=0.0)
            least = COVERAGE * value.u if value.parts is not None and value.u else NO_ACCURACY * most
            return (value, unit) if abs(value.value) > max(1.5 * least, _SAYS_NOTHING * most) else None
        return None

    def _losses_that_fall(self) -> Iterator[Misfit]:
        """A stage that loses less at a clearly heavier load, by more than its readings may be off, once each."""
        for stage in self.graph.stages:
            seen = [(*moment.lost[stage.name], number) for number, moment in self.instants.items() if stage.name in moment.lost]
            seen.sort(key=lambda one: one[0])
            lighter = iter(seen)
            waits, most = next(lighter, None), None
            for heavy_w, heavy, after in seen:
                while waits is not None and waits[0] * HEAVIER <= heavy_w:  # of the lighter ones the one that loses most tells most
                    most = waits if most is None or waits[1].value > most[1].value else most
                    waits = next(lighter, None)
                if most is None or heavy.value > FALLS * most[1].value:
                    continue
                light_w, light, before = most
                fell = light - heavy
                if fell.value < _SURE * (fell.u or math.inf):
                    continue
                text = say(
                    "At {heavy_w} W it loses {heavy}, and {light} at {light_w} W: a converter loses more the more it carries; was one of them read, or written, wrong?",
                    heavy_w=show(heavy_w, 3),
                    heavy=self.amount(heavy, (stage.into, "W")),
                    light=self.amount(light, (stage.into, "W")),
                    light_w=show(light_w, 3),
                )
                here = tuple(key for number in (before, after) for key in self.instants[number].read if key[0] in {stage.into, stage.out})
                yield Misfit(self._key("loss", after, (stage.out, "W"), heavy_w), text, here)
                break

    def _impossible(self) -> Iterator[Misfit]:
        """A moment at which something would have to be over and under one figure at once, at all limits of error."""
        for number, instant in self.instants.items():
            if (broken := instant.box.broken) is None:
                continue
            (place, quantity), low, high = broken
            without = [key for key in instant.read if instant.less(key).box.broken is None]
            besides = [one for one in instant.held if instant.without(one).box.broken is None]
            told = [self.told(instant.read[key]) for key in (without or ([] if besides else instant.read))]
            told += [one.told for one in besides]
            turned = (BATTERY, "A") in without and instant.slipped((BATTERY, "A"), -1.0).box.broken is None
            asked = say("does {what} flow the other way round?", what=self.told(instant.read[BATTERY, "A"])) if turned else ""
            text = say(
                "{at}{several}: {name} would have to be at least {low} {unit}, and at most {high} {unit}; {asked}",
                at=_at(self.names[number]),
                several=say("{several} and {last} cannot all be", several=", ".join(told[:-1]), last=told[-1])
                if len(told) > 1
                else say("{one} cannot be", one=told[0]),
                name=self.name((place, quantity)),
                low=show(low, 3),
                high=show(high, 3),
                unit=quantity,
                asked=asked or next((one.asked for one in besides), say("is one of them a slip, another place's, or of another moment?")),
            )
            yield Misfit(self._key("between", number, (place, quantity), low), f"{text[0].upper()}{text[1:]}", tuple(without), asked)
            return

    def _of_suspects(self, number: int, moment: Instant) -> Misfit:
        keys = tuple(one.reading.key for one in moment.suspects)
        (slip, mend), at = self._slip(moment), _at(self.names[number])
        told = [self.told(moment.read[key]) for key in keys]
        if len(keys) == 1:
            rest = self.amount(moment.rest_of(moment.suspects[0], self.most), keys[0])
            asked = slip or say("was it read, or written, wrong?")
            text = say("{at}{read}, and the rest says {rest}: {asked}", at=at, read=told[0], rest=rest, asked=asked)
        else:
            several = say("{several} and {last}", several=", ".join(told[:-1]), last=told[-1])
            text = self._apart(keys, moment, f"{at}{several}", slip)
        return Misfit(self._key("fits", number, keys[0], moment.read[keys[0]].shown), f"{text[0].upper()}{text[1:]}", keys, slip, mend)

    def _apart(self, keys: Sequence[Key], instant: Instant, several: str, slip: str) -> str:
        """A sentence for several that are apart by one law, with by how much it is missed and what is asked."""
        law = max(exact_laws(self.graph), key=lambda law: (len(set(keys) & set(law.keys)), -len(law.keys)))
        read = {key: instant.product((key,)) or Value(0.0) for key in law.keys} if set(law.keys) <= set(instant.read) else {}
        if isinstance(law, PowerLaw):
            made = self.amount(read[law.keys[0]] * read[law.keys[1]], law.keys[2]) if read else ""
            asked = slip or say("is one of them a slip, or of another moment?")
            why = say("volts times amperes are {made}", made=made) if made else say(law.reason)
            return say("{several} do not go together: {why}; {asked}", several=several, why=why, asked=asked)
        left = total_of(slope * read[key] for key, slope in zip(law.keys, law.slopes({}), strict=True)) if read else None
        why = say("{left} are left over", left=self.amount(abs(left), ("", "A"))) if left is not None else say(law.reason)
        asked = slip or say("is one of them a slip, a direction turned round, or does something else draw or feed there?")
        return say("{several} do not add up: {why}; {asked}", several=several, why=why, asked=asked)

    def _slip(self, moment: Instant) -> tuple[str, Mend | None]:
        """The one slip that would explain it, as a question and as its mend; empty and None where none does, or where several would."""
        mends: dict[tuple[Key, float], tuple[str, float]] = {}
        for one in moment.suspects:
            key = one.reading.key
            read = moment.read[key]
            what, shown, written = self.told(read), read.shown, read.written
            others = (abs(other.shown) for other in moment.reads if other.key[1] == key[1] and other.key != key)
            rest = moment.rest_of(one, self.most)
            least = max(_SAYS_NOTHING * max(others, default=0.0), COVERAGE * (rest.u or 0.0))
            if not abs(rest.value) > _SAYS_NOTHING**2 * abs(shown):
                continue  # the rest says that there is nothing, which no slip makes of something
            for factor, name in _SLIPS:
                if abs(shown * factor) > least:  # so little would explain anything
                    text = say("is {what} {name} what was there?", what=what, name=say(name))
                    mends.setdefault((key, float(f"{factor:.9g}")), (text, written * factor))
            for to in _digits_turned(written):
                text = say("were two digits of {what} turned round: {to} {unit}?", what=what, to=plain(to, 5), unit=key[1])
                mends.setdefault((key, float(f"{read.corrected(to) / shown:.9g}")), (text, to))
            if key == (BATTERY, "A"):
                mends[key, -1.0] = say("does {what} flow the other way round?", what=what), -written
        tried = sorted(((*moment.chi2_if(*slip), slip) for slip in mends), key=lambda one: one[0])
        if not tried:
            return "", None
        best, conditions, (key, factor) = tried[0]
        is_good = conditions > 0 and float(chdtrc(conditions, best)) >= _PLAUSIBLE
        if not is_good or any(rival - best < RIVALS for rival, _, _ in tried[1:2]):
            return "", None
        read, (text, to) = moment.read[key], mends[key, factor]
        return text, Mend(read.time_s, *key, read.written, float(f"{to:.9g}")) if not read.over_h else None

    def _over_limits(self, *, of_one_place: bool) -> Iterable[Misfit]:
        """Each limit within a place, or between places, that is broken by more than the doubt of both sides, once: at the moment where it is broken most."""
        surely = -float(ndtri(FALSE_ALARMS / max(len(self.instants), 1)))
        for limit in limits(self.graph):
            if of_one_place is not (len({place for place, _ in limit.keys}) == 1):
                continue
            worst: tuple[float, int, Value, Value] | None = None
            for number, moment in self.instants.items():
                smaller, larger = moment.product(limit.smaller), moment.product(limit.larger)
                if smaller is None or larger is None or smaller.value <= larger.value:
                    continue
                over = smaller - larger
                z = over.value / (over.u or math.inf) if over.parts is not None else over.value / max(NO_ACCURACY * abs(larger.value), 1e-9)
                if z > surely and (worst is None or z > worst[0]):
                    worst = z, number, smaller, larger
            if worst is not None:
                yield self._broken(limit, *worst[1:])

    def _broken(self, limit: Limit, moment: int, smaller: Value, larger: Value) -> Misfit:
        out, into = limit.smaller[0][0], limit.larger[0][0]
        at = _at(self.names[moment])
        small, large = self.amount(smaller, (out, "W")), self.amount(larger, (into, "W"))
        if out == into:
            allowed = self.amount(larger, (into, "VA"))
            text = words(
                "{at}{small} at the {out} are more than its volts times amperes allow, {allowed}; is one of them a slip, or of another moment?"
            )
            text = say(text, at=at, small=small, out=say(TITLES[out]).lower(), allowed=allowed)
        else:
            text = say(
                "{at}{reason}: {small} at the {out}, and {large} at the {into}; was one of them read at another moment, or a unit or a place mixed up?",
                at=at,
                reason=say(limit.reason),
                small=small,
                large=large,
                out=say(TITLES[out]).lower(),
                into=say(TITLES[into]).lower(),
            )
        readings = tuple(key for key in limit.keys if key in self.instants[moment].read)
        return Misfit(self._key("limit", moment, (out, "W"), smaller.value), f"{text[0].upper()}{text[1:]}", readings, is_of_limit=True)

    def _key(self, kind: str, number: int, key: Key, value: float) -> str:
        """By what a person confirms it: of this moment and this figure, so that neither another row nor a mended one is confirmed with it."""
        when = next((read.time_s for read in self.instants[number].reads), 0.0)
        return f"{kind}-{'-'.join(key)}-{when:.0f}-{value:.6g}"

    # what would tell

    def would_tell(self, moment: int, key: Key) -> tuple[Key, ...]:
        """The one reading, else the two, not read at that moment, that would determine it; itself where no others do."""
        unread = [other for other in self.graph.every_key() if other not in self.instants[moment].read]
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

    def title(self, key: Key) -> str:
        """``Input, watts``."""
        return say("{place}, {quantity}", place=say(TITLES[key[0]]), quantity=say(QUANTITIES[key[1]]))

    def told(self, one: Read) -> str:
        """``battery −1.0 A``; of what was counted its amount, ``battery 12 Ah``."""
        amount, unit = (one.shown * one.over_h, f"{one.key[1]}h") if one.over_h and one.key[1] != "V" else (one.written, one.key[1])
        return f"{say(TITLES[one.key[0]]).lower()} {plain(amount, 4)} {unit}"

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
        """By which law it was worked out: ``volts times amperes``."""
        edge, quantity = key
        joint = self.graph.joint_of(edge)
        of_place = all(other == key or other in self.instants[moment].read for other in ((edge, q) for q in "VAW"))
        if quantity == "A" and not of_place and joint is not None:
            return say("by the other currents at the meeting point, if nothing else hangs there")
        return {"W": say("volts times amperes"), "A": say("watts over volts"), "V": say("watts over amperes")}[quantity]


def _digits_turned(shown: float) -> list[float]:
    """What it would be with two neighbouring digits the other way round; of what was corrected nobody knows its digits any more."""
    text = plain(abs(shown), 4)
    if not shown or not text.replace(".", "").isdigit() or abs(float(text) - abs(shown)) > 1e-9 * abs(shown):
        return []
    found = []
    places = [k for k, sign in enumerate(text) if sign != "."]
    for one, other in pairwise(places):
        signs = list(text)
        signs[one], signs[other] = signs[other], signs[one]
        to = math.copysign(float("".join(signs)), shown)
        if to not in {shown, 0.0}:
            found.append(to)
    return found


def _at(name: str) -> str:
    return f"{name}: " if name else ""
