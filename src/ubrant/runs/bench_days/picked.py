"""Tests that were picked, as steps: charge, rest, test, recharge by each unit's chemistry and label, with what is owned."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import WITH_CAPACITY, Unit
from ubrant.core.planning.steps import BY_HAND, BY_ITSELF, FILL, REFILL, REST, TEST, WHEN_SEEN, BenchDays, BenchStep, PlanError
from ubrant.core.quantities.chemistry import LEAD_ACID, Chemistry
from ubrant.core.quantities.label import Label, chemistries_named
from ubrant.core.quantities.quantity import QuantityError, parse_quantity, plain, show_duration
from ubrant.core.record.head import label_of
from ubrant.core.wording import say
from ubrant.methods import cautions
from ubrant.methods.ratings import amps_of_label, read_ratings
from ubrant.methods.registry import MethodEntry, UnknownMethodError, entry_of
from ubrant.runs.bench_days.asked import DaysPart, TestPart, hours_here, moment_said, seconds_of

_CHARGE_BY, _CHARGE_SPREAD = 1.2, 0.15
"""Ah over A times so much fills a battery, give or take. Common practice, no source."""
_USUAL_CHARGE_S, _USUAL_CHARGE_SPREAD = 5 * 3600.0, 0.4
"""A bank or a station on its own charger, where nobody knows better. Common practice, no source."""
_TEST_SPREAD, _AGAIN_SPREAD = 0.25, 0.06
_REST_WITHOUT_CHART_S = 3600.0
_SAME_DAY_S = 12 * 3600.0
"""Lead-acid is refilled within so long after it was emptied: it sulphates. Common practice."""
_CLIP_ON_S, _TO_LOAD_S, _TO_CHARGER_S, _READ_S = 240.0, 360.0, 240.0, 120.0
"""Minutes at the bench: on the charger; resting volts typed, on the load; off the load and on the charger; a display read. Common practice, no source."""
_DAY_S, _BY_EYE_MOST_S = 86_400.0, 4 * 3600.0
_OF_MAINS = 0.85
_HARMED = re.compile(r"\b(swollen|swelling|bulg\w+|puffed|damaged|dented|leak\w*|punctured|smells|burnt)\b", re.I)


@dataclass(frozen=True)
class Shelf:
    """What a plan can be made with.

    Attributes
    ----------
    lasted_s : by unit and method, how long the last one took; None for never
    """

    units: Sequence[Unit]
    meters: Sequence[Meter]
    lasted_s: Callable[[Unit, str], float | None]

    def find(self, name: str) -> Unit | None:
        """By its name; None where there is none."""
        return next((u for u in self.units if u.name.strip().lower() == name.strip().lower()), None)

    def unit(self, name: str) -> Unit:
        """As :meth:`find`.

        Raises
        ------
        PlanError
            There is none.
        """
        found = self.find(name)
        if found is None:
            raise PlanError(say("There is no “{name}” on the shelf: put it there with its label first.", name=name))
        return found


@dataclass(frozen=True)
class Picked:
    """A test that is to be planned, understood.

    Attributes
    ----------
    number : of the test, from 1
    remarks : what was taken for granted
    """

    number: int
    unit: Unit
    entry: MethodEntry
    steps: tuple[BenchStep, ...]
    remarks: tuple[str, ...] = ()

    @property
    def key(self) -> str:
        return test_key(self.number)


def test_key(number: int) -> str:
    return f"test {number}"


def picked_tests(part: DaysPart, shelf: Shelf, now: datetime, troubles: list[str] | None = None) -> list[Picked]:
    """Every test with its steps.

    Parameters
    ----------
    troubles : takes why one cannot be planned any more, and the others go on; None where that is refused

    Raises
    ------
    PlanError
        One that cannot be planned: what is lacking, or why it must not be.
    """
    unclear = next((n.strip() for n in part.chargers if n.strip() and shelf.find(n) is None and not chemistries_named(n)), "")
    if unclear:
        raise PlanError(say("Charger “{name}”: say for which kind of cell it is, like “lead-acid charger”.", name=unclear))
    found: list[Picked] = []
    for number, test in enumerate(part.test, start=1):
        if test.left_out:
            continue
        try:
            one = _picked(number, test, part, shelf, now)
        except PlanError as error:
            if troubles is None:
                raise
            troubles.append(str(error))
            continue
        charged = next(
            (s.key for earlier in reversed(found) if earlier.unit.id == one.unit.id for s in earlier.steps if s.kind == REFILL), ""
        )
        found.append(_after_charging(one, charged) if charged else one)
    if not found:
        raise PlanError(" ".join(troubles or []) or say("There is no test to plan yet: pick one."))
    return found


def _after_charging(one: Picked, charged: str) -> Picked:
    """What the plan has charged already for another test of the same unit is not charged a second time: it rests from then."""
    steps = tuple(replace(s, after=(charged,)) if s.kind == REST else s for s in one.steps if s.kind != FILL)
    return replace(one, steps=steps)


def bench_of(part: DaysPart, picked: Sequence[Picked], begins: datetime, now: datetime) -> BenchDays:
    """What is to be planned: nothing of it begins before now."""
    socket = part.socket.strip()
    try:
        most = parse_quantity(socket, "W") if socket else math.inf
    except QuantityError as error:
        raise PlanError(say("Socket: {why}", why=str(error))) from None
    steps = tuple(step for one in picked for step in one.steps)
    if heavy := next((s for s in steps if s.watts > most), None):
        raise PlanError(
            say(
                "{what} of {unit} takes {w} W, and the socket may give {most} W.",
                what=heavy.what,
                unit=heavy.unit,
                w=round(heavy.watts),
                most=round(most),
            )
        )
    return BenchDays(steps, hours_here(part, begins, now), max(begins, now).timestamp(), most)


def _picked(number: int, test: TestPart, part: DaysPart, shelf: Shelf, now: datetime) -> Picked:
    unit = shelf.unit(test.unit)
    try:
        entry = entry_of(test.method)
    except UnknownMethodError:
        raise PlanError(say("“{method}” is no test: “ubrant methods” lists them.", method=test.method)) from None
    if not entry.suits(unit):
        raise PlanError(say("{title} is not for {name}.", title=say(entry.title), name=unit.name))
    if harm := _HARMED.search(f"{unit.note} {' '.join(unit.facts.tags)}"):
        raise PlanError(
            say(
                "{name} is not planned: its note says “{word}”. A damaged or swollen cell is neither charged nor tested.",
                name=unit.name,
                word=harm[0],
            )
        )
    due = moment_said(test.due, now, say("Due")).timestamp() if test.due.strip() else math.inf
    takes = seconds_of(test.takes, unit.name)
    if entry.method.empties and unit.kind in WITH_CAPACITY:
        return _emptied(number, test, unit, entry, part, shelf, takes, due)
    if _counts_a_day(entry):
        return _day(number, unit, entry, shelf, takes or _DAY_S, due)
    return _by_eye(number, unit, entry, takes, due)


def _by_eye(number: int, unit: Unit, entry: MethodEntry, takes: float | None, due: float) -> Picked:
    """A test that takes the person for as long as it lasts; one that is given many hours goes on until it is read."""
    key = test_key(number)
    known = max((how.minutes * 60.0 for how in entry.answers), default=600.0)
    lasts = max((_bench_s(how.hours) for how in entry.answers), default=0.0)
    seconds = takes or max(known, lasts)
    remarks = tuple(
        say(
            "{name}, {title}: {hours}; what is planned is what there is to do now.",
            name=unit.name,
            title=say(entry.title),
            hours=say(how.hours),
        )
        for how in entry.answers[:1]
        if how.hours and not _bench_s(how.hours) and not takes
    )
    if seconds > _BY_EYE_MOST_S:
        step = BenchStep(
            f"{key} test", key, unit.name, TEST, say(entry.title), seconds, 0.1 * seconds, (), 0.0, _READ_S, _READ_S, WHEN_SEEN, due=due
        )
    else:
        step = BenchStep(
            f"{key} test", key, unit.name, TEST, say(entry.title), seconds, 0.3 * seconds, begins_s=seconds, alone=False, due=due
        )
    return Picked(number, unit, entry, (step,), remarks)


def _bench_s(hours: str) -> float:
    """Of ``1 h``, ``half an hour``; 0 for what is said in other words."""
    if hours == "half an hour":
        return 1800.0
    found = re.fullmatch(r"(\d+) h", hours)
    return 3600.0 * float(found[1]) if found else 0.0


def _counts_a_day(entry: MethodEntry) -> bool:
    return any(how.enquiry.key == "a-day" for how in entry.answers)


def _day(number: int, unit: Unit, entry: MethodEntry, shelf: Shelf, seconds: float, due: float) -> Picked:
    """A counter that runs by itself until somebody reads it."""
    plugs = tuple(m.name for m in shelf.meters if _reads_watts(m))[:1] or (say("plug meter"),)
    step = BenchStep(
        f"{test_key(number)} test",
        test_key(number),
        unit.name,
        TEST,
        say("{title}, {time}", title=say(entry.title), time=show_duration(seconds)),
        seconds,
        0.0,
        (plugs,),
        0.0,
        _READ_S,
        _READ_S,
        WHEN_SEEN,
        due=due,
    )
    return Picked(number, unit, entry, (step,))


def _reads_watts(meter: Meter) -> bool:
    try:
        return meter.accuracy("W") is not None and meter.details.role == "meter"
    except QuantityError:
        return False


def _emptied(
    number: int, test: TestPart, unit: Unit, entry: MethodEntry, part: DaysPart, shelf: Shelf, takes: float | None, due: float
) -> Picked:
    """Charge, rest, empty, recharge: nothing is left empty."""
    label = label_of(unit)
    if label is None:
        raise PlanError(say("{name} needs its label to be planned, like “50 Ah 12.8 V LiFePO4”.", name=unit.name))
    key = test_key(number)
    remarks: list[str] = []
    kind = label.kind_of_cell if label.chemistry else None
    charge_s, spread, chargers, watts = _charging(test, unit, label, kind, part, shelf, remarks)
    loads, by_itself = _loads(test, unit, part, shelf)
    if not loads:
        raise PlanError(say("{name} needs something to empty it into: put a load on the shelf, or name one under loads.", name=unit.name))
    ends = test.ends.strip().lower() or (BY_ITSELF if by_itself else BY_HAND)
    if ends not in {BY_ITSELF, BY_HAND}:
        raise PlanError(say("{name}: it ends “by itself” or “by hand”, not “{what}”.", name=unit.name, what=test.ends))
    seconds, again = takes, _TEST_SPREAD
    if seconds is None:
        lasted = shelf.lasted_s(unit, entry.key)
        seconds, again = (lasted, _AGAIN_SPREAD) if lasted else (_usual_length(label, kind, unit), _TEST_SPREAD)
        if not lasted:
            remarks.append(
                say("{name}: nobody knows yet how long it takes; {time} by its label.", name=unit.name, time=show_duration(seconds))
            )
    if ends == BY_HAND:
        remarks.append(say("{name}: nothing switches its load off by itself, so it is only planned while you are there.", name=unit.name))
    if starter := cautions.starter_caution(f"{unit.name} {unit.label_text} {unit.note}"):
        remarks.append(starter)
    rest_s = kind.rest_hours * 3600 if kind is not None else _REST_WITHOUT_CHART_S
    steps: list[BenchStep] = []
    after: tuple[str, ...] = ()
    if not test.full:
        steps.append(
            BenchStep(
                f"{key} fill",
                key,
                unit.name,
                FILL,
                say("charge"),
                charge_s,
                spread * charge_s,
                (chargers,) if chargers else (),
                watts,
                _CLIP_ON_S,
            )
        )
        steps.append(BenchStep(f"{key} rest", key, unit.name, REST, say("rests"), rest_s, after=(f"{key} fill",)))
        after = (f"{key} rest",)
    what = say("{title}, {time}", title=say(entry.title), time=show_duration(round(seconds / 600) * 600))
    by_hand = ends == BY_HAND
    steps.append(
        BenchStep(
            f"{key} test",
            key,
            unit.name,
            TEST,
            what,
            seconds,
            again * seconds,
            (loads,),
            0.0,
            _TO_LOAD_S,
            _READ_S if by_hand else 0.0,
            ends,
            alone=not by_hand,
            after=after,
            due=due,
        )
    )
    soon = _SAME_DAY_S if kind is LEAD_ACID else math.inf
    steps.append(
        BenchStep(
            f"{key} refill",
            key,
            unit.name,
            REFILL,
            say("charge again"),
            charge_s,
            spread * charge_s,
            (chargers,) if chargers else (),
            watts,
            _TO_CHARGER_S,
            after=(f"{key} test",),
            soon_s=soon,
        )
    )
    return Picked(number, unit, entry, tuple(steps), tuple(remarks))


def _usual_length(label: Label, kind: Chemistry | None, unit: Unit) -> float:
    """By the rate that its label means."""
    if kind is None or unit.kind in {"bank", "station"}:
        return 8 * 3600.0
    return 3600.0 / (label.rate_c or kind.standard_rate_c)


def _charging(
    test: TestPart, unit: Unit, label: Label, kind: Chemistry | None, part: DaysPart, shelf: Shelf, remarks: list[str]
) -> tuple[float, float, tuple[str, ...], float]:
    """(seconds, spread, chargers of which one will do, W at the socket)."""
    said = seconds_of(test.charge, unit.name)
    if test.charger.strip():
        _check_fit(test.charger.strip(), unit, label, kind, shelf)
        amps, watts = _charger_figures(test.charger, shelf)
        found = said or (_fills_in(label, amps) if amps else None)
        return found or _USUAL_CHARGE_S, _CHARGE_SPREAD if found else _USUAL_CHARGE_SPREAD, (test.charger.strip(),), watts
    if unit.kind in {"bank", "station"}:
        if said is None:
            remarks.append(
                say(
                    "{name}: {time} to charge it is a guess; say how long yours takes.", name=unit.name, time=show_duration(_USUAL_CHARGE_S)
                )
            )
        return said or _USUAL_CHARGE_S, _CHARGE_SPREAD if said else _USUAL_CHARGE_SPREAD, (), 0.0
    fitting = [u for u in shelf.units if u.kind == "charger" and kind is not None and fits(u, label, kind)]
    others = tuple(name.strip() for name in part.chargers if name.strip() and kind is not None and kind.key in chemistries_named(name))
    if not fitting and not others:
        volts = _end_volts(label, kind)
        raise PlanError(
            say(
                "No charger on the shelf fits {name} ({volts}): put it there with its label, or name one under chargers.",
                name=unit.name,
                volts=volts,
            )
        )
    names = (*(u.name for u in fitting), *others)
    given = [a for u in fitting if (a := amps_of_label(u))]
    seconds = said or (_fills_in(label, min(given)) if given and label.charge_ah else _USUAL_CHARGE_S)
    watts = max((_at_socket(u) for u in fitting), default=0.0)
    return seconds, _CHARGE_SPREAD, names, watts


def _fills_in(label: Label, amps: float) -> float:
    return _CHARGE_BY * 3600 * (label.charge_ah or 0.0) / amps if label.charge_ah else _USUAL_CHARGE_S


def _charger_figures(name: str, shelf: Shelf) -> tuple[float | None, float]:
    unit = shelf.find(name)
    return (amps_of_label(unit), _at_socket(unit)) if unit is not None else (None, 0.0)


def _at_socket(charger: Unit) -> float:
    try:
        rated = read_ratings(charger)
    except ValueError:
        return 0.0
    return rated.watts / _OF_MAINS if rated.takes_mains else 0.0


def _end_volts(label: Label, kind: Chemistry | None) -> str:
    if kind is None or not label.series:
        return say("what it is is not on its label")
    low, _, high = (v * label.series for v in kind.charged_v)
    return say("{kind}, ends at {low} to {high} V", kind=kind.name, low=plain(low, 3), high=plain(high, 3))


def _check_fit(name: str, unit: Unit, label: Label, kind: Chemistry | None, shelf: Shelf) -> None:
    """A charger that somebody named for a battery.

    Raises
    ------
    PlanError
        It is for another kind of cell, or ends at other volts.
    """
    shelved = shelf.find(name)
    named = chemistries_named(name if shelved is None else f"{shelved.name} {shelved.label_text}")
    wrong = kind is not None and bool(named) and kind.key not in named
    if not wrong and shelved is not None and kind is not None:
        wrong = not fits(shelved, label, kind)
    if wrong:
        raise PlanError(
            say("{charger} is not for {name} ({volts}): take another.", charger=name, name=unit.name, volts=_end_volts(label, kind))
        )


def fits(charger: Unit, label: Label, kind: Chemistry) -> bool:
    """Whether what comes out of a charger, and what kind it says it is for, is what a battery's cells are charged to."""
    try:
        volts = read_ratings(charger, how_much=False).output_v
    except ValueError:
        return False
    if not label.series:
        return False
    low, _, high = (v * label.series for v in kind.charged_v)
    named = chemistries_named(f"{charger.name} {charger.label_text}")
    return (not named or kind.key in named) and low * 0.985 <= volts <= high * 1.005


def _loads(test: TestPart, unit: Unit, part: DaysPart, shelf: Shelf) -> tuple[tuple[str, ...], bool]:
    """(loads of which one will do, whether what is emptied goes off by itself)."""
    instruments = tuple(m.name for m in shelf.meters if m.details.role == "load")
    own_off = unit.kind in {"bank", "station"}
    if test.load.strip():
        return (test.load.strip(),), own_off or test.load.strip() in instruments
    named = tuple(name.strip() for name in part.loads if name.strip())
    return (instruments, True) if instruments else (named, own_off)
