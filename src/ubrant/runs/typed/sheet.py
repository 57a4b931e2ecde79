"""What a person typed, as a table: a row a line, a column for each place and quantity that is read; and how a cell, a time, a paste is read back."""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta, timezone
from itertools import zip_longest

from ubrant.core.quantities.jot import BAR, EMPTY, FATES, FULL, LEFT_OUT, Grammar, JotError, TypedLine, TypedReading, mark_of_note, state_of
from ubrant.core.quantities.quantity import parse_quantity, unit_factor
from ubrant.core.record.head import SAME_PLACE
from ubrant.core.record.jot_text import OWN, line_of, said_by
from ubrant.core.record.mend import Mend
from ubrant.core.record.record import TapQuantity
from ubrant.core.wording import say, say_many
from ubrant.logbook.logs.headings import read_heading
from ubrant.logbook.records import Run, StoredJot
from ubrant.methods.rows import HandScript
from ubrant.runs.typed.edits import RowChange
from ubrant.runs.typed.jotting import gone_back

_DAY_S = 86_400.0
_NOTHING = "nothing"


@dataclass(frozen=True)
class SheetRow:
    """One typed line.

    Attributes
    ----------
    number : it is kept by
    time_s : that it is about, from the start of the run
    readings : by column
    before : what stood in its place, the first one first
    """

    number: int
    time_s: float
    jotting: TypedLine
    readings: Mapping[TapQuantity, TypedReading]
    before: tuple[str, ...] = ()

    @property
    def is_left_out(self) -> bool:
        return self.jotting.mark == LEFT_OUT


@dataclass(frozen=True)
class TypedSheet:
    """All of them, in the order of time."""

    columns: tuple[TapQuantity, ...]
    rows: tuple[SheetRow, ...]


def mended(sheet: TypedSheet, mend: Mend) -> RowChange | None:
    """The change of the row that a slip is in; None where it does not stand there any more."""
    rows = (row for row in sheet.rows if row.time_s >= mend.time_s and not row.is_left_out and mend.is_in(row.jotting))
    row = next(rows, None)
    return None if row is None else RowChange(row.time_s, mend.of(row.jotting), row.number)


def sheet_of(jots: Sequence[StoredJot], wanted: Sequence[TapQuantity], before: Mapping[int, tuple[str, ...]]) -> TypedSheet:
    """The table of lines that were kept; see :func:`sheet_of_typed`."""
    return sheet_of_typed([(jot.time_s, jot.id, found) for jot in jots if (found := jot.jotting) is not None], wanted, before)


def sheet_of_typed(
    typed: Sequence[tuple[float, int, TypedLine]],
    wanted: Sequence[TapQuantity],
    before: Mapping[int, tuple[str, ...]],
    known: TypedSheet | None = None,
) -> TypedSheet:
    """The table of typed lines, each as (seconds, number, what it says); ``wanted`` are the columns that a method asks for, others follow as they occur.

    ``known`` is the table as it was: rows that stand as they stood are taken from it.
    """
    columns = list(wanted) if known is None or known.columns[: len(wanted)] != tuple(wanted) else list(known.columns)
    rows: list[SheetRow] = []
    first = 0
    if known is not None:
        for row, (time_s, number, jotting) in zip(known.rows, typed, strict=False):
            if row.jotting is not jotting or row.number != number or row.time_s != time_s or row.before != before.get(number, ()):
                break
            first += 1
        rows = list(known.rows[:first])
    there = {row.number: row for row in known.rows[first:]} if known is not None else {}
    for time_s, number, jotting in typed[first:]:
        same = there.get(number)
        if same is not None and same.jotting is jotting and same.time_s == time_s and same.before == before.get(number, ()):
            rows.append(same)
            continue
        readings = {}
        for reading in jotting.readings:
            key = column_of(reading, columns)
            if key not in columns:
                columns.append(key)
            readings[key] = reading
        rows.append(SheetRow(number, time_s, jotting, readings, before.get(number, ())))
    return TypedSheet(tuple(columns), tuple(rows))


def column_of(reading: TypedReading, columns: Sequence[TapQuantity]) -> TapQuantity:
    """Where a reading stands: under its own tap, another name of it, or, without one, the first column of its quantity."""
    for tap in (reading.tap, SAME_PLACE.get(reading.tap, reading.tap)):
        if (tap or OWN, reading.quantity) in columns:
            return tap or OWN, reading.quantity
    if not reading.tap:
        return next((key for key in columns if key[1] == reading.quantity), ("battery", reading.quantity))
    return reading.tap, reading.quantity


