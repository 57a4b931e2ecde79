"""Leads: what a pair of copper wires loses.

Resistances are the maxima for flexible (class 5) copper conductors at 20 °C of IEC 60228; values from memory.
"""

from __future__ import annotations

from dataclasses import dataclass

OHM_PER_KM = {
    0.5: 39.0, 0.75: 26.0, 1.0: 19.5, 1.5: 13.3, 2.5: 7.98, 4.0: 4.95, 6.0: 3.30, 10.0: 1.91, 16.0: 1.21, 25.0: 0.780, 35.0: 0.554, 50.0: 0.386,
}  # fmt: skip


@dataclass(frozen=True)
class Leads:
    """A pair of wires: ``length_m`` one way, ``area_mm2`` each."""

    length_m: float = 1.5
    area_mm2: float = 4.0

    @property
    def resistance_ohm(self) -> float:
        """Of the loop, there and back."""
        return 2 * self.length_m * OHM_PER_KM[self.area_mm2] / 1000

    def describe(self) -> str:
        return f"2 × {self.length_m:g} m · {self.area_mm2:g} mm²"
