"""Jot text: the jot line's grammar as a file, a line each, with a few lines at its head that say what it is about. docs/jot-text.md."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

from ubrant.core.quantities.jot import BAR, EMPTY, FATES, FULL, Grammar, JotError, TypedLine, TypedReading, clock_text, without_time
from ubrant.core.quantities.quantity import parse_number
from ubrant.core.wording import SentenceError, say

HEADINGS = (
    "method",
    "unit",
    "kind",
    "label",
    "chemistry",
    "fed by",
    "to",
    "leads",
    "meter",
    "volts",
    "amps",
    "watts",
    "details",
    "started",
    "cutoff",
    "hold",
    "between",
    "temperature",
    "room",
    "start",
    "full",
    "checked",
    "taps",
    "note",
)
"""What the head of a file may name, each as ``name: value``; a meter's also for a tap, as ``volts output``; and ``plan …`` for a field of the method."""
_HEADING = re.compile(r"((?:meter|volts|amps|watts|details|plan|unit|method)\s+\w[\w .-]*?|fed by|[A-Za-z]+)\s*:\s*(.*)", re.I)
_OF_A_TAP = re.compile(r"(?:meter|volts|amps|watts|details|plan|unit|method) ")
_ENDS = ("source", "device")
"""What the first and the last of ``bank -> tablet`` are on the path."""
_DAY_S = 86_400.0
OWN = "battery"
"""The place of a reading for which none is named."""


class JotTextError(SentenceError):
    """A jot text that cannot be read: which line, and what to do."""


@dataclass(frozen=True)
class TimedLine:
    """One line with its time, seconds from the start, and its number in the file (0 for one that was typed)."""

    time_s: float
    jotting: TypedLine
    line: int = 0


@dataclass(frozen=True)
class JotText:
    """A head, when it started (None where it does not say), the entries by time, and what was taken for granted."""

    head: dict[str, str]
    started: datetime | None
    entries: tuple[TimedLine, ...]
    warnings: tuple[str, ...] = ()


_DAY = r"(?:(?:\d{4}-)?\d{1,2}-\d{1,2}[ T]+)?"
_COUNTERS = {"Ah", "Wh"}
_BEGINS_WITH_TIME = re.compile(rf"@\s*{_DAY}\d{{1,2}}[:.]\d\d|\+\s*\d|{_DAY}\d{{1,2}}:\d\d(?::\d\d)?\s[^,;\t]*[A-Za-z%]")


