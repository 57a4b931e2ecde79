"""What a walk is made with: the middle of everything, or so many draws of it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ubrant.core.outlook.kit import WALKED_U, Kit, Way
from ubrant.core.outlook.spread import Uncertain
from ubrant.core.quantities.readings import Array


@dataclass(frozen=True, eq=False)
class Drawn:
    """(…, D) of everything that is in doubt; D is 1 for the middle.

    Attributes
    ----------
    capacity, ohm, exponent : (S, D) of each source
    load, standby, share : (L, D)
    fixed, proportional, resistive : (W, D) losses of each way
    way_max, way_surge : (W,)
    coming_in : (I, D)
    full : (S, D) share that each source starts with
    """

    count: int
    capacity: Array
    ohm: Array
    exponent: Array
    load: Array
    standby: Array
    share: Array
    fixed: Array
    proportional: Array
    resistive: Array
    way_max: Array
    way_surge: Array
    coming_in: Array
    full: Array


def losses_of(way: Way) -> tuple[Uncertain, Uncertain, Uncertain]:
    """(p₀, a, b) of a way, from its efficiency and idle draw where it was not fitted."""
    if way.loss is not None:
        return way.loss
    eta = way.efficiency
    if eta.low is not None and eta.high is not None:
        return way.idle, Uncertain(1 / eta.value - 1, 0.0, 1 / eta.high - 1, 1 / max(eta.low, 1e-6) - 1), Uncertain(0.0)
    return way.idle, Uncertain(1 / eta.value - 1, eta.u / eta.value**2), Uncertain(0.0)


def as_it_stands(kit: Kit) -> Drawn:
    """Every value as it stands."""
    return _made(kit, 1, None)


def draws(kit: Kit, count: int, seed: int = 0) -> Drawn:
    """``count`` draws of everything in doubt, each by itself; the same for the same seed."""
    return _made(kit, count, np.random.default_rng(seed))


def _made(kit: Kit, count: int, rng: np.random.Generator | None) -> Drawn:
    def of(spread: Uncertain) -> Array:
        return np.full(count, spread.value) if rng is None else spread.draw(rng, count)

    def rows(spreads: list[Uncertain]) -> Array:
        return np.array([of(s) for s in spreads]).reshape(len(spreads), count)

    capacity = np.maximum(rows([s.capacity for s in kit.sources]), 0.0)
    if rng is not None:
        walked = np.array([WALKED_U if s.curve is not None and not s.capacity.is_sure else 0.0 for s in kit.sources])[:, None]
        capacity = capacity * (1 + walked * rng.standard_normal(capacity.shape))
    losses = [losses_of(way) for way in kit.ways]
    return Drawn(
        count,
        capacity,
        rows([s.curve.ohm if s.curve is not None else Uncertain(0.0) for s in kit.sources]),
        rows([s.exponent for s in kit.sources]),
        rows([load.drawn for load in kit.loads]),
        rows([load.standby for load in kit.loads]),
        np.clip(rows([load.duty.share for load in kit.loads]), 0.0, 1.0),
        rows([p0 for p0, _, _ in losses]),
        rows([a for _, a, _ in losses]),
        rows([b for _, _, b in losses]),
        np.array([w.max_w for w in kit.ways]),
        np.array([max(w.surge_w, w.max_w) for w in kit.ways]),
        rows([i.watts for i in kit.inputs]),
        np.clip(rows([s.full for s in kit.sources]), 0.0, 1.0),
    )
