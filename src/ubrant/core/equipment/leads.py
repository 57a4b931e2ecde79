"""Leads: what a pair of copper wires loses.

Resistances are the maxima for flexible (class 5) copper conductors at 20 °C of IEC 60228; values from memory.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from ubrant.core.quantities.quantity import show
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say

OHM_PER_KM = {
    0.5: 39.0,
    0.75: 26.0,
    1.0: 19.5,
    1.5: 13.3,
    2.5: 7.98,
    4.0: 4.95,
    6.0: 3.30,
    10.0: 1.91,
    16.0: 1.21,
    25.0: 0.780,
    35.0: 0.554,
    50.0: 0.386,
}


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


def lead_sentences(measured: Finding, leads: Leads, most_a: float) -> list[str]:
    """What was measured of the leads against what copper of that length and section has, and what a thicker pair would give back.

    Parameters
    ----------
    measured : of the loop, Ω
    most_a : largest current that flowed
    """
    if measured.value is None or not leads.length_m:
        return []
    expected, u = leads.resistance_ohm, measured.expanded_uncertainty or 0.0
    sentences = []
    if measured.value - u > 1.3 * expected:
        sentences.append(
            say(
                "The leads have {show} mΩ, and {describe} of copper should have at most {show_2} mΩ: a poor joint, a fuse, a meter in between, or thinner wire than it says.",
                show=show(1000 * measured.value, 3),
                describe=leads.describe(),
                show_2=show(1000 * expected, 3),
            )
        )
    thicker = next((a for a in OHM_PER_KM if a > leads.area_mm2), None)
    if thicker is not None:
        back = most_a**2 * (expected - Leads(leads.length_m, thicker).resistance_ohm)
        if back > 0.05:
            sentences.append(
                say(
                    "At {most_a} A a pair of {thicker:g} mm² instead of {area_mm2:g} mm² would give back {back} W.",
                    most_a=show(most_a, 3),
                    thicker=thicker,
                    area_mm2=leads.area_mm2,
                    back=show(back, 2),
                )
            )
    return sentences


COPPER_OHM_M, COPPER_PER_K = 17.241e-9, 0.00393
"""Resistivity of annealed copper at 20 °C and its temperature coefficient. IEC 60028; values from memory."""


def awg_diameter_mm(number: int) -> float:
    """Diameter of American wire gauge n: 0.127·92^((36−n)/39) mm. ASTM B258; from memory."""
    return float(0.127 * 92 ** ((36 - number) / 39))


def awg_area_mm2(number: int) -> float:
    """Cross-section of American wire gauge n."""
    return float(math.pi / 4 * awg_diameter_mm(number) ** 2)


def copper_ohm(length_m: float, area_mm2: float, temperature_c: float = 20.0) -> float:
    """Resistance of one solid copper conductor."""
    return COPPER_OHM_M * length_m / (area_mm2 * 1e-6) * (1 + COPPER_PER_K * (temperature_c - 20.0))