def is_jot_text(text: str) -> bool:
    """Whether a text looks like jot text: it names something it may name, or has a line that begins with a time and holds a reading."""
    lines = [line.strip() for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")][:40]
    heads = sum(1 for line in lines if (m := _HEADING.match(line)) and _is_heading(m[1]))
    timed = sum(1 for line in lines if _BEGINS_WITH_TIME.match(line))
    first = next((line for line in lines if "\t" in line), "")
    if not heads and first and not _BEGINS_WITH_TIME.match(first):
        return False  # columns under their heading
    return bool(lines) and (heads >= 2 or (timed >= 1 and heads + timed >= max(2, len(lines) // 3)))


def read_jot_text(text: str, name: str = "The text") -> JotText:
    """Read a jot text.

    Times of day run on over midnight; a line without a time has that of the line before. ``fix …`` takes the place of the entry before it.

    Raises
    ------
    JotTextError
        A line that is not understood; says which.
    """
    head: dict[str, str] = {}
    entries: list[TimedLine] = []
    warnings: list[str] = []
    grammar = Grammar()
    times = _Times(name)
    for number, line in enumerate(text.splitlines(), start=1):
        line = line.strip().lstrip("\ufeff")
        if not line or line.startswith("#"):
            continue
        named = _HEADING.match(line)
        if not entries and named and _is_heading(named[1]):
            key = re.sub(r"\s+", " ", named[1].lower())
            head[key] = named[2].strip()
            if key == "taps":
                grammar = replace(grammar, taps=tuple(t.strip() for t in named[2].split(",") if t.strip()))
            if key.startswith("method "):
                grammar = replace(grammar, aliases=dict(zip(names_on_path(named[2]), _ENDS, strict=False)))
            if key == "started":
                times.begin(_started(named[2], name, number))
            continue
        try:
            jotting = grammar.parse(line)
        except (JotError, ValueError) as error:
            raise JotTextError(f"{name}, line {number}: {error}") from None
        if jotting is None:
            continue
        if doubt := grammar.doubts_of_note(jotting):
            warnings.append(say("Line {number}: {doubt}", number=number, doubt=doubt))
        moment, warning = times.of(jotting, entries, number)
        if warning:
            warnings.append(warning)
        if jotting.corrects:
            if not entries:
                raise JotTextError(say("{name}, line {number}: there is no entry before it to correct.", name=name, number=number))
            entries[-1] = line_corrected(entries[-1], jotting, number)
            continue
        entries.append(TimedLine(moment, jotting, number))
    if not entries:
        raise JotTextError(say("{name} holds no reading and no note. Write a line like “@14:32 12.94 V 4.1 A”.", name=name))
    started = _started(head["started"], name, 1) if "started" in head else None
    return JotText(head, started, tuple(sorted(entries, key=lambda e: e.time_s)), tuple(warnings))


class _Times:
    """When each line of a text was: times of day run on over midnight, from the start or from the first line."""

    def __init__(self, name: str) -> None:
        self._name = name
        self._zero: float | None = None  # time of day of the start, seconds
        self._first_day: date | None = None
        self._day_s = 0.0
        self._last_clock = -1.0

    def begin(self, start: datetime) -> None:
        self._zero, self._first_day = start.hour * 3600.0 + start.minute * 60 + start.second, start.date()

    def of(self, jotting: TypedLine, entries: Sequence[TimedLine], number: int) -> tuple[float, str]:
        """Seconds from the start of the line ``number``, and what should be asked about it.

        Raises
        ------
        JotTextError
            There is no such day.
        """
        before = entries[-1].time_s if entries else 0.0
        if jotting.at_clock_s is None:
            return (jotting.after_start_s if jotting.after_start_s is not None else before - jotting.ago_s), ""
        if jotting.on_day is not None:
            self._is_of(jotting.on_day, number, jotting.at_clock_s, before if entries else None)
        if self._zero is None:
            self._zero = jotting.at_clock_s
        if self._last_clock >= 0 and jotting.at_clock_s < self._last_clock - _DAY_S / 2:
            self._day_s += _DAY_S
        self._last_clock = jotting.at_clock_s
        moment = jotting.at_clock_s + self._day_s - self._zero
        if jotting.on_day is None and moment < before - _DAY_S / 2:
            moment += _DAY_S
        elif jotting.on_day is None and (
            (moment < 0 and any(e.time_s >= 0 for e in entries))  # before it began: it is the next day
            or (moment < before and _has_counted_on(jotting, entries, moment))
        ):
            self._day_s += _DAY_S
            moment += _DAY_S
        if not entries or moment >= before - 1e-9:
            return moment, ""
        return moment, say(
            "Line {number} goes back to {time}, before the line above it: taken as written down late. Look whether that hour is right.",
            number=number,
            time=clock_text(jotting.at_clock_s),
        )

    def _is_of(self, on_day: tuple[int, int, int], number: int, clock_s: float, before: float | None) -> None:
        """From here on times of day are of this day; where the lines above name none, they are of the latest at which they lie before it."""
        try:
            day = on_that_day(on_day, self._first_day)
        except ValueError:
            raise JotTextError(say("{name}, line {number}: there is no such day.", name=self._name, number=number)) from None
        if self._first_day is None and before is not None and self._zero is not None:
            passed = math.ceil((before + self._zero - clock_s) / _DAY_S - 1e-9)
            self._first_day = day - timedelta(days=max(passed, 0))
        self._first_day = self._first_day or day
        self._day_s, self._last_clock = (day - self._first_day).days * _DAY_S, -1.0


def _has_counted_on(jotting: TypedLine, entries: Sequence[TimedLine], moment: float) -> bool:
    """A counter of it would have stood higher at that moment than it did later, or at the same: so it is another day."""
    later = [(r.tap, r.quantity, r.value) for e in entries if e.time_s >= moment for r in e.jotting.readings if r.quantity in _COUNTERS]
    return any(
        tap == r.tap and quantity == r.quantity and value < r.value
        for r in jotting.readings
        if r.quantity in _COUNTERS
        for tap, quantity, value in later
    )


def on_that_day(on_day: tuple[int, int, int], first: date | None) -> date:
    """The day that was written; without a year the one that is nearest to ``first``, else of this century's first that has it.

    Raises
    ------
    ValueError
        There is no such day.
    """
    year, month, day = on_day
    if year or first is None:
        return date(year or 2000, month, day)
    return min((date(first.year + k, month, day) for k in (-1, 0, 1) if _is_day(first.year + k, month, day)), key=lambda d: abs(d - first))


def _is_day(year: int, month: int, day: int) -> bool:
    try:
        date(year, month, day)
    except ValueError:
        return False
    return True


def names_on_path(text: str) -> tuple[str, ...]:
    """The first and the last of ``bank -> tablet``, as they are called in the lines that follow."""
    names = tuple(part.strip() for part in re.split(r"->|→", text) if part.strip())
    return names if len(names) < 2 else (names[0], names[-1])


def _is_heading(name: str) -> bool:
    name = re.sub(r"\s+", " ", name.lower())
    return name in HEADINGS or _OF_A_TAP.match(name) is not None


def line_corrected(entry: TimedLine, by: TypedLine, line: int = 0) -> TimedLine:
    """The entry with what ``by`` reads in place of what it read of the same; its time stays, and so does what is not mentioned."""
    said = {(r.tap or OWN, r.quantity) for r in by.readings}
    readings = (*by.readings, *(r for r in entry.jotting.readings if (r.tap or OWN, r.quantity) not in said))
    jotting = replace(entry.jotting, readings=readings, mark=by.mark or entry.jotting.mark, text=by.text or entry.jotting.text, line="")
    return TimedLine(entry.time_s, replace(jotting, line=line_of(jotting)), line or entry.line)


def write_jot_text(head: dict[str, str], started: datetime | None, entries: Iterable[TimedLine]) -> str:
    """Head and entries as a jot text that reads back to the same."""
    order = {key: place for place, key in enumerate(HEADINGS)}
    keys = sorted(
        (k for k in head if head[k] and k != "started"), key=lambda k: order.get(k.split(" ")[0] if k not in order else k, len(order))
    )
    lines = [f"{key}: {_one_line(head[key])}" for key in keys]
    if started is not None:
        lines.append(f"started: {started.isoformat(sep=' ', timespec='seconds')}")
    lines.append("")
    lines += [
        f"{_after(e.time_s, to_minute=e.jotting.to_minute)} {line_of(e.jotting)}".rstrip() for e in sorted(entries, key=lambda e: e.time_s)
    ]
    return "\n".join(lines) + "\n"


def line_of(jotting: TypedLine) -> str:
    """The row as a line without its time: as typed where that says the same by itself, put together otherwise."""
    typed = without_time(jotting.line)
    if jotting.line and not jotting.corrects and typed and _says_the_same(typed, jotting):
        return typed
    short = _put_together(jotting, each_tap=False)
    return short if _says_the_same(short, jotting) else _put_together(jotting, each_tap=True)


def _put_together(jotting: TypedLine, *, each_tap: bool) -> str:
    """Mark, readings and note; a tap that holds for several readings is named once where that will do."""
    parts = []
    held = ""
    for reading in jotting.readings:
        value, unit = _digits(reading), reading.quantity
        text = {
            "range": f"{_end(reading, -1)}..{_end(reading, 1)} {unit}",
            "about": f"~{value} {unit}",
            "peak": f"peak {value} {unit}",
            "below": f"<{2 * reading.value:.12g} {unit}",
            "count": f"{reading.value:g} of {reading.value:g} {unit}",
            "bar": f"bar {unit.removeprefix(BAR)} {value} Wh",
        }.get(reading.kind, f"{value} {unit}")
        if reading.kind == "state":
            text = f"{reading.tap} {FULL if reading.value else EMPTY}"
        elif reading.tap.startswith("cell "):
            text = f"{reading.tap.replace('cell ', 'cell')} {text}"
        elif each_tap or (reading.tap and reading.tap != held):
            text = f"{reading.tap or OWN} {text}"
        held = reading.tap or held
        parts.append(text)
    if jotting.mark:
        parts.insert(len(parts) if jotting.mark in FATES else 0, jotting.mark)
    note = f'"{jotting.text}"' if jotting.text and (parts or re.match(r"[-+@\d~<]", jotting.text)) else jotting.text
    return " ".join([*parts, note]).strip()


def _digits(reading: TypedReading) -> str:
    """Its number in as many digits as say how wide it is; where none do, with its width behind it, or as exact."""
    decimals = max(0, -_exponent_of(2 * reading.half_width)) if reading.half_width else 0
    text = f"{reading.value:.{decimals}f}"
    usual = max(10.0**-decimals, 0.05 * abs(reading.value)) if reading.kind == "about" else 0.5 * 10.0**-decimals
    if reading.kind == "bar" or (float(text) == reading.value and abs(usual - reading.half_width) <= 1e-9 * usual):
        return text
    if not reading.half_width:
        return f"={reading.value!r}"
    return f"{reading.value!r} ±{reading.half_width!r}"


def _end(reading: TypedReading, side: int) -> str:
    """One end of a range in no more digits than it takes."""
    return f"{reading.value + side * reading.half_width:.12g}"


def _says_the_same(line: str, jotting: TypedLine) -> bool:
    """Whether a line means by itself what it meant where it was typed; a bare number, say, does not."""
    try:
        again = Grammar().parse(line)
    except ValueError:
        return False
    return again is not None and said_by(again) == said_by(jotting)


def said_by(jotting: TypedLine) -> tuple[tuple[TypedReading, ...], str, str]:
    """What a row says, however it is written: the place without a name is the run's own."""
    return tuple(replace(r, tap=r.tap or OWN) for r in jotting.readings), jotting.mark, jotting.text


def _started(text: str, name: str, number: int) -> datetime:
    try:
        return datetime.fromisoformat(re.sub(r"\s+([+-]\d\d:?\d\d)$", r"\1", text.strip()))
    except ValueError:
        raise JotTextError(
            say("{name}, line {number}: “{what}” is no date and time: write it like 2026-10-17 08:10.", name=name, number=number, what=text)
        ) from None


def _one_line(text: str) -> str:
    return " ".join(text.split())


def _after(seconds: float, *, to_minute: bool) -> str:
    if seconds < 0:
        return f"-{-seconds!r}s"
    whole = int(seconds)
    if to_minute and whole == seconds and not whole % 60:
        return f"+{whole // 3600}:{whole // 60 % 60:02d}"
    rest = repr(float(seconds)).partition(".")[2] if "e" not in repr(float(seconds)) else f"{seconds - whole:.9f}"[2:]
    rest = rest.rstrip("0")
    return f"+{whole // 3600}:{whole // 60 % 60:02d}:{whole % 60:02d}{'.' + rest if rest else ''}"


def _exponent_of(width: float) -> int:
    return round(parse_number(f"{width:e}".partition("e")[2])) if width else 0
