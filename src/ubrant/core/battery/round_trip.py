"""What comes back of what was put in: fillings and emptyings by counters or watts, laid over each other by the points that they went."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from ubrant.core.battery.percent import percent_shown
from ubrant.core.battery.shared_out import Shown
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import Value, total_of, within
from ubrant.core.wording import say, words

FILLED, EMPTIED = "in", "out"
_SAME_END, _OTHER_STRETCH, _HARDLY, _OTHER_WAY = 3.0, 20.0, 30.0, 1.5
"""Ends within so many points are the same; beyond so many points of difference the slow last tenth of a filling counts; under so many percent something is amiss; by so
many points one percent differs from the same one on the way back. Common practice, no source."""
_ALL, _SLOW_FROM, _NEAR, _MOST_OF_IT = 100.0, 90.0, 5.0, 40.0
_LOOK_OFF, _FIRST_OFF = 0.2, 0.1
"""The last tenth is told by a look within 5 points of 90, to a fifth; a whole filling by 40 points or more, to a tenth. Common practice, no source."""
_OFF_POINTS = 7.0
"""By so many points what a display went may be off, both ends together. Common practice, no source."""
_MOST_BACK, _MOST_CHARGE = 100.0, 103.0
"""More energy than went in does not come back; of charge a little more may, from a filling before. Common practice, no source."""


@dataclass(frozen=True)
class Leg:
    """One filling or emptying.

    Attributes
    ----------
    way : ``in`` or ``out``
    number : of its kind, from 1
    energy, charge : Wh and Ah that went, None where they were not read
    ends : what its own display showed at the begin and the end; None where one was not read
    shown : all that it showed on the way, these two with them
    lasted : s
    """

    way: str
    number: int
    energy: Value | None
    charge: Value | None
    ends: tuple[Shown, Shown] | None
    shown: tuple[Shown, ...] = ()
    lasted: Value | None = None

    @property
    def name(self) -> str:
        return say("filling {n}", n=self.number) if self.way == FILLED else say("emptying {n}", n=self.number)

    @property
    def went(self) -> float:
        """Points in its own direction."""
        if self.ends is None:
            return 0.0
        return (self.ends[1].percent - self.ends[0].percent) * (1 if self.way == FILLED else -1)

    @property
    def low_and_high(self) -> tuple[Shown, Shown] | None:
        if self.ends is None:
            return None
        return self.ends if self.way == FILLED else (self.ends[1], self.ends[0])


def _shown(one: Shown, leg: str, end: str, shared: str) -> Value:
    """``shared`` tells what its display is off by there, which another leg may have as well."""
    whose = f"{leg}, {end}"
    shown = percent_shown(one.percent, one.half, whose, shared)
    return (
        shown + within(_OTHER_WAY, words("another display on the way up than on the way down"), "points", when=whose) if one.half else shown
    )


@dataclass(frozen=True)
class Cycle:
    """A filling and an emptying that stand next to each other."""

    filled: Leg
    emptied: Leg

    def back(self, quantity: str) -> Value | None:
        """The share of what went in, point for point; None where either was not read, or nobody knows how far they went."""
        into, out = ((leg.energy if quantity == "Wh" else leg.charge) for leg in (self.filled, self.emptied))
        points = self.points
        if into is None or out is None or points is None or not (into.value > 0 and points[0].value > 0 and points[1].value > 0):
            return None
        return out / into * (points[0] / points[1])

    @property
    def points(self) -> tuple[Value, Value] | None:
        """(up, down), each with what its display is off by: at an end that both have about alike by the same. None where one was not read."""
        up, down = self.filled.low_and_high, self.emptied.low_and_high
        if up is None or down is None:
            return None
        ends = []
        for k, end in enumerate((say("lower end"), say("upper end"))):
            alike = abs(up[k].percent - down[k].percent) <= _SAME_END
            for leg, shown in ((self.filled, up[k]), (self.emptied, down[k])):
                ends.append(_shown(shown, leg.name, end, f"{self.filled.name}, {end}" if alike else f"{leg.name}, {end}"))
        low_up, low_down, high_up, high_down = ends
        return high_up - low_up, high_down - low_down


def cycles_of(legs: Sequence[Leg]) -> list[Cycle]:
    """Each leg with the next one of the other kind; none counts twice."""
    found, before = [], None
    for leg in legs:
        if before is not None and before.way != leg.way:
            pair = (before, leg) if before.way == FILLED else (leg, before)
            found.append(Cycle(*pair))
            before = None
        else:
            before = leg
    return found


def findings_of(cycles: Sequence[Cycle], legs: Sequence[Leg]) -> dict[str, Finding]:
    """In, out, back and lost of one cycle; of several what came back in each, and in all of them."""
    found: dict[str, Finding] = {}
    for way, key, name in ((FILLED, "energy_in", say("Put in")), (EMPTIED, "energy_out", say("Came out"))):
        went = [leg.energy for leg in legs if leg.way == way and leg.energy is not None]
        if went:
            found[key] = Finding.made(key, name, total_of(went), "Wh", say("{n} times", n=len(went)) if len(went) > 1 else "")
    for quantity, key, name in (("Wh", "back", say("Comes back")), ("Ah", "charge_back", say("Comes back, of its charge"))):
        shares = [(number, share) for number, one in enumerate(cycles, start=1) if (share := one.back(quantity)) is not None]
        if not shares:
            continue
        if len(shares) > 1:
            found |= {
                f"{key}_{n}": Finding.made(f"{key}_{n}", say("{name}, cycle {n}", name=name, n=n), 100 * share, "%", _worked(cycles[n - 1]))
                for n, share in shares
            }
        mean = total_of(share for _, share in shares) * (100 / len(shares))
        working = _worked(cycles[shares[0][0] - 1]) if len(shares) == 1 else say("mean of {n} cycles", n=len(shares))
        found[key] = Finding.made(key, name, mean, "%", working)
    if "back" in found and len(cycles) == 1 and cycles[0].filled.energy is not None:
        only = cycles[0]
        share, into, points = only.back("Wh"), only.filled.energy, only.points
        if share is not None and into is not None and points is not None:
            lost = into * (1 - share) * (points[1] / points[0])
            found["lost"] = Finding.made(
                "lost", say("Lost on the way"), lost, "Wh", say("over the {p} points that it gave", p=plain(only.emptied.went))
            )
    return found


def of_filling(leg: Leg) -> dict[str, Finding]:
    """How long a filling took, and how much of that its last tenth; a whole one by as many points, where it went over most of them."""
    if leg.ends is None or leg.lasted is None or not leg.lasted.value > 0 or leg.went <= 0:
        return {}
    working = say("from {a} to {b} %", a=plain(leg.ends[0].percent), b=plain(leg.ends[1].percent))
    found = {"filled_in": Finding.made("filled_in", say("Filled in"), leg.lasted, "s", working)}
    slow = _last_tenth_s(leg)
    if slow is not None:
        share = say("{p} % of it", p=plain(round(100 * slow / leg.lasted.value)))
        wrong = within(_LOOK_OFF * slow, words("between two looks"), "s")
        found["last_tenth"] = Finding.made("last_tenth", say("Its last tenth took"), slow + wrong, "s", share)
    if _MOST_OF_IT <= leg.went < _ALL - _SAME_END:
        points = _shown(leg.ends[1], leg.name, say("end"), leg.name) - _shown(leg.ends[0], leg.name, say("begin"), f"{leg.name}, 2")
        more = within(_FIRST_OFF * leg.lasted.value, words("as fast below as it was above"), "s")
        whole = (leg.lasted + more) * (_ALL / points)
        found["whole_in"] = Finding.made("whole_in", say("From empty to full about"), whole, "s", say("as many points again"))
    return found


def _last_tenth_s(leg: Leg) -> float | None:
    """Seconds from 90 % until it was full, straight between two looks that lie near that; None where it was not looked at then."""
    time, percent = np.array([one.time_s for one in leg.shown]), np.array([one.percent for one in leg.shown])
    if len(time) < 3 or percent[-1] < _ALL - 0.5:
        return None
    after = int(np.argmax(percent >= _SLOW_FROM))
    if not after or (percent[after] > _SLOW_FROM + _NEAR and percent[after - 1] < _SLOW_FROM - _NEAR):
        return None
    share = (_SLOW_FROM - percent[after - 1]) / (percent[after] - percent[after - 1])
    return float(time[-1] - (time[after - 1] + share * (time[after] - time[after - 1])))


def _worked(one: Cycle) -> str:
    up, down = one.filled.went, one.emptied.went
    if abs(up - down) < 0.5:
        return say("out ÷ in, over the same {p} points", p=plain(up))
    return say("out ÷ {down} points against in ÷ {up}", down=plain(down), up=plain(up))


def said_of(cycles: Sequence[Cycle]) -> Iterable[str]:
    """What has to be known of such a figure."""
    for one in cycles:
        if one.back("Wh") is None and one.back("Ah") is None:
            continue
        if abs(one.filled.went - one.emptied.went) > _OTHER_STRETCH:
            text = words(
                "Filled over {up} points and emptied over {down}: the last tenth of a filling costs more than the rest. The same ends on both sides say it better."
            )
            yield say(text, up=plain(one.filled.went), down=plain(one.emptied.went))


def what_cannot_be(found: dict[str, Finding]) -> Iterable[tuple[str, str]]:
    """(key, sentence) of what has to be looked at before it is an answer."""
    for key, most in (("back", _MOST_BACK), ("charge_back", _MOST_CHARGE)):
        one = found.get(key)
        if one is None or one.value is None:
            continue
        u = one.expanded_uncertainty or 0.0
        if one.value - u > most:
            text = words("{share} of what was put in came out: are the two counters swapped, was it charged meanwhile, or in another unit?")
            yield f"more-{key}", say(text, share=one.value_text())
        elif one.value + u < _HARDLY:
            text = words(
                "Only {share} of what was put in came out: did it give up early, was something else fed, or is one counter in another unit?"
            )
            yield f"hardly-{key}", say(text, share=one.value_text())


def leg_beside_label(leg: Leg, label_wh: float, low: float, high: float) -> str:
    """That a leg is none of a store of such a label, in a sentence; empty where it may be."""
    if leg.energy is None or leg.ends is None:
        return ""
    least, most = ((leg.went + side * _OFF_POINTS) * label_wh / 100 for side in (-1, 1))
    if low * least <= leg.energy.value <= high * most:
        return ""
    share = leg.energy.value / (label_wh * max(leg.went, 1.0) / 100)
    text = words(
        "{leg}: {wh} Wh over {p} points are {share} % of what its label makes of that. Is the counter in another unit, or did it run on?"
    )
    told = say(text, leg=leg.name, wh=show(leg.energy.value, 3), p=plain(leg.went), share=show(100 * share, 2))
    return f"{told[:1].upper()}{told[1:]}"
