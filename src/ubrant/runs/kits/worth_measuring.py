"""What to measure next for an outlook: which test would take most of its doubt, for how much work, or that there is no need."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.outlook.answers import OutlookAnswer
from ubrant.core.outlook.doubts import (
    CAPACITY,
    CHARGE,
    COMING_IN,
    DRAW,
    DUTY,
    IDLE,
    INPUTS,
    LOADS,
    LOSS,
    LOSS_SQUARED,
    RATE,
    RESISTANCE,
    SOURCES,
    STANDBY,
    WAYS,
    KitDoubt,
    Learning,
    TestInThought,
    best_pair,
    doubts_of,
    learning_of,
    ranked_tests,
)
from ubrant.core.outlook.kit import Kit
from ubrant.core.quantities.quantity import QuantityError, plain, show_duration
from ubrant.core.wording import say, words
from ubrant.core.worth.narrowing import Narrowed, half_width_told
from ubrant.methods.enquiries import Answering
from ubrant.methods.registry import MethodEntry, entries
from ubrant.runs.kept.answer_sheet import own_meters_for

_READS = {
    "capacity": (CAPACITY,),
    "gives": (CAPACITY,),
    "at-once": (RESISTANCE,),
    "full": (CHARGE,),
    "burns": (IDLE,),
    "lost": (IDLE, LOSS, LOSS_SQUARED),
    "draws": (DRAW, STANDBY),
    "a-day": (DRAW, DUTY),
    "really-gives": (COMING_IN,),
}
"""By enquiry, what of a kit its answer is."""
REACHES = {CAPACITY: 0.02, RESISTANCE: 0.15, CHARGE: 0.1, IDLE: 0.03, DRAW: 0.02, STANDBY: 0.05, DUTY: 0.03, COMING_IN: 0.1}
"""Of a value, 95 %, what a test says it with besides what its meters may be off by. Common practice, no source."""
_EFFICIENCY_REACHES, _SQUARED_REACHES = 0.01, 0.3
_UNKNOWN_METER = 0.03
"""Of what is read, 95 %, where nobody knows how good the meter is. Common practice, no source."""
_NAMED = {
    CAPACITY: words("what {name} holds"),
    RESISTANCE: words("how far {name} sags"),
    RATE: words("what a faster or slower rate does to {name}"),
    CHARGE: words("how full {name} is"),
    IDLE: words("what {name} burns just being on"),
    LOSS: words("how much is lost in {name}"),
    LOSS_SQUARED: words("how much is lost in {name} at a large load"),
    DRAW: words("what {name} draws"),
    STANDBY: words("what {name} draws while it is not on"),
    DUTY: words("how often {name} is on"),
    COMING_IN: words("what {name} brings in"),
}
_USUAL_KINDS = {**dict.fromkeys(SOURCES, "battery"), **dict.fromkeys(WAYS, "inverter"), **dict.fromkeys(LOADS, "load")} | dict.fromkeys(
    INPUTS, "source"
)
_WORTH_SAYING, _ALIKE, _FEW, _NOTHING = 0.97, 1.1, 0.6, 0.02
MOST = 3


@dataclass(frozen=True)
class NextTest:
    """A test that would narrow an outlook.

    Attributes
    ----------
    unit : whose, by name; shelved : whether it stands on the shelf
    gain : half-widths in seconds as they are and as they would be, and the chance that one would decide otherwise
    meters : which of one's own it takes, or what none of them reads
    """

    entry: MethodEntry
    how: Answering
    unit: str
    shelved: bool
    gain: Narrowed
    meters: str

    @property
    def title(self) -> str:
        return say(self.entry.title)

    def detail(self) -> str:
        """``± 1 h 10 min would become ± 25 min · in 30 of 100 cases …``: what it would do, and what it takes."""
        before, after = half_width_told(self.gain.before), half_width_told(self.gain.after)
        change = self.gain.changes or 0.0
        otherwise = say("in {n} of 100 cases it would change whether that is enough", n=max(round(100 * change), 1)) if change > 0 else ""
        narrower = say("± {before} would become ± {after}", before=before, after=after)
        return " · ".join(filter(None, (narrower, otherwise, self.how.effort(), self.meters)))


@dataclass(frozen=True)
class WorthMeasuring:
    """What to measure next, or not to.

    Attributes
    ----------
    mostly : what most of the doubt is, and what would be left of it without; empty where nothing is in doubt
    no_need : why nothing needs to be measured; empty where something does
    tests : what would narrow it, most for least first
    pair : where no one test does much, the two that together do
    """

    mostly: str
    no_need: str
    tests: tuple[NextTest, ...]
    pair: str = ""

    def lines(self) -> list[str]:
        """All of it in words."""
        said = [self.no_need] if self.no_need else []
        said += [self.mostly] if self.mostly else []
        said += [f"{test.title}, {test.unit}: {test.detail()}" for test in self.tests if not self.no_need]
        return said + ([self.pair] if self.pair and not self.no_need else [])


def worth_measuring(
    kit: Kit, looked: OutlookAnswer, units: Iterable[Unit], meters: Sequence[Meter], wanted_s: float | None = None, confidence: float = 0.9
) -> WorthMeasuring | None:
    """What would tell most for an outlook; None where nothing is in doubt.

    Parameters
    ----------
    looked : its look with the band
    units : on the shelf: what they are says which tests suit them
    wanted_s : how long it is to last; None where nobody said
    """
    learning = learning_of(kit, looked, wanted_s, confidence)
    if learning is None:
        return None
    no_need = _no_need(learning)
    by_name = {unit.name.lower(): unit for unit in units}
    candidates = {test.key: (test, made) for test, made in _candidates(kit, doubts_of(kit), by_name, meters)}
    ranked = ranked_tests(learning, [test for test, _ in candidates.values()])
    ranked = [(test, gain) for test, gain in ranked if gain.share < _WORTH_SAYING]
    ordered = _most_for_least([(candidates[test.key][1], gain) for test, gain in ranked])
    tests = tuple(made(gain) for made, gain in ordered[:MOST])
    return WorthMeasuring(_mostly(learning), no_need, tests, _pair(learning, candidates, ranked))


def _no_need(learning: Learning) -> str:
    if not learning.is_settled or learning.wanted_s is None or learning.enough is None:
        return ""
    wanted = show_duration(learning.wanted_s)
    if learning.enough >= learning.confidence:
        return say(
            "No need to measure: it lasts {time} in {n} of 100 cases, whatever came of it.", time=wanted, n=round(100 * learning.enough)
        )
    return say(
        "No need to measure: it lasts {time} in {n} of 100 cases only, whatever came of it.", time=wanted, n=round(100 * learning.enough)
    )


def _mostly(learning: Learning) -> str:
    doubts = [(d, learning.without(d)) for d in doubts_of(learning.kit)]
    if not doubts:
        return ""
    first, gain = min(doubts, key=lambda pair: pair[1].after)
    if gain.share >= _WORTH_SAYING:
        return ""
    if gain.after < _NOTHING * gain.before:
        return say(
            "All of the doubt is {what}: ± {before}.", what=say(_NAMED[first.field], name=first.name), before=half_width_told(gain.before)
        )
    return say(
        "Most of the doubt is {what}: without it ± {after} instead of ± {before}.",
        what=say(_NAMED[first.field], name=first.name),
        after=half_width_told(gain.after),
        before=half_width_told(gain.before),
    )


_Made = Callable[[Narrowed], NextTest]


def _candidates(
    kit: Kit, doubts: Sequence[KitDoubt], by_name: dict[str, Unit], meters: Sequence[Meter]
) -> Iterable[tuple[TestInThought, _Made]]:
    """Every test of every piece that would read something of it that is in doubt."""
    for piece in dict.fromkeys((_kind_of(d), d.place) for d in doubts):
        of_piece = [d for d in doubts if (_kind_of(d), d.place) == piece]
        unit = by_name.get(of_piece[0].name.lower())
        for entry, how in _answering(unit, _USUAL_KINDS[of_piece[0].field]):
            read = tuple(d for d in of_piece if d.field in _READS[how.enquiry.key])
            if read:
                reaches = tuple(_reach(d, how, meters) for d in read)
                test = TestInThought(f"{entry.key} {piece} {how.enquiry.key}", read, reaches)
                yield test, _maker(entry, how, of_piece[0].name, unit is not None, own_meters_for(how, meters))


def _maker(entry: MethodEntry, how: Answering, name: str, shelved: bool, own: str) -> _Made:
    return lambda gain: NextTest(entry, how, name, shelved, gain, own)


def _kind_of(doubt: KitDoubt) -> str:
    return next(name for name, fields in (("source", SOURCES), ("way", WAYS), ("load", LOADS), ("input", INPUTS)) if doubt.field in fields)


def _answering(unit: Unit | None, kind: str) -> list[tuple[MethodEntry, Answering]]:
    """Tests that suit a unit, or a thing of its kind that is not on the shelf yet."""
    kind = unit.kind if unit is not None else kind
    return [
        (entry, how)
        for entry in entries()
        if not entry.takes_anything
        if unit is None or entry.suits(unit)
        for how in entry.answers
        if how.enquiry.key in _READS and kind in how.enquiry.kinds
    ]


def _reach(doubt: KitDoubt, how: Answering, meters: Sequence[Meter]) -> float:
    """With how much of its value a test says it by the best of one's own meters, 95 %."""
    off = math.hypot(*(_best(quantity, meters) for quantity in how.reads), 0.0)
    value = abs(doubt.spread.value)
    if doubt.field == LOSS and value > 0:  # a = 1/η - 1
        return math.hypot(_EFFICIENCY_REACHES, off) * (1 + value) / value
    if doubt.field == LOSS_SQUARED:
        return _SQUARED_REACHES
    return math.hypot(REACHES[doubt.field], off)


