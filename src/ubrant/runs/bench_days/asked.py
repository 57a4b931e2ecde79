"""What is asked of days at the bench, as people write it: a TOML file, or what the window keeps."""

from __future__ import annotations

import re
from datetime import datetime, timedelta
from itertools import pairwise
from pathlib import Path

from pydantic import Field

from ubrant.core.planning.steps import PlanError, Span, joined_spans, spans_left
from ubrant.core.quantities.quantity import QuantityError, parse_quantity
from ubrant.core.wording import say
from ubrant.runs.kept.toml_parts import WrittenPart, parse_toml, read_toml, toml_lines

USUAL_DAYS = 14
"""How far ahead nights are laid: no bench weekend is longer."""
_CLOCK = r"(\d{1,2})[:.](\d{2})"


class TestPart(WrittenPart):
    """One test. ``takes`` and ``charge`` are lengths where a person knows better; ``due`` a moment; ``ends`` *by itself* or *by hand*; what was ``left_out``
    keeps its number.
    """

    __test__ = False
    unit: str = ""
    method: str = ""
    takes: str = ""
    charge: str = ""
    due: str = ""
    load: str = ""
    charger: str = ""
    ends: str = ""
    full: bool = False
    left_out: bool = False


class DaysPart(WrittenPart):
    """All of it. ``asleep`` is each night, ``out`` single stretches, ``loads`` and ``chargers`` what there is besides the shelf's, ``socket`` what that may give."""

    name: str = ""
    logbook: str = ""
    begins: str = ""
    asleep: str = "23:00 to 07:30"
    out: list[str] = Field(default_factory=list)
    loads: list[str] = Field(default_factory=list)
    chargers: list[str] = Field(default_factory=list)
    socket: str = ""
    test: list[TestPart] = Field(default_factory=list)


def read_days(path: Path) -> DaysPart:
    """A file as it stands.

    Raises
    ------
    PlanError
        It cannot be read, is no TOML, or holds what nobody knows; says where.
    """
    text = read_toml(path, say("{path} is no text: days at the bench are a TOML file.", path=path), PlanError)
    return parse_days(text, path.name)


def parse_days(text: str, name: str = "days") -> DaysPart:
    """As :func:`read_days`, of the text itself."""
    return parse_toml(text, name, DaysPart, {"test": TestPart}, PlanError)


def days_toml(part: DaysPart) -> str:
    """What :func:`parse_days` reads as the same again."""
    lines = toml_lines(part, ("test",))
    for test in part.test:
        lines += ["", "[[test]]", *toml_lines(test)]
    return "\n".join(lines) + "\n"


# hours


def moment_said(text: str, now: datetime, what: str) -> datetime:
    """``2026-12-04 18:00``, ``Sat 18:00`` or ``18:00``, the next such moment.

    Raises
    ------
    PlanError
        It is no moment; says how to write it.
    """
    tidy = " ".join(text.split())
    if match := re.fullmatch(rf"(\d{{4}})-(\d\d)-(\d\d)[ T]{_CLOCK}", tidy):
        year, month, day, hour, minute = (int(x) for x in match.groups())
        try:
            return datetime(year, month, day, hour, minute).astimezone()
        except ValueError:
            raise PlanError(_no_moment(what, text)) from None
    if match := re.fullmatch(rf"(?:(\w{{2,9}})\s+)?{_CLOCK}", tidy):
        hour, minute = int(match[2]), int(match[3])
        if hour > 23 or minute > 59:
            raise PlanError(_no_moment(what, text))
        if not match[1]:
            found = _at(now, 0, hour, minute)
            return found if found >= now else _at(now, 1, hour, minute)
        weekday = _weekday(match[1])
        if weekday is None:
            raise PlanError(_no_moment(what, text))
        ahead = (weekday - now.weekday()) % 7
        found = _at(now, ahead, hour, minute)
        return found if found >= now else _at(now, ahead + 7, hour, minute)
    raise PlanError(_no_moment(what, text))


