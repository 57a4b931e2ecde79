"""The SQLite file: opening, checking, migrating, closing."""

from __future__ import annotations

import shutil
import sqlite3
from importlib import resources
from pathlib import Path

APPLICATION_ID = 0x55627274  # "Ubrt"
FORMAT = 3


class LogbookError(Exception):
    """A logbook that cannot be opened or written; says what, where and what to do."""


def connect(path: Path, *, read_only: bool = False) -> sqlite3.Connection:
    """A connection with every pragma set. May be used from another thread than the one that made it, by one at a time."""
    if read_only:
        connection = sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True, check_same_thread=False, isolation_level=None)
    else:
        connection = sqlite3.connect(path, check_same_thread=False, isolation_level=None)
        connection.execute("PRAGMA journal_mode=WAL")
        connection.execute("PRAGMA synchronous=FULL")
    connection.execute("PRAGMA foreign_keys=ON")
    connection.execute("PRAGMA busy_timeout=5000")
    return connection


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
    for number in range(found_format + 1, FORMAT + 1):
        script = resources.files("ubrant.logbook").joinpath(f"migrations/{number:04}.sql").read_text("utf-8")
        connection.executescript(f"BEGIN IMMEDIATE; {script} PRAGMA application_id={APPLICATION_ID}; PRAGMA user_version={number}; COMMIT;")
