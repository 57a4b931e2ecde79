"""What to use for one job: every source straight and through every way that was measured, ranked by how long it lasts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from ubrant.core.equipment.unit import Peak, Unit, parse_peak
from ubrant.core.outlook.answers import OutlookAnswer, look
from ubrant.core.outlook.doubts import CAPACITY as DOUBT_OF_CAPACITY
from ubrant.core.outlook.draws import draws, losses_of
from ubrant.core.outlook.kit import Kit, Load, Source, Way
from ubrant.core.outlook.spread import Uncertain
from ubrant.core.quantities.quantity import QuantityError, plain, show, show_duration
from ubrant.core.quantities.readings import Array
from ubrant.core.record.head import label_of
from ubrant.core.uncertainty.contributions import COVERAGE
from ubrant.core.wording import say, words
from ubrant.core.worth.narrowing import TestReading, choice_changes
from ubrant.logbook.logbook import Logbook
from ubrant.methods.enquiries import CAPACITY, GIVES
from ubrant.methods.ratings import read_ratings
from ubrant.methods.registry import suiting
from ubrant.runs.kits.kit_file import Measured, kit_of
from ubrant.runs.kits.kit_parts import KitError, KitPart, LoadPart, SourcePart, WayPart
from ubrant.runs.kits.measured import measured_in
from ubrant.runs.kits.worth_measuring import REACHES

_HOLDS = ("battery", "bank", "station")
_DRAWS = 300
_MOST = 40
_NAMED = 4
_CHANCE = 0.05
"""That one lasts longer than another after all, from where on they share a rank."""
YES, NOT_KNOWN = words("yes"), words("not known")
_NEAR, _NEAR_STRAIGHT = 0.1, 0.2
"""Of the volts that are wanted: what comes out of a converter, and a battery without one. Common practice, no source."""


@dataclass(frozen=True)
class RankedSource:
    """One candidate.

    Attributes
    ----------
    name : ``Dome pack A by Hut 300``
    seconds, low_s, high_s : how long it lasts, and its band; 0 where it does not run
    enough : chance that it lasts as long as is wanted; None where nothing is wanted
    efficiency : percent at this load; idle_w : with nothing attached; headroom : what it carries over the load; None for not measured
    wh_per_kg, wh_per_l : measured Wh over the mass on its label, over its size; None for unknown
    wh_per_money, money : measured Wh for one of what its price is in; None and empty for unknown
    connectors : of the source
    starts : whether it starts the load: YES, NOT_KNOWN; empty where that was not asked
    jobs : how many jobs as long as is wanted one charge does; of_own : how many of the load's own batteries it is worth; None where not asked
    apart : what may not be used together, of the source and the way
    why : what it rests on, or why it does not run
    of, holds : its source, and what a test of how much that holds would read, draw by draw
    rank : ``1``, or ``2 to 4`` where they cannot be told apart
    """

    name: str
    seconds: float
    low_s: float
    high_s: float
    enough: float | None
    efficiency: float | None
    idle_w: float | None
    headroom: float | None
    wh_per_kg: float | None
    why: str
    rank: str = ""
    wh_per_l: float | None = None
    wh_per_money: float | None = None
    money: str = ""
    connectors: str = ""
    starts: str = ""
    jobs: float | None = None
    of_own: float | None = None
    apart: str = ""
    drawn_s: Array = field(default_factory=lambda: np.array([]), compare=False, repr=False)
    of: Unit | None = field(default=None, compare=False, repr=False)
    holds: TestReading | None = field(default=None, compare=False, repr=False)

    def cells(self) -> tuple[str, ...]:
        """For a table: what is not known stands empty."""
        lasts = show_duration(self.seconds) if self.seconds > 0 else ""
        if self.high_s - self.low_s > 0.02 * self.seconds > 0:
            lasts = say("{t} ({low} to {high})", t=lasts, low=show_duration(self.low_s), high=show_duration(self.high_s))
        return (
            self.rank,
            lasts,
            "" if self.enough is None else say("{n} in 100", n=round(100 * self.enough)),
            say(self.starts) if self.starts else "",
            "" if self.jobs is None else plain(self.jobs, 2),
            "" if self.of_own is None else plain(self.of_own, 2),
            "" if self.efficiency is None else f"{plain(self.efficiency, 3)} %",
            "" if self.idle_w is None else f"{show(self.idle_w, 2)} W",
            "" if self.headroom is None else f"{plain(self.headroom, 2)} ×",
            "" if self.wh_per_kg is None else plain(self.wh_per_kg, 3),
            "" if self.wh_per_l is None else plain(self.wh_per_l, 3),
            "" if self.wh_per_money is None else say("{n} per {money}", n=plain(self.wh_per_money, 3), money=self.money or "1"),
            self.connectors,
            self.apart,
            self.why,
        )


COLUMNS = (
    "rank",
    "lasts",
    "long enough",
    "starts it",
    "jobs per charge",
    "of its own batteries",
    "efficiency",
    "idle draw",
    "carries",
    "Wh per kg",
    "Wh per litre",
    "Wh per price",
    "connectors",
    "not together",
    "rests on",
)


def rank_table(found: Sequence[RankedSource]) -> tuple[list[str], list[tuple[str, ...]]]:
    """(headings, rows) of what is known of any: a column that would stand empty all down is left out."""
    rows = [one.cells() for one in found]
    wanted = [k for k in range(len(COLUMNS)) if k == 0 or any(line[k] for line in rows)]
    return [COLUMNS[k] for k in wanted], [tuple(line[k] for k in wanted) for line in rows]


def choices_for(
    logbook: Logbook,
    watts: Uncertain,
    wanted_s: float | None,
    only: Sequence[str] = (),
    volts: float | None = None,
    starts: Peak | None = None,
    own_wh: float | None = None,
) -> list[RankedSource]:
    """Every candidate, the one that lasts longest first.

    Parameters
    ----------
    watts : of the load; wanted_s : how long it is to last; None for as long as it does
    volts : what the load wants; None for any: then nothing says whether they go together
    starts : what it draws when it comes on, and for how long; None where nobody said
    own_wh : what the load's own battery holds; None where it has none
    only : words of which each candidate's name has to hold one; empty for all

    Raises
    ------
    QuantityError
        A load that cannot be.
    """
    if not watts.value > 0:
        raise QuantityError(say("Nothing is drawn: give a load, like “58 W”."))
    measured = measured_in(logbook)
    units = logbook.units()
    sources = [(u, s) for u in units if u.kind in _HOLDS and (s := _source(u.name, measured)) is not None]
    ways = [(u, w) for u in units if u.kind in {"converter", "inverter"} and _gives(u, volts) and (w := _way(u.name, measured)) is not None]
    found = []
    for number, (unit, source) in enumerate(sources):
        straight = volts is None or (source.nominal_v > 0 and abs(source.nominal_v / volts - 1) < _NEAR_STRAIGHT)
        for by, way in ((None, None), *ways) if straight else ways:
            name = (
                say("{source} by {way}", source=unit.name, way=way.name) if way is not None else say("{source} straight", source=unit.name)
            )
            if not only or any(word.lower() in name.lower() for word in only):
                one = _choice(name, unit, source, way, watts, wanted_s, number)
                one = _starting(one, unit, by, starts, carried=way.max_w if way is not None else None)
                jobs = one.seconds / wanted_s if wanted_s and one.seconds > 0 else None
                of_own = one.seconds / 3600 * watts.value / own_wh if own_wh and one.seconds > 0 else None
                apart = "; ".join(u.facts.apart for u in (unit, by) if u is not None and u.facts.apart)
                found.append(replace(one, jobs=jobs, of_own=of_own, apart=apart))
    found.sort(key=lambda one: -one.seconds)
    return _ranked(found[:_MOST])


def _gives(unit: Unit, volts: float | None) -> bool:
    """Whether a converter's label says that these volts come out of it."""
    if volts is None:
        return True
    try:
        return abs(read_ratings(unit, how_much=False).output_v / volts - 1) < _NEAR
    except ValueError:
        return False


