"""The whole of an ordinary text log at once, through polars; anything out of the ordinary is left to ``table.py``."""

from __future__ import annotations

import contextlib
import re
from datetime import UTC, datetime
from typing import TYPE_CHECKING

import numpy as np

from ubrant.core.quantities.readings import Array, Series
from ubrant.logbook.logs.columns import Columns
from ubrant.logbook.logs.log_file import LogFile
from ubrant.logbook.logs.table import finished
from ubrant.logbook.logs.text import TextTable

if TYPE_CHECKING:
    import polars as pl


def read_fast(sheet: TextTable, columns: Columns) -> LogFile | None:
    """The log, or None when anything in it is out of the ordinary."""
    import polars as pl  # slow to import, and only importing needs it

    if not sheet.data or sheet.separator.strip(" ") == "" or columns.run is not None or columns.date is not None or columns.current is None:
        return None
    if b'"' in sheet.data and sheet.data.count(b'"') % 2:
        return None
    first = next(iter(sheet.first_rows(3)), [])
    stamp = first[columns.time.index].strip().strip('"') if columns.time.index < len(first) else ""
    is_stamp = re.match(r"\d{4}-\d\d-\d\d[T ]\d", stamp) is not None
    is_zoned = re.search(r"(Z|[+-]\d\d:\d\d)$", stamp) is not None
    wanted = {"time": columns.time, "voltage": columns.voltage, "current": columns.current}
    names = {q: f"cell {h.index}" for q, h in wanted.items()} | {
        f"other {k}": f"cell {h.index}" for k, h in enumerate(columns.others.values())
    }
    texts = {"time"} if is_stamp else set()
    if columns.event is not None:
        names["event"] = f"cell {columns.event.index}"
        texts.add("event")
    schema: dict[str, type[pl.DataType]] = {f"cell {k}": pl.String for k in range(len(sheet.headings))}
    schema |= {name: pl.String if q in texts else pl.Float64 for q, name in names.items()}
    try:
        table = (
            pl.scan_csv(
                sheet.data,
                has_header=False,
                skip_lines=sheet.first_line - 1,
                separator=sheet.separator,
                decimal_comma=sheet.decimal_comma,
                schema=schema,
                comment_prefix="#" if b"#" in sheet.data else None,  # to look for it costs a third more
                encoding="utf8-lossy",
            )
            .select(*(pl.col(name).alias(q) for q, name in names.items()))
            .collect()
        )
        started = None
        if is_stamp:
            micros = _moments(table["time"], stamp).dt.timestamp("us")
            started = _at(micros[0] / 1e6, zoned=is_zoned)
            table = table.with_columns(((micros - micros[0]) / 1e6).alias("time"))
        events: list[tuple[float, str]] = []
        if "event" in names:
            happened = table.filter(pl.col("event").is_not_null() & (pl.col("event") != ""))
            events = list(zip(happened["time"].to_list(), happened["event"].to_list(), strict=True))
            table = table.filter(pl.col("event").is_null() | (pl.col("event") == "")).drop("event")
        if any(table[q].null_count() for q in ("time", "voltage", "current")):
            return None
        time, volts, amps = (_scaled(table[q], 1.0 if q in texts else wanted[q].factor) for q in ("time", "voltage", "current"))
        others = {
            key: _series(time, _scaled(table[f"other {k}"], heading.factor)) for k, (key, heading) in enumerate(columns.others.items())
        }
    except (pl.exceptions.PolarsError, pl.exceptions.PanicException):  # a lone quotation mark makes some versions panic
        return None
    if len(time) < 2:
        return None
    step = np.diff(time)
    ends = [
        float(end) for column in (volts, amps, step) for end in (column.min(), column.max())
    ]  # what is not finite anywhere shows in one of these
    if not np.isfinite(ends).all() or max(map(abs, ends[:4])) > 9e36:
        return None
    if ends[4] < 0 or (is_stamp and not is_zoned and ends[5] >= 3600):  # several runs, or a clock that was changed
        return None
    return finished(sheet, columns, time, volts, amps, events, started, (), (), "", {k: s for k, s in others.items() if len(s) > 1})


def _scaled(column: pl.Series, factor: float) -> Array:
    values: Array = column.to_numpy()
    return values if factor == 1.0 else values * factor


def _series(time: Array, values: Array) -> Series:
    if len(values) and np.isfinite(values.min()) and np.isfinite(values.max()):
        return Series(time, values)
    there = np.isfinite(values)
    return Series(time[there], values[there])


def _moments(stamps: pl.Series, first: str) -> pl.Series:
    """As moments; by whole seconds first where the first one has no parts of one, which is several times as fast.

    Raises
    ------
    PolarsError
        One is none.
    """
    import polars as pl

    form = _stamp_format(first)
    if "." not in first:
        with contextlib.suppress(pl.exceptions.PolarsError):
            return stamps.str.to_datetime(form.replace("%.f", ""), time_unit="us", strict=True)
    return stamps.str.strip_chars().str.to_datetime(form, time_unit="us", strict=True)


def _stamp_format(stamp: str) -> str:
    offset = "%:z" if re.search(r"[+-]\d\d:\d\d\s*$", stamp) else "Z" if stamp.strip().endswith("Z") else ""
    return f"%Y-%m-%d{'T' if 'T' in stamp else ' '}%H:%M:%S%.f{offset}"


def _at(seconds: float, *, zoned: bool) -> datetime:
    moment = datetime.fromtimestamp(float(seconds), UTC)
    return moment if zoned else moment.replace(tzinfo=None)
