"""What a run watches its instruments for while they answer: a meter that stands still."""

from __future__ import annotations

from dataclasses import dataclass, field

_FEWEST = 20
_MOVED_SHARE = 0.005


@dataclass
class FrozenMeter:
    """A battery voltage that shows one and the same value while the load sees the voltage move by half a percent is frozen."""

    _value: float | None = field(default=None, init=False)
    _same: int = field(default=0, init=False)
    _lowest: float = field(default=0.0, init=False)
    _highest: float = field(default=0.0, init=False)

    def stands_still(self, battery_v: float, load_v: float | None) -> bool:
        if battery_v != self._value or load_v is None:
            self._value, self._same = battery_v, 0
            self._lowest = self._highest = load_v if load_v is not None else 0.0
            return False
        self._same += 1
        self._lowest, self._highest = min(self._lowest, load_v), max(self._highest, load_v)
        return self._same >= _FEWEST and self._highest - self._lowest > _MOVED_SHARE * abs(battery_v)