def cell_text(reading: TypedReading) -> str:
    """A reading as it was written, without its place and unit."""
    if reading.kind == "state":
        return FULL if reading.value else EMPTY
    text = line_of(TypedLine("", readings=(replace(reading, tap=""),)))
    if reading.kind == "bar":
        return text.removesuffix(" Wh").rpartition(" ")[2]
    return text.removesuffix(f" {reading.quantity}") if reading.kind != "count" else text


def reading_of_cell(text: str, key: TapQuantity) -> TypedReading | None:
    """What was written into a cell; None where it was emptied.

    Raises
    ------
    JotError
        It is no such reading.
    """
    text = text.strip()
    if not text:
        return None
    tap, unit = key
    if unit == "%" and tap and text.lower() in {FULL, EMPTY}:
        return state_of(tap, full=text.lower() == FULL)
    if unit.startswith(BAR):
        text = f"bar {unit.removeprefix(BAR)} {text} Wh"
    with_unit = text if re.search(r"[^\W\d_]|[%Ω°]", re.sub(r"^(?:about|peak|below|under|max)\b", "", text)) else f"{text} {unit}"
    try:
        found = Grammar().parse(with_unit)
    except ValueError:
        found = None
    if found is None or len(found.readings) != 1 or found.text or found.mark or found.readings[0].quantity != unit:
        raise JotError(say("“{what}” is no reading in {unit}: write a number, like 12.05.", what=text, unit=unit))
    return replace(found.readings[0], tap="" if tap == OWN else tap)


def with_cell(row: SheetRow, key: TapQuantity, text: str) -> RowChange | None:
    """The row with another reading in one cell; None where it is as it was.

    Raises
    ------
    JotError
        What was written is no such reading, or nothing would be left in the row.
    """
    new, old = reading_of_cell(text, key), row.readings.get(key)
    if new == old or (new is not None and old is not None and replace(new, tap=old.tap) == old):
        return None
    if new is not None and old is not None:
        new = replace(new, tap=old.tap)
    readings = [r for r in row.jotting.readings if r is not old]
    if new is not None:
        readings.insert(row.jotting.readings.index(old) if old is not None else len(readings), new)
    return _changed(row, replace(row.jotting, readings=tuple(readings), line=""))


def with_note(row: SheetRow, text: str) -> RowChange | None:
    """The row with another note; a mark at its beginning (*empty*, *load off*; *runs*, *falters*, *off*: what became of the load) is one."""
    if text.strip() == written_note(row):
        return None
    said, rest = mark_of_note(text)
    mark = said if said or row.jotting.mark in FATES else row.jotting.mark
    return _changed(row, replace(row.jotting, mark=mark, text=rest, line=""))


def of_step(row: SheetRow, step: str, steps: Sequence[str]) -> RowChange | None:
    """The row as an answer to another step: its note names that, before a comma; empty: whose turn it is by the order.

    Raises
    ------
    JotError
        There is no such step; says which there are.
    """
    wanted = step.strip().lower()
    found = next((one for one in steps if one.lower() == wanted), None) or next(
        (one for one in steps if wanted and one.lower().startswith(wanted)), None
    )
    if wanted and found is None:
        raise JotError(say("“{step}” is no step of this test: it is one of {steps}.", step=step.strip(), steps=", ".join(steps)))
    note = row.jotting.text
    first, _, rest = note.partition(",")
    beside = rest.strip() if first.strip().lower() in {one.lower() for one in steps} else note
    text = ", ".join(part for part in (found or "", beside) if part)
    return None if text == note else _changed(row, replace(row.jotting, text=text, line=""))


def written_note(row: SheetRow) -> str:
    """The note of a row, to be written anew."""
    fate = row.jotting.mark if row.jotting.mark in FATES else ""
    return ", ".join(part for part in (fate, row.jotting.text) if part)


def fate_and_rest(note: str) -> tuple[str, str]:
    """What a note says became of the load, empty for nothing, and the rest of it."""
    match = re.fullmatch(rf"\s*({'|'.join(FATES)})\b[\s.]*(?:[,;:]\s*(.*))?", note, re.I)
    return (match[1].lower(), (match[2] or "").strip()) if match else ("", note.strip())


def left_out(row: SheetRow, *, out: bool) -> RowChange | None:
    """The row left out, or taken in again.

    Raises
    ------
    JotError
        It is a mark, which cannot be left out, only deleted.
    """
    if out == row.is_left_out:
        return None
    if row.jotting.mark in FATES:
        return _changed(row, replace(row.jotting, mark=LEFT_OUT, text=written_note(row), line=""))
    if out and row.jotting.mark:
        raise JotError(say("“{mark}” is a mark: delete the row, if it was not so.", mark=row.jotting.mark))
    fate, rest = ("", row.jotting.text) if out else fate_and_rest(row.jotting.text)
    return _changed(row, replace(row.jotting, mark=LEFT_OUT if out else fate, text=rest, line=""))


