"""Read a log written by another program: CSV in its usual dialects. Polars does the bulk, a slow reader finds what is wrong and where."""

from __future__ import annotations

import csv
import re
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

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
    load_v, load_a : at the load, where the log has columns for that tap as well
    events : (seconds, text) from a column ``event``, whose rows are no readings
    about : what a Data Package says besides: label, accuracies, cut-off
    """

    name: str
    time_s: Array
    voltage_v: Array
    current_a: Array
    columns: dict[str, str] = field(default_factory=dict)
    started: datetime | None = None
    warnings: tuple[str, ...] = ()
    load_v: Array | None = None
    load_a: Array | None = None
    events: tuple[tuple[float, str], ...] = ()
    about: dict[str, Any] = field(default_factory=dict)


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
    warnings = [f"“{h.text}” has no unit: taken as {h.unit}." for h in (chosen["voltage"], chosen["current"]) if not h.has_unit]
    table = _read_fast(dialect, chosen) or _read_slow(dialect, chosen)
    time = table.columns["time"]
    if len(time) < 2:
        raise LogError(f"{dialect.name} holds {len(time)} readings: there is nothing to add up.")
    repeated = np.diff(time) == 0
    if repeated.any():
        keep = np.concatenate((~repeated, [True]))
        table = replace(table, columns={q: column[keep] for q, column in table.columns.items()})
        time = table.columns["time"]
        count = int(repeated.sum())
        have = "reading has" if count == 1 else "readings have"
        warnings.append(f"{count} {have} the time of the next one: only the last of each was kept.")
    if (np.diff(time) < 0).any():
        _read_slow(dialect, chosen)  # names the line
    started, events = table.started, table.events
    if time[0] > _EPOCH_FROM:
        started = datetime.fromtimestamp(float(time[0]), UTC)
        events = tuple((moment - float(time[0]), text) for moment, text in events)
        time = time - time[0]
    if not chosen["time"].has_unit and started is None and ":" not in (_first_cell(dialect, chosen["time"].index) or ""):
        warnings.append(f"“{chosen['time'].text}” has no unit: taken as seconds.")
    for quantity in ("voltage", "current"):
        _require_plausible(dialect, chosen[quantity], table.columns[quantity])
    used = {quantity: chosen[quantity].text for quantity in _NEEDED}
    return LogFile(
        dialect.name, time, table.columns["voltage"], table.columns["current"], used, started, tuple(warnings),
        table.columns.get("load voltage"), table.columns.get("load current"), events,
    )  # fmt: skip


def _require_plausible(dialect: _Dialect, heading: Heading, values: Array) -> None:
    if not heading.has_unit and np.abs(values).max() > 1000:
        raise LogError(
            f"{dialect.name}, line {dialect.header_line + 1}, column {heading.index + 1} ({heading.text}): values up to "
            f"{np.abs(values).max():.0f} and no unit. Write the unit into the heading, like “{heading.text} (m{heading.unit})”."
        )


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
    for quantity in _NEEDED:
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
    if chosen["voltage"].text.lower().startswith("battery "):  # as Ubrant writes it: the other tap and the events are there too
        chosen |= {h.text.lower().partition(" /")[0]: h for h in headings if h.text.lower() in {"load voltage / v", "load current / a"}}
    for heading in headings:
        if heading.text.strip().lower() == "event":
            chosen["event"] = replace(heading, quantity="event")
    return chosen


_NEEDED = ("time", "voltage", "current")
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


@dataclass(frozen=True)
class _Table:
    columns: dict[str, Array]
    started: datetime | None
    events: tuple[tuple[float, str], ...] = ()


def _read_fast(dialect: _Dialect, chosen: dict[str, Heading]) -> _Table | None:
    """The whole file through polars; None when anything in it is out of the ordinary."""
    import polars as pl  # slow to import, and only importing needs it

    stamp = _first_cell(dialect, chosen["time"].index)
    is_stamp = stamp is not None and re.match(r"\s*\d{4}-\d\d-\d\d[T ]\d", stamp) is not None
    texts = {"event"} | ({"time"} if is_stamp else set())
    names = {q: f"cell {h.index}" for q, h in chosen.items()}
    schema: dict[str, type[pl.DataType]] = {f"cell {k}": pl.String for k in range(len(dialect.headings))}
    schema |= {name: pl.String if q in texts else pl.Float64 for q, name in names.items()}
    try:
        table = pl.scan_csv(
            dialect.data, has_header=False, skip_lines=dialect.header_line + 1, separator=dialect.separator,
            decimal_comma=dialect.decimal_comma, schema=schema, comment_prefix="#", encoding="utf8-lossy",
        ).select(*(pl.col(name).alias(q) for q, name in names.items())).collect()  # fmt: skip
        started = None
        if is_stamp:
            moments = table["time"].str.strip_chars().str.to_datetime(_stamp_format(stamp or ""), time_unit="us", strict=True)
            micros = moments.dt.timestamp("us")
            started = _at(micros[0] / 1e6, stamp or "")
            table = table.with_columns(((micros - micros[0]) / 1e6).alias("time"))
        events: tuple[tuple[float, str], ...] = ()
        if "event" in names:
            happened = table.filter(pl.col("event").is_not_null() & (pl.col("event") != ""))
            events = tuple(zip(happened["time"].to_list(), happened["event"].to_list(), strict=True))
            table = table.filter(pl.col("event").is_null() | (pl.col("event") == "")).drop("event")
        if any(column.null_count() for column in table):
            return None
        columns = {q: table[q].to_numpy() * (1.0 if q in texts else chosen[q].factor) for q in table.columns}
    except pl.exceptions.PolarsError:
        return None
    if not all(np.isfinite(column).all() for column in columns.values()):
        return None
    return _Table(columns, started, events)


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
    numbers = {q: h for q, h in chosen.items() if q != "event"}
    columns: dict[str, list[float]] = {q: [] for q in numbers}
    events: list[tuple[float, str]] = []
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
        event = row[chosen["event"].index].strip() if "event" in chosen and chosen["event"].index < len(row) else ""
        for quantity, heading in numbers.items():
            if event and quantity != "time":
                continue
            values = columns[quantity]
            cell = row[heading.index].strip() if heading.index < len(row) else ""
            where = f"{dialect.name}, line {line}, column {heading.index + 1} ({heading.text})"
            if not cell:
                raise LogError(f"{where}: the cell is empty. Fill it in or delete the line.")
            if quantity == "time" and (moment := _moment(cell)) is not None:
                started = started or moment
                if (moment.tzinfo is None) != (started.tzinfo is None):
                    raise LogError(f"{where}: “{cell}” has a time zone and others have none, or the other way round.")
                value = (moment - started).total_seconds()
            else:
                value = _value(cell, where, heading) * heading.factor
            if quantity == "time" and values and value < values[-1]:
                raise LogError(f"{where}: the time goes back, to “{cell}”. Sort the lines, or split the log there.")
            if event:
                events.append((value, event))
            else:
                values.append(value)
    return _Table({q: np.array(values) for q, values in columns.items()}, started, tuple(events))


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
