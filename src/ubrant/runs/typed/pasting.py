"""Rows of a spreadsheet, pasted into the table of what is typed: their headings, units, times and notes."""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import timedelta
from itertools import zip_longest

from ubrant.core.quantities.jot import JotError, TypedLine, mark_of_note
from ubrant.core.quantities.quantity import parse_quantity
from ubrant.core.record.jot_text import line_of, said_by
from ubrant.core.record.record import TapQuantity
from ubrant.core.wording import say
from ubrant.logbook.logs.cells import read_moment
from ubrant.logbook.logs.headings import read_heading
from ubrant.logbook.records import Run
from ubrant.runs.typed.edits import RowChange
from ubrant.runs.typed.sheet import SHORT_TAPS, TypedSheet, column_title, line_of_cells, read_time

_DAY_S = 86_400.0


@dataclass(frozen=True)
class Pasted:
    """A row of a spreadsheet: what stood where a time stands, and its cells."""

    time: str
    cells: Mapping[TapQuantity, str]
    note: str = ""


_AT_WORDS = re.compile(r"^\s*(?:at|when|uhr|uhrzeit|heure|hora)\b", re.I)


_NOTE_WORDS = re.compile(r"^\s*(?:note|notes|remark|remarks|comment|comments|notiz|bemerkung)\b", re.I)


_NO_YEAR = re.compile(r"(\d{1,2})\.(\d{1,2})\.?[ ,]+(\d{1,2}[:h]\d{2}(?::\d{2})?)")


_SLASHED = re.compile(r"(\d{1,2})/(\d{1,2})/\d{2,4}\b")


_CLOCK = re.compile(r"^\s*(?:\d{4}-)?(?:\d{1,2}-\d{1,2}[ T]+)?\d{1,2}[:h]\d{2}(?::\d{2}(?:[.,]\d+)?)?\s*$")
"""Not with a full stop, as a time may be written elsewhere: among numbers 12.05 is twelve volts."""


def _times_plain(rows: list[list[str]], place: int) -> list[list[str]]:
    """Rows whose times are written as they are here: ``8:05 pm``, ``30.11. 20:05``, ``30/11/2026 20:05`` as ``11-30 20:05``.

    Raises
    ------
    JotError
        Whether the day or the month stands first cannot be told.
    """
    slashed = [(int(m[1]), int(m[2])) for row in rows if len(row) > place and (m := _SLASHED.match(row[place]))]
    month_first = any(second > _MONTHS for _, second in slashed)
    if slashed and not month_first and not any(first > _MONTHS for first, _ in slashed) and any(a != b for a, b in slashed):
        raise JotError(say("“{date}” may be of two days: write it like 2026-12-31 20:05.", date=next(r[place] for r in rows)))
    return [
        [*row[:place], _time_plain(row[place], month_first=month_first), *row[place + 1 :]] if len(row) > place else row for row in rows
    ]


_MONTHS = 12


def _time_plain(text: str, *, month_first: bool) -> str:
    text = text.strip()
    if _CLOCK.match(text) or not re.search(r"\d[:h]\d\d", text):
        return text
    if match := _NO_YEAR.fullmatch(text):
        return f"{match[2]}-{match[1]} {match[3]}"
    try:
        moment = read_moment(text, decimal_comma=False, month_first=month_first)
    except ValueError:
        return text
    if moment is not None and moment.stamp is not None:
        return f"{moment.stamp:%Y-%m-%d %H:%M:%S}"
    if moment is not None and moment.kind == "clock" and moment.seconds < _DAY_S:
        return f"{timedelta(seconds=round(moment.seconds))}"
    return text