def _source(name: str, measured: Measured) -> Source | None:
    part = KitPart(source=[SourcePart(name=name)], load=[LoadPart(name="x", power="1 W")])
    try:
        return kit_of(part, measured).sources[0]
    except KitError:
        return None


def _way(name: str, measured: Measured) -> Way | None:
    """Only what was measured: nothing is guessed of a converter."""
    part = KitPart(source=[SourcePart(energy="1 Wh")], way=[WayPart(name=name)], load=[LoadPart(name="x", power="1 W")])
    try:
        return kit_of(part, measured).ways[0]
    except KitError:
        return None


def _choice(name: str, unit: Unit, source: Source, way: Way | None, watts: Uncertain, wanted_s: float | None, seed: int) -> RankedSource:
    """``seed`` is of the source: what is in doubt of it is the same by every way, and of no other source."""
    kit = Kit((source,), (Load(say("load"), watts, way=way.name if way is not None else ""),), (way,) if way is not None else ())
    p0, a, b = (part.value for part in losses_of(way)) if way is not None else (0.0, 0.0, 0.0)
    load = watts.value
    efficiency = 100 * load / (load + p0 + a * load + b * load**2) if way is not None else None
    headroom = way.max_w / load if way is not None and way.max_w < float("inf") else None
    label = label_of(unit)
    heavy = label.mass_kg if label is not None else None
    wh_per_kg = source.energy_wh / heavy if heavy else None
    facts = efficiency, p0 if way is not None else None, headroom, wh_per_kg
    paid, litres = unit.facts.paid(), unit.facts.volume_l
    more: dict[str, Any] = {
        "wh_per_l": source.energy_wh / litres if litres else None,
        "wh_per_money": source.energy_wh / paid[0] if paid is not None else None,
        "money": paid[1] if paid is not None else "",
        "connectors": unit.facts.connectors,
    }
    looked: OutlookAnswer | None = None
    why = source.why
    try:
        looked = look(kit, _DRAWS, seed=seed)
    except QuantityError as error:
        why = str(error)
    if looked is None or (looked.runtime_s is not None and looked.runtime_s <= 0):
        if looked is not None and looked.first is not None:
            why = say("does not run: {kind} at {name}", kind=say(looked.first.kind), name=looked.first.name)
        return RankedSource(name, 0.0, 0.0, 0.0, 0.0 if wanted_s else None, *facts, why, **more)
    seconds = looked.runtime_s if looked.runtime_s is not None else looked.middle.horizon_s
    high = min(looked.high_s, looked.middle.horizon_s)
    more["drawn_s"] = looked.drawn_s
    more["of"] = unit
    if len(looked.drawn_s) == _DRAWS and not source.capacity.is_sure:
        more["holds"] = TestReading(draws(kit, _DRAWS, seed).capacity[0], REACHES[DOUBT_OF_CAPACITY] / COVERAGE * source.capacity.value)
    return RankedSource(name, seconds, looked.low_s, high, looked.chance(wanted_s) if wanted_s else None, *facts, why, **more)


