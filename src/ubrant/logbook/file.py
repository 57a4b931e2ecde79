"""The SQLite file: opening, checking, migrating, closing."""

from __future__ import annotations

import contextlib
import filecmp
import glob
import itertools
import os
import re
import sqlite3
from pathlib import Path
from typing import Any

from ubrant.logbook.checksums import TABLES, keep_sealed, row_values, seal_all, seal_anew, sound_rows, teach
from ubrant.writing import write_whole

APPLICATION_ID = 0x55627274  # "Ubrt"
FORMAT = 9
_SEALED = 5
"""The first format with seals."""
_ROWS_AS_DATA = 8
"""The first format in which typed rows are data."""


_PAGE = 8192
"""Bytes of a page in new logbooks: readings are long, and with SQLite's usual 4096 it spends its time on the seams."""


class LogbookError(Exception):
    """A logbook that cannot be opened or written; says what, where and what to do."""


class DamagedError(LogbookError):
    """Something of a logbook cannot be read any more, or is none."""


class _Rows(sqlite3.Cursor):
    """A cursor that says in a sentence when what it reads is damaged."""

    def execute(self, *arguments: Any) -> _Rows:
        with _Readable():
            super().execute(*arguments)
        return self

    def __next__(self) -> Any:
        with _Readable():
            return super().__next__()

    def fetchone(self) -> Any:
        with _Readable():
            return super().fetchone()

    def fetchall(self) -> list[Any]:
        with _Readable():
            return super().fetchall()


class Database(sqlite3.Connection):
    """A connection whose damage is a :class:`DamagedError`."""

    def cursor(self, factory: Any = _Rows) -> Any:
        return super().cursor(factory)

    def execute(self, *arguments: Any) -> Any:
        return self.cursor().execute(*arguments)

    def executescript(self, script: str) -> Any:
        with _Readable():
            return super().executescript(script)


class _Readable:
    """What SQLite calls malformed, or what is no text any more, is damage; everything else passes."""

    def __enter__(self) -> None:
        pass

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> None:
        if isinstance(error, sqlite3.Error) and (type(error) is sqlite3.DatabaseError or _DAMAGED.search(str(error))):
            raise DamagedError(
                f"The logbook is damaged ({error}). File → Save what can be read makes a sound one of the rest; this file is left as it is."
            ) from None


_DAMAGED = re.compile(
    "malformed|not a database|disk I/O|decode|UTF-8|corrupt|no such|syntax error|has no column|user-defined function", re.I
)


def connect(path: Path, *, read_only: bool = False) -> sqlite3.Connection:
    """A connection with every pragma set. May be used from another thread than the one that made it, by one at a time."""
    if read_only:
        still = "&immutable=1" if not os.access(path.parent, os.W_OK) else ""  # no place for the files that reading needs beside it
        connection = sqlite3.connect(
            f"{path.resolve().as_uri()}?mode=ro{still}", uri=True, check_same_thread=False, isolation_level=None, factory=Database
        )
    else:
        uri = f"{path.resolve().as_uri()}?mode=rw"  # never a new file in the place of one that has gone
        connection = sqlite3.connect(uri, uri=True, check_same_thread=False, isolation_level=None, factory=Database)
        connection.execute("PRAGMA journal_mode=WAL")
        connection.execute("PRAGMA synchronous=FULL")
    connection.execute("PRAGMA trusted_schema=OFF")  # what stands in a file of somebody else's runs nothing
    connection.execute("PRAGMA foreign_keys=ON")
    connection.execute("PRAGMA busy_timeout=5000")
    teach(connection)
    if not read_only:
        keep_sealed(connection)
    return connection


def fold(path: Path) -> None:
    """Bring what stands in the write-ahead log into the file itself, as far as nobody reads there; what does not get done now is done on closing."""
    with contextlib.suppress(sqlite3.Error), contextlib.closing(connect(path)) as connection:
        connection.execute("PRAGMA wal_checkpoint(PASSIVE)")


