"""Leads: what a pair of copper wires loses.

Resistances are the maxima for flexible (class 5) copper conductors at 20 °C of IEC 60228; values from memory.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from ubrant.core.quantities.quantity import plain, show
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


_HOT_K, _MELTS_K, _DROPS = 40.0, 130.0, 0.05
"""Over the room: from where on a wire is hot to the hand, and from where on its insulation does not stand it; of the volts, what a pair should not drop. Common
practice, no source."""
_GIVES_OFF, _STRANDED, _JACKET_MM = 10.0, 1.3, 1.8
"""W/(m²·K) that a wire in still air gives off; diameter in mm of a stranded conductor over the root of its mm², and what its insulation adds. Common practice, no source."""


def warmer_by(amps: float, area_mm2: float) -> float:
    """K over the room that a wire by itself in still air settles at: what I²·R makes in a metre over what its surface gives off."""
    surface_m2 = math.pi * (_STRANDED * math.sqrt(area_mm2) + _JACKET_MM) / 1000
    return amps**2 * OHM_PER_KM[area_mm2] / 1000 / (_GIVES_OFF * surface_m2)


@dataclass(frozen=True)
class LeadHeat:
    """What a pair of leads does at a current: why it should be looked at, and whether its insulation would not stand that for hours."""

    sentence: str
    melts: bool


def heat_in(leads: Leads, amps: float, volts: float) -> LeadHeat | None:
    """What a current does in a pair of leads: heat by I²·R, drop by I·R; None where neither matters.

    Parameters
    ----------
    volts : of the system, against which the drop is held
    """

    drop, warmer = amps * leads.resistance_ohm, warmer_by(amps, leads.area_mm2) if leads.length_m else 0.0
    if drop <= _DROPS * volts and warmer <= _HOT_K:
        return None
    cool = next(
        (a for a in OHM_PER_KM if warmer_by(amps, a) <= _HOT_K and amps * Leads(leads.length_m, a).resistance_ohm <= _DROPS * volts), None
    )
    what = (
        say("for hours their insulation does not stand that")
        if warmer > _MELTS_K
        else say("they get hot, some {k} °C over the room", k=plain(round(warmer, -1)))
        if warmer > _HOT_K
        else say("that is much of its volts")
    )
    better = say("Take {mm2:g} mm².", mm2=cool) if cool is not None else say("Take shorter ones, and several side by side.")
    text = say(
        "At {a} A the leads ({leads}) drop {v} V and turn {w} W into heat: {what}. {better}",
        a=show(amps, 3),
        leads=leads.describe(),
        v=show(drop, 2),
        w=show(amps * drop, 2),
        what=what,
        better=better,
    )
    return LeadHeat(text, warmer > _MELTS_K)


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
