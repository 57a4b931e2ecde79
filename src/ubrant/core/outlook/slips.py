"""What a person who knows such kits would not believe: refused where it cannot be, remarked on where it hardly is."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator

from ubrant.core.outlook.duty import DAY_S
from ubrant.core.outlook.kit import CONSTANT, CURRENT, SUN, Kit, Load, Source, Way
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.wording import say, words

_GONE_S, _HARD_S = 120.0, 720.0
"""A store that would be empty in two minutes is none of this load; in less than twelve it is drawn on harder than most may be. Common practice, no source."""
_SHORT_S, _ROOM, _IDLE_W, _MUCH_W = 30.0, 1.02, 100.0, 10.0
"""What is on no longer than that is a start; more than so many watts no inverter of a maker burns by itself. Common practice, no source."""
_NIGHT = (21 * 3600.0, 3 * 3600.0)
_OF_SUN = re.compile(r"\b(?:panels?|solar|sun|pv)\b", re.I)
_LONGEST_DAY_S, _FITS, _LOW_CUTOFF, _FAST, _SMALL_WH = 18 * 3600.0, (0.75, 1.35), 0.5, 1.5, 20.0
"""No panel is in the sun for longer; volts on a label and those of a source that go together; a cut-off under such a share of them is a slip; faster than in two thirds of
an hour few batteries are charged, and of so few Wh a capacitor may be. Common practice, no source."""
_OTHER_VOLTS, _DROP, _LITTLE, _NONE, _LEAST_USED = 1.4, 0.1, 0.25, 0.1, 0.15
"""Sources of one system lie within two fifths of each other; leads drop a twentieth, and a tenth is too much; what passes on less than a quarter is no
converter, and less than a tenth a slip; nobody uses less than a seventh. Common practice, no source."""


def impossible(kit: Kit) -> str:
    """Why it cannot be as it is written, in a sentence; empty where it can."""
    for load, way in _through(kit):
        if load.drawn.value > _ROOM * way.max_w and _on_s(load) > _SHORT_S:
            text = words("{load} takes {w} W while it is on, and {way} carries {most} W: it would switch off. Which of the two is it?")
            return say(text, load=load.name, w=plain(load.drawn.value, 4), way=way.name, most=plain(way.max_w, 4))
    for way in kit.ways:
        if way.loss is None and 0 < way.efficiency.value < _NONE:
            text = words("{way} passes {n} % on: nothing is so bad. Is it {other} %, or is that what it loses?")
            share = 100 * way.efficiency.value
            return say(text, way=way.name, n=plain(share, 3), other=plain(100 * share if share < 1 else 10 * share, 3))
        if way.surge_w < way.max_w < math.inf:
            text = words("{way} carries {most} W all the time and {surge} W at a start: are the two swapped?")
            return say(text, way=way.name, most=plain(way.max_w, 4), surge=plain(way.surge_w, 4))
    for load in (one for one in kit.loads if one.kind != CURRENT):
        told = {"load": load.name, "w": plain(load.drawn.value, 4)}
        if 0 < load.start_w < load.drawn.value:
            text = words("{load} takes {w} W while it is on, and {start} W at its start: are the two swapped?")
            return say(text, **told, start=plain(load.start_w, 4))
        if load.standby.value > load.drawn.value > 0:
            text = words("{load} takes {w} W while it is on, and {standby} W while it is not: are the two swapped?")
            return say(text, **told, standby=plain(load.standby.value, 4))
    gone_s = _empty_in_s(kit)
    if gone_s < _GONE_S:
        text = words("{w} W would empty {wh} Wh in {time}: are watts kilowatts, or ampere-hours milliampere-hours?")
        return say(text, w=show(_all_on_w(kit), 3), wh=show(_held_wh(kit), 3), time=show_duration(gone_s))
    for one in kit.inputs:
        if (
            _OF_SUN.search(one.name)
            and one.shape == CONSTANT
            and sum((end - start) % DAY_S or DAY_S for start, end in one.duty.windows or ((0.0, 0.0),)) > _LONGEST_DAY_S
        ):
            text = words(
                "{name} gives {w} W by day and by night as it is written: write when the sun shines on it, like “{name} {w} W sun 08:00 to 18:00”."
            )
            return say(text, name=one.name, w=plain(one.watts.value, 4))
        for start, end in one.duty.windows if one.shape == SUN else ():
            noon = (start + end) / 2 % DAY_S
            if noon >= _NIGHT[0] or noon < _NIGHT[1]:
                return say("{name}: those hours are of the night, and the sun shines by day: are they the other way round?", name=one.name)
    return ""


def unlikely(kit: Kit) -> Iterator[str]:
    """What has to be looked at, a sentence each."""
    gone_s = _empty_in_s(kit)
    if _GONE_S <= gone_s < _HARD_S:
        text = words(
            "With all on it would be empty in {time}: few batteries may be drawn on so hard. Look at the watts, and at what its label allows."
        )
        yield say(text, time=show_duration(gone_s))
    yield from _of_volts(kit)
    yield from _of_starts(kit)
    yield from _of_feeding(kit)
    yield from _of_inputs(kit)
    for source in kit.sources:
        if source.usable < _LEAST_USED:
            yield say("Only {n} % of {name} may be used: is a digit missing?", n=plain(100 * source.usable, 3), name=source.name)
    for way in kit.ways:
        if way.loss is None and way.efficiency.value < _LITTLE:
            yield say("{way} passes {n} % on: is that what it loses?", way=way.name, n=plain(100 * way.efficiency.value, 3))
        yield from _of_leads(kit, way)
        if way.idle.value > _IDLE_W:
            yield say(
                "{way} burns {w} W with nothing on it: most burn 2 to 60. Are they milliwatts, or is a load in them?",
                way=way.name,
                w=plain(way.idle.value, 4),
            )
        together = [load for load, through in _through(kit) if through is way and _on_s(load) > _SHORT_S]
        watts = sum(load.drawn.value for load in together)
        if len(together) > 1 and watts > _ROOM * way.max_w:
            text = words("All that goes through {way} at once is {w} W, and it carries {most}: when they are on together it switches off.")
            yield say(text, way=way.name, w=show(watts, 3), most=plain(way.max_w, 4))


def _of_feeding(kit: Kit) -> Iterator[str]:
    """Loads of other volts straight from a source, and cut-offs that none of its kind has."""
    volts = _volts_known(kit.sources[0])
    if not volts:
        return
    for load in kit.loads:
        if not load.way and load.at_v and not _FITS[0] < load.at_v / volts < _FITS[1]:
            text = words(
                "{load} takes {v} V, and {source} has {s} V: what stands between burns some, too. Name it, like “inverter 88 %, idle 7 W”, unless {source} has such an outlet."
            )
            yield say(text, load=load.name, v=plain(load.at_v), source=kit.sources[0].name, s=plain(volts, 3))
    for way in kit.ways:
        if 0 < way.cutoff_v < _LOW_CUTOFF * volts:
            text = words("{way} goes off at {v} V, and {source} has {s} V: did a digit slip?")
            yield say(text, way=way.name, v=plain(way.cutoff_v), source=kit.sources[0].name, s=plain(volts, 3))


def _of_inputs(kit: Kit) -> Iterator[str]:
    """A panel that gives as much all day, and a charge that few batteries stand."""
    held = _held_wh(kit)
    for one in kit.inputs:
        if _OF_SUN.search(one.name) and one.shape == CONSTANT:
            text = words("{name} gives {w} W from its first hour to its last: a panel rises and falls. Write “sun” before its hours.")
            yield say(text, name=one.name, w=plain(one.watts.value, 4))
        watts = min(one.watts.value, one.limit_w)
        if held > _SMALL_WH and watts > _FAST * held:
            text = words("{name} would fill {wh} Wh in {time}: few batteries may be charged so fast. Is it what the charger gives?")
            yield say(text, name=one.name, wh=show(held, 3), time=show_duration(3600 * held / watts))


def _of_starts(kit: Kit) -> Iterator[str]:
    """A start over what its way carries all the time, where nobody said what that carries at a start."""
    for load, way in _through(kit):
        if load.start_w > way.max_w and math.isinf(way.surge_w):
            text = words(
                "{load} takes {start} W at its start, and {way} carries {most} W: whether it carries more for a moment was not said. Write its surge, or it may not start."
            )
            yield say(text, load=load.name, start=plain(load.start_w, 4), way=way.name, most=plain(way.max_w, 4))


def _of_volts(kit: Kit) -> Iterator[str]:
    """Sources of different volts, one after the other, on what nobody said to take both."""
    volts = [_volts_known(source) for source in kit.sources]
    known = [v for v in volts if v > 0]
    hanging = [way for way in kit.ways if way.window is None] + [load for load in kit.loads if not load.way and load.window is None]
    if len(known) > 1 and max(known) > _OTHER_VOLTS * min(known) and hanging:
        text = words(
            "{low} has {a} V and {high} {b} V: what runs from the one may not stand the other. Write the window of {names}, like “10-30 V”."
        )
        low, high = (kit.sources[volts.index(v)] for v in (min(known), max(known)))
        names = ", ".join(one.name for one in hanging)
        yield say(text, low=low.name, a=plain(min(known)), high=high.name, b=plain(max(known)), names=names)


def _volts_known(source: Source) -> float:
    """0 where nobody knows them."""
    return source.nominal_v or (source.mean_v if source.curve is not None else 0.0)


def _of_leads(kit: Kit, way: Way) -> Iterator[str]:
    """Leads that drop more than a tenth of the volts while all through them is on."""
    volts = _volts_known(kit.sources[0])
    watts = sum(load.drawn.value for load, through in _through(kit) if through is way) / max(way.efficiency.value, 0.1) + way.idle.value
    drop = way.lead_ohm * watts / volts if volts > 0 else 0.0
    if drop > _DROP * volts:
        text = words(
            "The leads to {way} drop {v} V of {of} V and turn {w} W into heat while all on it is on: they are too thin, or too long."
        )
        yield say(text, way=way.name, v=show(drop, 2), of=show(volts, 3), w=show(drop * watts / volts, 2))


def _through(kit: Kit) -> Iterator[tuple[Load, Way]]:
    for load in kit.loads:
        way = kit.way_of(load)
        if way is not None and load.kind != CURRENT:
            yield load, way


def _on_s(load: Load) -> float:
    """How long it is on at a time, as far as that is known."""
    if load.duty.period_s is None:
        return math.inf
    return load.duty.period_s * load.duty.share.value


def _all_on_w(kit: Kit) -> float:
    return sum(load.drawn.value for load in kit.loads if load.kind != CURRENT and _on_s(load) > _SHORT_S)


def _held_wh(kit: Kit) -> float:
    return sum(source.energy_wh for source in kit.sources)


def _empty_in_s(kit: Kit) -> float:
    """By what is on at once; of so little that a capacitor may well be meant for it, nothing is said."""
    watts = _all_on_w(kit)
    return 3600 * _held_wh(kit) / watts if watts >= _MUCH_W else math.inf