def _no_moment(what: str, text: str) -> str:
    return say("{what} “{typed}” is no moment: write it like “Sat 18:00” or “2026-12-05 18:00”.", what=what, typed=text)


def _at(now: datetime, days: int, hour: int, minute: int) -> datetime:
    """So many days on, by the clock there: over a change of summer time too."""
    day = now.date() + timedelta(days=days)
    return datetime(day.year, day.month, day.day, hour, minute).astimezone()


_WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")


def _weekday(text: str) -> int | None:
    found = [k for k, name in enumerate(_WEEKDAYS) if len(text) >= 2 and name.startswith(text.lower())]
    return found[0] if len(found) == 1 else None


def nights(asleep: str, begins: datetime, days: int = USUAL_DAYS) -> list[Span]:
    """Each night of some days, by the clock on the wall.

    Raises
    ------
    PlanError
        It is no stretch of a day.
    """
    if not asleep.strip():
        return []
    match = re.fullmatch(rf"\s*{_CLOCK}\s*(?:to|-|–|…)\s*{_CLOCK}\s*", asleep)
    if match is None or int(match[1]) > 23 or int(match[3]) > 23 or int(match[2]) > 59 or int(match[4]) > 59:
        raise PlanError(say("Asleep “{typed}” is no stretch of a day: write it like “23:00 to 07:30”.", typed=asleep))
    (h1, m1), (h2, m2) = (int(match[1]), int(match[2])), (int(match[3]), int(match[4]))
    over = 1 if (h2, m2) <= (h1, m1) else 0
    return [Span(_at(begins, k, h1, m1).timestamp(), _at(begins, k + over, h2, m2).timestamp()) for k in range(-1, days + 1)]


def out_of(texts: list[str], begins: datetime) -> list[Span]:
    """Single stretches in which nobody is there: ``Sat 9:00 to 12:00``.

    Raises
    ------
    PlanError
        One that is none, or two that overlap: which of them is meant is asked.
    """
    found: list[tuple[Span, str]] = []
    for text in texts:
        first, _, last = (part.strip() for part in re.sub(r"\s+(to|–|-|…)\s+", "\0", text, count=1).partition("\0"))
        if not last:
            raise PlanError(say("Out “{typed}” is no stretch: write it like “Sat 9:00 to 12:00”.", typed=text))
        start = moment_said(first, begins, say("Out"))
        end = moment_said(last, start, say("Out"))
        found.append((Span(start.timestamp(), end.timestamp()), text))
    found.sort(key=lambda pair: pair[0].start)
    for (one, a), (other, b) in pairwise(found):
        if other.start < one.end:
            raise PlanError(say("“{a}” and “{b}” overlap: write when you are out once.", a=a, b=b))
    return [span for span, _ in found]


def hours_here(part: DaysPart, begins: datetime, now: datetime) -> tuple[Span, ...]:
    """When the person is there and awake, from the beginning on for two weeks past ``now``.

    Raises
    ------
    PlanError
        Hours that cannot be read, or none left.
    """
    days = USUAL_DAYS + max((now - begins).days, 0)
    whole = [Span(begins.timestamp(), _at(begins, days, 23, 59).timestamp())]
    here = spans_left(joined_spans(whole), [*nights(part.asleep, begins, days), *out_of(part.out, begins)])
    if not here:
        raise PlanError(say("Nobody is ever there: say when you are."))
    return here


def seconds_of(text: str, what: str) -> float | None:
    """A length; None for nothing.

    Raises
    ------
    PlanError
        It is none.
    """
    if not text.strip():
        return None
    part = r"[\d.,]+\s*[a-zA-Z]+"
    try:
        whole = re.fullmatch(rf"\s*{part}(?:\s*{part})*\s*", text)
        seconds = sum(parse_quantity(one, "s") for one in re.findall(part, text)) if whole else 0.0
    except QuantityError as error:
        raise PlanError(f"{what}: {error}") from None
    if not 0 < seconds <= USUAL_DAYS * 86_400:
        raise PlanError(say("{what}: “{typed}” is no length of a test: write it like “5 h”.", what=what, typed=text))
    return seconds
