"""Whether something still flows where nothing has to: what a meter shows after *off*, held against what it showed at rest."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from ubrant.core.record.record import TapQuantity

LEAST_A, SHARE, TIMES_NOISE = 0.05, 0.02, 4.0
"""Less than this, than this share of what flowed, or than so many times the meter's noise is nothing."""
SETTLES_S = 0.5
"""So soon after *off* nothing is judged: a meter still averages over what was."""
_STILL_FALLS = 0.7
"""A reading under this share of the one before is still on its way down."""
_ENOUGH = 3
"""Readings at rest before their scatter counts as noise."""


@dataclass
class _Rest:
    """What one meter shows with everything off."""

    n: int = 0
    mean: float = 0.0
    squares: float = 0.0

    def add(self, value: float) -> None:
        self.n += 1
        apart = value - self.mean
        self.mean += apart / self.n
        self.squares += apart * (value - self.mean)

    @property
    def noise(self) -> float:
        return math.sqrt(self.squares / (self.n - 1)) if self.n >= _ENOUGH else 0.0


@dataclass(frozen=True)
class StillFlowing:
    """Something flows: where, how much, how much more than at rest, and whether it has flowed since before the load came on."""

    tap: str
    amps: float
    above: float
    stands: bool = False


@dataclass
class OffWatch:
    """Judges amperes by tap and quantity. A discharge counts positive; a charge is never an alarm.

    Attributes
    ----------
    drift : by how much the zero of each meter may move, A
    """

    drift: dict[TapQuantity, float] = field(default_factory=dict)
    _rest: dict[TapQuantity, _Rest] = field(default_factory=dict, init=False)
    _flowed: dict[TapQuantity, float] = field(default_factory=dict, init=False)
    _above: dict[TapQuantity, float] = field(default_factory=dict, init=False)
    _off_s: float = field(default=-math.inf, init=False)
    _was_on: bool = field(default=False, init=False)

    def is_off(self, time_s: float) -> None:
        """The order *off* was given."""
        self._off_s = time_s
        self._above.clear()

    def loaded(self, key: TapQuantity, value: float, set_a: float) -> None:
        """A reading under load; ``set_a`` is what the load was told to draw, 0 where that is no current.

        What stood at rest and is not on top of that now was the load's own: it is no rest to go by.
        """
        self._was_on = True
        self._flowed[key] = max(self._flowed.get(key, 0.0), abs(value))
        rest = self._rest.get(key)
        stood = rest.mean if rest is not None else 0.0
        if set_a > 0 and stood > max(self._nothing(key), 2 * SHARE * set_a) and value < set_a + stood / 2:
            self._rest[key] = _Rest(1, 0.0)

    def look(self, key: TapQuantity, value: float, time_s: float) -> tuple[StillFlowing | None, bool]:
        """A reading that has to be nothing: what flows, once two in a row say so, and whether to read again at once."""
        if time_s < self._off_s + SETTLES_S:
            return None, False
        rest = self._rest.get(key)
        base = rest.mean if rest is not None else 0.0
        if value - base <= self._limit(key):
            self._above.pop(key, None)
            if not self._was_on:
                self._at_rest(key, value)
            return None, False
        before = self._above.get(key)
        self._above[key] = value
        if before is None or value - base < _STILL_FALLS * (before - base):
            return None, True
        stands = not self._was_on and rest is None
        return StillFlowing(key[0], value, value - base, stands), True

    def is_still(self, key: TapQuantity, value: float) -> bool:
        """Nothing flows there any more than at rest."""
        rest = self._rest.get(key)
        return value - (rest.mean if rest is not None else 0.0) <= self._limit(key)

    def take_as_rest(self, key: TapQuantity, value: float) -> None:
        """Something else draws this: from now on it is what flows at rest."""
        self._rest[key] = _Rest(1, value)
        self._above.pop(key, None)

    def _at_rest(self, key: TapQuantity, value: float) -> None:
        self._rest.setdefault(key, _Rest()).add(value)

    def _limit(self, key: TapQuantity) -> float:
        rest = self._rest.get(key)
        noise = TIMES_NOISE * rest.noise if rest is not None else 0.0
        drift = self.drift.get(key, 0.0)
        return max(LEAST_A, SHARE * self._flowed.get(key, 0.0), noise, drift if rest is not None else 2 * drift)

    def _nothing(self, key: TapQuantity) -> float:
        return max(LEAST_A, self.drift.get(key, 0.0))