def read_paste(text: str, columns: Sequence[TapQuantity]) -> list[Pasted]:
    """Rows as a spreadsheet copies them, with tabs, semicolons or commas between, under headings or without.

    Headings name tap and quantity (*input V*, *output current / A*); without them a first column of clock times is the time, and the rest
    stands in the order of the table.

    Raises
    ------
    JotError
        There is nothing in it, or a row has more cells than the table columns; says which.
    """
    rows = _cells(text)
    if not rows:
        raise JotError(say("There is nothing to paste."))
    headed = _headed(rows[0], columns)
    units: list[str] = []
    places: list[TapQuantity | str]
    if headed is not None:
        rows, places, units = rows[1:], [place for place, _ in headed], [unit for _, unit in headed]
        rows = _times_plain(rows, places.index("time")) if "time" in places else rows
    else:
        rows = _times_plain(rows, 0)
        timed = all(_CLOCK.match(r[0]) for r in rows if r[0])
        places = ["time", *columns] if timed else list(columns)
        if max(len(r) for r in rows) == len(places) + 1:
            places.append("note")
    made = []
    for number, row in enumerate(rows, start=1):
        if len(row) > len(places) and any(row[len(places) :]):
            raise JotError(
                say(
                    "Row {number} of what is pasted has {count} cells, and the table {columns}: give it headings.",
                    number=number,
                    count=len(row),
                    columns=len(places),
                )
            )
        row = [f"{c} {u}" if u and _BARE.fullmatch(c) else c for c, u in zip_longest(row, units, fillvalue="")]
        pairs = list(zip(places, row, strict=False))
        cells = {place: cell for place, cell in pairs if isinstance(place, tuple) and cell}
        made.append(Pasted(next((c for p, c in pairs if p == "time"), ""), cells, next((c for p, c in pairs if p == "note"), "")))
    return [one for one in made if one.cells or one.note]


def moments_of(rows: Sequence[Pasted], run: Run, now_s: float) -> list[float]:
    """When each was read, seconds from the start of the run: times of day run on over midnight, and none lies ahead.

    Raises
    ------
    JotError
        Some have a time and some have none, or one is none; says which.
    """
    if not any(row.time for row in rows):
        return [now_s - (len(rows) - 1 - place) for place in range(len(rows))]
    if all(_PASSED.fullmatch(row.time) for row in rows):
        passed = [parse_quantity(row.time, "s") for row in rows]
        if (late := next((k for k in range(1, len(passed)) if passed[k] < passed[k - 1]), None)) is not None:
            raise JotError(
                say("Row {number} of what is pasted lies before the one above it: {time}.", number=late + 1, time=rows[late].time)
            )
        return [now_s - passed[-1] + moment for moment in passed]
    moments: list[float] = []
    for number, row in enumerate(rows, start=1):
        if not row.time:
            raise JotError(say("Row {number} of what is pasted has no time.", number=number))
        near = moments[-1] if moments else now_s
        moment = read_time(row.time, run, near, max(now_s, near + _DAY_S))
        while moments and moment < moments[-1] and "-" not in row.time:
            moment += _DAY_S
        moments.append(moment)
    back = max(math.ceil((moments[-1] - now_s - 60) / _DAY_S), 0) * _DAY_S
    return [m - back for m in moments]


_PASSED = re.compile(r"\d*[.,]?\d+\s*(?:ms|s|sec|min|h|d)")
"""How long it had gone by then, not when it was."""


def changes_of_paste(
    text: str, columns: Sequence[TapQuantity], run: Run, now_s: float, *, needs_times: bool = False, into_rows: bool = False
) -> list[RowChange]:
    """What is pasted as lines that are added. Times that count from a start (*t / min*) end now: only an empty table takes them.

    Raises
    ------
    JotError
        A row that cannot be read; says which.
    """
    rows = read_paste(text, columns)
    if into_rows and rows and _PASSED.fullmatch(rows[0].time):
        raise JotError(say("Times that count from a start say nothing of where they belong among these rows: paste clock times."))
    if needs_times and not any(row.time for row in rows):
        raise JotError(
            say("What is pasted has no times, and without them nothing can be added up here: put clock times into the first column.")
        )
    changes = []
    for number, (row, moment) in enumerate(zip(rows, moments_of(rows, run, now_s), strict=True), start=1):
        try:
            marks, note = _marks_apart(row.note)
            changes += [RowChange(moment, replace(made, line=line_of(made))) for made in (TypedLine("", mark=mark) for mark in marks)]
            changes.append(RowChange(moment, line_of_cells(row.cells, columns, note)))
        except JotError as error:
            raise JotError(say("Row {number} of what is pasted: {trouble}", number=number, trouble=str(error))) from None
    return changes


def _marks_apart(note: str) -> tuple[list[str], str]:
    """Of several marks in one note all but the last, and the note without them: ``full, load on`` is two things."""
    marks: list[str] = []
    while (found := mark_of_note(note))[0] and mark_of_note(found[1])[0] not in {"", found[0]}:  # a word for a mark stands behind it, too
        marks.append(found[0])
        note = found[1]
    return marks, note


