"""Read a log written by another program: CSV in its usual dialects. Polars does the bulk, a slow reader finds what is wrong and where."""

from __future__ import annotations

import csv
import re
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path

import numpy as np

from ubrant.core.quantity import QuantityError, parse_number
from ubrant.core.readings import Array
from ubrant.logbook.headings import Heading, choose, read_heading

_EPOCH_FROM = 1e8  # a time in seconds beyond three years is a count from 1970


class LogError(ValueError):
    """A log that cannot be read; one sentence with file, line, column and what to do."""


@dataclass(frozen=True)
class LogFile:
    """A log as columns.

    Attributes
    ----------
    time_s : from the log's own zero, or from the first reading where it gives dates
    voltage_v, current_a : as they stand in the log, in base units
    columns : headings used, by quantity
    started : date and time of the first reading, where the log gives them
    warnings : sentences about what was taken for granted
    """

    name: str
    time_s: Array
    voltage_v: Array
    current_a: Array
    columns: dict[str, str] = field(default_factory=dict)
    started: datetime | None = None
    warnings: tuple[str, ...] = ()


@dataclass(frozen=True)
class _Dialect:
    name: str
    data: bytes
    separator: str
    decimal_comma: bool
    header_line: int  # counted from 0
    headings: list[str]


def read_log(path: Path, columns: str | None = None) -> LogFile:
    """Read voltage and current over time from a CSV log.

    Parameters
    ----------
    columns : ``time=…,voltage=…,current=…``, headings or column numbers, where the headings do not say it

    Raises
    ------
    LogError
        It cannot be read; the sentence says where and what to do.
    """
    dialect = _dialect(path)
    chosen = _columns(dialect, columns)
    warnings = [f"“{h.text}” has no unit: taken as {h.unit}." for h in chosen.values() if not h.has_unit and h.quantity != "time"]
    table = _read_fast(dialect, chosen) or _read_slow(dialect, chosen)
    time, volts, amps, started = table
    if len(time) < 2:
        raise LogError(f"{dialect.name} holds {len(time)} readings: there is nothing to add up.")
    repeated = np.diff(time) == 0
    if repeated.any():
        keep = np.concatenate((~repeated, [True]))
        time, volts, amps = time[keep], volts[keep], amps[keep]
        warnings.append(f"{int(repeated.sum())} readings have the time of the next one: only the last of each was kept.")
    if (np.diff(time) < 0).any():
        _read_slow(dialect, chosen)  # names the line
    if time[0] > _EPOCH_FROM:
        started = datetime.fromtimestamp(float(time[0]), UTC)
        time = time - time[0]
    if not chosen["time"].has_unit and started is None:
        warnings.append(f"“{chosen['time'].text}” has no unit: taken as seconds.")
    for values, heading in ((volts, chosen["voltage"]), (amps, chosen["current"])):
        if not heading.has_unit and np.abs(values).max() > 1000:
            raise LogError(
                f"{dialect.name}, line {dialect.header_line + 1}, column {heading.index + 1} ({heading.text}): values up to "
                f"{np.abs(values).max():.0f} and no unit. Write the unit into the heading, like “{heading.text} (m{heading.unit})”."
            )
    used = {quantity: heading.text for quantity, heading in chosen.items()}
    return LogFile(dialect.name, time, volts, amps, used, started, tuple(warnings))


def _dialect(path: Path) -> _Dialect:
    name = path.name
    try:
        data = path.read_bytes()
    except IsADirectoryError:
        raise LogError(f"{name} is a folder: name the log file in it.") from None
    except FileNotFoundError:
        raise LogError(f"{path} does not exist: check the name.") from None
    except OSError as error:
        raise LogError(f"{name} cannot be read: {error.strerror or error}.") from None
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        data = data.decode("utf-16", "replace").encode()
    data = data.removeprefix(b"\xef\xbb\xbf")
    if b"\0" in data[:4096]:
        raise LogError(f"{name} is not a text file: export the log as CSV.")
    if b"\r" in data[:4096] and b"\n" not in data[:4096]:
        data = data.replace(b"\r", b"\n")
    head = _decode(data[: 1 << 16]).splitlines()
    start = next((k for k, line in enumerate(head) if line.strip() and not line.lstrip().startswith("#")), None)
    if start is None:
        raise LogError(f"{name} is empty: there is no heading and no reading in it.")
    rows = [line for line in head[start + 1 : start + 30] if line.strip() and not line.lstrip().startswith("#")]
    separator = _separator(head[start], rows)
    cells = [cell for row in rows for cell in _cells(row, separator)]
    comma = separator != "," and any(re.fullmatch(r"\s*[+-]?\d*,\d+\s*", c) for c in cells)
    return _Dialect(name, data, separator, comma, start, [c.strip() for c in _cells(head[start], separator)])


