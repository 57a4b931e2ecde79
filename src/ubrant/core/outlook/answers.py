"""What an outlook answers: how long and how sure, what goes first, where the watt-hours go, what buys time, what size it takes."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from ubrant.core.outlook.draws import Drawn, as_it_stands, draws
from ubrant.core.outlook.duty import DAY_S, Duty
from ubrant.core.outlook.kit import CURRENT, USUAL_PERIOD_S, Input, Kit, Load, Source, Way
from ubrant.core.outlook.spread import Uncertain
from ubrant.core.outlook.walk import EMPTY, TOO_MUCH, Cause, Walk, horizon_of, mean_drain_w, walk_kit
from ubrant.core.quantities.quantity import QuantityError, plain
from ubrant.core.quantities.readings import Array
from ubrant.core.wording import say

DRAWS = 1000
BAND = (5.0, 95.0)
"""Percentiles of the band: 90 % lie in it."""
_WORTH = 60.0
COARSE_S = 600.0
"""Even steps where many walks are compared."""
_DRAWS_OF_SIZE = 400
_FAR, _MOST_STEPS, _QUICK_STEPS = 3.0, 600, 90
"""Times as long as now is as good as for ever, where changes are compared; and in so many steps at most."""
_SIZES, _WIDER, _PAST = (1e-3, 1e4), 1.25, 1.1


@dataclass(frozen=True, eq=False)
class OutlookAnswer:
    """An outlook.

    Attributes
    ----------
    middle : the walk of the middle of everything
    runtime_s : None where it never goes dark
    low_s, high_s : its band; inf for an end without end; equal to the middle where nothing is in doubt
    first : what goes first in the middle; None where nothing does
    firsts : (cause, share of the draws) from the most frequent
    forever : share of the draws that never go dark
    beyond : whether it lasts longer than was looked
    by_load, lost : (name, Wh) until it goes dark; energy_wh and lost_wh their sums
    band : (time_s, low, high) of what is left, for drawing; empty where nothing is in doubt
    """

    middle: Walk
    runtime_s: float | None
    low_s: float
    high_s: float
    first: Cause | None
    firsts: tuple[tuple[Cause, float], ...]
    forever: float
    beyond: bool
    by_load: tuple[tuple[str, float], ...]
    lost: tuple[tuple[str, float], ...]
    band: tuple[Array, Array, Array]
    drawn_s: Array

    @property
    def energy_wh(self) -> float:
        """Delivered to the loads."""
        return sum(wh for _, wh in self.by_load)

    @property
    def lost_wh(self) -> float:
        return sum(wh for _, wh in self.lost)

    def chance(self, seconds: float) -> float:
        """Share of the draws that last so long."""
        if not len(self.drawn_s):
            return float(self.runtime_s is None or self.runtime_s >= seconds)
        return float(np.mean(self.drawn_s >= seconds))


def require_sound(kit: Kit) -> None:
    """Raise with a sentence when a kit cannot be looked at.

    Raises
    ------
    QuantityError
        No source, nothing drawn, nothing usable, an efficiency that cannot be, a negative load.
    """
    if not kit.sources:
        raise QuantityError(say("There is nothing to run from: name a source with its energy, like “640 Wh”."))
    for way in kit.ways:
        if way.loss is None and not 0 < way.efficiency.value <= 1:
            raise QuantityError(say("{name}: an efficiency lies above 0 and up to 100 %.", name=way.name))
        if way.idle.value < 0:
            raise QuantityError(say("{name}: an idle draw cannot be negative.", name=way.name))
    for load in kit.loads:
        if load.drawn.value < 0 or load.standby.value < 0:
            raise QuantityError(say("{name}: a load cannot be negative.", name=load.name))
        if load.way and kit.way_of(load) is None:
            raise QuantityError(
                say(
                    "{name} goes through “{way}”, which is none of the ways: {ways}.",
                    name=load.name,
                    way=load.way,
                    ways=", ".join(w.name for w in kit.ways) or say("there are none"),
                )
            )
    for one in kit.inputs:
        if one.watts.value < 0:
            raise QuantityError(say("{name}: what comes in cannot be negative.", name=one.name))
    for source in kit.sources:
        if not source.energy_wh > 0:
            raise QuantityError(say("{name} holds nothing: give its energy, like “640 Wh”.", name=source.name))
    if not sum(s.usable_wh for s in kit.sources) > 0:
        raise QuantityError(say("Nothing is left to use: keep less back."))
    drawn = sum(load.drawn.value * load.duty.day_share + load.standby.value for load in kit.loads)
    if not drawn + sum(w.idle.value if w.loss is None else w.loss[0].value for w in kit.ways) > 0:
        raise QuantityError(say("Nothing is drawn: give a load, like “58 W”."))


def look(kit: Kit, count: int = DRAWS, step_s: float | None = None, seed: int = 0) -> OutlookAnswer:
    """The outlook of a kit.

    Raises
    ------
    QuantityError
        See :func:`require_sound`.
    """
    require_sound(kit)
    horizon = horizon_of(kit)
    base = walk_kit(kit, step_s=step_s, horizon_s=horizon)
    runtime, first, beyond = _end_of(base)
    by_load, lost = _energies(base)
    drawn = draws(kit, count, seed) if count and not _is_sure(kit) else None
    if drawn is None:
        end = math.inf if runtime is None else runtime
        only = ((first, 1.0),) if first is not None else ()
        return OutlookAnswer(base, runtime, end, end, first, only, float(runtime is None), beyond, by_load, lost, _no_band(), np.array([]))
    many = walk_kit(kit, drawn, step_s=step_s, horizon_s=horizon)
    ends = many.end_s + _turns(kit, count, seed)
    low, high = (float(x) for x in np.percentile(ends, BAND, method="inverted_cdf"))
    middle_s = math.inf if runtime is None else runtime
    counted = Counter(int(c) for c in many.cause)
    firsts = tuple((many.causes[c], n / count) for c, n in counted.most_common() if c < len(many.causes))
    rows = np.linspace(0, len(many.time_s) - 1, min(len(many.time_s), 400)).astype(int)
    band = (many.time_s[rows], *np.percentile(many.left[rows], BAND, axis=1))
    return OutlookAnswer(
        base,
        runtime,
        min(low, middle_s),
        max(high, middle_s),
        first,
        firsts,
        counted[len(many.causes)] / count,
        beyond,
        by_load,
        lost,
        band,
        np.maximum(ends, 0.0),
    )


def _turns(kit: Kit, count: int, seed: int) -> Array:
    """(count,) seconds by which its end moves, as nobody knows where in its turn each load that cycles is then."""
    volts = kit.sources[0].mean_v
    mean_w = max(mean_drain_w(kit), 1e-9)
    rng = np.random.default_rng(seed + 1)
    moved = np.zeros(count)
    for load in kit.loads:
        share = load.duty.share.value
        if 0 < share < 1:
            period = load.duty.period_s or USUAL_PERIOD_S
            swing = watts_of(load, volts) * share * (1 - share) * period / 2 / mean_w
            moved += rng.uniform(-swing, swing, count) + rng.uniform(-swing, swing, count)  # as it begins, and as it ends
    return moved


def look_quickly(kit: Kit) -> OutlookAnswer:
    """The middle alone, in few steps: for what moves under a hand.

    Raises
    ------
    QuantityError
        See :func:`require_sound`.
    """
    require_sound(kit)
    return look(kit, 0, max(COARSE_S, horizon_of(kit) / _QUICK_STEPS))


def _no_band() -> tuple[Array, Array, Array]:
    return np.array([]), np.array([]), np.array([])


def _end_of(base: Walk) -> tuple[float | None, Cause | None, bool]:
    cause = int(base.cause[0])
    if cause < len(base.causes):
        return float(base.end_s[0]), base.causes[cause], False
    if cause == len(base.causes):
        return None, None, False
    return float(base.horizon_s), None, True


def _is_sure(kit: Kit) -> bool:
    if any(0 < load.duty.share.value < 1 and load.duty.period_s for load in kit.loads):
        return False
    every = (
        [s.full for s in kit.sources]
        + [load.drawn for load in kit.loads]
        + [load.standby for load in kit.loads]
        + [load.duty.share for load in kit.loads]
    )
    every += [s.capacity for s in kit.sources] + [s.exponent for s in kit.sources if s.rate]
    every += [s.curve.ohm for s in kit.sources if s.curve is not None] + [i.watts for i in kit.inputs]
    every += [part for way in kit.ways for part in (way.loss or (way.efficiency, way.idle))]
    return all(one.is_sure for one in every)


def _energies(base: Walk) -> tuple[tuple[tuple[str, float], ...], tuple[tuple[str, float], ...]]:
    """Wh into each load, and lost in each place, until it goes dark; where it never does, over what was walked."""
    kit, d = base.kit, base.demand
    end = min(float(base.end_s[0]), float(base.time_s[-1]))
    hours = np.clip(np.minimum(base.time_s[1:], end) - base.time_s[:-1], 0.0, None) / 3600
    place = {load.name: i for i, load in enumerate(kit.loads)}
    loads = tuple((load.name, float(d.load_w[:, place[load.name]] @ hours)) for load in kit.loads)
    lost = [(way.name, float(d.lost_w[:, j, 0] @ hours)) for j, way in enumerate(kit.ways)]
    lost += [(say("leads to {name}", name=w.name), float(d.lead_w[:, j, 0] @ hours)) for j, w in enumerate(kit.ways) if w.lead_ohm]
    lost += [(say("inside the source"), float(base.inner_wh[0]))] if base.inner_wh[0] > 0 else []
    return loads, tuple(lost)


def idle_wh(looked: OutlookAnswer) -> float:
    """Of what is lost, what standing by takes in all ways."""
    base = looked.middle
    end = min(float(base.end_s[0]), float(base.time_s[-1]))
    return sum((w.loss[0].value if w.loss is not None else w.idle.value) * end / 3600 for w in base.kit.ways if not w.switched)


# what buys time


@dataclass(frozen=True)
class KitChange:
    """A change within reach, as words, and the kit with it."""

    name: str
    kit: Kit


def changes(kit: Kit) -> list[KitChange]:
    """What could be done about a kit."""
    found: list[KitChange] = []
    for load in kit.loads:
        if load.guessed:
            continue
        if load.way and (way := kit.way_of(load)) is not None:
            others = [one for one in kit.loads if one.way == way.name and one is not load]
            straight = _with_load(kit, load, replace(load, way=""))
            ways = kit.ways if others else tuple(w for w in kit.ways if w is not way)
            found.append(KitChange(say("{name} straight from the source", name=load.name), replace(straight, ways=ways)))
        if load.standby.value > 0:
            found.append(
                KitChange(say("{name} unplugged between", name=load.name), _with_load(kit, load, replace(load, standby=Uncertain(0.0))))
            )
        found.append(
            KitChange(say("{name} 10 % smaller", name=load.name), _with_load(kit, load, replace(load, drawn=load.drawn.times(0.9))))
        )
        if len(kit.loads) > 1:
            rest = replace(kit, loads=tuple(one for one in kit.loads if one is not load))
            found.append(KitChange(say("without {name}", name=load.name), rest))
    for way in kit.ways:
        if way.lead_ohm > 0:
            halved = replace(way, lead_ohm=way.lead_ohm * 0.4)
            found.append(KitChange(say("leads of 2.5 times the section to {name}", name=way.name), _with_way(kit, way, halved)))
        if not way.switched and (way.idle.value > 0 or way.loss is not None) and not all(one.duty.is_always for one in kit.loads):
            found.append(KitChange(say("{name} off between", name=way.name), _with_way(kit, way, replace(way, switched=True))))
    first = kit.sources[0]
    if first.usable < 1 or first.kept_wh > 0:
        found.append(KitChange(say("nothing kept back"), replace(kit, sources=(replace(first, usable=1.0, kept_wh=0.0), *kit.sources[1:]))))
    found.append(KitChange(say("20 W more coming in"), replace(kit, inputs=(*kit.inputs, Input(say("more"), Uncertain(20.0))))))
    return found


def _with_load(kit: Kit, load: Load, other: Load) -> Kit:
    return replace(kit, loads=tuple(other if one is load else one for one in kit.loads))


def _with_way(kit: Kit, way: Way, other: Way) -> Kit:
    return replace(kit, ways=tuple(other if one is way else one for one in kit.ways))


def what_buys_time(kit: Kit, most: int = 3, step_s: float | None = COARSE_S) -> list[tuple[str, float]]:
    """The changes that buy the most, with the seconds each adds; inf where it would never go dark."""
    base = _seconds(kit, step_s, horizon_of(kit))
    if base is None:
        return []
    far = _FAR * base + 2 * DAY_S
    gains = []
    for change in changes(kit):
        try:
            require_sound(change.kit)
        except QuantityError:
            continue
        found = _seconds(change.kit, step_s, min(horizon_of(change.kit), far))
        gains.append((change.name, math.inf if found is None else found - base))
    best = sorted((g for g in gains if g[1] >= _WORTH), key=lambda g: -g[1])
    return best[:most]


def _seconds(kit: Kit, step_s: float | None, horizon_s: float) -> float | None:
    found = walk_kit(kit, step_s=max(step_s or 0.0, horizon_s / _MOST_STEPS), horizon_s=horizon_s)
    runtime, _, beyond = _end_of(found)
    return None if beyond else runtime


# what size it takes


@dataclass(frozen=True)
class Size:
    """Wh to buy: in the middle, at the confidence that was asked for, and the sum; None for what no size holds."""

    needed_wh: float | None
    confident_wh: float | None
    confidence: float
    working: str
    why_not: str = ""


def size(kit: Kit, target_s: float, confidence: float = 0.9) -> Size:
    """Energy of the first source, in the same words as it was given, with which it lasts so long.

    Raises
    ------
    QuantityError
        See :func:`require_sound`; or no time.
    """
    require_sound(kit)
    if not target_s > 0:
        raise QuantityError(say("Say for how long, like “8 h”."))
    drain = mean_drain_w(kit)
    if drain <= 0 and not kit.varies:
        return Size(0.0, 0.0, confidence, say("As much comes in as goes out: a small one that bridges the gaps will do."))
    scaled = _scaled(kit)
    whole = kit.sources[0].energy_wh

    coarse = max(COARSE_S, target_s / 300)

    def beyond(factor: float, drawn: Drawn, share: float) -> float:
        """Seconds past the target that this share of the draws lasts at least; as far as is worth looking."""
        ends = walk_kit(scaled(factor), _scaled_draws(drawn, factor), coarse, target_s * _PAST).end_s
        last = math.ceil(share * len(ends) - 1e-9)
        return min(float(np.partition(ends, len(ends) - last)[len(ends) - last]), target_s * _PAST) - target_s * (1 - 1e-13)

    exact = 1e-13 if not any(s.curve is not None for s in kit.sources) else 1e-5
    needed = _smallest(lambda f: beyond(f, as_it_stands(kit), 1.0), _guess(kit, target_s), exact)
    if needed is None:
        return Size(None, None, confidence, "", _why_not(kit, scaled(_SIZES[1] ** 0.5), target_s))
    some = None if _is_sure(kit) else draws(kit, _DRAWS_OF_SIZE)
    sure = None if some is None else _smallest(lambda f: beyond(f, some, confidence), needed * 1.1, 2e-3)
    working = say(
        "{hours} h × {drain} W on average, {usable} % of it usable",
        hours=plain(target_s / 3600, 4),
        drain=plain(drain, 4),
        usable=plain(100 * kit.sources[0].usable_wh / whole, 3),
    )
    return Size(needed * whole, None if sure is None else sure * whole, confidence, working)


def _guess(kit: Kit, target_s: float) -> float:
    """A factor near what it takes, by the pencil."""
    first = kit.sources[0]
    rest = sum(s.usable_wh for s in kit.sources[1:])
    wanted = max(mean_drain_w(kit) * target_s / 3600 - rest + first.kept_wh, 1e-6)
    share = (first.usable_wh + first.kept_wh) / first.energy_wh
    return min(max(wanted / (first.energy_wh * max(share, 1e-9)), _SIZES[0]), _SIZES[1])


def _smallest(beyond: Callable[[float], float], near: float, tolerance: float) -> float | None:
    """The smallest factor at which ``beyond`` is not negative, to this share of it; None where there is none. It never falls with the factor."""
    low, high, below, above = near, near, -math.inf, math.inf
    found = beyond(near)
    if found < 0:
        below = found
        while above == math.inf:
            high = high * _WIDER
            if high > _SIZES[1]:
                return None
            found = beyond(high)
            low, below, above = (low, below, found) if found >= 0 else (high, found, above)
    else:
        above = found
        while below == -math.inf:
            low = low / _WIDER
            if low < _SIZES[0] * 1e-3:
                return high
            found = beyond(low)
            high, above, below = (high, above, found) if found < 0 else (low, found, below)
    turned = False
    while high - low > tolerance * high:
        share = 0.5 if turned else below / (below - above)  # straight between the two, and halved where that stalls
        between = low + (high - low) * share
        between = min(max(between + 0.25 * tolerance * high, low + 0.25 * tolerance * high), high - 0.25 * tolerance * high)
        found, width = beyond(between), high - low
        low, high, below, above = (low, between, below, found) if found >= 0 else (between, high, found, above)
        turned = not turned and high - low > 0.5 * width
    return high


def _scaled(kit: Kit) -> Callable[[float], Kit]:
    """The kit with its first source a factor larger: more cells side by side, so less resistance and more current."""
    first = kit.sources[0]

    def made(factor: float) -> Kit:
        curve = first.curve
        if curve is not None:
            curve = replace(curve, ohm=curve.ohm.times(1 / factor), rate_a=curve.rate_a * factor)
        rate = None if first.rate is None else first.rate * factor
        larger = replace(first, capacity=first.capacity.times(factor), curve=curve, rate=rate)
        return replace(kit, sources=(larger, *kit.sources[1:]))

    return made


def _scaled_draws(drawn: Drawn, factor: float) -> Drawn:
    capacity, ohm = drawn.capacity.copy(), drawn.ohm.copy()
    capacity[0] *= factor
    ohm[0] /= factor
    return replace(drawn, capacity=capacity, ohm=ohm)


def _why_not(kit: Kit, large: Kit, target_s: float) -> str:
    found = walk_kit(large, horizon_s=target_s * 1.0001)
    cause = int(found.cause[0])
    what = cause_text(found.causes[cause], kit) if cause < len(found.causes) else say("it goes dark all the same")
    return say("No size lasts so long: {what}.", what=what)


def jobs(kit: Kit, job_wh: Uncertain, way: Way | None = None) -> tuple[float, float, float]:
    """How many jobs of so many Wh the sources' usable energy does: middle, and its band."""
    rng = np.random.default_rng(0)
    usable = sum(s.usable_wh for s in kit.sources)
    eta = way.efficiency if way is not None else Uncertain(1.0)
    value = usable * eta.value / job_wh.value
    drawn = (
        sum(
            np.maximum(s.capacity.draw(rng, DRAWS) * s.mean_v * (s.full.draw(rng, DRAWS) - 1 + s.usable) - s.kept_wh, 0.0)
            for s in kit.sources
        )
        * eta.draw(rng, DRAWS)
        / np.maximum(job_wh.draw(rng, DRAWS), 1e-12)
    )
    low, high = (float(x) for x in np.percentile(drawn, BAND))
    return value, min(low, value), max(high, value)


