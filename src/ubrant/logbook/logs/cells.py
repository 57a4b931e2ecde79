"""Single cells of a log: numbers as people and programs write them, times, and what is no reading."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from datetime import datetime, timedelta

from ubrant.core.quantities.quantity import plain_number, unit_factor

_NOTHING = {
    "",
    "-",
    "--",
    "---",
    "----",
    "nan",
    "null",
    "none",
    "nil",
    "n/a",
    "na",
    "n.a.",
    "#n/a",
    "#value!",
    "#num!",
    "?",
    "*",
    ".",
    "err",
    "error",
    "undef",
    "nodata",
    "no data",
    "missing",
    "void",
    "invalid",
}
_OVER = {
    "ol",
    "o.l",
    "o.l.",
    ".ol",
    "0l",
    "0.l",
    "overload",
    "over",
    "ovld",
    "ovfl",
    "inf",
    "infinity",
    "9.9e37",
    "9.90e37",
    "9.91e37",
    "+9.9e37",
}
_SPACES = re.compile(r"(?<=\d)[ \u00a0\u202f'’_](?=\d{3}(?:\D|$))")
_NUMBER = re.compile(r"([+\-−]?(?:\d[\d.,]*|[.,]\d+)(?:[eE][+\-−]?\d+)?)\s*([^\d\s].*)?")


class NoNumber(ValueError):
    """A cell that is neither a number nor one of the usual words for none."""


@dataclass(frozen=True)
class LogCell:
    """A number, with the unit that stood behind it (empty for none); or ``gone``: why there is no reading."""

    value: float = math.nan
    unit: str = ""
    gone: str = ""


def read_cell(text: str, *, decimal_comma: bool) -> LogCell:
    """Read one cell.

    Raises
    ------
    NoNumber
        It is neither a number nor a usual word for none.
    """
    text = text.strip().strip('"').strip()
    low = text.lower().lstrip("+-−")
    if low in _NOTHING:
        return LogCell(gone="no number" if text else "empty")
    if low in _OVER:
        return LogCell(gone="over the meter's range")
    match = _NUMBER.fullmatch(_SPACES.sub("", text).replace("\u00a0", " "))
    if match is None:
        raise NoNumber(text)
    value = _number(match[1].replace("−", "-"), decimal_comma=decimal_comma)
    if not math.isfinite(value) or abs(value) > 9e36:  # SCPI says 9.9E37 for "overload"
        return LogCell(gone="over the meter's range")
    unit = (match[2] or "").strip()
    if unit and unit_factor(unit) is None:
        raise NoNumber(text)
    return LogCell(value, unit)


def _number(text: str, *, decimal_comma: bool) -> float:
    mantissa, e, exponent = re.split(r"([eE])", text, maxsplit=1) if re.search("[eE]", text) else (text, "", "")
    decimal, thousands = (",", ".") if decimal_comma else (".", ",")
    if thousands in mantissa:
        whole = mantissa.split(decimal)[0].lstrip("+-")
        groups = whole.split(thousands)
        if (
            mantissa.rfind(thousands) > mantissa.find(decimal) >= 0
            or not all(len(g) == 3 for g in groups[1:])
            or not 1 <= len(groups[0]) <= 3
        ):
            raise NoNumber(text)
        mantissa = mantissa.replace(thousands, "")
    if mantissa.count(decimal) > 1:
        raise NoNumber(text)
    value = plain_number(mantissa.replace(decimal, ".") + e + exponent)
    if value is None:
        raise NoNumber(text)
    return value


def uses_decimal_comma(cells: list[str], separator: str) -> bool:
    """Whether a comma is the decimal sign in these cells. A cell with both signs decides; then how many digits follow."""
    comma = dot = lone_comma = False
    for cell in cells:
        text = _SPACES.sub("", cell.strip().strip('"'))
        match = re.match(r"[+\-−]?\d[\d.,]*", text)
        if match is None or re.match(r"\d{1,4}[./-]\d{1,2}[./-]\d", text):
            continue
        number = match[0].rstrip(".,")
        if "," in number and "." in number:
            return number.rfind(",") > number.rfind(".")
        if re.search(r",(?:\d{1,2}|\d{4,})$", number) and number.count(",") == 1:
            comma = True
        elif number.count(",") == 1:
            lone_comma = True
        if re.search(r"\.(?:\d{1,2}|\d{4,})$", number) and number.count(".") == 1:
            dot = True
    if comma != dot:
        return comma
    return lone_comma and separator != "," and not dot


@dataclass(frozen=True)
class Moment:
    """A cell of time: ``seconds`` counted, or of the day (``kind`` ``number``, ``clock``), or a date and time (``stamp``)."""

    kind: str
    seconds: float = 0.0
    stamp: datetime | None = None


_CLOCK = re.compile(r"(\d{1,4}):([0-5]?\d)(?::([0-5]?\d(?:[.,:]\d+)?))?\s*([ap]\.?m\.?)?", re.I)
DAY_FIRST = re.compile(r"(\d{1,2})([./-])(\d{1,2})\2(\d{4}|\d{2})[ T,;]*(.*)")
_YEAR_FIRST = re.compile(r"(\d{4})[./](\d{1,2})[./](\d{1,2})[ T,;]*(.*)")


def read_moment(text: str, *, decimal_comma: bool, month_first: bool = False) -> Moment | None:
    """A cell of time; None when it holds none. ``h:mm``, ``h:mm:ss``, ``m:ss.s``, ISO 8601, D.M.Y, D/M/Y or M/D/Y, or a number.

    Raises
    ------
    NoNumber
        It is none of these.
    """
    text = text.strip().strip('"').strip()
    if text.lower() in _NOTHING:
        return None
    if clock := _CLOCK.fullmatch(text):
        return Moment("clock", _clock_seconds(clock))
    if re.match(r"\d{4}-?\d\d-?\d\d(?:[T ]?\d|$)", text) and not re.fullmatch(r"\d{8,}(?:\.\d+)?", text):
        try:
            return Moment("stamp", stamp=datetime.fromisoformat(_iso(text)))
        except ValueError:
            raise NoNumber(text) from None
    if match := _YEAR_FIRST.fullmatch(text):
        return Moment("stamp", stamp=_stamp(int(match[1]), int(match[2]), int(match[3]), match[4], text))
    if match := DAY_FIRST.fullmatch(text):
        first, second, year = int(match[1]), int(match[3]), int(match[4])
        day, month = (second, first) if month_first else (first, second)
        return Moment("stamp", stamp=_stamp(year + 2000 if year < 100 else year, month, day, match[5], text))
    cell = read_cell(text, decimal_comma=decimal_comma)
    if cell.gone:
        return None
    if cell.unit:
        known = unit_factor(cell.unit)
        if known is None or known.unit != "s":
            raise NoNumber(text)
        return Moment("number in seconds", cell.value * known.value)
    return Moment("number", cell.value)


def _iso(text: str) -> str:
    text = re.sub(r"\s+(UTC|GMT|Z)$", "Z", text)
    text = re.sub(r"(\d)\s+([+-]\d\d:?\d\d)$", r"\1\2", text)
    return text.replace(",", ".")


def _clock_seconds(clock: re.Match[str]) -> float:
    hours, minutes, rest = int(clock[1]), int(clock[2]), clock[3]
    seconds = float(rest.replace(",", ".").replace(":", ".")) if rest else 0.0
    if clock[4]:
        hours = hours % 12 + (12 if clock[4].lower().startswith("p") else 0)
    return hours * 3600 + minutes * 60 + seconds


def _stamp(year: int, month: int, day: int, clock: str, text: str) -> datetime:
    match = _CLOCK.fullmatch(clock.strip()) if clock.strip() else None
    if clock.strip() and match is None:
        raise NoNumber(text)
    try:
        return datetime(year, month, day) + timedelta(seconds=_clock_seconds(match) if match else 0.0)
    except ValueError:
        raise NoNumber(text) from None