def _decode(data: bytes) -> str:
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError as error:
        if error.start > len(data) - 4:
            return data[: error.start].decode("utf-8")  # cut in the middle of a character
        return data.decode("latin-1")


def _cells(line: str, separator: str) -> list[str]:
    return next(csv.reader([line], delimiter=separator), [])


def _separator(heading: str, rows: list[str]) -> str:
    """The one that cuts heading and rows into the same number of cells, most cells first."""

    def fit(separator: str) -> tuple[bool, int]:
        wide = len(_cells(heading, separator))
        return all(len(_cells(row, separator)) == wide for row in rows) and wide > 1, wide

    return max((";", "\t", ",", "|"), key=fit)


def _columns(dialect: _Dialect, wanted: str | None) -> dict[str, Heading]:
    headings = [read_heading(text, k) for k, text in enumerate(dialect.headings)]
    where = f"{dialect.name}, line {dialect.header_line + 1}"
    if all(re.fullmatch(r"\s*[+-]?\d[\d.,:eE+-]*\s*", h.text) for h in headings if h.text) and not wanted:
        raise LogError(f"{where}: there are no column headings. Put a line like “Time (s),Voltage (V),Current (A)” above the readings.")
    said = _said(wanted, headings, where) if wanted else {}
    chosen: dict[str, Heading] = {}
    for quantity in ("time", "voltage", "current"):
        if quantity in said:
            chosen[quantity] = said[quantity]
            continue
        found = choose([h for h in headings if h not in said.values()], quantity)
        if not found:
            seen = ", ".join(f"“{h.text}”" for h in headings[:8])
            raise LogError(
                f"{where}: no column for {quantity} among {seen}. Name it with --columns or in the heading, like “{_LIKE[quantity]}”."
            )
        if len(found) > 1:
            both = " and ".join(f"“{h.text}”" for h in found[:3])
            raise LogError(f'{where}: {both} could all be the {quantity}. Say which, with --columns "{quantity}={found[0].text}".')
        chosen[quantity] = found[0]
    for heading in chosen.values():
        if heading.trouble:
            raise LogError(f"{where}, column {heading.index + 1} ({heading.text}): {heading.trouble}. Correct the heading.")
    return chosen


_LIKE = {"time": "Time (s)", "voltage": "Voltage (V)", "current": "Current (A)"}


def _said(wanted: str, headings: list[Heading], where: str) -> dict[str, Heading]:
    """The columns a person named."""
    said: dict[str, Heading] = {}
    for part in re.split(r"\s*,\s*(?=\w+\s*=)", wanted.strip()):
        quantity, _, name = (p.strip() for p in part.partition("="))
        if quantity not in _LIKE or not name:
            raise LogError(f'“{part}” is not understood: write --columns "time=…,voltage=…,current=…".')
        named = [h for h in headings if h.text.lower() == name.lower() or re.split(r"\s*[(\[/]", h.text)[0].lower() == name.lower()]
        if not named and name.isdigit() and 1 <= int(name) <= len(headings):
            named = [headings[int(name) - 1]]
        if not named:
            raise LogError(f"{where}: there is no column “{name}”. There are {', '.join('“' + h.text + '”' for h in headings[:8])}.")
        heading = named[0]
        unit = {"time": "s", "voltage": "V", "current": "A"}[quantity]
        known = heading.has_unit and heading.unit == unit
        said[quantity] = Heading(heading.text, heading.index, quantity, unit, heading.factor if known else 1.0, known)
    return said


_Table = tuple[Array, Array, Array, datetime | None]


def _read_fast(dialect: _Dialect, chosen: dict[str, Heading]) -> _Table | None:
    """The whole file through polars; None when anything in it is out of the ordinary."""
    import polars as pl  # slow to import, and only importing needs it

    indexes = {q: h.index for q, h in chosen.items()}
    stamps = _first_cell(dialect, indexes["time"])
    is_stamp = stamps is not None and re.match(r"\s*\d{4}-\d\d-\d\d[T ]\d", stamps) is not None
    names = {q: f"cell {k}" for q, k in indexes.items()}
    schema: dict[str, type[pl.DataType]] = {f"cell {k}": pl.String for k in range(len(dialect.headings))}
    schema |= {name: pl.String if q == "time" and is_stamp else pl.Float64 for q, name in names.items()}
    try:
        table = pl.scan_csv(
            dialect.data, has_header=False, skip_lines=dialect.header_line + 1, separator=dialect.separator,
            decimal_comma=dialect.decimal_comma, schema=schema, comment_prefix="#", encoding="utf8-lossy",
        ).select(*names.values()).collect()  # fmt: skip
        if any(table[name].null_count() for name in names.values()):
            return None
        started = None
        if is_stamp:
            moments = table[names["time"]].str.strip_chars().str.to_datetime(_stamp_format(stamps or ""), time_unit="us", strict=True)
            micros = moments.dt.timestamp("us").to_numpy()
            started = _at(micros[0] / 1e6, stamps or "")
            time = (micros - micros[0]).astype(np.float64) / 1e6
        else:
            time = table[names["time"]].to_numpy() * chosen["time"].factor
        volts = table[names["voltage"]].to_numpy() * chosen["voltage"].factor
        amps = table[names["current"]].to_numpy() * chosen["current"].factor
    except pl.exceptions.PolarsError:
        return None
    if not all(np.isfinite(column).all() for column in (time, volts, amps)):
        return None
    return time, volts, amps, started