def may_only_look(path: Path) -> bool:
    """Whether a logbook is there, of today's format, and cannot be written: then it can be opened to look at.

    Raises
    ------
    LogbookError
        It is of another format, which would have to be changed.
    """
    if not path.exists() or path.stat().st_size == 0 or (os.access(path, os.W_OK) and os.access(path.parent, os.W_OK)):
        return False
    with contextlib.closing(sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro&immutable=1", uri=True)) as connection:
        try:
            known = connection.execute("PRAGMA application_id").fetchone()[0] == APPLICATION_ID
            version = connection.execute("PRAGMA user_version").fetchone()[0]
            if known:
                _only_tables(connection, path)
        except sqlite3.DatabaseError:
            return False
    if known and version < FORMAT:
        raise LogbookError(
            f"{path.name} is of an older format and cannot be written where it is: copy it to a folder of yours and open that."
        )
    return bool(known and version == FORMAT)


def salvage(damaged: Path, into: Path) -> int:
    """Copy whatever can still be read of a damaged logbook into a new one; the damaged file is left as it is.

    Returns
    -------
    How many runs were saved.

    Raises
    ------
    LogbookError
        Nothing at all can be read, or the new one cannot be written.
    """
    if into.exists():
        raise LogbookError(f"{into.name} is there already: choose another name.")
    prepare(into)
    with contextlib.closing(connect(into)) as target, contextlib.closing(_as_it_is(damaged)) as source:
        target.execute("PRAGMA foreign_keys=OFF")
        lost: set[int] = set()
        for table in TABLES:
            lost |= _salvage_table(source, target, table)
        target.execute("DELETE FROM piece WHERE channel_id NOT IN (SELECT id FROM channel)")
        target.execute("DELETE FROM channel WHERE run_id NOT IN (SELECT id FROM run)")
        for table in ("event", "jot", "statement", "thrown"):
            target.execute(f"DELETE FROM {table} WHERE run_id NOT IN (SELECT id FROM run)")
        target.execute("UPDATE run SET unit_id = NULL WHERE unit_id NOT IN (SELECT id FROM unit)")
        target.execute("DELETE FROM unit_facts WHERE unit_id NOT IN (SELECT id FROM unit)")
        target.execute("DELETE FROM photo WHERE unit_id NOT IN (SELECT id FROM unit) OR run_id NOT IN (SELECT id FROM run)")
        _stay_damaged(source, target, lost)
        saved = int(target.execute("SELECT count(*) FROM run").fetchone()[0])
        target.execute("PRAGMA journal_mode=DELETE")
    if not saved:
        into.unlink()
        raise LogbookError(f"Nothing can be read of {damaged.name} any more. Look for a copy of it.")
    return saved


def _as_it_is(path: Path) -> sqlite3.Connection:
    """A connection that only looks, whatever stands there."""
    still = "" if path.with_name(path.name + "-wal").exists() else "&immutable=1"
    source = sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro{still}", uri=True)
    source.text_factory = lambda data: data.decode("utf-8", "replace")
    teach(source)
    return source


_NAMED = ("unit", "meter")
"""What runs refer to is kept though it is damaged, and says so by its name."""


def _salvage_table(source: sqlite3.Connection, target: sqlite3.Connection, table: str) -> set[int]:
    """Every row that can be read, from both ends up to what cannot; the runs of those that are not what was written, which are left out."""
    ours = [r[1] for r in target.execute(f"PRAGMA table_info({table})")]
    try:
        theirs = [r[1] for r in source.execute(f"PRAGMA table_info({table})")]
        has_seals = bool(source.execute("PRAGMA table_info(seal)").fetchall())
    except sqlite3.Error:
        return set()
    names = [c for c in ours if c in theirs]
    if not names:
        return set()
    key, run = (expression.format(table) for expression in TABLES[table])
    sound = "1"
    if has_seals and theirs == ours:
        sound = f"crc_of({row_values(theirs, table)}) = (SELECT crc FROM seal WHERE tbl = '{table}' AND seal.key = {key})"
    marks = ", ".join("?" * len(names))
    lost: set[int] = set()
    taken: set[int] = set()
    for direction in ("ASC", "DESC"):
        with contextlib.suppress(sqlite3.Error):
            columns = ", ".join(f"{table}.{c}" for c in names)
            for row in source.execute(f"SELECT {key}, {run}, {sound}, {columns} FROM {table} ORDER BY 1 {direction}"):
                if row[0] in taken:
                    break
                taken.add(row[0])
                if not row[2] and row[1] is not None:
                    lost.add(row[1])
                if row[2] or table in {"run", *_NAMED}:
                    with contextlib.suppress(sqlite3.Error):
                        target.execute(f"INSERT OR REPLACE INTO {table} ({', '.join(names)}) VALUES ({marks})", row[3:])
                        if not row[2] and table in _NAMED:
                            target.execute(f"UPDATE {table} SET name = name || ' (damaged)' WHERE id = ?", row[:1])
    return lost


def _stay_damaged(source: sqlite3.Connection, target: sqlite3.Connection, lost: set[int]) -> None:
    """A run that lost something is known for it from then on: its seal goes on counting what is missing."""
    before: dict[int, tuple[int, int]] = {}
    with contextlib.suppress(sqlite3.Error):
        for run, rows, total in source.execute("SELECT run, rows, total FROM run_seal"):
            before[run] = (rows, total)
    now = {row[0]: (row[1], row[2]) for row in target.execute("SELECT run, rows, total FROM run_seal")}
    for run, (rows, total) in now.items():
        was = before.get(run, (rows, total))
        if run in lost or was != (rows, total):
            rows, total = was if was != (rows, total) else (rows + 1, total)
            target.execute("UPDATE run_seal SET rows = ?, total = ? WHERE run = ?", (rows, total, run))


def make_place(path: Path) -> bool:
    """An empty file where there is none yet, which only its owner may read; whether it was made.

    Raises
    ------
    LogbookError
        It cannot be made.
    """
    try:
        if not path.exists():
            path.parent.mkdir(parents=True, exist_ok=True)
            path.touch(mode=0o600)  # notes and pictures in it are nobody else's
            return True
        return False
    except OSError as error:
        raise LogbookError(f"{path} cannot be opened: {error.strerror or error}.") from None


def prepare(path: Path) -> None:
    """Make a logbook where there is none, migrate an older one (a copy is kept), refuse what is none or newer.

    Raises
    ------
    LogbookError
        Not a logbook, newer than this Ubrant, damaged, or not to be written where it is.
    """
    try:
        make_place(path)
        is_new = path.stat().st_size == 0
        connection = sqlite3.connect(path, isolation_level=None)
        try:
            connection.execute("PRAGMA trusted_schema=OFF")
            _prepare(connection, path, is_new=is_new)
        finally:
            connection.close()
    except (sqlite3.DatabaseError, UnicodeDecodeError) as error:
        if "locked" in str(error) or "busy" in str(error):
            raise LogbookError(f"{path.name} is locked by another program: close it there and try again.") from None
        if "readonly" in str(error) or "unable to open" in str(error):
            raise LogbookError(f"{path} cannot be written: choose another folder, or change its permissions.") from None
        if "full" in str(error):
            raise LogbookError(f"The disk is full: {path} could not be made. Free some space and try again.") from None
        raise DamagedError(f"{path.name} is not a Ubrant logbook, or it is damaged ({error}). Nothing in it was changed.") from None
    except OSError as error:
        raise LogbookError(f"{path} cannot be opened: {error.strerror or error}.") from None


def _only_tables(connection: sqlite3.Connection, path: Path) -> None:
    """No logbook has anything but plain tables and their indexes.

    Raises
    ------
    LogbookError
        There are views, triggers or virtual tables in it; names one.
    """
    found = connection.execute(
        "SELECT type, name FROM sqlite_master WHERE type NOT IN ('table', 'index') OR (type = 'table' AND upper(sql) LIKE 'CREATE VIRTUAL%')"
    ).fetchone()
    if found is not None:
        kind = "virtual table" if found[0] == "table" else found[0]
        raise LogbookError(
            f"{path.name} has a {kind} in it (“{found[1]}”), which Ubrant never wrote: it is not opened. Nothing in it was changed."
        )


def _keep_copy(connection: sqlite3.Connection, path: Path, found_format: int) -> Path:
    """A whole copy of an older logbook beside it, what stands in its write-ahead log included; never in the place of another file."""
    names = (f".format{found_format}{f' {n}' if n > 1 else ''}.ubrant" for n in itertools.count(1))
    place = next(place for name in names if not (place := path.with_suffix(name)).exists())
    write_whole(place, lambda beside: back_up(connection, beside))
    for other in sorted(path.parent.glob(f"{glob.escape(path.stem)}.format{found_format}*.ubrant")):
        if other != place and filecmp.cmp(other, place, shallow=False):  # of a migration that was killed, and of the same logbook
            place.unlink()
            return other
    return place


def back_up(connection: sqlite3.Connection, into: Path) -> None:
    """All that a logbook holds, as one new file that only its owner may read."""
    into.touch(mode=0o600)
    with contextlib.closing(sqlite3.connect(into)) as copy:
        connection.backup(copy)
        copy.execute("PRAGMA journal_mode=DELETE")


def _prepare(connection: sqlite3.Connection, path: Path, *, is_new: bool) -> None:
    found_id = connection.execute("PRAGMA application_id").fetchone()[0]
    found_format = connection.execute("PRAGMA user_version").fetchone()[0]
    if not is_new and found_id != APPLICATION_ID:
        raise LogbookError(f"{path.name} is a database, but not a Ubrant logbook. Nothing in it was changed.")
    if found_format > FORMAT:
        raise LogbookError(
            f"{path.name} was written by a newer Ubrant (format {found_format}; this one knows {FORMAT}): update Ubrant to open it."
        )
    _only_tables(connection, path)
    if not is_new and found_format < FORMAT:
        _keep_copy(connection, path, found_format)
    if is_new:
        connection.execute(f"PRAGMA page_size={_PAGE}")
    if found_format < FORMAT:
        _migrate(connection, found_format)


def _migrate(connection: sqlite3.Connection, found_format: int) -> None:
    """From one format to the newest in one transaction: whoever is killed in between finds the older one."""
    from importlib import resources  # slow to import, and needed for a new one or an older one only

    from ubrant.logbook import older

    connection.execute("BEGIN IMMEDIATE")
    for number in range(found_format + 1, FORMAT + 1):
        sound = sound_rows(connection, "jot") if number == _ROWS_AS_DATA else []
        _run(connection, resources.files("ubrant.logbook").joinpath(f"migrations/{number:04}.sql").read_text("utf-8"))
        if number == _SEALED:
            teach(connection)
            _run(connection, seal_all(connection))
        if number == _ROWS_AS_DATA:
            older.read_lines(connection)
            seal_anew(connection, "jot", sound)
    connection.execute(f"PRAGMA application_id={APPLICATION_ID}")
    connection.execute(f"PRAGMA user_version={FORMAT}")
    connection.execute("COMMIT")


def _run(connection: sqlite3.Connection, script: str) -> None:
    """Statement by statement: ``executescript`` would commit what was begun."""
    statement = ""
    for part in script.split(";"):
        statement += part + ";"
        if sqlite3.complete_statement(statement):
            connection.execute(statement)
            statement = ""