def _starting(one: RankedSource, unit: Unit, by: Unit | None, starts: Peak | None, carried: float | None) -> RankedSource:
    """Whether what it draws at first is given for so long: by what each part's label says it gives for a moment, or carries for ever."""
    if starts is None or one.seconds <= 0:
        return one
    known = [_gives_at_first(unit, starts, _for_ever(unit))]
    if by is not None:
        known.append(_gives_at_first(by, starts, carried))
    lacking = next((part for part, fits in zip((unit, by), known, strict=False) if fits is False), None)
    if lacking is not None:
        why = say(
            "does not start it: {w} W for {s} s, and {name} gives {peak}",
            w=plain(starts.watts),
            s=plain(starts.seconds),
            name=lacking.name,
            peak=lacking.facts.peak,
        )
        return replace(one, seconds=0.0, low_s=0.0, high_s=0.0, enough=None if one.enough is None else 0.0, why=why)
    return replace(one, starts=YES if all(known) else NOT_KNOWN)


def _for_ever(unit: Unit) -> float | None:
    label = label_of(unit)
    volts = label.voltage_v if label is not None else None
    return unit.max_current_a * volts if unit.max_current_a and volts else None


def _gives_at_first(unit: Unit, starts: Peak, carried: float | None) -> bool | None:
    """None where nothing says so: it is not guessed."""
    if carried is not None and np.isfinite(carried) and carried >= starts.watts:
        return True
    peak = parse_peak(unit.facts.peak)
    return None if peak is None else peak.watts >= starts.watts and peak.seconds >= starts.seconds


