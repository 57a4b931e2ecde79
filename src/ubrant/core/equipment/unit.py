"""A thing on the shelf."""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace
from typing import Any

from ubrant.core.quantities.label import RESTS_AT, Label, parse_label
from ubrant.core.quantities.quantity import QuantityError, parse_quantity
from ubrant.core.wording import say

KINDS = ("battery", "bank", "station", "converter", "inverter", "charger", "load", "source", "lead")
WITH_CAPACITY = frozenset({"battery", "bank", "station"})
"""Kinds whose label has to say how much they hold."""


def says_farads(label: str) -> bool:
    """Whether a label is a capacitor's: ``3000 F 2.7 V``."""
    return re.search(r"\d\s*[mµμu]?F\b", label) is not None


@dataclass(frozen=True)
class UnitFacts:
    """What is known of a thing besides its label: nothing is judged by it, it is found and chosen by it.

    Attributes
    ----------
    serial : as it stands on it; two units of one serial number are one
    price : as paid, ``39.90 €``; volume_l : litres; connectors : ``ring, barrel 5.5``
    tags : words to find it by, ``blower`` or the name of a project
    peak : what it gives for a moment, as its label says it: ``600 W for 3 s``
    apart : what may not be used together: ``12 V output while charging``
    """

    serial: str = ""
    price: str = ""
    volume_l: float | None = None
    connectors: str = ""
    tags: tuple[str, ...] = ()
    peak: str = ""
    apart: str = ""

    def paid(self) -> tuple[float, str] | None:
        """The price's figure and what it is in; None where there is none."""
        found = _PRICE.fullmatch(self.price)
        if found is None:
            return None
        figure = float(found["figure"].replace(",", "."))
        money = (found["before"] or found["behind"]).strip()
        return (figure, money) if figure > 0 else None


_PRICE = re.compile(r"\s*(?P<before>[^\d.,]*?)\s*(?P<figure>\d+(?:[.,]\d{1,2})?)\s*(?P<behind>[^\d.,]*)")


@dataclass(frozen=True)
class Peak:
    """So many watts for so many seconds."""

    watts: float
    seconds: float


def parse_peak(text: str) -> Peak | None:
    """``600 W for 3 s``, ``1.2 kW 500 ms``; None for nothing.

    Raises
    ------
    QuantityError
        Its watts or its seconds are missing.
    """
    tidy = text.strip()
    if not tidy:
        return None
    found = re.fullmatch(r"([\d.,]+\s*[km]?W)\s*(?:for|,|/)?\s*([\d.,]+\s*(?:ms|s|sec|min))", tidy, re.I)
    if found is None:
        raise QuantityError(say("“{peak}” is not understood: write watts and for how long, like “600 W for 3 s”.", peak=tidy))
    peak = Peak(parse_quantity(found[1], "W"), parse_quantity(found[2], "s"))
    if not (peak.watts > 0 and peak.seconds > 0):
        raise QuantityError(say("“{peak}” is not understood: write watts and for how long, like “600 W for 3 s”.", peak=tidy))
    return peak


def parse_price(text: str) -> str:
    """A price as it is kept; empty for none.

    Raises
    ------
    QuantityError
        It holds no figure, or a thousands' mark that may be a decimal one.
    """
    tidy = " ".join(text.split())
    if tidy and UnitFacts(price=tidy).paid() is None:
        raise QuantityError(say("“{price}” is no price: write it like “39.90 €”, without a mark for thousands.", price=tidy))
    return tidy


def parse_volume(text: str) -> float | None:
    """Litres, given so or by three sides; None for nothing.

    Raises
    ------
    QuantityError
        Neither a volume nor three sides with their unit.
    """
    tidy = text.strip().lower().replace(",", ".")
    if not tidy:
        return None
    if (found := _VOLUME.fullmatch(tidy)) is not None:
        litres = float(found[1]) * _LITRES[found[2]]
    elif (found := _SIDES.fullmatch(tidy)) is not None:
        per = _DECIMETRES[found[4]]
        litres = float(found[1]) * float(found[2]) * float(found[3]) * per**3
    else:
        raise QuantityError(say("“{size}” is no size: write “2.4 l”, or three sides like “20 x 12 x 10 cm”.", size=text.strip()))
    if not 0 < litres < _MOST_LITRES:
        raise QuantityError(say("“{size}” would be {litres} l: is the unit right?", size=text.strip(), litres=f"{litres:g}"))
    return litres