def time_to_put_back(kit: Kit) -> list[tuple[str, float]]:
    """(input, seconds): how long each alone takes to put back what was used, loads off, by its mean over a day; ways that stay on drain meanwhile."""
    used = sum(s.usable_wh for s in kit.sources)
    stored = kit.sources[0].stored
    clock = np.arange(0.0, DAY_S, 600.0)
    found = []
    for one in kit.inputs:
        mean_w = float(np.mean(np.minimum(one.at(clock) * one.watts.value, one.limit_w))) * stored
        if mean_w > 0:
            found.append((one.name, used / mean_w * 3600))
    return found


# words


def cause_text(cause: Cause, kit: Kit) -> str:
    """What goes first, as one would say it."""
    if cause.kind == EMPTY:
        source = next((s for s in kit.sources if s.name == cause.name), None)
        if source is not None and (source.usable < 1 or source.kept_wh > 0):
            return say("{name} is down to what is kept back", name=cause.name)
        return say("{name} is empty", name=cause.name)
    return {
        "cut-off": say("{name} cuts off on its loaded volts", name=cause.name),
        TOO_MUCH: say("more is asked of {name} than it carries", name=cause.name),
        "sags": say("{name} goes off on sagging volts", name=cause.name),
        "opens": say("the fuse of {name} opens", name=cause.name),
        "gives up": say("{name} gives up on low volts", name=cause.name),
    }[cause.kind]


def watts_of(load: Load, volts: float) -> float:
    """What it draws while it is on, at so many volts."""
    return load.drawn.value * (volts if load.kind == CURRENT else 1.0)


def simple_kit(source: Source, load: Uncertain, duty: Duty, way: Way, coming_in: Uncertain) -> Kit:
    """Battery, one load, one way, one input."""
    loads = (Load(say("load"), load, duty, way=way.name),)
    inputs = (Input(say("input"), coming_in),) if coming_in.value else ()
    return Kit((source,), loads, (way,), inputs)
