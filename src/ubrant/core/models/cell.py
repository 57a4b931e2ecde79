"""The cell-pack model: open-circuit voltage over state of charge, R₀ and two RC pairs, temperature, two wells of charge, protection.

An equivalent-circuit model as battery textbooks give it; the curves are round figures for each chemistry, for rehearsal and for the
simulated bench, not data of any product. It steps in plain floats, since a rehearsal takes tens of thousands of small steps.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from ubrant.core.quantities.chemistry import CHEMISTRIES, Chemistry
from ubrant.core.quantities.label import Label
from ubrant.core.quantities.readings import Array
from ubrant.core.wording import say

_OCV = {
    "lifepo4": (
        (0, 0.005, 0.01, 0.02, 0.04, 0.07, 0.1, 0.15, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 0.97, 0.99, 1),
        (2.4, 2.6, 2.72, 2.86, 3.0, 3.12, 3.18, 3.215, 3.235, 3.265, 3.285, 3.292, 3.296, 3.31, 3.33, 3.335, 3.345, 3.37, 3.45),
    ),
    "li-ion": (
        (0, 0.01, 0.02, 0.05, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1),
        (2.8, 3.05, 3.2, 3.42, 3.6, 3.7, 3.75, 3.79, 3.83, 3.88, 3.94, 4.0, 4.08, 4.2),
    ),
    "lead-acid": (
        (0, 0.02, 0.05, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1),
        (1.75, 1.83, 1.88, 1.918, 1.943, 1.968, 1.993, 2.017, 2.04, 2.062, 2.083, 2.103, 2.13),
    ),
    "nimh": ((0, 0.02, 0.05, 0.1, 0.2, 0.4, 0.6, 0.8, 0.9, 0.95, 1), (0.95, 1.08, 1.16, 1.21, 1.24, 1.265, 1.28, 1.3, 1.325, 1.35, 1.42)),
}
_TABLE = 4000
_BELOW_EMPTY_V = 25.0  # an empty cell's voltage falls this fast per unit of state of charge


@dataclass(frozen=True)
class PackParameters:
    """One pack.

    Attributes
    ----------
    chemistry : key in CHEMISTRIES
    series : cells in series
    capacity_ah : true capacity from full to empty, at a low rate
    r0_ohm, r1_ohm, r2_ohm : of the whole pack at 20 °C; tau1_s, tau2_s of the two RC pairs
    available_share : of the charge that is at hand at once; the rest follows at ``diffusion_per_h`` (1 for all of it)
    heat_capacity_j_k, heat_resistance_k_w : of the pack against the room
    protection_v, protection_a : where the pack's own protection opens; 0 for none
    protection_s : how long either must last
    """

    chemistry: str
    series: int
    capacity_ah: float
    r0_ohm: float
    r1_ohm: float
    r2_ohm: float
    tau1_s: float = 12.0
    tau2_s: float = 420.0
    available_share: float = 1.0
    diffusion_per_h: float = 0.0
    ambient_c: float = 20.0
    heat_capacity_j_k: float = 900.0
    heat_resistance_k_w: float = 1.5
    protection_v: float = 0.0
    protection_a: float = 0.0
    protection_s: float = 2.0


@lru_cache
def _ocv_table(chemistry: str) -> tuple[float, ...]:
    soc, volts = (np.array(column, dtype=float) for column in _OCV[chemistry])
    return tuple(float(v) for v in monotone_cubic(soc, volts, np.linspace(0, 1, _TABLE + 1)))


def monotone_cubic(x: Array, y: Array, at: Array) -> Array:
    """Piecewise cubic through (n,) points that never overshoots them, at (m,) places within.

    The same as ``scipy.interpolate.PchipInterpolator`` (a test holds it to that), which takes 0.7 s to import: too long for a window
    that wants four curves.

    References
    ----------
    Fritsch and Butland, SIAM J. Sci. Stat. Comput. 5(2), 1984, 300-304.
    """
    h, slope = np.diff(x), np.diff(y) / np.diff(x)
    inner = np.zeros(len(x))
    w1, w2 = 2 * h[1:] + h[:-1], h[1:] + 2 * h[:-1]
    same_way = slope[:-1] * slope[1:] > 0
    inner[1:-1][same_way] = ((w1 + w2)[same_way]) / (w1[same_way] / slope[:-1][same_way] + w2[same_way] / slope[1:][same_way])
    inner[0], inner[-1] = _end_slope(h[0], h[1], slope[0], slope[1]), _end_slope(h[-1], h[-2], slope[-1], slope[-2])
    k = np.clip(np.searchsorted(x, at, side="right") - 1, 0, len(h) - 1)
    t = (at - x[k]) / h[k]
    value = (1 + 2 * t) * (1 - t) ** 2 * y[k] + t**2 * (3 - 2 * t) * y[k + 1]
    return np.asarray(value + h[k] * (t * (1 - t) ** 2 * inner[k] + t**2 * (t - 1) * inner[k + 1]))


def _end_slope(h0: float, h1: float, slope0: float, slope1: float) -> float:
    found = ((2 * h0 + h1) * slope0 - h0 * slope1) / (h0 + h1)
    if found * slope0 <= 0:
        return 0.0
    return 3 * slope0 if slope0 * slope1 <= 0 and abs(found) > 3 * abs(slope0) else found


def cell_ocv(chemistry: str, soc: float) -> float:
    """Open-circuit voltage of one cell at a state of charge of 0 to 1; falls steeply below 0 and rises steeply above 1."""
    table = _ocv_table(chemistry)
    if soc <= 0:
        return max(0.0, table[0] + _BELOW_EMPTY_V * soc)
    if soc > 1:
        return table[-1] + _BELOW_EMPTY_V * (soc - 1)
    place = min(soc, 0.999999) * _TABLE
    k = int(place)
    return table[k] + (place - k) * (table[k + 1] - table[k])


class Pack:
    """A pack in some state. ``step`` moves it on; voltages are for the moment after the last step."""

    def __init__(self, parameters: PackParameters, soc: float = 1.0) -> None:
        self.parameters = p = parameters
        self._available_ah = soc * p.capacity_ah * p.available_share
        self._bound_ah = soc * p.capacity_ah * (1 - p.available_share)
        self._v1 = self._v2 = 0.0
        self.temperature_c = p.ambient_c
        self.tripped = ""
        self._trip_for_s = 0.0
        self._dt = -1.0
        self._keep1 = self._keep2 = 0.0

    @property
    def soc(self) -> float:
        """What is left, available or not, as a share of the true capacity."""
        return (self._available_ah + self._bound_ah) / self.parameters.capacity_ah

    def open_circuit_v(self) -> float:
        p = self.parameters
        return p.series * cell_ocv(p.chemistry, self._available_ah / (p.capacity_ah * p.available_share))

    def resistance_ohm(self) -> float:
        """R₀ now: rises in the cold and near empty."""
        p = self.parameters
        level = self._available_ah / (p.capacity_ah * p.available_share)
        near_empty = 0.8 * math.exp(-max(level, 0.0) / 0.04) if level < 0.5 else 0.0
        return p.r0_ohm * (1 + near_empty) * (1 - 0.012 * (self.temperature_c - 20.0))

    def voltage_v(self, current_a: float) -> float:
        """At the terminals while ``current_a`` flows out; 0 once the protection has opened."""
        if self.tripped:
            return 0.0
        return self.open_circuit_v() - self._v1 - self._v2 - current_a * self.resistance_ohm()

    def step(self, current_a: float, dt_s: float) -> float:
        """Let ``current_a`` flow out for ``dt_s``; returns the voltage at the end of it, under that current.

        Exact for the RC pairs, since the current holds still meanwhile.
        """
        p = self.parameters
        if self.tripped:
            current_a = 0.0
        if dt_s != self._dt:
            self._dt, self._keep1, self._keep2 = dt_s, math.exp(-dt_s / p.tau1_s), math.exp(-dt_s / p.tau2_s)
        self._v1 = current_a * p.r1_ohm + (self._v1 - current_a * p.r1_ohm) * self._keep1
        self._v2 = current_a * p.r2_ohm + (self._v2 - current_a * p.r2_ohm) * self._keep2
        hours = dt_s / 3600
        self._available_ah -= current_a * hours
        if p.available_share < 1:
            level_gap = self._bound_ah / (1 - p.available_share) - self._available_ah / p.available_share
            moved = p.diffusion_per_h * hours * level_gap
            self._available_ah += moved
            self._bound_ah -= moved
        heat_w = current_a * current_a * (p.r0_ohm + p.r1_ohm + p.r2_ohm)
        self.temperature_c += dt_s / p.heat_capacity_j_k * (heat_w - (self.temperature_c - p.ambient_c) / p.heat_resistance_k_w)
        volts = self.voltage_v(current_a)
        if (p.protection_v and volts < p.protection_v) or (p.protection_a and current_a > p.protection_a):
            self._trip_for_s += dt_s
            if self._trip_for_s >= p.protection_s and current_a > 0:
                self.tripped = "undervoltage" if p.protection_v and volts < p.protection_v else "overcurrent"
                return 0.0
        else:
            self._trip_for_s = 0.0
        return volts


def pack_from_label(label: Label, chemistry: Chemistry | None = None) -> PackParameters:
    """A pack as its label claims it to be, with resistances usual for its size: what a rehearsal expects before anything is measured.

    Raises
    ------
    ValueError
        The label gives no capacity in Ah, or neither chemistry nor voltage.
    """
    kind = chemistry or label.kind_of_cell
    if kind is None or label.charge_ah is None or not label.series:
        raise ValueError(say("Say what kind of cell it is and its voltage: without them nothing can be expected of it."))
    ohm = kind.usual_ohm(label.series, label.charge_ah)
    lead = kind.key == "lead-acid"
    return PackParameters(
        chemistry=kind.key,
        series=label.series,
        capacity_ah=label.charge_ah * (1.04 if lead else 1.025),
        r0_ohm=0.5 * ohm,
        r1_ohm=0.25 * ohm,
        r2_ohm=0.25 * ohm,
        available_share=0.62 if lead else 0.85,
        diffusion_per_h=0.35 if lead else 1.5,
        heat_capacity_j_k=max(20.0, 26.0 * (label.energy_wh or 100.0)),
        heat_resistance_k_w=max(0.6, 22.0 / (label.energy_wh or 100.0) ** 0.5),
        protection_v=kind.floor_v * label.series * 0.96 if kind.key in {"lifepo4", "li-ion"} else 0.0,
    )


assert set(_OCV) == set(CHEMISTRIES)
