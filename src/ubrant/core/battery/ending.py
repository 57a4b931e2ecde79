"""Ways for a discharge to end: what a method watches for besides its cut-off voltage."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from ubrant.core.quantities.quantity import plain, show_duration
from ubrant.core.record.cutoff import Cutoff, CutoffWatch
from ubrant.core.wording import say

CUTOFF, CHARGE, ENERGY, TIME, TEMPERATURE, RESISTANCE, SLOW = (
    "cut-off",
    "charge",
    "energy",
    "time",
    "temperature",
    "resistance",
    "slow gain",
)


GAVE_UP = "gave up"
"""The battery or what it fed switched off by itself."""
EMPTIED = frozenset({CUTOFF, GAVE_UP, "protection"})
"""Endings after which it has given what it gives; anything else is *at least* so much."""


@dataclass(frozen=True)
class Ends:
    """Limits; None for none. The first that is reached ends the run.

    Attributes
    ----------
    cutoff : voltage with its hold time
    charge_ah, energy_wh : given out since the load came on
    time_s : since the load came on
    temperature_c : the battery's
    resistance_rise : factor over the resistance at the first step (1.5 for half as much again); needs a load that steps
    slow_ah_per_h : mean current over the last ten minutes under this; for loads that taper
    end_a : current has fallen to this, for a charge
    """

    cutoff: Cutoff | None = None
    charge_ah: float | None = None
    energy_wh: float | None = None
    time_s: float | None = None
    temperature_c: float | None = None
    resistance_rise: float | None = None
    slow_ah_per_h: float | None = None
    end_a: float | None = None

    def watch(self) -> EndWatch:
        """A fresh watch, which remembers what has flowed."""
        return EndWatch(self)

    def describe(self) -> str:
        """``11 V at the battery has lasted 1 s, or 20 Ah are out``, for a step's text."""
        sentences = []
        if self.cutoff is not None and self.cutoff.voltage_v > 0:
            sentences.append(
                say(
                    "{voltage_v} V at the battery has lasted {hold_s}",
                    voltage_v=plain(self.cutoff.voltage_v),
                    hold_s=show_duration(self.cutoff.hold_s),
                )
            )
        sentences += [say("{charge_ah} Ah are out", charge_ah=plain(self.charge_ah))] if self.charge_ah else []
        sentences += [say("{energy_wh} Wh are out", energy_wh=plain(self.energy_wh))] if self.energy_wh else []
        sentences += [f"{show_duration(self.time_s)} have passed"] if self.time_s else []
        sentences += (
            [say("the battery is at {temperature_c} °C", temperature_c=plain(self.temperature_c))] if self.temperature_c is not None else []
        )
        sentences += (
            [say("its resistance is {resistance_rise} times what it was", resistance_rise=plain(self.resistance_rise, 3))]
            if self.resistance_rise
            else []
        )
        sentences += (
            [say("less than {slow_ah_per_h} A flow over ten minutes", slow_ah_per_h=plain(self.slow_ah_per_h))]
            if self.slow_ah_per_h
            else []
        )
        sentences += [say("the current has fallen to {end_a} A", end_a=plain(self.end_a))] if self.end_a else []
        return ", or ".join(sentences) or "you stop it"


_SLOW_WINDOW_S = 600.0
_FINEST, _SOONEST_S = 20.0, 0.5
"""Near the cut-off it is read at most so many times as often, and never sooner than that: meters need their time."""


