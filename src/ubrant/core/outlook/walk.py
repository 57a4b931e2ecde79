"""A kit walked through time: what each moment draws, what it leaves in the sources, and what goes first. One walk or a thousand at once.

At each step the loads' mean and its variance over their duty pass the ways' losses, E[loss] = p₀ + a·E[P] + b·(E[P]² + Var[P]), so that
the losses of a load that comes and goes are averaged and not those of its mean. A source with a curve gives I = P ÷ (V₀ − I·R), and its
charge goes down by I·(I ÷ I_measured)^(k − 1), after Peukert (1897) about the rate it was measured at.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from ubrant.core.outlook.demand import Demand, demand_of
from ubrant.core.outlook.draws import Drawn, as_it_stands
from ubrant.core.outlook.duty import DAY_S
from ubrant.core.outlook.kit import GENTLEST, Kit
from ubrant.core.quantities.readings import Array

EMPTY, CUT_OFF, TOO_MUCH, SAGS, GIVES_UP, OPENS = "empty", "cut-off", "too much", "sags", "gives up", "opens"
Mask = npt.NDArray[np.bool_]
_GRID = 1024
_LONGEST_S, _WITH_ENGINE_S = 60 * DAY_S, 10 * DAY_S
_STEPS, _FEW = 400, 60
_ALIKE = 1e-9
_TURNS, _DAYS_OF_ENGINE = 0.005, 3


@dataclass(frozen=True)
class Cause:
    """What can go first: a kind (EMPTY, CUT_OFF, TOO_MUCH, SAGS, GIVES_UP, OPENS) and whose it is."""

    kind: str
    name: str


@dataclass(frozen=True, eq=False)
class Walk:
    """What became of a kit in each of D draws.

    Attributes
    ----------
    time_s : (n + 1,) from when it was switched on
    demand : what was drawn at each of the n steps
    left : (n + 1, D) share that is left of all sources together
    volts : (n + 1, D) at the source in use; 1 where nobody knows them
    end_s : (D,) when it goes dark; inf where it never does
    down_s : (D,) of it, for changing sources over
    cause : (D,) place in ``causes`` of what went first
    inner_wh : (D,) lost inside the sources
    hand_overs : (seconds, the name of what takes over) in the first draw
    horizon_s : as far as was looked
    """

    kit: Kit
    time_s: Array
    demand: Demand
    left: Array
    volts: Array
    end_s: Array
    down_s: Array
    cause: npt.NDArray[np.intp]
    causes: tuple[Cause, ...]
    inner_wh: Array
    hand_overs: tuple[tuple[float, str], ...]
    horizon_s: float


def mean_drain_w(kit: Kit) -> float:
    """In the middle, mean over a day: what leaves the sources less what comes in."""
    time = np.arange(0.0, DAY_S + 1, 600.0) if kit.varies else np.array([0.0, 600.0])
    demand = demand_of(kit, as_it_stands(kit), time)
    watts = demand.bus_w[:, 0] + demand.ohmic_s[:, 0] * _volts(kit) ** 2 + demand.amps[:, 0] * _volts(kit) - demand.into_w[:, 0]
    return float(np.mean(watts))


def _volts(kit: Kit) -> float:
    return kit.sources[0].mean_v


def horizon_of(kit: Kit) -> float:
    """Seconds worth looking ahead: past the end of any but the luckiest draws."""
    usable = sum(s.usable_wh for s in kit.sources)
    drain = mean_drain_w(kit)
    longest = _LONGEST_S if kit.varies else math.inf
    if any(one.starts_at is not None for one in kit.inputs):
        return _WITH_ENGINE_S
    if drain <= 0:
        return 3 * DAY_S if kit.varies else DAY_S
    likely = usable / drain * 3600
    swaps = sum(s.swap_s for s in kit.sources)
    return min(max(2.0 * likely + (DAY_S if kit.varies else 0.0), 60.0) + swaps, longest)


def times_of(kit: Kit, horizon_s: float, step_s: float | None) -> Array:
    """(n + 1,) edges of the steps: even ones, and wherever anything begins or ends."""
    if step_s is None:
        step_s = min(max(horizon_s / 1200, 60.0), 600.0)
    if not kit.varies:
        step_s = horizon_s / (_STEPS if any(s.curve is not None for s in kit.sources) else _FEW)
    edges = [np.arange(0.0, horizon_s, step_s), np.array([horizon_s])]
    if kit.varies:
        duties = [load.duty for load in kit.loads] + [one.duty for one in kit.inputs]
        clock = {edge % DAY_S for duty in duties for window in duty.windows for edge in window}
        days = np.arange(0.0, horizon_s + DAY_S, DAY_S)
        edges += [days - kit.starts_s + at for at in clock] + [days]
    found = np.unique(np.round(np.concatenate(edges), 6))
    return np.asarray(found[(found >= 0) & (found <= horizon_s)], dtype=float)


def walk_kit(kit: Kit, drawn: Drawn | None = None, step_s: float | None = None, horizon_s: float | None = None) -> Walk:
    """The kit from when it is switched on until it goes dark.

    Parameters
    ----------
    drawn : what to walk with; the middle of everything unless given
    step_s : even steps; as fine as it needs unless given
    horizon_s : how far to look
    """
    drawn = drawn if drawn is not None else as_it_stands(kit)
    horizon_s = horizon_s if horizon_s is not None else horizon_of(kit)
    time = times_of(kit, horizon_s, step_s)
    demand = demand_of(kit, drawn, time)
    return _Walker(kit, drawn, time, demand).run(horizon_s)


class _Walker:
    """The state of D walks at once: (S, D) share left of each source, and which is in use."""

    def __init__(self, kit: Kit, drawn: Drawn, time: Array, demand: Demand) -> None:
        self.kit, self.drawn, self.time, self.demand = kit, drawn, time, demand
        self.count = drawn.count
        sources = kit.sources
        self.table = np.array([_table(s.curve.share, s.curve.volts) if s.curve else np.ones(_GRID + 1) for s in sources])
        self.flat = self.table.ravel()
        self.rate_a = np.array([s.curve.rate_a if s.curve else 0.0 for s in sources])
        self.cutoff_v = np.array([s.curve.cutoff_v if s.curve else 0.0 for s in sources])
        self.max_w = np.array([s.max_w for s in sources])
        self.rate = np.array([s.rate or 0.0 for s in sources], float)
        self.has_rate = bool(self.rate.any()) and not bool((drawn.exponent == 1.0).all())
        self.stored = np.array([s.stored for s in sources], float)
        self.taper = np.array([s.taper_from for s in sources], float)
        volts = np.array([s.mean_v for s in sources])
        kept = np.array([s.kept_wh for s in sources])[:, None] / volts[:, None] / np.maximum(drawn.capacity, 1e-12)
        self.floor = np.minimum(1 - np.array([s.usable for s in sources])[:, None] + kept, 1.0)
        self.left = drawn.full.copy()
        self.weight = drawn.capacity * volts[:, None] / np.maximum((drawn.capacity * volts[:, None]).sum(axis=0), 1e-12)
        self.active = np.zeros(self.count, np.intp)
        self.places = np.arange(self.count)
        self.v = volts[self.active].astype(float)
        self.end = np.full(self.count, np.inf)
        self.down = np.zeros(self.count)
        self.swap_left = np.zeros(self.count)
        self.cause = np.full(self.count, -1, np.intp)
        self.inner = np.zeros(self.count)
        self.margins_before: Array | None = None
        self.handed: list[tuple[float, str]] = []
        self.causes = (
            *(Cause(EMPTY, s.name) for s in sources),
            *(Cause(CUT_OFF, s.name) for s in sources),
            *(Cause(TOO_MUCH, s.name) for s in sources),
            *(Cause(SAGS, w.name) for w in kit.ways),
            *(Cause(TOO_MUCH, w.name) for w in kit.ways),
            *(Cause(GIVES_UP, load.name) for load in kit.loads),
            *(Cause(OPENS, w.name) for w in kit.ways),
        )
        self.started = [(i, one.starts_at, one.until) for i, one in enumerate(kit.inputs) if one.starts_at is not None]
        self.runs = np.zeros((len(kit.inputs), self.count), bool)
        self.into = np.zeros(self.count)
        self.watched = [(k, w.cutoff_v, w.lead_ohm) for k, w in enumerate(kit.ways) if w.cutoff_v > 0 and self._has_volts()]
        self.fused = [(k, w.fuse_a) for k, w in enumerate(kit.ways) if math.isfinite(w.fuse_a) and self._has_volts()]
        self.giving_up = [(k, load.gives_up_v) for k, load in enumerate(kit.loads) if load.gives_up_v > 0 and self._has_volts()]
        self.is_watched = bool(self.watched or self.giving_up or self.cutoff_v.any())
        self._look_up()

    def _look_up(self) -> None:
        """What the sources in use are like, (D,); the same until one hands over."""
        a, p = self.active, self.places
        self.ohm_now, self.capacity_now = self.drawn.ohm[a, p], np.maximum(self.drawn.capacity[a, p], 1e-12)
        self.floor_now, self.max_now = self.floor[a, p], self.max_w[a]
        self.offset_now = self.rate_a[a] * self.ohm_now
        self.cutoff_now = np.where(self.cutoff_v[a] > 0, self.cutoff_v[a], -np.inf)
        self.stored_now, self.taper_now = self.stored[a], self.taper[a]
        self.rate_now, self.exponent_now = self.rate[a], self.drawn.exponent[a, p] - 1
        self.row_now = a * (_GRID + 1)

    def _has_volts(self) -> bool:
        return any(s.curve is not None for s in self.kit.sources)

    def run(self, horizon_s: float) -> Walk:
        n = len(self.time) - 1
        left, volts = np.zeros((n + 1, self.count)), np.ones((n + 1, self.count))
        day_before = left[0] = self._total()
        lowest, lowest_before = np.ones(self.count), np.ones(self.count)
        volts[0] = self.v
        reached = n
        for k in range(n):
            self._step(k)
            left[k + 1], volts[k + 1] = self._total(), self.v
            at = float(self.time[k + 1])
            lowest = np.minimum(lowest, left[k + 1])
            if at % DAY_S == 0 and self.kit.varies:
                if self.started:  # an engine's turns are not those of the day: the lowest of each is held against that of the one before
                    forever = (self.cause < 0) & (lowest >= lowest_before - _TURNS) & (at >= _DAYS_OF_ENGINE * DAY_S)
                else:
                    forever = (self.cause < 0) & (left[k + 1] >= day_before - _ALIKE)
                self.cause[forever] = len(self.causes)
                day_before, lowest_before, lowest = left[k + 1], lowest, np.ones(self.count)
            if (self.cause >= 0).all():
                reached = k + 1
                break
        left[reached + 1 :], volts[reached + 1 :] = left[reached], volts[reached]
        if not self.kit.varies:
            never = (self.cause < 0) & (self._net(n - 1) <= _ALIKE)
            self.cause[never] = len(self.causes)
        beyond = self.cause < 0  # it lasts longer than was looked
        self.cause[beyond] = len(self.causes) + 1
        self.end[beyond] = horizon_s
        return Walk(
            self.kit,
            self.time,
            self.demand,
            left,
            volts,
            self.end,
            self.down,
            self.cause,
            self.causes,
            self.inner,
            tuple(self.handed),
            horizon_s,
        )

    def _total(self) -> Array:
        return np.asarray((self.left * self.weight).sum(axis=0))

    def _net(self, k: int) -> Array:
        d = self.demand
        return np.asarray(d.bus_w[k] + d.ohmic_s[k] * self.v**2 + d.amps[k] * self.v - d.into_w[k])

    def _stop(self, where: Mask, cause: int, at: Array | float) -> None:
        """Dark from here on, unless it was before."""
        fresh = where & (self.cause < 0)
        self.cause[fresh] = cause
        self.end[fresh] = at if isinstance(at, float) else np.broadcast_to(at, (self.count,))[fresh]

    def _step(self, k: int) -> None:
        """One step of the clock; a source that goes in the middle of it hands over to the next for the rest."""
        whole = float(self.time[k + 1] - self.time[k])
        rest = np.where(self.cause < 0, whole, 0.0)
        if (self.swap_left > 0).any():
            waits = np.minimum(self.swap_left, rest)
            self.swap_left, self.down, rest = self.swap_left - waits, self.down + waits, rest - waits
        self._limits(k)
        self._start_what_waits(k)
        for _ in range(len(self.kit.sources) + 1):
            rest = np.where(self.cause < 0, rest, 0.0)
            if not (rest > 0).any():
                break
            rest = self._draw(k, rest, whole)

    def _start_what_waits(self, k: int) -> None:
        """What comes in at this step, with an engine that is started at an alarm and runs until enough is back."""
        self.into = self.demand.into_w[k]
        left = self._total() if self.started else None
        for i, starts_at, until in self.started:
            assert left is not None
            self.runs[i] = np.where(self.runs[i], left < until, left <= starts_at)
            self.into = self.into + np.where(self.runs[i], self.demand.started_w[k, i], 0.0)

    def _limits(self, k: int) -> None:
        """What is over a way's rating whatever the source does."""
        d, s = self.demand, len(self.kit.sources)
        at = float(self.time[k])
        for j in d.limited:
            over = (d.way_w[k, j] > self.drawn.way_max[j]) | (d.way_peak_w[k, j] > self.drawn.way_surge[j])
            if over.any():
                self._stop(over, 3 * s + len(self.kit.ways) + j, at)

    def _draw(self, k: int, rest: Array, whole: float) -> Array:
        """Draw from (or charge) the source in use for ``rest`` seconds; what is left of it after a hand-over."""
        d, a, p = self.demand, self.active, self.places
        ohm, sources = self.ohm_now, len(self.kit.sources)
        soc = self.left[a, p]
        v0 = self._open(soc) + self.offset_now
        lowest, net, ohmic, steady = 0.3 * v0, d.bus_w[k] - self.into, d.ohmic_s[k], d.amps[k]
        v = np.minimum(self.v, v0)
        for _ in range(3):
            v = np.maximum(v0 - (net / v + ohmic * v + steady) * ohm, lowest)
        amps = net / v + ohmic * v + steady + ohm * d.variance[k] / v**3
        self.v = v0 - amps * ohm
        gone = self._margins(k, v0, ohm, amps, rest, whole)
        live = (rest > 0) & (self.cause < 0) & ~gone
        used = amps * self._rate_factor(amps)
        charging = used < 0
        if charging.any():
            room = np.clip((1 - soc) / np.maximum(1 - self.taper_now, 1e-9), 0.0, 1.0)
            used = np.where(charging, used * self.stored_now * np.where(self.taper_now < 1, room, 1.0), used)
        step = np.where(live, used * rest / 3600 / self.capacity_now, 0.0)
        over = soc - self.floor_now
        empties = (step > over * (1 - 1e-12)) & (step > 0)
        burnt = np.where(live, amps**2 * ohm * rest / 3600, 0.0)
        if not empties.any() and not gone.any():  # as most of the time
            self.left[a, p] = np.minimum(soc - step, 1.0)
            self.inner += burnt
            return np.where(live, 0.0, rest)
        part = np.where(empties, np.clip(np.divide(over, step, out=np.ones_like(step), where=step > 0), 0.0, 1.0), 1.0)
        self.left[a, p] = np.where(live, np.minimum(soc - step * part, 1.0), soc)
        self.inner += burnt * part
        after = np.where(live & ~empties, 0.0, rest * (1 - np.where(live, part, 0.0)))
        self._hand_over(empties, k, self.time[k + 1] - after, 0)
        self._hand_over(gone & (self.cause < 0), k, self.time[k + 1] - after, sources)
        return after

    def _rate_factor(self, amps: Array) -> Array | float:
        if not self.has_rate:
            return 1.0
        measured = self.rate_now
        ratio = np.where(measured > 0, np.maximum(amps, 1e-9) / np.maximum(measured, 1e-12), 1.0)
        return np.asarray(np.exp(self.exponent_now * np.log(np.maximum(ratio, GENTLEST))))

    def _open(self, soc: Array) -> Array:
        place = np.minimum(np.maximum((1 - soc) * _GRID, 0.0), _GRID - 1e-9)
        low = place.astype(np.intp)
        at = self.row_now + low
        below = self.flat.take(at)
        return np.asarray(below + (self.flat.take(at + 1) - below) * (place - low))

    def _margins(self, k: int, v0: Array, ohm: Array, amps: Array, rest: Array, whole: float) -> Mask:
        """What the volts and the watts of this moment do not bear; where it is the source's own, True: the next one takes over."""
        d, s = self.demand, len(self.kit.sources)
        a = self.active
        gone = np.zeros(self.count, bool)
        peak = d.peak_w[k] - np.minimum(self.into, d.peak_w[k])
        if self.is_watched:
            low = v0 - ohm * (peak / np.maximum(self.v, 1e-9) + d.ohmic_s[k] * self.v + d.amps[k])
            collapsed = peak * 4 * ohm > v0**2
            margins = [low - self.cutoff_now]
            margins += [low - d.way_peak_w[k, j] / np.maximum(low, 0.3 * v0) * lead - cutoff for j, cutoff, lead in self.watched]
            margins += [np.where(d.is_on[k, j], low - volts, np.inf) for j, volts in self.giving_up]
            now = np.array(margins)
            if (now < 0).any() or collapsed.any():
                at = self._crossing(k, now, rest, whole)
                for row, (j, _, _) in enumerate(self.watched, start=1):
                    self._stop((now[row] < 0) & (rest > 0), 3 * s + j, at[row])
                for row, (j, _) in enumerate(self.giving_up, start=1 + len(self.watched)):
                    self._stop((now[row] < 0) & (rest > 0), 3 * s + 2 * len(self.kit.ways) + j, at[row])
                gone = ((now[0] < 0) | collapsed) & (rest > 0)
                self._own_end = at[0]
            self.margins_before = now
        for j, fuse_a in self.fused:
            opens = (d.way_into_w[k, j] > fuse_a * self.v) & (rest > 0)
            if opens.any():
                self._stop(opens, 3 * s + 2 * len(self.kit.ways) + len(self.kit.loads) + j, float(self.time[k]))
        steady = d.bus_w[k] - self.into
        too_much = (steady > self.max_now) | (False if self.is_watched else steady * 4 * ohm > v0**2)  # no source gives more than V²/4R
        too_much = too_much & (rest > 0)
        if too_much.any():
            self._stop(too_much & (a == s - 1), 2 * s + s - 1, float(self.time[k]))
            gone = gone | too_much
        return gone

    def _crossing(self, k: int, now: Array, rest: Array, whole: float) -> Array:
        """(m, D) when each margin went through nothing: within the step before, where the same was drawn then; else now."""
        start = float(self.time[k + 1]) - rest
        before = self.margins_before
        if before is None or k == 0 or not self.demand.same_as_before[k] or before.shape != now.shape:
            return np.broadcast_to(start, now.shape)
        back = float(self.time[k] - self.time[k - 1])
        with np.errstate(invalid="ignore", divide="ignore"):
            share = np.where((before > 0) & (now < 0), now / (now - before), 0.0)
        whole_step = rest >= whole - _ALIKE
        return np.asarray(np.where(whole_step, start - np.nan_to_num(share) * back, start))

    def _hand_over(self, where: Mask, k: int, at: Array, first_cause: int) -> None:
        """The next source takes over where there is one; else it is dark."""
        if not where.any():
            return
        sources = self.kit.sources
        last = where & (self.active == len(sources) - 1)
        if last.any():
            when = at if first_cause == 0 else getattr(self, "_own_end", at)
            for j in np.unique(self.active[last]):
                self._stop(last & (self.active == j), first_cause + int(j), when)
        goes_on = where & ~last
        if goes_on.any():
            if goes_on[0]:
                self.handed.append((float(np.broadcast_to(at, (self.count,))[0]), sources[int(self.active[0]) + 1].name))
            self.active = np.where(goes_on, self.active + 1, self.active)
            self._look_up()
            waits = np.array([s.swap_s for s in sources])[self.active]
            self.swap_left = np.where(goes_on, waits, self.swap_left)
            self.v = np.where(goes_on, np.array([s.mean_v for s in sources])[self.active], self.v)


def _table(share: Array, volts: Array) -> Array:
    return np.asarray(np.interp(np.linspace(0, 1, _GRID + 1), share, volts))
