"""Numbers with units as people write them, and as Ubrant writes them back.

Ubrant has its own small grammar because general unit parsers read ``41 C`` as coulombs and ``3,0 Ah`` as 30.
Inside the program everything is SI plus ampere-hours and watt-hours.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from ubrant.core.wording import SentenceError, say, words

NUMBER = r"[+-]?(?:\d{1,3}(?:[ \u00a0\u202f'’]\d{3})+|\d+)?(?:[.,]\d+|(?<=\d))(?:[eE][+-]?\d+)?"

_SYMBOLS = {"ah": "Ah", "wh": "Wh", "v": "V", "a": "A", "w": "W", "ω": "Ω", "ohm": "Ω", "ohms": "Ω"}
_SYMBOLS |= {"volt": "V", "volts": "V", "amp": "A", "amps": "A", "ampere": "A", "amperes": "A", "watt": "W", "watts": "W"}
_SYMBOLS |= {"hz": "Hz", "hertz": "Hz", "va": "VA", "%": "%", "°c": "°C", "degc": "°C", "kg": "kg", "g": "g"}
_LENGTHS = {"mm": 1e-3, "cm": 1e-2, "m": 1.0, "km": 1e3}
_TIMES = {"ms": 1e-3, "s": 1, "sec": 1, "secs": 1, "second": 1, "seconds": 1, "min": 60, "mins": 60, "minute": 60}
_TIMES |= {"minutes": 60, "h": 3600, "hr": 3600, "hrs": 3600, "hour": 3600, "hours": 3600, "d": 86400, "day": 86400, "days": 86400}
_TIMES |= dict.fromkeys(("msec", "msecs", "millis", "millisecond", "milliseconds"), 1e-3)
_TIMES |= dict.fromkeys(("us", "µs", "μs", "usec", "micros", "microsecond", "microseconds"), 1e-6)
_TIMES |= dict.fromkeys(("ns", "nsec", "nanos", "nanosecond", "nanoseconds"), 1e-9)
_PREFIXES = {"µ": 1e-6, "μ": 1e-6, "u": 1e-6, "m": 1e-3, "k": 1e3, "K": 1e3, "M": 1e6}

_IN_WORDS = {"V": words("volts"), "A": words("amperes"), "W": words("watts"), "Hz": words("hertz")}


def unit_in_words(unit: str) -> str:
    """*amperes* for ``A``, as a sentence wants it; the symbol where there is no word for it."""
    return say(_IN_WORDS[unit]) if unit in _IN_WORDS else unit


class QuantityError(SentenceError):
    """A number or unit that cannot be read; its text is a sentence for the person who typed it."""


@dataclass(frozen=True)
class Quantity:
    """A value in one of the base units V, A, W, VA, Hz, Ah, Wh, Ω, s, °C, %, kg."""

    value: float
    unit: str


_PLAIN = re.compile(r"[+-]?(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[eE][+-]?[0-9]+)?")


def plain_number(text: str) -> float | None:
    """A number in plain digits with a full stop, as files and instruments write it; None for whatever else Python would let pass: ``1_3.0``, digits of
    other scripts, ``nan``."""
    return float(text) if _PLAIN.fullmatch(text.strip()) else None


def parse_number(text: str) -> float:
    """Read ``3.2``, ``3,2``, ``24 000``, ``1.5e3``.

    A single comma or full stop is always the decimal sign; thousands are set apart by spaces or apostrophes.

    Raises
    ------
    QuantityError
        The text is not one finite number.
    """
    cleaned = re.sub(r"[ \u00a0\u202f'’](?=\d{3})", "", text.strip()).replace("−", "-").replace(",", ".")
    value = plain_number(cleaned)
    if value is None:
        raise QuantityError(say("“{strip}” is not a number.", strip=text.strip()))
    if not math.isfinite(value):
        raise QuantityError(say("“{strip}” is not a finite number.", strip=text.strip()))
    return value


def unit_factor(symbol: str) -> Quantity | None:
    """Base unit and factor of a unit symbol: ``mA`` → ``Quantity(0.001, "A")``; None when it is not one.

    Case is forgiven where nothing else could be meant: ``MAH`` is mAh, since nobody prints mega-ampere-hours.
    """
    symbol = symbol.strip().replace("Ω", "Ω").replace("℃", "°C")
    low = symbol.lower()
    if symbol in _SYMBOLS.values():
        return Quantity(1e-3, "kg") if symbol == "g" else Quantity(1.0, symbol)
    if symbol in _LENGTHS:
        return Quantity(_LENGTHS[symbol], "m")
    if low in _TIMES:
        return Quantity(float(_TIMES[low]), "s")
    if low in _SYMBOLS:
        return unit_factor(_SYMBOLS[low])
    prefix, rest = symbol[:1], symbol[1:]
    base = _SYMBOLS.get(rest.lower())
    if prefix in _PREFIXES and base in {"V", "A", "W", "Ah", "Wh", "Ω", "Hz", "VA"}:
        factor = 1e-3 if prefix == "M" and base in {"Ah", "A", "V"} else _PREFIXES[prefix]
        return Quantity(factor, base)
    return None


def parse_quantity(text: str, unit: str) -> float:
    """Read a number that must be in ``unit`` or a multiple of it; a bare number is taken in ``unit``; of seconds also ``1 h 30 min``, as :func:`show_duration` writes it.

    Raises
    ------
    QuantityError
        Not a number, an unknown unit, or a unit of another kind (volts where amperes are wanted).
    """
    if unit == "s" and (parts := _several_times(text)):
        return sum(parts)
    match = re.fullmatch(rf"\s*({NUMBER})\s*([^\d\s].*?)?\s*", text)
    if not match:
        raise QuantityError(
            say(
                "“{strip}” is not a value in {unit}: write it like “{unit_2}”.",
                strip=text.strip(),
                unit=unit,
                unit_2=_EXAMPLES.get(unit, "12.5 " + unit),
            )
        )
    value = parse_number(match[1])
    if match[2] is None:
        return value
    if unit == "°C" and (scale := _DEGREES.get(match[2].replace(" ", "").lower())):
        return value if scale == "C" else (value - 32) / 1.8
    known = unit_factor(match[2])
    if known is None:
        raise QuantityError(say("“{value}” is not a unit Ubrant knows: write the value in {unit}.", value=match[2], unit=unit))
    if known.unit != unit:
        raise QuantityError(
            say("“{strip}” is in {unit}, and a value in {unit_2} belongs here.", strip=text.strip(), unit=known.unit, unit_2=unit)
        )
    return value * known.value


def _several_times(text: str) -> list[float]:
    """Seconds of each part of ``1 h 30 min``, as a duration is shown; nothing where it is no such one."""
    parts = re.findall(rf"({NUMBER})\s*([a-z]+)", text.lower())
    if len(parts) < 2 or re.sub(rf"({NUMBER})\s*([a-z]+)", "", text.lower()).strip() or any(unit not in _TIMES for _, unit in parts):
        return []
    factors = [_TIMES[unit] for _, unit in parts]
    return (
        [parse_number(number) * factor for (number, _), factor in zip(parts, factors, strict=True)]
        if factors == sorted(set(factors), reverse=True)
        else []
    )


_EXAMPLES = {"V": "11.0 V", "A": "10 A", "s": "5 min", "Ah": "50 Ah", "Wh": "640 Wh", "°C": "21 °C", "m": "1.5 m"}


_DEGREES = {**dict.fromkeys(("c", "°", "degc", "deg"), "C"), **dict.fromkeys(("f", "°f", "degf"), "F")}
"""How degrees are typed where nothing else than a temperature can be meant."""


def decimals_for(uncertainty: float) -> int:
    """Decimal places that show an uncertainty with two significant digits."""
    if not uncertainty > 0:
        return 2
    return max(0, 1 - math.floor(math.log10(uncertainty)))


def grouped(value: float, decimals: int) -> str:
    """A number with a true minus sign and a narrow space between thousands (from five digits on)."""
    text = f"{abs(value):.{decimals}f}"
    whole, _, fraction = text.partition(".")
    if len(whole) > 4:
        whole = f"{int(whole):,}".replace(",", "\u202f")
    sign = "−" if value < 0 and float(text) != 0 else ""
    return sign + whole + ("." + fraction if fraction else "")


def show(value: float, significant: int = 4) -> str:
    """A number with so many significant digits, without exponent."""
    if value == 0 or not math.isfinite(value):
        return "0"
    return grouped(value, max(0, significant - 1 - math.floor(math.log10(abs(value)))))


def plain(value: float, significant: int = 4) -> str:
    """A number as a label prints it: ``50``, ``12.8``, ``0.045``, without zeros at its end."""
    text = show(value, significant)
    return text.rstrip("0").rstrip(".") if "." in text else text


def show_with(value: float, uncertainty: float | None) -> tuple[str, str]:
    """Value and ± as text, both to the decimals that the uncertainty deserves, at most six: a smaller ± is a millionth then."""
    if uncertainty is None:
        return show(value), ""
    decimals = min(decimals_for(uncertainty), _MOST_DECIMALS)
    return grouped(value, decimals), grouped(max(uncertainty, 10.0**-_MOST_DECIMALS) if uncertainty else 0.0, decimals)


_MOST_DECIMALS = 6


def show_duration(seconds: float) -> str:
    """``4 h 53 min``, ``12 min 5 s``, ``8.4 s``: the two units that matter."""
    seconds = max(0.0, seconds)
    if seconds < 59.95:
        return f"{seconds:.1f} s" if seconds % 1 > 0.05 and seconds < 10 else f"{seconds:.0f} s"
    if seconds < 3570:
        minutes, rest = divmod(round(seconds), 60)
        return f"{minutes} min {rest} s" if rest and minutes < 20 else f"{round(seconds / 60)} min"
    hours, minutes = divmod(round(seconds / 60), 60)
    if hours < 48:
        return f"{hours} h {minutes:02d} min" if minutes else f"{hours} h"
    days, hours = divmod(round(seconds / 3600), 24)
    return f"{days} d {hours} h"