def _first_cell(dialect: _Dialect, index: int) -> str | None:
    lines = _decode(dialect.data[: 1 << 16]).splitlines()[dialect.header_line + 1 :]
    for line in lines:
        if line.strip() and not line.lstrip().startswith("#"):
            cells = _cells(line, dialect.separator)
            return cells[index] if index < len(cells) else None
    return None


def _stamp_format(stamp: str) -> str:
    offset = "%:z" if re.search(r"[+-]\d\d:\d\d\s*$", stamp) else "Z" if stamp.strip().endswith("Z") else ""
    return f"%Y-%m-%d{'T' if 'T' in stamp else ' '}%H:%M:%S%.f{offset}"


def _at(seconds: float, stamp: str) -> datetime:
    moment = datetime.fromtimestamp(float(seconds), UTC)
    return moment if re.search(r"(Z|[+-]\d\d:?\d\d)\s*$", stamp) else moment.replace(tzinfo=None)


def _read_slow(dialect: _Dialect, chosen: dict[str, Heading]) -> _Table:
    """Cell by cell, so that what cannot be read is named with its line and column."""
    lines = _decode(dialect.data).splitlines()[dialect.header_line + 1 :]
    reader = csv.reader(lines, delimiter=dialect.separator)
    columns: tuple[list[float], list[float], list[float]] = ([], [], [])
    started: datetime | None = None
    for row in reader:
        line = dialect.header_line + 1 + reader.line_num
        if not any(cell.strip() for cell in row) or row[0].lstrip().startswith("#"):
            continue
        if len(row) > len(dialect.headings) and any(cell.strip() for cell in row[len(dialect.headings) :]):
            raise LogError(
                f"{dialect.name}, line {line}: {len(row)} cells under {len(dialect.headings)} headings. "
                "If its decimal sign is a comma, the cells must be apart by semicolons or tabs."
            )
        for values, heading in zip(columns, (chosen[q] for q in ("time", "voltage", "current")), strict=True):
            cell = row[heading.index].strip() if heading.index < len(row) else ""
            where = f"{dialect.name}, line {line}, column {heading.index + 1} ({heading.text})"
            if not cell:
                raise LogError(f"{where}: the cell is empty. Fill it in or delete the line.")
            if heading.quantity == "time" and (moment := _moment(cell)) is not None:
                started = started or moment
                if (moment.tzinfo is None) != (started.tzinfo is None):
                    raise LogError(f"{where}: “{cell}” has a time zone and others have none, or the other way round.")
                value = (moment - started).total_seconds()
            else:
                value = _value(cell, where, heading) * heading.factor
            if heading.quantity == "time" and values and value < values[-1]:
                raise LogError(f"{where}: the time goes back, to “{cell}”. Sort the lines, or split the log there.")
            values.append(value)
    time, volts, amps = (np.array(column) for column in columns)
    return time, volts, amps, started


def _moment(cell: str) -> datetime | None:
    """A date and time in ISO 8601, or None."""
    if not re.match(r"\d{4}-?\d\d-?\d\d[T ]?\d", cell):
        return None
    try:
        return datetime.fromisoformat(cell.replace(",", "."))
    except ValueError:
        return None


def _value(cell: str, where: str, heading: Heading) -> float:
    if heading.quantity == "time" and (clock := re.fullmatch(r"(\d+):([0-5]?\d)(?::([0-5]?\d(?:[.,]\d+)?))?", cell)):
        return int(clock[1]) * 3600 + int(clock[2]) * 60 + (parse_number(clock[3]) if clock[3] else 0.0)
    try:
        return parse_number(cell)
    except QuantityError as error:
        raise LogError(f"{where}: {str(error).removesuffix('.')}. Correct it or delete the line.") from None