_FIGURE = r"(\d+(?:\.\d+)?)"
_VOLUME = re.compile(_FIGURE + r"\s*(l|litres?|liters?|ml|cm³|cm3|dm³|dm3|m³|m3)")
_SIDES = re.compile(r"\s*[x×*]\s*".join([_FIGURE] * 3) + r"\s*(mm|cm|m)")
_LITRES = {"l": 1.0, "litre": 1.0, "litres": 1.0, "liter": 1.0, "liters": 1.0, "dm³": 1.0, "dm3": 1.0} | {
    "ml": 1e-3,
    "cm³": 1e-3,
    "cm3": 1e-3,
    "m³": 1e3,
    "m3": 1e3,
}
_DECIMETRES = {"mm": 0.01, "cm": 0.1, "m": 10.0}
_MOST_LITRES = 2000.0


def parse_tags(text: str) -> tuple[str, ...]:
    """Tags between commas, each once, ``#`` or not."""
    return tuple(dict.fromkeys(tag for part in text.split(",") if (tag := " ".join(part.replace("#", " ").split()))))


@dataclass(frozen=True)
class Unit:
    """A battery, bank, converter, load …, with what its maker claims.

    ``stand_in`` holds the parameters of the simulated thing behind it, where it has one: what a rehearsal
    or a simulated run meets instead of hardware. ``id`` is 0 until it is kept in a logbook.
    """

    name: str
    kind: str
    label_text: str = ""
    chemistry: str | None = None
    note: str = ""
    max_current_a: float | None = None
    stand_in: dict[str, Any] = field(default_factory=dict)
    id: int = 0
    facts: UnitFacts = UnitFacts()

    @property
    def printed(self) -> str:
        """What is printed on it, without what a person added."""
        return self.label_text.partition(RESTS_AT)[0]

    def with_printed(self, text: str) -> Unit:
        """The same with another label on it; what a person added stays."""
        return replace(self, label_text=text.strip() + self.label_text[len(self.printed) :])

    @property
    def label(self) -> Label:
        """The label read again from its text.

        Raises
        ------
        LabelError
            The text holds no capacity, as for a blower or a projector.
        """
        return parse_label(self.label_text, self.chemistry)


_MAINS = r"(?:1[0-2]\d|2[0-4]\d)\s*V"
_KINDS_BY_LABEL = (
    ("station", r"\bpower\s*station\b"),
    ("bank", r"\bpower\s*bank\b"),
    ("charger", r"\b(?:charger|power\s+supply|mains\s+adapter)\b"),
    ("inverter", r"\binverter\b|\b(?:pure|true|modified)\s+sine\b"),
    ("converter", r"\b(?:converter|step[- ]?(?:up|down))\b"),
    ("lead", r"\b(?:fuse|breaker|cable|lead(?![- ]acid))\b|\d\s*mm²"),
    ("charger", rf"{_MAINS}(?:\s*AC)?\s*(?:to|->|→|in)\b"),
    ("inverter", rf"(?:to|->|→)\s*{_MAINS}"),
    ("converter", r"\d\s*V(?:\s*DC)?\s*(?:to|->|→)\s*\d"),
    ("station", rf"\d\s*Wh\b.*(?:\b(?:input|solar|socket)\b|{_MAINS})"),
    ("source", r"\b(?:panel|photovoltaic)\b|^(?!.*\d\s*Wh).*\bsolar\b|\d\s*[mµμu]?F\b"),
    ("load", r"\b(?:fridge|freezer|lamp|bulb|pump|fan|router|laptop|tablet|heater|kettle|blower|projector|television)\b"),
    ("bank", r"\d\s*mAh\s*/\s*[\d.,]+\s*Wh|(?<!\d)(?:[5-9]|\d\d)[\s.,]?\d{3}\s*mAh\b"),
    ("load", rf"^(?:{_MAINS},?\s*)?[\d.,]+\s*W$|^[\d.,]+\s*V,?\s*[\d.,]+\s*W$"),
)
"""What is printed on the kinds of things, the surest first."""


def kind_by_label(text: str) -> str:
    """What kind of thing such a label is printed on, as far as it says; a battery where nothing speaks for another."""
    return next((kind for kind, pattern in _KINDS_BY_LABEL if re.search(pattern, text.strip(), re.I)), "battery")
