"""A logbook: units, meters and runs in one file."""

from __future__ import annotations

import contextlib
import hashlib
import itertools
import json
import sqlite3
import threading
from collections.abc import Mapping
from contextlib import AbstractContextManager
from dataclasses import replace
from pathlib import Path
from typing import Any

from ubrant.core import FINDINGS_VERSION
from ubrant.core.equipment.meter import Meter, details_from
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.readings import Series, no_readings
from ubrant.core.record.codec import encode
from ubrant.core.record.events import Event, Note
from ubrant.core.record.head import head_to_json
from ubrant.core.uncertainty.finding import Finding
from ubrant.logbook.checksums import Damage, damage_of, damage_text, sound_rows
from ubrant.logbook.chunks import PIECE, SameTimes, insert_pieces, readings_of_channel, rewrite
from ubrant.logbook.file import FORMAT, DamagedError, LogbookError, back_up, connect, fold, make_place, may_only_look, prepare
from ubrant.logbook.lock import OpenLock
from ubrant.logbook.new_runs import in_its_room, of_no_series, series_ids
from ubrant.logbook.records import Photo, Run, StoredDays, StoredEvent, StoredJot, StoredOutlook, StoredRun, Summary, summary_from_json
from ubrant.logbook.rows import (
    ADD_EVENT,
    ADD_JOT,
    ONE_RUN,
    RUN_COLUMNS,
    UNITS,
    event_of,
    event_row,
    jot_of,
    jot_row,
    lines_before,
    object_of,
    run_of,
    unit_of,
)
from ubrant.logbook.transaction import Transaction, write_error
from ubrant.writing import write_whole

_USUAL_CHECKPOINT = 1000

_KEPT = "NOT EXISTS (SELECT 1 FROM thrown WHERE thrown.run_id = run.id)"


