"""What a person typed, as a table: a row a line, a column for each place and quantity that is read; and how a cell, a time, a paste is read back."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta, timezone

from ubrant.core.quantities.jot import (
    BAR,
    EMPTY,
    FATES,
    FULL,
    LEFT_OUT,
    Grammar,
    JotError,
    TypedLine,
    TypedReading,
    fate_and_rest,
    mark_of_note,
    state_of,
)
from ubrant.core.quantities.quantity import unit_factor
from ubrant.core.record.head import SAME_PLACE
from ubrant.core.record.jot_text import OWN, line_of
from ubrant.core.record.mend import Mend
from ubrant.core.record.record import TapQuantity
from ubrant.core.wording import say, say_many
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
    if mark and (second := mark_of_note(rest)[0]) not in {"", mark}:  # “dims” keeps its word beside its mark
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
    """Several numbers in one cell, with their units or without, fill the cells behind it; *full* and *empty* are numbers of percent.

    Raises
    ------
    JotError
        There are more than cells.
    """
    parts = [f"{number} {unit}".strip() for number, unit in _PARTS.findall(text)]
    if (
        (words := text.lower().split())
        and len(words) > 1
        and {FULL, EMPTY} & set(words)
        and all(w in {FULL, EMPTY} or _ALL_PARTS.fullmatch(w) for w in words)
    ):
        parts = words
    elif len(parts) < 2 or not _ALL_PARTS.fullmatch(text) or any(u and unit_factor(u) is None for _, u in _PARTS.findall(text)):
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


SHORT_TAPS = {"input": "in", "output": "out"}


def column_title(key: TapQuantity, among: Iterable[TapQuantity] = ()) -> str:
    """What stands over a column; the run's own tap goes without its name where there is no other."""
    tap, unit = key
    alone = tap == "" or (tap == "battery" and all(other in {"", "battery"} for other, _ in among))
    return unit if alone else f"{SHORT_TAPS.get(tap, tap)} {unit}"


def asked_of(sheet: TypedSheet, hand: HandScript) -> list[str]:
    """What each row answers, in a few words, and behind them what is still to come; empty where nothing in particular is asked."""
    if not hand.rows:
        return []
    answered, left = hand.told_apart([row.jotting for row in sheet.rows])
    return answered + [row.short for row in left]