def not_there_yet(changes: Sequence[RowChange], sheet: TypedSheet) -> list[RowChange]:
    """Those whose line does not stand in the table at that time already."""
    there = {(round(row.time_s), said_by(row.jotting)) for row in sheet.rows}
    return [c for c in changes if c.jotting is None or (round(c.time_s), said_by(c.jotting)) not in there]


_SPACED = re.compile(r"(\d{1,2}:\d{2}(?::\d{2})?)((?:\s+[~<]?[-+−]?\d+(?:[.,]\d+)?(?=\s|$))+)((?:\s+[^\d\s].*)?)")


def _cells(text: str) -> list[list[str]]:
    """(rows of) cells, without the empty rows; numbers behind a clock time may have no more than spaces between."""
    text = text.strip("\n")
    spaced = [_SPACED.fullmatch(line.strip()) for line in text.splitlines() if line.strip()]
    if spaced and all(spaced):
        return [[m[1], *m[2].split(), *([m[3].strip()] if m[3].strip() else [])] for m in spaced if m is not None]
    between = "\t" if "\t" in text else ";" if ";" in text else ","
    return [[c.strip() for c in row] for row in csv.reader(io.StringIO(text), delimiter=between) if any(c.strip() for c in row)]


_BARE = re.compile(r"[~<]?[-+−]?\d*[.,]?\d+(?:[eE][-+]?\d+)?")
"""A number with no unit of its own: the heading's counts."""


def _headed(row: Sequence[str], columns: Sequence[TapQuantity]) -> list[tuple[TapQuantity | str, str]] | None:
    """What each column is by its heading, and the unit its bare numbers are in (empty for the column's own); None where the row is none of headings.

    Raises
    ------
    JotError
        A heading that names nothing that is read here.
    """
    if any(_BARE.fullmatch(c) for c in row) or not any(re.search(r"[^\W\d_]", c) for c in row):
        return None
    if any(_CLOCK.match(c) for c in row):
        return None
    places: list[tuple[TapQuantity | str, str]] = []
    for cell in row:
        heading = read_heading(cell, 0)
        if _NOTE_WORDS.match(cell):
            places.append(("note", ""))
        elif heading.quantity == "time" or _AT_WORDS.match(cell):
            places.append(("time", _ELAPSED.get(heading.factor, "") if heading.has_unit else ""))
        elif not cell:
            places.append(("", ""))
        else:
            scale = _PREFIXES.get(heading.factor, "") if heading.has_unit else ""
            key = _key_named(cell, heading.unit or {"voltage": "V", "current": "A"}.get(heading.quantity or "", ""), columns)
            places.append((key, f"{scale}{key[1]}" if scale and heading.unit == key[1] else ""))
    return places


_PREFIXES = {1e-6: "µ", 1e-3: "m", 1e3: "k"}


_ELAPSED = {1e-3: "ms", 1.0: "s", 60.0: "min", 3600.0: "h", 86400.0: "d"}


_UNITS = (
    ("Wh", r"\bWh\b|watt.?hours?"),
    ("Ah", r"\bAh\b|amp\w*.?hours?"),
    ("V", r"\bV\b|volt\w*"),
    ("A", r"\bA\b|amp\w*|current"),
    ("W", r"\bW\b|watts?|power"),
    ("%", r"%|percent"),
    ("°C", r"°C|temp\w*"),
    ("Hz", r"\bHz\b|freq\w*"),
)


def _key_named(heading: str, unit: str, columns: Sequence[TapQuantity]) -> TapQuantity:
    unit = unit or next((u for u, pattern in _UNITS if re.search(pattern, heading, 0 if len(heading) < 3 else re.I)), "")
    tap = next(
        (
            t
            for t in dict.fromkeys(t for t, _ in columns)
            if t and re.search(rf"\b{re.escape(t)}\b|\b{re.escape(SHORT_TAPS.get(t, t))}\b", heading, re.I)
        ),
        "",
    )
    fits = [key for key in columns if key[1] == unit and (not tap or key[0] == tap)]
    if len(fits) != 1:
        raise JotError(
            say(
                "“{heading}” is no column of this table: its columns are {names}.",
                heading=heading,
                names=", ".join(column_title(k, columns) for k in columns),
            )
        )
    return fits[0]
