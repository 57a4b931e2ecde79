"""Sheets that are no text: workbooks (XLSX), Parquet, JSON lines."""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import date, datetime, time, timedelta
from pathlib import Path
from typing import Any

from ubrant.apart import APART, Answer, Refused
from ubrant.logbook.logs.headings import needed_found, read_heading
from ubrant.logbook.logs.limits import MOST, check_archive, check_cells, check_columns, check_file
from ubrant.logbook.logs.log_file import LogError
from ubrant.logbook.logs.text import TextTable, text_of


def read_workbook(path: Path) -> TextTable:
    """The first sheet of a workbook that holds time, voltage and current; read apart.

    Raises
    ------
    LogError
        It is no workbook, or no sheet of it holds them.
    """
    check_file(path)
    check_archive(path)
    return _read_apart("workbook", path)


def read_parquet(path: Path) -> TextTable:
    """A Parquet file; read apart.

    Raises
    ------
    LogError
        It is none.
    """
    check_file(path)
    return _read_apart("parquet", path)


def _read_apart(what: str, path: Path) -> TextTable:
    try:
        told, _ = APART.ask(what, path)
    except Refused as error:
        raise LogError(str(error)) from None
    rows = tuple((int(number), [str(c) for c in cells]) for number, cells in told["rows"])
    headings = tuple(str(h) for h in told["headings"])
    return TextTable(path.name, headings, int(told["line"]), decimal_comma=False, first_line=int(told["first"]), kept_rows=rows)


def workbook_told(path: Path) -> Answer:
    """In the process apart: a workbook as JSON."""
    return _told(_workbook, path)


def parquet_told(path: Path) -> Answer:
    """In the process apart: a Parquet file as JSON."""
    return _told(_parquet, path)


def _told(read: Callable[[Path], TextTable], path: Path) -> Answer:
    try:
        sheet = read(path)
    except LogError as error:
        raise Refused(str(error)) from None
    return {"headings": sheet.headings, "line": sheet.heading_line, "first": sheet.first_line, "rows": sheet.kept_rows}, []


def _workbook(path: Path) -> TextTable:
    import openpyxl  # slow to import, and only workbooks need it

    try:
        book = openpyxl.load_workbook(path, read_only=True, data_only=True)
    except Exception:  # whatever a broken archive makes openpyxl raise
        raise LogError(f"{path.name} is not a workbook that can be read: save it anew, or export it as CSV.") from None
    try:
        for page in book.worksheets:
            page.reset_dimensions()  # what is there counts, not what the sheet claims to reach to
            rows = [
                (k, [_text(c) for c in row[: MOST["columns"]]]) for k, row in enumerate(page.iter_rows(values_only=True), start=1) if row
            ]
            if (sheet := _table(path.name, rows)) is not None:
                return sheet
    except Exception as error:
        raise LogError(f"{path.name} cannot be read: {error}. Export it as CSV.") from None
    finally:
        book.close()
    raise LogError(
        f"{path.name}, line 1: no sheet has columns for time, voltage and current. Write headings like “Time (s)”, “Voltage (V)”, “Current (A)”."
    )


def _parquet(path: Path) -> TextTable:
    import polars as pl  # slow to import, and only files need it

    try:
        rows, columns = pl.scan_parquet(path).select(pl.len()).collect().item(), len(pl.read_parquet_schema(path))
    except (Exception, pl.exceptions.PanicException):
        raise LogError(f"{path.name} is not a Parquet file that can be read: write it anew.") from None
    check_cells(path.name, rows, columns)
    try:
        table = pl.read_parquet(path)
    except (Exception, pl.exceptions.PanicException):
        raise LogError(f"{path.name} is not a Parquet file that can be read: write it anew.") from None
    kept = tuple((k, [_text(c) for c in row]) for k, row in enumerate(table.iter_rows(), start=2))
    return TextTable(path.name, tuple(table.columns), 1, decimal_comma=False, kept_rows=kept)


def read_json_lines(name: str, data: bytes) -> TextTable:
    """A JSON object a line; the keys are the headings.

    Raises
    ------
    LogError
        A line that is no JSON object; says which.
    """
    headings: dict[str, int] = {}
    rows: list[tuple[int, dict[str, Any]]] = []
    for number, line in enumerate(text_of(data).splitlines(), start=1):
        if not line.strip():
            continue
        try:
            made = json.loads(line)
        except (ValueError, RecursionError):
            raise LogError(f"{name}, line {number}: this is no JSON object. Correct it or delete the line.") from None
        if not isinstance(made, dict):
            raise LogError(f'{name}, line {number}: a JSON object belongs here, like {{"time": 0, "voltage": 12.8, "current": 1}}.')
        flat = _flat(made)
        check_columns(name, len(headings) + len(flat))
        rows.append((number, flat))
        for key in flat:
            headings.setdefault(key, len(headings))
    if not rows:
        raise LogError(f"{name} is empty: there is no reading in it.")
    kept = tuple((number, [_text(made.get(key)) for key in headings]) for number, made in rows)
    return TextTable(name, tuple(headings), 1, decimal_comma=False, first_line=1, kept_rows=kept)


def _flat(made: dict[str, Any]) -> dict[str, Any]:
    """One level of nesting unfolded: {"battery": {"V": 12}} → {"battery V": 12}."""
    flat: dict[str, Any] = {}
    for key, value in made.items():
        if isinstance(value, dict):
            flat |= {f"{key} {inner}": v for inner, v in value.items() if not isinstance(v, dict | list)}
        elif not isinstance(value, list):
            flat[str(key)] = value
    return flat


def _table(name: str, rows: list[tuple[int, list[str]]]) -> TextTable | None:
    for number, cells in rows[:60]:
        if needed_found([read_heading(c, k) for k, c in enumerate(cells)]) >= 3:
            wide = max(k for k, c in enumerate(cells) if c) + 1
            check_columns(name, wide)
            after = tuple((k, row[:wide]) for k, row in rows if k > number and any(row))
            return TextTable(name, tuple(cells[:wide]), number, decimal_comma=False, first_line=number + 1, kept_rows=after)
    return None


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, datetime):
        return value.isoformat()
    if isinstance(value, timedelta):
        seconds = value.total_seconds()
        return f"{int(seconds // 3600)}:{int(seconds // 60 % 60):02d}:{seconds % 60:09.6f}"
    if isinstance(value, time | date):
        return value.isoformat()
    if isinstance(value, float):
        return repr(value)
    return str(value)