@dataclass
class EndWatch:
    """Follows a run reading by reading."""

    ends: Ends
    charge_ah: float = field(default=0.0, init=False)
    energy_wh: float = field(default=0.0, init=False)
    _cutoff: CutoffWatch | None = field(default=None, init=False)
    _start_s: float | None = field(default=None, init=False)
    _last: tuple[float, float, float] | None = field(default=None, init=False)
    _first_ohm: float | None = field(default=None, init=False)
    _slow: list[tuple[float, float]] = field(default_factory=list, init=False)
    _low_since_s: float | None = field(default=None, init=False)
    _falls: float = field(default=0.0, init=False)

    def __post_init__(self) -> None:
        self._cutoff = self.ends.cutoff.watch() if self.ends.cutoff is not None and self.ends.cutoff.voltage_v > 0 else None

    def reached(self, time_s: float, voltage_v: float, current_a: float = 0.0, temperature_c: float | None = None) -> str:
        """What ends the run now; empty while it goes on."""
        ends = self.ends
        if self._start_s is None:
            self._start_s = time_s
        ohm = self._follow(time_s, voltage_v, current_a)
        if self._cutoff is not None and self._cutoff.reached(time_s, voltage_v):
            return CUTOFF
        if ends.charge_ah and self.charge_ah >= ends.charge_ah:
            return CHARGE
        if ends.energy_wh and self.energy_wh >= ends.energy_wh:
            return ENERGY
        if ends.time_s and time_s - self._start_s >= ends.time_s:
            return TIME
        if ends.temperature_c is not None and temperature_c is not None and temperature_c >= ends.temperature_c:
            return TEMPERATURE
        if ends.resistance_rise and ohm is not None and self._first_ohm is not None and ohm >= ends.resistance_rise * self._first_ohm:
            return RESISTANCE
        if ends.slow_ah_per_h and self._gains_slowly(time_s):
            return SLOW
        if ends.end_a is not None and self._tapered(time_s, current_a):
            return "end current"
        return ""

    def next_after(self, every_s: float) -> float:
        """Seconds until the next reading: sooner where the cut-off may be met before, as the voltage falls now; a quarter of what is left."""
        if self._cutoff is None or self._last is None:
            return every_s
        margin_v = self._last[1] - self._cutoff.cutoff.voltage_v
        soonest = max(every_s / _FINEST, _SOONEST_S)
        if margin_v <= 0:
            return min(every_s, max(self._cutoff.cutoff.hold_s, soonest))
        left_s = margin_v / self._falls if self._falls > 0 else math.inf
        return min(every_s, max(left_s / 4, soonest))

    def _follow(self, time_s: float, voltage_v: float, current_a: float) -> float | None:
        """Add up what flowed; the resistance of a step that lies between this reading and the one before it."""
        ohm = None
        if self._last is not None:
            before_s, before_v, before_a = self._last
            hours = (time_s - before_s) / 3600
            self.charge_ah += hours * (current_a + before_a) / 2
            self.energy_wh += hours * (voltage_v * current_a + before_v * before_a) / 2
            steady = abs(current_a - before_a) <= 0.2 * max(abs(current_a), abs(before_a), 1e-9)
            self._falls = (before_v - voltage_v) / (time_s - before_s) if steady and time_s > before_s else 0.0
            if not steady:
                ohm = (before_v - voltage_v) / (current_a - before_a)
                if ohm <= 0:
                    ohm = None
                elif self._first_ohm is None:
                    self._first_ohm = ohm
        self._last = (time_s, voltage_v, current_a)
        return ohm

    def _gains_slowly(self, time_s: float) -> bool:
        self._slow.append((time_s, self.charge_ah))
        while len(self._slow) > 2 and time_s - self._slow[1][0] >= _SLOW_WINDOW_S:
            self._slow.pop(0)
        since_s, since_ah = self._slow[0]
        span = time_s - since_s
        return span >= _SLOW_WINDOW_S and (self.charge_ah - since_ah) / span * 3600 < (self.ends.slow_ah_per_h or 0.0)

    def _tapered(self, time_s: float, current_a: float) -> bool:
        """The current has stayed at or under its end value for 10 s; charging current is negative."""
        if abs(current_a) > (self.ends.end_a or 0.0):
            self._low_since_s = None
            return False
        if self._low_since_s is None:
            self._low_since_s = time_s
        return time_s - self._low_since_s >= 10.0
