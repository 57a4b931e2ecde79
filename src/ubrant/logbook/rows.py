"""Rows of the file as what they stand for, and back."""

from __future__ import annotations

import json
import sqlite3
from typing import Any

from ubrant.core.equipment.unit import Unit, UnitFacts
from ubrant.core.quantities.jot import TypedLine
from ubrant.core.record.codec import CodecError, decode
from ubrant.core.record.events import Event, Note, event_from_json, event_to_json
from ubrant.core.record.head import RunHeader, head_from_json
from ubrant.core.record.jot_data import from_text, to_text
from ubrant.core.wording import say
from ubrant.logbook import older
from ubrant.logbook.file import DamagedError
from ubrant.logbook.records import Run, StoredJot

ADD_EVENT = "INSERT INTO event (run_id, time_s, kind, text, data) VALUES (?,?,?,?,?)"


def event_row(event: Event) -> tuple[float, str, str, str]:
    """Time, kind, text and data of an event's row."""
    data = event_to_json(event)
    return event.time_s, str(data["kind"]), event.text, json.dumps(data, ensure_ascii=False)


def event_of(time_s: float, kind: str, text: str, data: str, zero_tap: str) -> Event:
    try:
        return event_from_json(time_s, json.loads(data)) if data else older.older_event(time_s, kind, text, zero_tap)
    except (ValueError, TypeError, KeyError, AttributeError):  # damaged: the seal says so
        return Note(float(time_s) if isinstance(time_s, int | float) else 0.0, say("damaged"))


ADD_JOT = "INSERT INTO jot (run_id, time_s, typed, line, data) VALUES (?,?,?,?,?)"


def jot_row(run_id: int, jot: StoredJot) -> tuple[int, float, str, str, str]:
    """A typed row's; a line that came without data is read here, once."""
    said = jot.jotting
    return run_id, jot.time_s, jot.typed, jot.line, to_text(said) if said is not None else ""


def jot_of(time_s: float, line: str, typed: str, jot_id: int, data: str) -> StoredJot:
    try:
        return StoredJot(time_s, line, typed, jot_id, from_text(data, line) if data else TypedLine(line, line=line))
    except ValueError:  # damaged: the seal says so
        return StoredJot(time_s, line, typed, jot_id, TypedLine(say("damaged"), line=line))


_RUN_FIELDS = "id unit_id method source state started utc_offset_min ended_by trouble head plan label chemistry voltage_accuracy current_accuracy meter"
RUN_COLUMNS = ", ".join(f"run.{name}" for name in _RUN_FIELDS.split())
ONE_RUN = f"SELECT {RUN_COLUMNS}, coalesce(unit.name, ''), coalesce(unit.kind, '') FROM run LEFT JOIN unit ON unit.id = run.unit_id"


def run_of(row: tuple[Any, ...]) -> Run:
    """A row of run, with the name and the kind of its unit behind it."""

    def head() -> RunHeader:
        try:
            if row[9] is not None:
                return head_from_json(json.loads(row[9]))
            return older.older_head(
                row[2], row[3], json.loads(row[10]), row[11], row[12], row[13], row[14], row[15], row[1], row[-2], row[-1]
            )
        except CodecError:
            raise
        except (ValueError, TypeError, KeyError, AttributeError):
            raise DamagedError(
                f"What is known of run {row[0]} is damaged in the logbook, and its readings say nothing without it."
            ) from None

    return Run(
        id=row[0],
        unit_id=row[1],
        method=row[2],
        source=row[3],
        state=row[4],
        started=row[5],
        utc_offset_min=row[6],
        ended_by=row[7],
        trouble=row[8],
        told=head,
    )


UNITS = (
    "SELECT unit.id, name, kind, label, chemistry, note, max_current_a, stand_in, unit_facts.facts"
    " FROM unit LEFT JOIN unit_facts ON unit_facts.unit_id = unit.id"
)


def unit_of(row: tuple[Any, ...]) -> Unit:
    return Unit(
        id=row[0],
        name=row[1],
        kind=row[2],
        label_text=row[3],
        chemistry=row[4],
        note=row[5],
        max_current_a=row[6],
        stand_in=object_of(row[7]),
        facts=decode(UnitFacts, object_of(row[8])) if row[8] is not None else UnitFacts(),
    )


def object_of(text: str) -> dict[str, Any]:
    """What a column of JSON holds.

    Raises
    ------
    DamagedError
        It is none.
    """
    try:
        made = json.loads(text)
    except (ValueError, TypeError):
        made = None
    if not isinstance(made, dict):
        raise DamagedError("Something on the shelf is damaged in the logbook. File → Save what can be read makes a sound one of the rest.")
    return made


def lines_before(db: sqlite3.Connection, run_id: int) -> dict[int, tuple[str, ...]]:
    """What stood in the place of each typed line before it was changed, the first one first; by the number of the one that counts."""
    rows = db.execute(
        "SELECT id, line, replaced_by FROM jot WHERE run_id = ? AND replaced_by IS NOT NULL AND NOT undone ORDER BY id DESC", (run_id,)
    ).fetchall()
    latest: dict[int, int] = {}
    before: dict[int, tuple[str, ...]] = {}
    for jot_id, line, by in rows:
        latest[jot_id] = latest.get(by, by)
        before[latest[jot_id]] = (line, *before.get(latest[jot_id], ()))
    return before
