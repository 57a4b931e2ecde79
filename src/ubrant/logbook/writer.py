"""Writes a run as it goes: a thread and a connection of its own, a commit at least every half second."""

from __future__ import annotations

import queue
import sqlite3
import threading
from pathlib import Path
from typing import NamedTuple

import numpy as np

from ubrant.core.quantities.readings import Series
from ubrant.core.record.events import Event
from ubrant.diagnostics import unexpected
from ubrant.logbook.chunks import rewrite, to_blob
from ubrant.logbook.file import LogbookError, connect
from ubrant.logbook.rows import ADD_EVENT, event_row
from ubrant.logbook.transaction import write_error

COMMIT_S = 0.4


class _Reading(NamedTuple):
    tap: str
    quantity: str
    time_s: float
    value: float


class _Finish(NamedTuple):
    ended_by: str
    trouble: str


class RunWriter:
    """A recorder that keeps a run in the logbook. If writing fails, ``check`` raises, and the engine ends the run with the load off."""

    def __init__(self, path: Path, run_id: int) -> None:
        self._path, self._run_id = path, run_id
        self._queue: queue.SimpleQueue[_Reading | Event | _Finish] = queue.SimpleQueue()
        self._failed: LogbookError | None = None
        self._channels: dict[tuple[str, str], tuple[int, int]] = {}  # id, next piece
        self._thread = threading.Thread(target=self._work, name="logbook writer")
        self._thread.start()

    def reading(self, tap: str, quantity: str, time_s: float, value: float) -> None:
        self._queue.put(_Reading(tap, quantity, time_s, value))

    def event(self, event: Event) -> None:
        self._queue.put(event)

    def check(self) -> None:
        if self._failed:
            raise self._failed

    def finish(self, ended_by: str, trouble: str) -> None:
        """Everything in, small pieces folded into large ones, the run marked done.

        Raises
        ------
        LogbookError
            Something could not be written; the readings committed before are safe.
        """
        self._queue.put(_Finish(ended_by, trouble))
        self._thread.join()
        self.check()

    def _work(self) -> None:
        try:
            db = connect(self._path)
            try:
                while self._batch(db):
                    pass
            finally:
                db.close()
        except sqlite3.Error as error:
            self._failed = write_error(self._path, error)
        except Exception as error:  # whatever it is, the engine has to learn that nothing is kept any more
            unexpected("the writer", error)
            self._failed = LogbookError(f"{self._path.name} could not be written ({error}). What was kept so far is safe.")

    def _batch(self, db: sqlite3.Connection) -> bool:
        """Wait for work, gather what comes within the commit interval, commit it. False after the last batch."""
        items = [self._queue.get()]
        if not isinstance(items[0], _Finish):
            wake = threading.Event()
            wake.wait(COMMIT_S)  # lets readings gather, so that a commit holds many
        while True:
            try:
                items.append(self._queue.get_nowait())
            except queue.Empty:
                break
        columns: dict[tuple[str, str], tuple[list[float], list[float]]] = {}
        ending: _Finish | None = None
        db.execute("BEGIN IMMEDIATE")
        for item in items:
            if isinstance(item, _Reading):
                times, values = columns.setdefault((item.tap, item.quantity), ([], []))
                times.append(item.time_s)
                values.append(item.value)
            elif isinstance(item, Event):
                db.execute(ADD_EVENT, (self._run_id, *event_row(item)))
            else:
                ending = item
        for key, (times, values) in columns.items():
            self._add_piece(db, key, Series(np.array(times), np.array(values)))
        if ending is not None:
            self._fold(db)
            db.execute("UPDATE run SET state = 'done', ended_by = ?, trouble = ? WHERE id = ?", (*ending, self._run_id))
        db.execute("COMMIT")
        return ending is None

    def _add_piece(self, db: sqlite3.Connection, key: tuple[str, str], series: Series) -> None:
        if key not in self._channels:
            self._channels[key] = self._channel(db, key)
        channel, seq = self._channels[key]
        row = (channel, seq, len(series), to_blob(series.time_s), to_blob(series.value))
        db.execute("INSERT INTO piece (channel_id, seq, n, time_s, value) VALUES (?,?,?,?,?)", row)
        self._channels[key] = (channel, seq + 1)

    def _channel(self, db: sqlite3.Connection, key: tuple[str, str]) -> tuple[int, int]:
        """Id and next piece of a channel: a new one, or one of a run that goes on after an interruption."""
        known = db.execute("SELECT id FROM channel WHERE run_id = ? AND tap = ? AND quantity = ?", (self._run_id, *key)).fetchone()
        if known is not None:
            pieces = db.execute("SELECT coalesce(max(seq) + 1, 0) FROM piece WHERE channel_id = ?", known).fetchone()
            return int(known[0]), int(pieces[0])
        cursor = db.execute("INSERT INTO channel (run_id, tap, quantity) VALUES (?,?,?)", (self._run_id, *key))
        return int(cursor.lastrowid or 0), 0

    def _fold(self, db: sqlite3.Connection) -> None:
        rewrite(db, self._run_id)


def add_event(path: Path, run_id: int, event: Event) -> None:
    """One event of a run that has ended, over a connection of its own, from whatever thread saw it.

    Raises
    ------
    LogbookError
        It could not be written.
    """
    try:
        db = connect(path)
        try:
            db.execute(ADD_EVENT, (run_id, *event_row(event)))
            db.execute("DELETE FROM summary WHERE run_id = ?", (run_id,))
        finally:
            db.close()
    except sqlite3.Error as error:
        raise write_error(path, error) from None