def _ranked(found: list[RankedSource]) -> list[RankedSource]:
    """With their ranks; those that may as well last longer than the first of them share theirs."""
    ranked: list[RankedSource] = []
    place = 0
    while place < len(found):
        first = found[place]
        last = place
        while last + 1 < len(found) and found[last + 1].seconds > 0 and first.seconds > 0 and _may_last_longer(found[last + 1], first):
            last += 1
        rank = f"{place + 1}" if last == place else say("{a} to {b}", a=place + 1, b=last + 1)
        ranked += [replace(one, rank=rank if one.seconds > 0 else "") for one in found[place : last + 1]]
        place = last + 1
    return ranked


def _may_last_longer(one: RankedSource, first: RankedSource) -> bool:
    """Draw against draw: by two ways from one source only the ways differ."""
    a, b = (c.drawn_s if len(c.drawn_s) else np.array([c.seconds]) for c in (one, first))
    return bool(np.mean(a >= b) >= _CHANCE)


def what_would_tell(found: Sequence[RankedSource]) -> str:
    """Where the first cannot be told apart: the test that would most likely make one take another, or that there is no need; empty else.

    Value of information after Howard (1966): one takes what lasts longest in the mean.
    """
    runs = [one for one in found if one.seconds > 0]
    alike = [one for one in runs if one.rank == runs[0].rank and len(one.drawn_s)] if runs else []
    units = {one.of.id: one.of for one in alike if one.of is not None and one.holds is not None}
    if len(alike) < 2 or not units:
        return ""
    ends = [one.drawn_s for one in alike]
    changes = {
        number: choice_changes(ends, [one.holds if one.of is not None and one.of.id == number else None for one in alike])
        for number in units
    }
    number, chance = max(changes.items(), key=lambda pair: pair[1])
    if chance < _CHANCE:
        return say("No need to measure: whatever it said, you would hardly take another than {name}.", name=alike[0].name)
    title = next(
        (say(entry.title) for entry in suiting(units[number]) for how in entry.answers if how.enquiry.key in {CAPACITY.key, GIVES.key}), ""
    )
    if not title:
        return ""
    text = words("{title} of {name} would tell most: in {n} of 100 cases you would then take another.")
    return say(text, title=title, name=units[number].name, n=round(100 * chance))


def chosen_sentence(found: Sequence[RankedSource]) -> str:
    """Which to take, as one would say it."""
    runs = [one for one in found if one.seconds > 0]
    if not runs:
        return say("None of them runs it.")
    alike = [one.name for one in runs if one.rank == runs[0].rank]
    if len(alike) == 1:
        return say("{name} lasts longest: {t}.", name=alike[0], t=show_duration(runs[0].seconds))
    names = ", ".join(alike[:_NAMED]) + (say(" and {n} more", n=len(alike) - _NAMED) if len(alike) > _NAMED else "")
    long, short = runs[0], runs[len(alike) - 1]
    return say("{names} cannot be told apart: {a} to {b}.", names=names, a=show_duration(short.seconds), b=show_duration(long.seconds))