def taken_out(row: SheetRow) -> RowChange:
    """The row deleted."""
    return RowChange(row.time_s, None, row.number)


def at_time(row: SheetRow, moment_s: float) -> RowChange | None:
    """The row at another time."""
    return None if abs(moment_s - row.time_s) < 1e-3 else RowChange(moment_s, row.jotting, row.number)


def _changed(row: SheetRow, jotting: TypedLine) -> RowChange:
    if not (jotting.readings or jotting.mark or jotting.text):
        raise JotError(say("Nothing would be left in this row: delete it."))
    return RowChange(row.time_s, jotting, row.number)


# times


def clock_at(run: Run, moment_s: float, *, days: bool = False) -> str:
    """The time of day at the place of the run, with its date where it goes over several days."""
    zone = timezone(timedelta(minutes=run.utc_offset_min))
    at = datetime.fromisoformat(run.started).astimezone(zone) + timedelta(seconds=moment_s)
    text = f"{at:%H:%M}" if at.second == 0 else f"{at:%H:%M:%S}"
    return f"{at:%m-%d} {text}" if days else text


def read_time(text: str, run: Run, near_s: float, now_s: float) -> float:
    """Seconds from the start of the run of a time that was written: ``14:32``, ``14:32:05``, ``10-17 14:32``, ``2026-10-17 14:32``, ``-5min``, ``+1:20``.

    Parameters
    ----------
    near_s : without a date the day is the one that is nearest to this

    Raises
    ------
    JotError
        It is no time, or lies ahead.
    """
    zone = timezone(timedelta(minutes=run.utc_offset_min))
    start = datetime.fromisoformat(run.started).astimezone(zone)
    text = text.strip().lstrip("@").strip()
    if match := re.fullmatch(r"(?:(?:(\d{4})-)?(\d{1,2})-(\d{1,2})[ T]+)?(\d{1,2})[:.h](\d{2})(?::(\d{2}(?:[.,]\d+)?))?", text):
        year, month, day, hour, minute, second = match.groups()
        try:
            at = start.replace(hour=int(hour), minute=int(minute), second=0, microsecond=0)
            if month:
                at = at.replace(year=int(year or start.year), month=int(month), day=int(day))
        except ValueError:
            raise JotError(say("“{what}” is no time of day: write it like 14:32.", what=text)) from None
        moment = (at - start).total_seconds() + float((second or "0").replace(",", "."))
        if not month:
            moment += round((near_s - moment) / _DAY_S) * _DAY_S
            while moment > now_s + 60:
                moment = gone_back(moment, text, start)
    else:
        try:
            found = Grammar().parse(f"{text} {_NOTHING}") if re.match(r"[-+]", text) else None
        except ValueError:
            found = None
        if found is None or found.text != _NOTHING or found.readings or (not found.ago_s and found.after_start_s is None):
            raise JotError(say("“{what}” is no time of day: write it like 14:32.", what=text))
        moment = found.after_start_s if found.after_start_s is not None else now_s - found.ago_s
    if moment > now_s + 60:
        raise JotError(say("{what} lies ahead.", what=text))
    return moment


# whole rows


def line_of_cells(cells: Mapping[TapQuantity, str], columns: Sequence[TapQuantity], note: str = "") -> TypedLine:
    """What was written into the cells of a new row, as a line.

    Raises
    ------
    JotError
        A cell that is no such reading; nothing at all.
    """
    readings = tuple(r for key in columns if (r := reading_of_cell(cells.get(key, ""), key)) is not None)
    mark, rest = mark_of_note(note)
    if mark and (second := mark_of_note(rest)[0]):
        raise JotError(say("“{mark}” and “{second}” are two marks: the second one needs a row of its own.", mark=mark, second=second))
    made = TypedLine(rest, readings=readings, mark=mark)
    if mark in FATES and not readings:
        raise JotError(say("“{fate}” at which input? Type its volts in this row, too.", fate=mark))
    if not readings and not note.strip():
        raise JotError(say("There is nothing in this row yet."))
    return replace(made, line=line_of(made))


_PARTS = re.compile(r"([~<]?[-+−]?(?:[0-9]+(?:[.,][0-9]+)?|[.,][0-9]+)(?:[eE][-+]?[0-9]+)?)(?:\s?([A-Za-zµμΩ%°]+))?(?=\s|$)")
_ALL_PARTS = re.compile(rf"\s*(?:{_PARTS.pattern}\s*)+")