class Logbook:
    """An open logbook. Runs that were going on when the program died are marked interrupted on opening.

    Raises
    ------
    LogbookError
        See ``file.prepare``.
    """

    def __init__(self, path: Path) -> None:
        self.path = path.absolute()
        looks_only = may_only_look(path)
        is_new = not looks_only and make_place(path)
        self._lock = OpenLock(path)
        try:
            self.read_only = looks_only or not self._lock.held
            self.why_read_only = "cannot be written" if looks_only else "open in another window" if self.read_only else ""
            if not self.read_only:
                prepare(path)
            self._before: dict[int, dict[int, tuple[str, ...]]] = {}
            self._db = connect(path, read_only=self.read_only)
            if self.read_only and self._db.execute("PRAGMA user_version").fetchone()[0] != FORMAT:
                raise LogbookError(f"{path.name} is just being opened in another window: try again in a moment.")
            if not self.read_only:
                self._db.execute("UPDATE run SET state = 'interrupted', ended_by = 'interrupted' WHERE state = 'running'")
        except BaseException:
            if (opened := getattr(self, "_db", None)) is not None:
                opened.close()
            if is_new and self._lock.held:
                for more in ("", "-wal", "-shm", "-journal"):
                    path.with_name(path.name + more).unlink(missing_ok=True)
            self._lock.release()
            raise
        self._folding: threading.Thread | None = None
        self._rescued: Path | None = None

    def close(self) -> None:
        """Leave one file behind, and no others."""
        if self._folding is not None:
            self._folding.join()
        try:
            if not self.read_only:
                with contextlib.suppress(
                    sqlite3.DatabaseError, DamagedError
                ):  # somebody else still looks, or it is damaged, and was said to be
                    self._db.execute("PRAGMA busy_timeout=200")
                    self._db.execute("PRAGMA journal_mode=DELETE")
        finally:
            with contextlib.suppress(sqlite3.DatabaseError, DamagedError):
                self._db.close()
            self._lock.release()

    def is_in_place(self) -> bool:
        """Whether the file that is open still stands under its name."""
        return self._lock.is_of(self.path)

    @property
    def place(self) -> Path:
        """Where another connection to the open file can be made.

        Raises
        ------
        LogbookError
            The file has gone, or another one stands there.
        """
        if not self.is_in_place():
            raise LogbookError(f"{self.path.name} was removed or replaced while it was open: open the rescued one before you go on.")
        return self.path

    def rescue(self) -> Path:
        """Everything, out of the open file, into a new one beside the place where it stood; again into the same one.

        Raises
        ------
        LogbookError
            It cannot be written there.
        """
        if self._rescued is None:
            names = (f"{self.path.stem} rescued{f' {n}' if n > 1 else ''}.ubrant" for n in itertools.count(1))
            self._rescued = next(place for name in names if not (place := self.path.with_name(name)).exists())
        self.save_copy(self._rescued)
        return self._rescued

    def save_copy(self, path: Path) -> None:
        """A whole copy under another name, also while a run is being written.

        Raises
        ------
        LogbookError
            It cannot be written there, or it is this very file.
        """
        if path.exists() and self.is_in_place() and path.samefile(self.path):
            raise LogbookError(f"{path.name} is this logbook itself: give the copy another name.")
        try:
            write_whole(path, lambda beside: back_up(self._db, beside))
        except (sqlite3.Error, OSError) as error:
            raise LogbookError(f"{path} could not be written ({error}). Choose another place.") from None

    # units

    def units(self) -> list[Unit]:
        """Those on the shelf, in the order they came."""
        return [unit_of(row) for row in self._db.execute(f"{UNITS} WHERE NOT removed ORDER BY unit.id")]

    def unit(self, unit_id: int) -> Unit:
        return unit_of(self._db.execute(f"{UNITS} WHERE unit.id = ?", (unit_id,)).fetchone())

    def keep_unit(self, unit: Unit) -> Unit:
        """Add a unit, or put an edited one in its place; returns it with its id."""
        values = (unit.name, unit.kind, unit.label_text, unit.chemistry, unit.note, unit.max_current_a, json.dumps(unit.stand_in))
        with self._transaction():
            if unit.id:
                sql = "UPDATE unit SET name=?, kind=?, label=?, chemistry=?, note=?, max_current_a=?, stand_in=?, removed=0 WHERE id=?"
                self._write(sql, (*values, unit.id))
            else:
                sql = "INSERT INTO unit (name, kind, label, chemistry, note, max_current_a, stand_in) VALUES (?,?,?,?,?,?,?)"
                unit = replace(unit, id=self._write(sql, values))
            self._write("DELETE FROM unit_facts WHERE unit_id = ?", (unit.id,))
            if facts := encode(unit.facts):
                self._write("INSERT INTO unit_facts (unit_id, facts) VALUES (?,?)", (unit.id, json.dumps(facts, ensure_ascii=False)))
        return unit

    def remove_unit(self, unit_id: int) -> None:
        """Take it off the shelf; its runs stay, and keeping it again brings it back."""
        self._write("UPDATE unit SET removed = 1 WHERE id = ?", (unit_id,))

    # meters

    def meters(self) -> list[Meter]:
        rows = self._db.execute("SELECT name, voltage_accuracy, current_accuracy, max_v, max_a, id, details FROM meter ORDER BY id")
        kept = (Meter(row[0], row[1], row[2], row[3], row[4], row[5], details_from(object_of(row[6]))) for row in rows)
        return [meter for meter in kept if not meter.details.away]

    def keep_meter(self, meter: Meter) -> Meter:
        """Add a meter, or put an edited one in its place; returns it with its id."""
        values = (meter.name, meter.voltage_accuracy, meter.current_accuracy, meter.max_v, meter.max_a, json.dumps(meter.details.to_json()))
        if meter.id:
            self._write(
                "UPDATE meter SET name=?, voltage_accuracy=?, current_accuracy=?, max_v=?, max_a=?, details=? WHERE id=?",
                (*values, meter.id),
            )
            return meter
        sql = "INSERT INTO meter (name, voltage_accuracy, current_accuracy, max_v, max_a, details) VALUES (?,?,?,?,?,?)"
        return replace(meter, id=self._write(sql, values))

    def remove_meter(self, meter_id: int) -> None:
        """Take a meter out; runs carry their accuracy themselves."""
        self._write("DELETE FROM meter WHERE id = ?", (meter_id,))

    # runs

    def runs(self, search: str = "", limit: int = 200, unit_id: int | None = None) -> list[tuple[Run, str]]:
        """The newest runs with their units' names, of one unit or of all; ``search`` looks in unit, label, source and jottings."""
        like = f"%{search}%"
        if unit_id is not None:
            own = self._db.execute(
                f"SELECT {RUN_COLUMNS}, unit.name, unit.kind FROM run JOIN unit ON unit.id = run.unit_id WHERE run.unit_id = ? AND {_KEPT}"
                " ORDER BY run.started DESC, run.id DESC LIMIT ?",
                (unit_id, limit),
            )
            return [(run_of(row), row[-2]) for row in own]
        rows = self._db.execute(
            f"SELECT {RUN_COLUMNS}, coalesce(unit.name, ''), coalesce(unit.kind, '') FROM run LEFT JOIN unit ON unit.id = run.unit_id"
            f" WHERE {_KEPT} AND (?1 = '%%' OR unit.name LIKE ?1 OR run.label LIKE ?1 OR run.source LIKE ?1"
            " OR EXISTS (SELECT 1 FROM event WHERE event.run_id = run.id AND event.kind IN ('jotting', 'note') AND event.text LIKE ?1))"
            " ORDER BY run.started DESC, run.id DESC LIMIT ?2",
            (like, limit),
        )
        return [(run_of(row), row[-2]) for row in rows]

    def run(self, run_id: int) -> Run:
        return run_of(self._db.execute(f"{ONE_RUN} WHERE run.id = ?", (run_id,)).fetchone())

    def series_of(self, first: int) -> list[Run]:
        return [run for run_id in series_ids(self._db, first) if (run := self.find_run(run_id)) is not None]

    def sources(self) -> list[tuple[int, str, str]]:
        """(number, what it came from, when it began) of every run that is shown."""
        return [(int(row[0]), str(row[1]), str(row[2])) for row in self._db.execute(f"SELECT id, source, started FROM run WHERE {_KEPT}")]

    def find_run(self, run_id: int) -> Run | None:
        """A run, or None where it was taken out or thrown away."""
        row = self._db.execute(f"{ONE_RUN} WHERE run.id = ? AND {_KEPT}", (run_id,)).fetchone()
        return run_of(row) if row else None

    def start_run(self, run: Run) -> Run:
        """Keep a run that begins; returns it with its id."""
        _ = self.place  # its writer opens the file by its name
        run = in_its_room(self._db, run)
        return replace(run, id=self._insert_run(run))

    def kept(self, run: Run) -> StoredRun:
        """A run with everything that was kept of it."""
        readings = {key: self.series(run.id, *key) for key in self.taps(run.id)}
        damage = damage_text(damage_of(self._db, run.id))
        return StoredRun(run, readings, tuple(e.event for e in self.events(run.id)), tuple(self.jots(run.id)), damage)

    def sound(self, table: str) -> set[int]:
        """Keys of the rows of a table that are as they were written."""
        return set(sound_rows(self._db, table))

    def leaving(self, run: Run, *, damaged_too: bool = False) -> StoredRun:
        """A run that is to leave the logbook, as a file or otherwise: its seals are asked first.

        Raises
        ------
        DamagedError
            It is damaged, and nobody asked for it all the same.
        """
        whole = self.kept(run)
        if whole.damage and not damaged_too:
            raise DamagedError(f"Run {run.id} is damaged in {self.path.name}: nothing was written. {whole.damage}")
        return whole

    def damages(self) -> list[Damage]:
        """Everything in the file that is not as it was written; reads all of it.

        Raises
        ------
        DamagedError
            Some of it cannot even be read.
        """
        with contextlib.closing(connect(self.place, read_only=True)) as db:
            said = [str(row[0]) for row in db.execute("PRAGMA quick_check(1)")]
            if said != ["ok"]:
                raise DamagedError(
                    f"{self.path.name} is damaged ({said[0][:60]}). File → Save what can be read makes a sound one of the rest."
                )
            return damage_of(db)

    def keep_import(self, whole: StoredRun) -> Run:
        """Keep a whole run from elsewhere in one transaction; returns it with its id."""
        if sum(len(column) for column in whole.readings.values()) < PIECE:
            return self._keep_whole(whole)
        self._db.execute("PRAGMA wal_autocheckpoint=0")
        try:
            kept = self._keep_whole(whole)
        finally:
            self._db.execute(f"PRAGMA wal_autocheckpoint={_USUAL_CHECKPOINT}")
        self._fold_meanwhile()
        return kept

    def _fold_meanwhile(self) -> None:
        """Bring what stands in the log beside the file into it, in a thread of its own: it is safe already, and nobody has to wait."""
        if self._folding is not None:
            self._folding.join()
        if not self.is_in_place():
            return
        self._folding = threading.Thread(target=fold, args=(self.path,), name="fold")
        self._folding.start()

    def _keep_whole(self, whole: StoredRun) -> Run:
        with self._transaction():
            run = in_its_room(self._db, of_no_series(whole.run))
            kept = replace(run, id=self._insert_run(run))
            same = SameTimes()
            for (tap, quantity), column in whole.readings.items():
                sql = "INSERT INTO channel (run_id, tap, quantity) VALUES (?,?,?)"
                channel = int(self._execute(sql, (kept.id, tap, quantity)).lastrowid or 0)
                self._insert_pieces(channel, column, same.of(column, channel))
            for event in whole.events:
                self.add_event(kept.id, event)
            for jot in whole.jots:
                self._write(ADD_JOT, jot_row(kept.id, jot))
        return kept

    def cut_after(self, run_id: int, time_s: float) -> None:
        """Take out what was read after a moment: for making what a run looks like that ended there."""
        with self._transaction():
            rewrite(self._db, run_id, lambda series: Series(series.time_s[series.time_s <= time_s], series.value[series.time_s <= time_s]))
            self._write("DELETE FROM summary WHERE run_id = ?", (run_id,))

    def taps(self, run_id: int) -> list[tuple[str, str]]:
        """(tap, quantity) of every channel of a run."""
        return [(r[0], r[1]) for r in self._db.execute("SELECT tap, quantity FROM channel WHERE run_id = ? ORDER BY id", (run_id,))]

    def update_run(self, run: Run) -> None:
        """Keep how a run stands: its state, what ended it, its trouble, method and head, and when it started by the clock."""
        head = json.dumps(head_to_json(run.head))
        self._write(
            "UPDATE run SET method = ?, state = ?, ended_by = ?, trouble = ?, head = ?, unit_id = ?, label = ?, started = ? WHERE id = ?",
            (run.method, run.state, run.ended_by, run.trouble, head, run.unit_id, run.label_text, run.started, run.id),
        )
        self._write("DELETE FROM summary WHERE run_id = ?", (run.id,))

    # lines typed by a person

    def jots(self, run_id: int) -> list[StoredJot]:
        """Those that count: neither undone nor replaced by a later one."""
        rows = self._db.execute(
            "SELECT time_s, line, typed, id, data FROM jot WHERE run_id = ? AND replaced_by IS NULL AND NOT undone ORDER BY time_s, id",
            (run_id,),
        )
        return [jot_of(*row) for row in rows]

    def jot(self, jot_id: int) -> StoredJot | None:
        """One typed row; None where it does not count."""
        row = self._db.execute(
            "SELECT time_s, line, typed, id, data FROM jot WHERE id = ? AND replaced_by IS NULL AND NOT undone", (jot_id,)
        ).fetchone()
        return jot_of(*row) if row is not None else None

    def add_jot(self, run_id: int, jot: StoredJot, replaces: int | None = None) -> int:
        """Keep a typed line, in the place of an earlier one where it corrects that; returns its id."""
        with self._transaction():
            made = self._write(ADD_JOT, jot_row(run_id, jot))
            if replaces is not None:
                self._before.clear()
                self._write("UPDATE jot SET replaced_by = ? WHERE id = ?", (made, replaces))
            self._write("DELETE FROM summary WHERE run_id = ?", (run_id,))
        return made

    def count_jot(self, jot_id: int, *, counts: bool, replaces: int = 0) -> None:
        """A typed line counts, or counts no more; the one that it ``replaces`` the other way round."""
        self._before.clear()
        with self._transaction():
            self._write("UPDATE jot SET undone = ? WHERE id = ?", (int(not counts), jot_id))
            if replaces:
                self._write("UPDATE jot SET replaced_by = ? WHERE id = ?", (jot_id if counts else None, replaces))
            self._write("DELETE FROM summary WHERE run_id = (SELECT run_id FROM jot WHERE id = ?)", (jot_id,))

    def lines_before(self, run_id: int) -> dict[int, tuple[str, ...]]:
        """What stood in the place of a typed line before it was changed, the first one first; by the number of the one that counts."""
        if not self.read_only and (known := self._before.get(run_id)) is not None:  # another program writes one that is only read
            return known
        self._before[run_id] = lines_before(self._db, run_id)
        return self._before[run_id]

    def told_by(self, run_id: int) -> tuple[int, str]:
        """By what a run is known besides its head: how many readings it has, and when its first line was typed."""
        readings = "SELECT coalesce(sum(n), 0) FROM piece JOIN channel ON channel.id = piece.channel_id WHERE run_id = ?1"
        row = self._db.execute(f"SELECT ({readings}), (SELECT coalesce(min(typed), '') FROM jot WHERE run_id = ?1)", (run_id,)).fetchone()
        return int(row[0]), str(row[1])

    def delete_run(self, run_id: int) -> None:
        """For good."""
        self._before.clear()
        self._write("DELETE FROM run WHERE id = ?", (run_id,))

    def throw_away(self, run_id: int, at: str) -> None:
        """From now on (UTC) a run is shown no more and counts for nothing; all of it is kept.

        Raises
        ------
        LogbookError
            It is going on.
        """
        if self.run(run_id).state == "running":
            raise LogbookError("A run that is going on cannot be thrown away: end it first.")
        self._write("INSERT OR REPLACE INTO thrown (run_id, at) VALUES (?,?)", (run_id, at))

    def put_back(self, run_id: int) -> None:
        """What was thrown away is there again."""
        self._write("DELETE FROM thrown WHERE run_id = ?", (run_id,))

    def thrown(self) -> list[tuple[Run, str, str]]:
        """(run, its unit's name, when it was thrown away in UTC), the last first."""
        rows = self._db.execute(
            f"SELECT {RUN_COLUMNS}, coalesce(unit.name, ''), coalesce(unit.kind, ''), thrown.at FROM thrown JOIN run ON run.id = thrown.run_id"
            " LEFT JOIN unit ON unit.id = run.unit_id ORDER BY thrown.at DESC, run.id DESC"
        )
        return [(run_of(row[:-1]), row[-3], row[-1]) for row in rows]

    # pictures

    def photos(self, unit_id: int | None = None, run_id: int | None = None) -> list[Photo]:
        """Of a unit, or of a run, in the order they came."""
        column, key = ("unit_id", unit_id) if run_id is None else ("run_id", run_id)
        rows = self._db.execute(f"SELECT jpeg, text, unit_id, run_id, digest, id FROM photo WHERE {column} = ? ORDER BY id", (key,))
        return [Photo(*row) for row in rows]

    def photos_of(self, run: Run) -> list[Photo]:
        """Of a run, and behind them those of its unit."""
        return [*self.photos(run_id=run.id), *(self.photos(run.unit_id) if run.unit_id else ())]

    def keep_photo(self, photo: Photo) -> Photo:
        """Add a picture; returns it with its id, or the one that is there already."""
        digest = hashlib.sha256(photo.jpeg).hexdigest()
        for there in self.photos(photo.unit_id, photo.run_id):
            if there.digest == digest:
                return there
        values = (photo.unit_id, photo.run_id, digest, photo.text, photo.jpeg)
        sql = "INSERT INTO photo (unit_id, run_id, digest, text, jpeg) VALUES (?,?,?,?,?)"
        return replace(photo, digest=digest, id=self._write(sql, values))

    def remove_photo(self, photo_id: int) -> None:
        self._write("DELETE FROM photo WHERE id = ?", (photo_id,))

    def series(self, run_id: int, tap: str, quantity: str) -> Series:
        """All readings of one channel; empty when there are none."""
        found = self._channel(run_id, tap, quantity)
        return readings_of_channel(self._db, found) if found else no_readings()

    def _channel(self, run_id: int, tap: str, quantity: str) -> int:
        """Its number; 0 where there is none."""
        sql = "SELECT id FROM channel WHERE run_id = ? AND tap = ? AND quantity = ?"
        found = self._db.execute(sql, (run_id, tap, quantity)).fetchone()
        return int(found[0]) if found is not None else 0

    def events(self, run_id: int) -> list[StoredEvent]:
        """Everything that happened, in the order of time."""
        rows = self._db.execute("SELECT time_s, kind, text, data, id FROM event WHERE run_id = ? ORDER BY time_s, id", (run_id,)).fetchall()
        zero_tap = ""
        if any(row[1] == "zero" and not row[3] for row in rows):
            zero_tap = "input" if any(tap == "input" for tap, _ in self.taps(run_id)) else "battery"
        return [StoredEvent(event_of(row[0], row[1], row[2], row[3], zero_tap), row[4]) for row in rows]

    def add_event(self, run_id: int, event: Event) -> int:
        """Keep an event of a run; returns its id."""
        return self._write(ADD_EVENT, (run_id, *event_row(event)))

    def note(self, run_id: int, time_s: float, text: str) -> int:
        """Keep a note; returns its id."""
        return self.add_event(run_id, Note(time_s, text))

    def remove_event(self, event_id: int) -> None:
        self._write("DELETE FROM event WHERE id = ?", (event_id,))

    # summaries: findings worked out before

    def summary(self, run_id: int) -> Summary | None:
        """Figures kept for this run by this version of the sums; None when they have to be worked out."""
        row = self._db.execute("SELECT findings FROM summary WHERE run_id = ? AND version = ?", (run_id, FINDINGS_VERSION)).fetchone()
        return summary_from_json(json.loads(row[0])) if row else None

    def keep_summary(self, run_id: int, summary: Summary) -> Summary:
        """Keep the few figures of a run for this version of the sums; what is written to the run later takes them back."""
        before = self._db.execute("SELECT findings FROM summary WHERE run_id = ? AND version < ?", (run_id, FINDINGS_VERSION)).fetchone()
        if before is not None and (was := summary_from_json(json.loads(before[0])).verdict) and was != summary.verdict:
            summary = replace(summary, was=was)
        if not self.read_only:
            self._write(
                "INSERT OR REPLACE INTO summary (run_id, version, findings) VALUES (?,?,?)",
                (run_id, FINDINGS_VERSION, json.dumps(summary.to_json())),
            )
        return summary

    # outlooks, and what reports have stated

    def outlooks(self) -> list[StoredOutlook]:
        """Those kept, the newest first."""
        rows = self._db.execute("SELECT name, run_id, made, inputs, answer, id FROM outlook ORDER BY made DESC, id DESC")
        return [StoredOutlook(r[0], r[1], r[2], object_of(r[3]), r[4], r[5]) for r in rows]

    def keep_outlook(self, outlook: StoredOutlook) -> int:
        """Keep a prediction; returns its id."""
        values = (outlook.name, outlook.run_id, outlook.made, json.dumps(outlook.inputs), outlook.answer)
        return self._write("INSERT INTO outlook (name, run_id, made, inputs, answer) VALUES (?,?,?,?,?)", values)

    def remove_outlook(self, outlook_id: int) -> None:
        self._write("DELETE FROM outlook WHERE id = ?", (outlook_id,))

    def bench_days(self) -> list[StoredDays]:
        """Plans of days at the bench, the newest first."""
        rows = self._db.execute("SELECT id, name, made, told, placed FROM bench_days ORDER BY id DESC")
        return [StoredDays(name, made, told, placed, number) for number, name, made, told, placed in rows]

    def keep_bench_days(self, days: StoredDays) -> StoredDays:
        """Keep a plan, in place of what it was before where it has a number."""
        values = (days.name, days.made, days.told, days.placed)
        if days.id:
            self._write("UPDATE bench_days SET name = ?, made = ?, told = ?, placed = ? WHERE id = ?", (*values, days.id))
            return days
        return replace(days, id=self._write("INSERT INTO bench_days (name, made, told, placed) VALUES (?,?,?,?)", values))

    def remove_bench_days(self, number: int) -> None:
        self._write("DELETE FROM bench_days WHERE id = ?", (number,))

    def keep_statement(self, run_id: int, stated: str, findings: Mapping[str, Finding], sentence: str) -> None:
        """Keep what a report says, with the version of the sums that says it. Nothing is kept in a logbook that may only be looked at."""
        if self.read_only:
            return
        told = {k: {"value": f.value, "unit": f.unit, "expanded_uncertainty": f.expanded_uncertainty} for k, f in findings.items()}
        self.keep_said(run_id, stated, FINDINGS_VERSION, {"findings": told, "verdict": sentence})

    def keep_said(self, run_id: int, stated: str, version: int, said: Mapping[str, Any]) -> int:
        """A statement as :meth:`statements` gives it; returns its id."""
        sql = "INSERT INTO statement (run_id, stated, version, findings) VALUES (?,?,?,?)"
        return self._write(sql, (run_id, stated, version, json.dumps(said)))

    def forget_said(self, statement_id: int) -> None:
        """It was taken back."""
        self._write("DELETE FROM statement WHERE id = ?", (statement_id,))

    def statements(self, run_id: int) -> list[tuple[str, int, dict[str, Any]]]:
        """(UTC, version, findings) of every report of a run, and of what it said before something became known of it (``because``)."""
        rows = self._db.execute("SELECT stated, version, findings FROM statement WHERE run_id = ? ORDER BY id", (run_id,))
        return [(r[0], r[1], json.loads(r[2])) for r in rows]

    # below here: how it is written

    def _insert_run(self, run: Run) -> int:
        values = (
            run.unit_id,
            run.method,
            run.source,
            run.state,
            run.started,
            run.utc_offset_min,
            run.ended_by,
            run.trouble,
            run.label_text,
            json.dumps(head_to_json(run.head)),
        )
        sql = (
            "INSERT INTO run (unit_id, method, source, state, started, utc_offset_min, ended_by, trouble, label, head)"
            " VALUES (?,?,?,?,?,?,?,?,?,?)"
        )
        return int(self._execute(sql, values).lastrowid or 0)

    def _insert_pieces(self, channel_id: int, series: Series, times_of: int = 0) -> None:
        insert_pieces(self._db, channel_id, series, times_of)

    def together(self) -> AbstractContextManager[None]:
        """What is written within is kept as a whole, or not at all."""
        return self._transaction()

    def _transaction(self) -> Transaction:
        return Transaction(self._db, self.path)

    def _write(self, sql: str, values: tuple[object, ...]) -> int:
        return int(self._execute(sql, values).lastrowid or 0)

    def _execute(self, sql: str, values: tuple[object, ...]) -> sqlite3.Cursor:
        if self.read_only:
            if self.why_read_only == "cannot be written":
                raise LogbookError(f"{self.path.name} cannot be written where it is: save a copy of it and work on in that.")
            raise LogbookError(
                f"{self.path.name} is open in another window, so it can only be looked at here. Close the other one to change it."
            )
        try:
            return self._db.execute(sql, values)
        except sqlite3.Error as error:
            raise write_error(self.path, error) from None
