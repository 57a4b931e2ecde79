"""The SQLite file: opening, checking, migrating, closing."""

from __future__ import annotations

import contextlib
import os
import shutil
import sqlite3
from importlib import resources
from pathlib import Path

APPLICATION_ID = 0x55627274  # "Ubrt"
FORMAT = 4


_PAGE = 8192
"""Bytes of a page in new logbooks: readings are long, and with SQLite's usual 4096 it spends its time on the seams."""


class LogbookError(Exception):
    """A logbook that cannot be opened or written; says what, where and what to do."""


def connect(path: Path, *, read_only: bool = False) -> sqlite3.Connection:
    """A connection with every pragma set. May be used from another thread than the one that made it, by one at a time."""
    if read_only:
        still = "&immutable=1" if not os.access(path.parent, os.W_OK) else ""  # no place for the files that reading needs beside it
        connection = sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro{still}", uri=True, check_same_thread=False, isolation_level=None)
    else:
        connection = sqlite3.connect(path, check_same_thread=False, isolation_level=None)
        connection.execute("PRAGMA journal_mode=WAL")
        connection.execute("PRAGMA synchronous=FULL")
    connection.execute("PRAGMA foreign_keys=ON")
    connection.execute("PRAGMA busy_timeout=5000")
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
    saved = 0
    with contextlib.closing(sqlite3.connect(into, isolation_level=None)) as target:
        target.execute("PRAGMA foreign_keys=OFF")
        with contextlib.closing(sqlite3.connect(f"{damaged.resolve().as_uri()}?mode=ro&immutable=1", uri=True)) as source:
            for table in ("unit", "meter", "run", "channel", "piece", "event", "jot", "outlook", "statement"):
                count = _salvage_table(source, target, table)
                saved = count if table == "run" else saved
        target.execute("DELETE FROM piece WHERE channel_id NOT IN (SELECT id FROM channel)")
        target.execute("DELETE FROM channel WHERE run_id NOT IN (SELECT id FROM run)")
    if not saved:
        into.unlink()
        raise LogbookError(f"Nothing can be read of {damaged.name} any more. Look for a copy of it.")
    return saved


def _salvage_table(source: sqlite3.Connection, target: sqlite3.Connection, table: str) -> int:
    """Row by row, leaving out what cannot be read."""
    ours = [r[1] for r in target.execute(f"PRAGMA table_info({table})")]
    try:
        theirs = [r[1] for r in source.execute(f"PRAGMA table_info({table})")]
        columns = ", ".join(c for c in ours if c in theirs)
        rows = source.execute(f"SELECT {columns} FROM {table}")
    except sqlite3.DatabaseError:
        return 0
    count = 0
    while columns:
        try:
            row = rows.fetchone()
        except sqlite3.DatabaseError:
            break
        if row is None:
            break
        marks = ", ".join("?" * len(row))
        with contextlib.suppress(sqlite3.DatabaseError):
            target.execute(f"INSERT OR REPLACE INTO {table} ({columns}) VALUES ({marks})", row)
            count += 1
    return count


def prepare(path: Path) -> None:
    """Make a logbook where there is none, migrate an older one (a copy is kept), refuse what is none or newer.

    Raises
    ------
    LogbookError
        Not a logbook, newer than this Ubrant, damaged, or not to be written where it is.
    """
    try:
        is_new = not path.exists() or path.stat().st_size == 0
        if is_new:
            path.parent.mkdir(parents=True, exist_ok=True)
        connection = sqlite3.connect(path, isolation_level=None)
        try:
            _prepare(connection, path, is_new=is_new)
        finally:
            connection.close()
    except sqlite3.DatabaseError as error:
        if "readonly" in str(error) or "unable to open" in str(error):
            raise LogbookError(f"{path} cannot be written: choose another folder, or change its permissions.") from None
        if "full" in str(error):
            raise LogbookError(f"The disk is full: {path} could not be made. Free some space and try again.") from None
        raise LogbookError(f"{path.name} is not a Ubrant logbook, or it is damaged ({error}). Nothing in it was changed.") from None
    except OSError as error:
        raise LogbookError(f"{path} cannot be opened: {error.strerror or error}.") from None


def _prepare(connection: sqlite3.Connection, path: Path, *, is_new: bool) -> None:
    found_id = connection.execute("PRAGMA application_id").fetchone()[0]
    found_format = connection.execute("PRAGMA user_version").fetchone()[0]
    if not is_new and found_id != APPLICATION_ID:
        raise LogbookError(f"{path.name} is a database, but not a Ubrant logbook. Nothing in it was changed.")
    if found_format > FORMAT:
        raise LogbookError(
            f"{path.name} was written by a newer Ubrant (format {found_format}; this one knows {FORMAT}): update Ubrant to open it."
        )
    if not is_new and found_format < FORMAT:
        shutil.copy2(path, path.with_suffix(f".format{found_format}.ubrant"))
    if is_new:
        connection.execute(f"PRAGMA page_size={_PAGE}")
    for number in range(found_format + 1, FORMAT + 1):
        script = resources.files("ubrant.logbook").joinpath(f"migrations/{number:04}.sql").read_text("utf-8")
        connection.executescript(f"BEGIN IMMEDIATE; {script} PRAGMA application_id={APPLICATION_ID}; PRAGMA user_version={number}; COMMIT;")
