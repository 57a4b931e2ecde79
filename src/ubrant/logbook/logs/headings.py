"""Column headings of a log: which quantity, in which unit. ``Voltage (V)``, ``U [mV]``, ``current/mA``, ``Time(s)``."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ubrant.core.quantities.quantity import unit_factor

_WORDS = {
    "time": {
        "time",
        "t",
        "elapsed",
        "timestamp",
        "stamp",
        "date",
        "datetime",
        "seconds",
        "secs",
        "uptime",
        "millis",
        "clock",
        "zeit",
        "temps",
        "tiempo",
    },
    "voltage": {"voltage", "volt", "volts", "u", "v", "vbat", "ubat", "vbatt", "spannung", "tension", "voltaje"},
    "current": {"current", "amps", "amp", "ampere", "amperes", "amperage", "i", "ibat", "strom", "courant", "corriente"},
}
_LETTERS = {"t", "u", "v", "i"}
_BASE = {"time": "s", "voltage": "V", "current": "A"}
_ASIDE = {"set", "setpoint", "target", "limit", "max", "min", "avg", "cell", "ripple", "cutoff", "ref", "step", "cycle"}


@dataclass(frozen=True)
class Heading:
    """One column's heading taken apart. ``quantity`` is None where it is nothing Ubrant reads."""

    text: str
    index: int
    quantity: str | None
    unit: str
    factor: float
    has_unit: bool
    trouble: str = ""


def read_heading(text: str, index: int) -> Heading:
    """Take one heading apart; ``trouble`` says what cannot be."""
    name, symbol = _split(text)
    unit = unit_factor(symbol) if symbol else None
    words = re.findall(r"[^\W\d_]+", name.lower())
    named = next((q for q, known in _WORDS.items() if _names(words, known, symbol)), None)
    by_unit = next((q for q, base in _BASE.items() if unit and unit.unit == base), None)
    if unit is not None and by_unit is None:
        if named is None or named == "time" or not _is_named_outright(words, named):
            return Heading(text, index, None, unit.unit, unit.value, True)
        return Heading(text, index, named, "", 1.0, True, f"a {named} in {symbol} cannot be")
    if symbol and unit is None and named not in (None, "time"):
        return Heading(text, index, named, "", 1.0, True, f"“{symbol}” is not a unit of {named} that Ubrant knows")
    if named and by_unit and named != by_unit:
        if named == "time" or by_unit == "time" or len(words) > 1:
            named = by_unit
        else:
            return Heading(text, index, named, "", 1.0, True, f"a {named} in {symbol} cannot be")
    quantity = by_unit or named
    if quantity is None:
        return Heading(text, index, None, "", 1.0, False)
    if unit is None:
        return Heading(text, index, quantity, _BASE[quantity], 1.0, False)
    return Heading(text, index, quantity, unit.unit, unit.value, True)


def _split(text: str) -> tuple[str, str]:
    """Name and unit symbol of a heading; an empty symbol when there is none."""
    text = text.strip().strip('"').lstrip("\ufeff").strip()
    for pattern in (r"(.*?)\s*[(\[{<]\s*([^)\]}>]*)\s*[)\]}>]\s*$", r"(.+?)\s*/\s*([^/\s]+)\s*$"):
        if match := re.fullmatch(pattern, text):
            return match[1], match[2].strip()
    if (match := re.fullmatch(r"(.+?)[\s_,.:-]+([^\s_,.:-]+)", text)) and unit_factor(match[2]) is not None:
        return match[1], match[2]
    if unit_factor(text) is not None and (len(text) > 1 or text in "VAWsh"):
        return "", text
    return text, ""


def _names(words: list[str], known: set[str], symbol: str) -> bool:
    """A whole word counts anywhere; a single letter only when it stands alone, or first with a unit."""
    if any(w in known and w not in _LETTERS for w in words):
        return True
    return bool(words) and words[0] in known & _LETTERS and (len(words) == 1 or bool(symbol))


def _is_named_outright(words: list[str], quantity: str) -> bool:
    return any(w in _WORDS[quantity] and w not in _LETTERS for w in words) and len(words) == 1


def fitting_columns(headings: list[Heading], quantity: str) -> list[Heading]:
    """The columns that could be this quantity, best first; more than one left means that a person must say."""
    fitting = [h for h in headings if h.quantity == quantity]
    plain = [h for h in fitting if not set(re.findall(r"[^\W\d_]+", h.text.lower())) & _ASIDE]
    fitting = plain or fitting
    if len(fitting) > 1 and quantity != "time":  # the battery's own tap is what a discharge is judged at
        fitting = [h for h in fitting if re.search(r"\bbat(?:tery|t)?\b", h.text, re.I)] or fitting
    if quantity == "time":
        return sorted(fitting, key=lambda h: not h.has_unit)[:1]
    return fitting


def needed_found(headings: list[Heading]) -> int:
    """How many of time, voltage and current (or power in its place) some column could be."""
    time, volts, amps = (any(h.quantity == q for h in headings) for q in ("time", "voltage", "current"))
    watts = any(h.unit == "W" for h in headings)
    return int(time) + int(volts) + int(amps or (volts and watts))


_TAP_WORDS = {
    "battery": "battery",
    "batt": "battery",
    "bat": "battery",
    "load": "load",
    "source": "source",
    "input": "input",
    "in": "input",
    "output": "output",
    "out": "output",
    "dc": "dc",
    "ac": "ac",
    "bank": "bank",
    "charger": "charger",
    "display": "display",
    "reference": "reference",
}
_OTHER_WORDS = {"temperature": "°C", "temp": "°C", "soc": "%", "percent": "%"}


def other_column(heading: Heading) -> tuple[str, str, float] | None:
    """(tap, quantity, factor) of a column that is not the run's own time, volts or amperes; None for one that means nothing here."""
    words = re.findall(r"[^\W\d_]+", heading.text.lower())
    tap = next((_TAP_WORDS[w] for w in words if w in _TAP_WORDS), "")
    if set(words) & (_ASIDE - {"cell"}):
        return None
    if match := re.search(r"\bcell\W*(\d{1,2})\b", heading.text, re.I):
        unit = heading.unit or "V"
        return (f"cell {match[1]}", "V", heading.factor) if unit == "V" else None
    if heading.quantity in ("voltage", "current") and tap:
        return tap, _BASE[heading.quantity], heading.factor
    if heading.has_unit and heading.unit in {"Ah", "Wh", "W", "%", "°C", "Hz", "VA"}:
        return tap or "battery", heading.unit, heading.factor
    named = next((_OTHER_WORDS[w] for w in words if w in _OTHER_WORDS), None)
    if named is not None and (not heading.has_unit or heading.text.strip().endswith(("C)", "C]", "/ C", "(C"))):
        return tap or "battery", named, 1.0
    return None


def is_run_column(text: str) -> bool:
    """A column that counts runs in one file."""
    words = [w for w in re.findall(r"[^\W\d_]+", text.lower()) if w not in {"no", "nr", "number", "index", "id", "count"}]
    return words in (["run"], ["cycle"], ["test"], ["pass"])
