"""What a run that comes into a logbook takes on there: the room that was said last, and none of another logbook's numbers; its series."""

from __future__ import annotations

import json
import sqlite3
from dataclasses import replace

from ubrant.core.record.codec import decode
from ubrant.core.record.head import Conditions
from ubrant.logbook.records import Run


def in_its_room(db: sqlite3.Connection, run: Run) -> Run:
    """A new run is made in the room that was said last."""
    known = run.head.conditions
    if known.temperature_c is not None or known.room_c is not None:
        return run
    told = "CASE WHEN json_valid(head) THEN json_extract(head, '$.conditions.room_c') END"
    row = db.execute(f"SELECT {told} FROM run WHERE {told} IS NOT NULL ORDER BY id DESC LIMIT 1").fetchone()
    if row is None:
        return run
    room_c = decode(Conditions, {"room_c": json.loads(row[0])}).room_c
    return replace(run, told=replace(run.head, conditions=replace(known, room_c=room_c)))


def of_no_series(run: Run) -> Run:
    """What comes from elsewhere: the numbers of runs there mean nothing here."""
    origin = run.head.origin
    return run if not origin.series else replace(run, told=replace(run.head, origin=replace(origin, series=0)))


def series_ids(db: sqlite3.Connection, first: int) -> list[int]:
    """Of a run and all that were made as the same again, the oldest first."""
    told = "CASE WHEN json_valid(head) THEN json_extract(head, '$.origin.series') END"
    return [i for (i,) in db.execute(f"SELECT id FROM run WHERE id = ?1 OR {told} = ?1 ORDER BY started, id", (first,))]
