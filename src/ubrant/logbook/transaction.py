"""Writing as a whole or not at all, and the sentence where it is not."""

from __future__ import annotations

import sqlite3
from pathlib import Path

from ubrant.logbook.file import LogbookError


def write_error(path: Path, error: sqlite3.Error) -> LogbookError:
    """The sentence for a write that failed."""
    if "full" in str(error):
        return LogbookError(f"The disk is full: {path.name} could not be written. Free some space; what was kept so far is safe.")
    return LogbookError(f"{path.name} could not be written ({error}). What was kept so far is safe.")


class Transaction:
    """All or nothing, with a sentence when it is nothing."""

    def __init__(self, db: sqlite3.Connection, path: Path) -> None:
        self._db, self._path = db, path
        self._is_inner = db.in_transaction

    def __enter__(self) -> None:
        if not self._is_inner:
            self._db.execute("BEGIN IMMEDIATE")

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> None:
        if self._is_inner:  # the outer one keeps or drops it all
            return
        try:
            self._db.execute("ROLLBACK" if error else "COMMIT")
        except sqlite3.Error as failed:
            raise write_error(self._path, failed) from None
        if isinstance(error, sqlite3.Error):
            raise write_error(self._path, error) from None
