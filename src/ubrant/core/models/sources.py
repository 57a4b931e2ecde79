"""Models of small sources: a panel, cells by their resistance, a capacitor, a charger, a backup module, an input port. Round figures, no product's."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ubrant.core.models.cell import Pack


@dataclass(frozen=True)
class Panel:
    """A photovoltaic panel in one light: one diode and a resistance in series (any textbook of photovoltaics)."""

    short_a: float
    open_v: float
    series_ohm: float
    knee_v: float

    def volts(self, amps: float) -> float:
        if amps >= self.short_a:
            return 0.0
        return max(0.0, self.open_v + self.knee_v * math.log(1 - amps / self.short_a) - self.series_ohm * amps)


def panel_of(watts: float, volts: float, light: float) -> Panel:
    """A panel of so many rated watts and a class of so many volts, in a share of full light."""
    open_v = 1.7 * volts
    short_a = 1.25 * watts / (1.4 * volts) * light
    return Panel(short_a, open_v, 0.02 * open_v / max(short_a, 1e-3), 0.05 * open_v)


@dataclass
class Capacitor:
    """Farads behind a resistance. A hundredth or so soaks in and comes back; that is left out here."""

    farads: float
    ohm: float
    stored_v: float

    def volts(self, amps: float) -> float:
        return max(0.0, self.stored_v - amps * self.ohm)

    def step(self, amps: float, dt_s: float) -> None:
        self.stored_v = max(0.0, self.stored_v - amps * dt_s / self.farads)


@dataclass(frozen=True)
class Charger:
    """Constant current up to a voltage, then that voltage; gently below a threshold; nothing at all below another one."""

    set_a: float
    set_v: float
    gentle_below_v: float = 0.0
    gentle_share: float = 0.1
    starts_from_v: float = 0.0
    slope_ohm: float = 0.02
    end_share: float = 0.08

    def amps(self, volts: float) -> float:
        """At so many volts held at its output."""
        if volts < self.starts_from_v:
            return 0.0
        if volts < self.gentle_below_v:
            return self.gentle_share * self.set_a
        amps = min(self.set_a, (self.set_v - volts) / self.slope_ohm)
        return amps if amps > self.end_share * self.set_a else 0.0


class BackupModule:
    """One cell, its charger and a load at a node. The charger starts once the cell is under ``again_v`` and stops once it is full:
    in between the load runs on the cell, although there is a supply.
    """

    def __init__(self, pack: Pack, limit_a: float, *, again_v: float, full_v: float, charging: bool = False) -> None:
        self.pack, self.limit_a = pack, limit_a
        self.again_v, self.full_v, self.charging = again_v, full_v, charging

    def step(self, load_a: float, dt_s: float) -> tuple[float, float, float]:
        """(charger A, battery A out of it, volts) over a step."""
        pack = self.pack
        given = 0.0
        if self.charging:
            ohm = max(pack.resistance_ohm(), 1e-3)
            into = max(0.0, (self.full_v - pack.open_circuit_v()) / ohm)
            given = min(self.limit_a, load_a + into)
            self.charging = given > load_a + 0.03 * self.limit_a or given >= self.limit_a
        volts = pack.step(load_a - given, dt_s)
        self.charging = self.charging or volts < self.again_v
        return given, load_a - given, volts


@dataclass(frozen=True)
class InputPort:
    """A window, and the smaller of a current and a power."""

    low_v: float
    high_v: float
    most_a: float
    most_w: float

    def amps(self, volts: float) -> float:
        return min(self.most_a, self.most_w / volts) if self.low_v <= volts <= self.high_v else 0.0