def _best(quantity: str, meters: Sequence[Meter]) -> float:
    shares = []
    for meter in meters:
        try:
            accuracy = meter.accuracy(quantity)
        except QuantityError:
            continue
        if accuracy is not None:
            shares.append(accuracy.gain)
    return min(shares, default=_UNKNOWN_METER)


def _most_for_least(found: Sequence[tuple[_Made, Narrowed]]) -> list[tuple[_Made, Narrowed]]:
    """What would most likely change what one decides first, then what narrows most; among those that do about as much the shortest; of one test
    that answers two enquiries the better.
    """
    left = sorted(found, key=lambda pair: (-_steps(pair[1]), pair[1].after))
    ordered: list[tuple[_Made, Narrowed]] = []
    seen: set[tuple[str, str]] = set()
    while left:
        alike = [pair for pair in left if _steps(pair[1]) == _steps(left[0][1]) and pair[1].after <= _ALIKE * left[0][1].after]
        best = min(alike, key=lambda pair: pair[0](pair[1]).how.minutes)
        left.remove(best)
        made = best[0](best[1])
        if (made.unit, made.entry.key) not in seen and not any(made.unit == u for u, _ in seen if _is_covered(made, ordered)):
            ordered.append(best)
        seen.add((made.unit, made.entry.key))
    return ordered


