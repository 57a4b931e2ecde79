"""A pack, its leads, a load and a charger as one circuit: what the simulated bench and a rehearsal both run on."""

from __future__ import annotations

import math

from ubrant.core.models.cell import Pack

CURRENT, POWER, RESISTANCE = "current", "power", "resistance"
"""What a load holds still: amperes, watts at its own terminals, ohms."""


class Circuit:
    """Battery → leads → load, or charger → battery.

    Attributes
    ----------
    current_a, battery_v : now, at the battery's terminals; current out of it is positive
    charge_ah, energy_wh : what really left the terminals: the truth that meters only estimate
    charged_ah, charged_wh : what was put in
    """

    def __init__(self, pack: Pack, lead_ohm: float) -> None:
        self.pack = pack
        self.lead_ohm = lead_ohm
        self.current_a = self.charge_ah = self.energy_wh = self.charged_ah = self.charged_wh = 0.0
        self._mode, self._value, self._limit_v = CURRENT, 0.0, 0.0
        self.battery_v = pack.voltage_v(0.0)

    def load_v(self) -> float:
        """At the load's terminals: what the leads leave of it."""
        return self.battery_v - self.current_a * self.lead_ohm

    def draw(self, amount: float, mode: str = CURRENT) -> None:
        """Draw so many amperes (or watts, or through so many ohms) from now on; a battery whose protection has opened gives none."""
        self._mode, self._value = mode, amount
        self._settle()

    def charge(self, current_a: float, limit_v: float) -> None:
        """Charge at a constant current until the terminals reach ``limit_v``, then at that voltage."""
        self._mode, self._value, self._limit_v = "charge", current_a, limit_v
        self._settle()

    def _settle(self) -> None:
        self.current_a = self._wanted_a()
        self.battery_v = self.pack.voltage_v(self.current_a)

    def _wanted_a(self) -> float:
        if self.pack.tripped:
            return 0.0
        value = self._value
        if self._mode == CURRENT or not value > 0:
            return value if self._mode == CURRENT else 0.0
        inside_v = self.pack.voltage_v(0.0)
        ohm = self.pack.resistance_ohm()
        if self._mode == "charge":
            return -min(value, max(0.0, (self._limit_v - inside_v) / ohm))
        ohm += self.lead_ohm
        if self._mode == RESISTANCE:
            return inside_v / (ohm + value)
        room = inside_v * inside_v - 4 * ohm * value
        return (inside_v - math.sqrt(room)) / (2 * ohm) if room > 0 else inside_v / (2 * ohm)  # more than it has to give: all it has

    def step(self, dt_s: float) -> None:
        current_a, before_v = self.current_a, self.battery_v
        self.battery_v = self.pack.step(current_a, dt_s)
        amp_hours = current_a * dt_s / 3600
        if current_a >= 0:
            self.charge_ah += amp_hours
            self.energy_wh += amp_hours * (before_v + self.battery_v) / 2
        else:
            self.charged_ah -= amp_hours
            self.charged_wh -= amp_hours * (before_v + self.battery_v) / 2
        if self.pack.tripped:
            self.current_a = 0.0
        elif self._mode != CURRENT:
            self._settle()
