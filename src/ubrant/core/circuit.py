"""A pack, its leads and a constant-current load as one circuit: what the simulated bench and a rehearsal both run on."""

from __future__ import annotations

from ubrant.core.cell import Pack


class Circuit:
    """Battery → leads → load.

    Attributes
    ----------
    current_a, battery_v : now, at the battery's terminals
    charge_ah, energy_wh : what really left the terminals: the truth that meters only estimate
    """

    def __init__(self, pack: Pack, lead_ohm: float) -> None:
        self.pack = pack
        self.lead_ohm = lead_ohm
        self.current_a = self.charge_ah = self.energy_wh = 0.0
        self.battery_v = pack.voltage_v(0.0)

    def load_v(self) -> float:
        """At the load's terminals: what the leads leave of it."""
        return self.battery_v - self.current_a * self.lead_ohm

    def draw(self, current_a: float) -> None:
        """Set the current from now on; a battery whose protection has opened gives none."""
        self.current_a = 0.0 if self.pack.tripped else current_a
        self.battery_v = self.pack.voltage_v(self.current_a)

    def step(self, dt_s: float) -> None:
        current_a, before_v = self.current_a, self.battery_v
        self.battery_v = self.pack.step(current_a, dt_s)
        self.charge_ah += current_a * dt_s / 3600
        self.energy_wh += current_a * (before_v + self.battery_v) / 2 * dt_s / 3600
        if self.pack.tripped:
            self.current_a = 0.0