def _steps(gain: Narrowed) -> int:
    """Chance that one would decide otherwise, in steps of one in twenty; 0 where there is nothing to decide."""
    return round((gain.changes or 0.0) / 0.05)


def _is_covered(made: NextTest, ordered: Sequence[tuple[_Made, Narrowed]]) -> bool:
    """Whether one that reads the same of the same unit stands there already."""
    fields = set(_READS[made.how.enquiry.key])
    return any(other.unit == made.unit and fields <= set(_READS[other.how.enquiry.key]) for pair in ordered if (other := pair[0](pair[1])))


def _pair(learning: Learning, candidates: dict[str, tuple[TestInThought, _Made]], ranked: Sequence[tuple[TestInThought, Narrowed]]) -> str:
    """Where no single test leaves less than most of the doubt: the two that together do."""
    if len(ranked) < 2 or ranked[0][1].share < _FEW:
        return ""
    found = best_pair(learning, [test for test, _ in ranked[:6]])
    if found is None or found[1].share > ranked[0][1].share * 0.85:
        return ""
    (one, other), gain = found
    a, b = (candidates[test.key][1](gain) for test in (one, other))
    return say(
        "No one test does much; two do: {a} of {unit_a} and {b} of {unit_b}: ± {before} would become ± {after}.",
        a=a.title,
        unit_a=a.unit,
        b=b.title,
        unit_b=b.unit,
        before=half_width_told(gain.before),
        after=half_width_told(gain.after),
    )


def worth_json(found: WorthMeasuring) -> dict[str, Any]:
    """As one JSON object."""
    return {
        "mostly": found.mostly,
        "no_need": found.no_need,
        "tests": [
            {
                "method": test.entry.key,
                "unit": test.unit,
                "question": say(test.how.enquiry.text),
                "minutes": test.how.minutes,
                "half_width_h": {"now": test.gain.before / 3600, "after": test.gain.after / 3600},
                "changes_percent": None if test.gain.changes is None else float(plain(100 * test.gain.changes, 2)),
                "meters": test.meters,
            }
            for test in found.tests
        ],
        "pair": found.pair,
    }
