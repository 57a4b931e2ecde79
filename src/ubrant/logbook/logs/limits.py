"""What is too much for a log: looked at before anything is parsed, so that a bomb is refused and not unpacked."""

from __future__ import annotations

import stat
import zipfile
from pathlib import Path

from ubrant.logbook.logs.log_file import LogError

MOST = {
    "bytes of a text": 4 << 30,
    "bytes of a described package": 64 << 20,
    "bytes of a line": 1 << 20,
    "columns": 4096,
    "bytes of an unpacked workbook": 400 << 20,
    "cells": 200_000_000,
}
"""The one table of limits. A log of ten million readings has about 600 million bytes."""


def check_file(path: Path, kind: str = "bytes of a text") -> None:
    """A plain file, and not too large a one.

    Raises
    ------
    LogError
        It is a device, a pipe or a socket, or too large.
    """
    try:
        about = path.stat()
    except (OSError, ValueError):
        return  # whoever reads it says what is amiss
    if not (stat.S_ISREG(about.st_mode) or stat.S_ISDIR(about.st_mode)):
        raise LogError(f"{path.name} is a device or a pipe, and no file: save the log as a file first.")
    if stat.S_ISREG(about.st_mode) and about.st_size > MOST[kind]:
        raise LogError(f"{path.name} has {about.st_size / 1e9:.1f} GB, and up to {MOST[kind] / 1e9:.1f} GB are read: split it.")


def check_lines(name: str, data: bytes) -> None:
    """No line longer than one may be.

    Raises
    ------
    LogError
        Says about where.
    """
    most, at = MOST["bytes of a line"], 0
    while at + most < len(data):
        end = data.rfind(b"\n", at, at + most)
        if end < 0:
            where = f", line {data.count(bytes([10]), 0, at) + 1}" if at < most else ""
            raise LogError(f"{name}{where}: a line of more than a million characters is no line of a log. Look at how its lines end.")
        at = end + 1


def check_columns(name: str, count: int) -> None:
    """Not more columns than a table of readings can have.

    Raises
    ------
    LogError
        There are more.
    """
    if count > MOST["columns"]:
        raise LogError(f"{name} has {count} columns, and up to {MOST['columns']} are read: export only those that are wanted.")


def check_archive(path: Path) -> None:
    """What a workbook holds once it is unpacked.

    Raises
    ------
    LogError
        It is no archive, or a bomb.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            whole = sum(part.file_size for part in archive.infolist())
    except (OSError, zipfile.BadZipFile, ValueError, NotImplementedError):
        raise LogError(f"{path.name} is not a workbook that can be read: save it anew, or export it as CSV.") from None
    if whole > MOST["bytes of an unpacked workbook"]:
        raise LogError(f"{path.name} would be {whole / 1e6:.0f} MB when it is unpacked: export the sheet as CSV.")


def check_cells(name: str, rows: int, columns: int) -> None:
    """Raises ``LogError`` for more cells than are read."""
    check_columns(name, columns)
    if rows * columns > MOST["cells"]:
        raise LogError(f"{name} has {rows} rows of {columns} columns, and up to {MOST['cells']} cells are read: split it.")
