"""Read a log, whatever it is: the way in."""

from __future__ import annotations

import contextlib
import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.record.jot_text import JotTextError, is_jot_text, read_jot_text
from ubrant.core.record.typed import STRAIGHT, columns_of_lines, on_one_base
from ubrant.logbook.logs.columns import columns_of
from ubrant.logbook.logs.fast import read_fast
from ubrant.logbook.logs.formats import TEXT, format_of, head_of, sheet_in
from ubrant.logbook.logs.limits import check_file
from ubrant.logbook.logs.log_file import LogError, LogFile
from ubrant.logbook.logs.table import read_table
from ubrant.logbook.logs.text import TextTable, read_bytes, text_of

PACKAGE = "datapackage.json"


def read_logs(path: Path, columns: str | None = None, *, split_gaps: bool = False) -> list[LogFile]:
    """Every run in a log: text in any dialect, jot text, a workbook, Parquet, JSON lines, or a Data Package.

    Parameters
    ----------
    columns : ``time=…,voltage=…,current=…``, headings or column numbers, where the headings do not say it
    split_gaps : take a very long gap for the end of one run and the start of the next

    Raises
    ------
    LogError
        It cannot be read; the sentence says where and what to do.
    """
    check_file(path)
    package = path / PACKAGE if path.is_dir() else path
    if package.name == PACKAGE and package.exists():
        return [_package(package, columns)]
    kind = format_of(path.name)
    if kind.of_file is not None and path.is_file():
        return _tables(kind.of_file(path), columns, split_gaps)
    return read_text(path.name, read_bytes(path), columns, split_gaps=split_gaps)


def read_text(name: str, data: bytes, columns: str | None = None, *, split_gaps: bool = False) -> list[LogFile]:
    """Every run in a text that was read already: see :func:`read_logs`.

    Raises
    ------
    LogError
        It cannot be read.
    """
    head = head_of(data)
    kind = format_of(name, head)
    if kind is TEXT and is_jots(name, head, columns):
        return [_jots(name, text_of(data))]
    sheet = kind.of_text(name, data, columns)
    return _text_logs(sheet, columns, split_gaps) if kind is TEXT else _tables(sheet, columns, split_gaps)


def is_jots(name: str, head: str, columns: str | None = None) -> bool:
    """Whether a text is jot text, by its name or by how it begins; not where somebody said which column is what."""
    return Path(name).suffix.lower() == ".jot" or (not columns and is_jot_text(head))


def table_in(path: Path) -> TextTable | None:
    """A log as a table, for whoever has to say which column is what; None where it is none (jot text, a package).

    Raises
    ------
    LogError
        It cannot be read at all.
    """
    if path.is_dir() or path.name == PACKAGE:
        return None
    if format_of(path.name).of_file is None:
        head = head_of(read_bytes(path))
        if format_of(path.name, head) is TEXT and is_jots(path.name, head):
            return None
    return sheet_in(path)


def _tables(sheet: TextTable, columns: str | None, split_gaps: bool) -> list[LogFile]:
    return read_table(sheet, columns_of(sheet, columns), split_gaps)


def _text_logs(sheet: TextTable, columns: str | None, split_gaps: bool) -> list[LogFile]:
    chosen = columns_of(sheet, columns)
    fast = None if split_gaps else read_fast(sheet, chosen)
    return [fast] if fast is not None else read_table(sheet, chosen, split_gaps)


def read_log(path: Path, columns: str | None = None) -> LogFile:
    """The one run in a log.

    Raises
    ------
    LogError
        It cannot be read, or it holds several.
    """
    return only(read_logs(path, columns))


def only(found: list[LogFile], number: int | None = None) -> LogFile:
    """The only run of a file, or the one asked for, counted from 1.

    Raises
    ------
    LogError
        There are several and none was asked for, or not so many.
    """
    if number is not None and not 1 <= number <= len(found):
        raise LogError(f"{found[0].name} holds {len(found)} run{'s' if len(found) > 1 else ''}: there is no run {number} in it.")
    if len(found) > 1 and number is None:
        told = ", ".join(f"{k} ({log.run_name})" for k, log in enumerate(found[:8], start=1))
        raise LogError(f"{found[0].name} holds {len(found)} runs: {told}. Say which, with --run 1.")
    return found[(number or 1) - 1]


def _jots(name: str, text: str) -> LogFile:
    """A jot text as a log: its lines, its head, and its volts and amperes on one base where it has both."""
    try:
        found = read_jot_text(text, name)
    except JotTextError as error:
        raise LogError(str(error)) from None
    typed = columns_of_lines(found.entries)
    tap = typed.source_tap()
    time = volts = amps = np.empty(0)
    between = "held" if found.head.get("between", "").lower().startswith("h") else STRAIGHT
    with contextlib.suppress(ReadingsError):  # what is missing is said by the method
        readings, _ = on_one_base(typed, tap, between)
        time, volts, amps = readings.time_s, readings.voltage_v, readings.current_a
    head = found.head
    about: dict[str, Any] = {
        "head": head,
        "method": head.get("method", ""),
        "unit": head.get("unit", ""),
        "label": head.get("label", ""),
        "chemistry": head.get("chemistry") or None,
        "meter": head.get("meter", ""),
        "voltage_accuracy": head.get("volts", ""),
        "current_accuracy": head.get("amps", ""),
    }
    return LogFile(name, time, volts, amps, {"jot text": f"tap {tap}"}, found.started, found.warnings, about=about, entries=found.entries)


def _package(package: Path, columns: str | None) -> LogFile:
    check_file(package, "bytes of a described package")
    try:
        described = json.loads(package.read_text("utf-8"))
        resources = described["resources"]
        inside = str(next(r["path"] for r in resources if str(r.get("path", "")).endswith((".csv", ".jot"))))
        about = described.get("ubrant", {})
    except (OSError, ValueError, KeyError, TypeError, AttributeError, StopIteration, RecursionError):
        raise LogError(f"{package.name} in {package.parent.name} is not a Data Package with a CSV of readings in it.") from None
    if not (package.parent / inside).resolve().is_relative_to(package.parent.resolve()):  # links are followed before this is asked
        raise LogError(f"{package.name} in {package.parent.name} points outside its folder ({inside}): that is not followed.")
    log = read_log(package.parent / inside, columns)
    told = about if isinstance(about, dict) else {}
    if log.entries:
        told = log.about
    return replace(log, name=package.parent.name, about=told)
