"""What a converter's or inverter's label says goes in and comes out."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from ubrant.core.equipment.unit import Unit, kind_by_label
from ubrant.core.gate.figures import BATTERY_ROOM, DC_ROOM, MAINS_ROOM, OUT_ROOM, room_about
from ubrant.core.quantities.alternating import AC_FROM_V
from ubrant.core.quantities.quantity import parse_quantity
from ubrant.core.record.head import Setup
from ubrant.core.record.record import TapQuantity
from ubrant.core.wording import say

_SPAN = r"(\d+(?:[.,]\d+)?)\s*(?:V\s*)?(?:-|–|…|\.\.)\s*(\d+(?:[.,]\d+)?)\s*V\b"
_USUAL_V = (12.0, 24.0, 48.0, 5.0, 230.0, 120.0)


@dataclass(frozen=True)
class UnitRatings:
    """``input_v``, ``output_v``; ``rated_a`` and ``rated_w`` of the output, ``window`` of the input in V, None where the label does not say."""

    input_v: float
    output_v: float
    rated_a: float | None
    rated_w: float | None
    window: tuple[float, float] | None = None

    @property
    def highest_v(self) -> float:
        """The highest input it may be tried at: its window's, or 15 % over its input where the label gives none."""
        return self.window[1] if self.window is not None else 1.15 * self.input_v

    @property
    def lowest_v(self) -> float:
        return self.window[0] if self.window is not None else 0.5 * self.input_v

    @property
    def watts(self) -> float:
        return self.rated_w if self.rated_w is not None else (self.rated_a or 0.0) * self.output_v

    @property
    def amps(self) -> float:
        return self.rated_a if self.rated_a is not None else (self.rated_w or 0.0) / self.output_v

    @property
    def gives_mains(self) -> bool:
        return self.output_v >= AC_FROM_V

    @property
    def takes_mains(self) -> bool:
        return self.input_v >= AC_FROM_V


def read_ratings(unit: Unit, *, how_much: bool = True) -> UnitRatings:
    """Ratings from a label like ``12 V to 19 V, 90 W``; with ``how_much`` false the volts will do.

    Raises
    ------
    ValueError
        It does not say so much.
    """
    text = unit.label_text
    spans = [(float(m[1].replace(",", ".")), float(m[2].replace(",", "."))) for m in re.finditer(_SPAN, text, re.I)]
    window = next(((low, high) for low, high in spans if 0 < low < high), None)
    volts = [parse_quantity(f"{m[1]} V", "V") for m in re.finditer(r"(\d+(?:[.,]\d+)?)\s*V\b", re.sub(_SPAN, " ", text, flags=re.I))]
    if window is not None:
        volts = [usual_in(*window), *volts]
    if len(volts) < 2:
        raise ValueError(say("The label of {name} has to say what goes in and what comes out, like “12 V to 5 V, 3 A”.", name=unit.name))
    amps = re.search(r"(\d+(?:[.,]\d+)?)\s*A\b", unit.label_text)
    watts = re.search(r"(\d+(?:[.,]\d+)?)\s*W\b", unit.label_text)
    if how_much and not amps and not watts:
        raise ValueError(say("The label of {name} has to say how much it gives, like “3 A” or “90 W”.", name=unit.name))
    rated_a = float(amps[1].replace(",", ".")) if amps else None
    return UnitRatings(volts[0], volts[1], rated_a, float(watts[1].replace(",", ".")) if watts else None, window)


def ratings_in(text: str) -> UnitRatings | None:
    """Ratings of a label as it stands; None where it does not say both volts."""
    try:
        return read_ratings(Unit("", "", text))
    except ValueError:
        return None


def labelled(setup: Setup, text: str) -> Setup:
    """A log's set-up under the label that was said of it, where none is known of its unit; what is no label but a figure is none."""
    if not text or setup.unit.label_text or not re.search(r"[VF]\b|[AW]h\b", text):
        return setup
    return replace(setup, unit=replace(setup.unit, label_text=text, kind=kind_by_label(text)))


def usual_in(low: float, high: float) -> float:
    """The usual system voltage in a window, or else its middle."""
    return next((volts for volts in _USUAL_V if low <= volts <= high), (low + high) / 2)


def amps_of_label(unit: Unit) -> float | None:
    """The first amperes on a label, such as a port's or a charger's; None where it says none."""
    found = re.search(r"(\d+(?:[.,]\d+)?)\s*A\b(?!h)", unit.label_text)
    return float(found[1].replace(",", ".")) if found else None


def watts_of_label(unit: Unit) -> float | None:
    """The first watts on a label; None where it says none."""
    found = re.search(r"(\d+(?:[.,]\d+)?)\s*(k?)W\b(?!h)", unit.label_text)
    return float(found[1].replace(",", ".")) * (1000 if found[2] else 1) if found else None


def most_at_output(unit: Unit) -> Mapping[TapQuantity, float]:
    """What a converter's label says comes out of it at the most, in amperes and in watts."""
    try:
        rated = read_ratings(unit)
    except ValueError:
        return {}
    return {("output", "A"): rated.amps, ("output", "W"): rated.watts}


def volts_by_tap(setup: Setup, taps: Sequence[str]) -> Mapping[str, tuple[float, float, float]]:
    """By tap, (lowest, highest, said) of the volts that the label of what is tested allows; what it says nothing of is not in it."""
    unit, label = setup.unit, setup.label
    if unit.kind == "battery":
        return {tap: room_about(label.voltage_v, BATTERY_ROOM) for tap in taps} if label is not None and label.voltage_v else {}
    try:
        rated = read_ratings(unit, how_much=False)
    except ValueError:
        found = re.search(r"(\d+(?:[.,]\d+)?)\s*V\b", unit.label_text)
        volts = float(found[1].replace(",", ".")) if found and unit.kind == "load" else 0.0
        return {taps[0]: room_about(volts, MAINS_ROOM if volts >= AC_FROM_V else DC_ROOM)} if volts and taps else {}
    low, high = (MAINS_ROOM if rated.takes_mains else DC_ROOM)[0] * rated.lowest_v, 1.2 * rated.highest_v
    into = room_about(rated.input_v, MAINS_ROOM) if rated.takes_mains and rated.window is None else (low, high, rated.input_v)
    return {"input": into, "output": room_about(rated.output_v, MAINS_ROOM if rated.gives_mains else OUT_ROOM)}