def spread_over(text: str, key: TapQuantity, columns: Sequence[TapQuantity]) -> dict[TapQuantity, str]:
    """Several numbers in one cell, with their units or without, fill the cells behind it.

    Raises
    ------
    JotError
        There are more than cells.
    """
    parts = [f"{number} {unit}".strip() for number, unit in _PARTS.findall(text)]
    if len(parts) < 2 or not _ALL_PARTS.fullmatch(text) or any(u and unit_factor(u) is None for _, u in _PARTS.findall(text)):
        return {key: text}
    first = list(columns).index(key) if key in columns else len(columns)  # its column may have gone while it was typed
    if len(parts) == len(columns) and key in columns:
        first = 0  # a whole row, from wherever in it one stands
    if len(parts) > len(columns) - first:
        raise JotError(
            say_many(
                len(columns) - first,
                "{numbers} numbers, and there is one column from here on.",
                "{numbers} numbers, and there are {n} columns from here on.",
                numbers=len(parts),
            )
        )
    return dict(zip(columns[first:], parts, strict=False))


def numbers_and_fate(text: str) -> tuple[str, str]:
    """What stands in a cell, and *runs*, *falters* or *off* behind it."""
    match = re.fullmatch(rf"(.*?)\s*\b({'|'.join(FATES)})\s*", text, re.I)
    return (match[1], match[2].lower()) if match else (text, "")


@dataclass(frozen=True)
class Pasted:
    """A row of a spreadsheet: what stood where a time stands, and its cells."""

    time: str
    cells: Mapping[TapQuantity, str]
    note: str = ""


_AT_WORDS = re.compile(r"^\s*(?:at|when|uhr|uhrzeit|heure|hora)\b", re.I)
_NOTE_WORDS = re.compile(r"^\s*(?:note|notes|remark|remarks|comment|comments|notiz|bemerkung)\b", re.I)
_CLOCK = re.compile(r"^\s*(?:\d{4}-)?(?:\d{1,2}-\d{1,2}[ T]+)?\d{1,2}[:h]\d{2}(?::\d{2}(?:[.,]\d+)?)?\s*$")
"""Not with a full stop, as a time may be written elsewhere: among numbers 12.05 is twelve volts."""


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
    else:
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
    while (found := mark_of_note(note))[0] and mark_of_note(found[1])[0]:
        marks.append(found[0])
        note = found[1]
    return marks, note


def not_there_yet(changes: Sequence[RowChange], sheet: TypedSheet) -> list[RowChange]:
    """Those whose line does not stand in the table at that time already."""
    there = {(round(row.time_s), said_by(row.jotting)) for row in sheet.rows}
    return [c for c in changes if c.jotting is None or (round(c.time_s), said_by(c.jotting)) not in there]


def as_text(sheet: TypedSheet, run: Run) -> str:
    """The table as a spreadsheet takes it: headings and rows, tabs between."""
    lines = ["\t".join([say("time"), *(column_title(key, sheet.columns) for key in sheet.columns), say("note")])]
    days = over_days(sheet)
    for row in sheet.rows:
        cells = [cell_text(row.readings[key]) if key in row.readings else "" for key in sheet.columns]
        lines.append("\t".join([clock_at(run, row.time_s, days=days), *cells, note_of(row)]))
    return "\n".join(lines) + "\n"


def over_days(sheet: TypedSheet) -> bool:
    """Whether times of day alone would not tell them apart."""
    return bool(sheet.rows) and sheet.rows[-1].time_s - sheet.rows[0].time_s > _DAY_S / 2


def note_of(row: SheetRow) -> str:
    """Mark and note of a row."""
    return " · ".join(part for part in (row.jotting.mark, row.jotting.text) if part)


def _cells(text: str) -> list[list[str]]:
    """(rows of) cells, without the empty rows."""
    text = text.strip("\n")
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
            if t and re.search(rf"\b{re.escape(t)}\b|\b{re.escape(_SHORT.get(t, t))}\b", heading, re.I)
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


_SHORT = {"input": "in", "output": "out"}


def column_title(key: TapQuantity, among: Iterable[TapQuantity] = ()) -> str:
    """What stands over a column; the run's own tap goes without its name where there is no other."""
    tap, unit = key
    alone = tap == "" or (tap == "battery" and all(other in {"", "battery"} for other, _ in among))
    return unit if alone else f"{_SHORT.get(tap, tap)} {unit}"


def asked_of(sheet: TypedSheet, hand: HandScript) -> list[str]:
    """What each row answers, in a few words, and behind them what is still to come; empty where nothing in particular is asked."""
    if not hand.rows:
        return []
    answered, left = hand.told_apart([row.jotting for row in sheet.rows])
    return answered + [row.short for row in left]
