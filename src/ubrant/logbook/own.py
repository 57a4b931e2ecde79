"""Ubrant's own exports, read back to what was exported: a CSV whose first ``event`` cell holds the head, a Data Package around one."""

from __future__ import annotations

import contextlib
import csv
import json
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np

from ubrant.core.quantities.readings import Series
from ubrant.core.record.codec import CodecError
from ubrant.core.record.events import Event, event_from_json
from ubrant.core.record.head import head_from_json
from ubrant.core.record.jot_data import jotting_of
from ubrant.core.record.record import TapQuantity
from ubrant.core.record.typed import columns_of_lines
from ubrant.logbook.logs.log_file import LogError
from ubrant.logbook.records import Run, StoredJot, StoredRun, entries_of

HEAD = "ubrant"
OWN_HEADS = (2, 3)
"""Versions of the head that are read: 3 has typed rows as data."""
LINE = "line"
NAMES = {
    "V": "voltage / V",
    "A": "current / A",
    "W": "power / W",
    "Ah": "charge / Ah",
    "Wh": "energy / Wh",
    "°C": "temperature / °C",
    "%": "left / %",
    "Hz": "frequency / Hz",
    "VA": "apparent power / VA",
    "Ω": "resistance / Ω",
}
"""Headings by quantity, behind the name of the tap."""
_SIZE = 65_536


def heading_of(key: TapQuantity) -> str:
    return f"{key[0]} {NAMES[key[1]]}"


def shown_series(stored: StoredRun) -> dict[TapQuantity, Series]:
    """What an export holds as columns, the battery's first: instruments' readings, and typed ones where there are no others."""
    found = {key: series for key, series in stored.readings.items() if key[1] in NAMES}
    found |= {key: s for key, s in columns_of_lines(entries_of(stored.jots)).series.items() if key not in found and key[1] in NAMES}
    return {key: found[key] for key in sorted(found, key=lambda k: (k[0] != "battery", k[0], list(NAMES).index(k[1]))) if len(found[key])}


def is_own(path: Path) -> bool:
    """Whether a file is a CSV that Ubrant wrote with its head in it."""
    try:
        with path.open("rb") as file:
            start = file.read(_SIZE)
    except OSError:
        return False
    lines = start.split(b"\n", 2)
    return len(lines) > 1 and lines[0].startswith(b"time / s,") and lines[0].strip().endswith(b",event") and b'""ubrant""' in lines[1]


def read_own(path: Path) -> StoredRun:
    """The run again, as it was exported.

    Raises
    ------
    LogError
        It was changed so that it cannot be read any more.
    """
    with _as_exported(path.name):
        return _read_own(path)


@contextlib.contextmanager
def _as_exported(name: str) -> Iterator[None]:
    """An export is read as it was written: whatever else stands in it, it was changed."""
    import polars as pl  # slow to import, and only files need it

    try:
        yield
    except LogError:
        raise
    except (
        OSError,
        ValueError,
        TypeError,
        LookupError,
        AttributeError,
        ArithmeticError,
        csv.Error,
        pl.exceptions.PolarsError,
        pl.exceptions.PanicException,
    ) as error:
        what = (str(error).splitlines() or [type(error).__name__])[0][:120]
        raise LogError(f"{name} is an export of Ubrant that was changed: {what}. Export it again, or take its first event out.") from None


def _read_own(path: Path) -> StoredRun:
    import polars as pl

    with path.open("rb") as file:
        headings = file.readline().decode("utf-8-sig").strip().split(",")
    schema: dict[str, Any] = {h: pl.String if h == "event" else pl.Float64 for h in headings}
    try:
        table = pl.read_csv(path, schema=schema)
    except (pl.exceptions.PolarsError, pl.exceptions.PanicException):
        raise ValueError(_odd_cell(path)) from None
    cells = table.filter(pl.col("event").is_not_null())
    told = [
        (t, _json(cell, path, line))
        for line, (t, cell) in enumerate(zip(cells["time / s"].to_list(), cells["event"].to_list(), strict=True), start=2)
    ]
    about = next((data for _, data in told if HEAD in data), None)
    if about is None:
        raise LogError(f"{path.name}: the head of the run is missing from its first event cell. Export it again.")
    rows = table.filter(pl.col("event").is_null())
    time = rows["time / s"].to_numpy()
    readings: dict[TapQuantity, Series] = {}
    for heading in headings[1:-1]:
        tap, quantity = _key_of(heading, path)
        column = rows[heading]
        there = column.is_not_null().to_numpy()
        readings[(tap, quantity)] = Series(np.asarray(time[there], float), column.drop_nulls().to_numpy().astype(float))
    jots = tuple(_jot(float(t), d) for t, d in told if d.get("kind") == LINE)
    events: tuple[Event, ...] = tuple(event_from_json(float(t), d) for t, d in told if HEAD not in d and d.get("kind") != LINE)
    return _without_typed(StoredRun(run_from(about, path.name), readings, events, jots), path)


def _odd_cell(path: Path) -> str:
    """Where a table is no longer as it was written."""
    with path.open(newline="", encoding="utf-8-sig", errors="replace") as file:
        rows = csv.reader(file)
        headings = next(rows, [])
        for row in rows:
            if len(row) != len(headings):
                return f"line {rows.line_num} has {len(row)} cells where the headings are {len(headings)}"
            for heading, cell in zip(headings, row, strict=True):
                if heading != "event" and cell and not _is_number(cell):
                    return f"“{cell[:20]}” in line {rows.line_num} under “{heading}” is no number"
    return "its rows cannot be told apart any more"


def _is_number(cell: str) -> bool:
    with contextlib.suppress(ValueError):
        float(cell)
        return "_" not in cell
    return False


def _jot(time_s: float, cell: dict[str, Any]) -> StoredJot:
    """A typed row; exports up to head 2 have its line only."""
    line = str(cell["line"])
    return StoredJot(time_s, line, str(cell.get("typed", "")), data=jotting_of(cell["data"], line) if "data" in cell else None)


def read_own_package(folder: Path, described: dict[str, Any]) -> StoredRun:
    """The run of a package that Ubrant wrote.

    Raises
    ------
    LogError
        It was changed so that it cannot be read any more, or points out of its folder.
    """
    with _as_exported(folder.name):
        return _read_own_package(folder, described)


def _read_own_package(folder: Path, described: dict[str, Any]) -> StoredRun:
    inside = str(described["resources"][0]["path"])
    if not (folder / inside).resolve().is_relative_to(folder.resolve()):
        raise LogError(f"The package {folder.name} points outside its folder ({inside}): that is not followed.")
    kept = read_own(folder / inside)
    return StoredRun(run_from(described[HEAD], folder.name), kept.readings, kept.events, kept.jots)


def run_from(about: dict[str, Any], name: str) -> Run:
    """The run that a head is about.

    Raises
    ------
    LogError
        It does not hold together.
    """
    try:
        head = head_from_json(about["head"])
        started = datetime.fromisoformat(about["started"]).astimezone(UTC)
        state = "done" if about.get("state") == "running" else str(about.get("state", "done"))
        return Run(
            None,
            head.method,
            str(about.get("source", name)),
            started.isoformat(timespec="seconds"),
            head,
            int(about.get("utc_offset_min", 0)),
            state,
            str(about.get("ended_by", "")),
            " ".join(text for key in ("trouble", "damage") if (text := str(about.get(key, "")))),
        )
    except (KeyError, TypeError, ValueError, CodecError) as error:
        raise LogError(f"{name}: what stands in it of the run does not hold together ({error}). Export it again.") from None


def _without_typed(stored: StoredRun, path: Path) -> StoredRun:
    """Typed lines say more than the columns made of them: those are left aside, unless somebody changed them."""
    typed = columns_of_lines(entries_of(stored.jots)).series
    for key, series in typed.items():
        found = stored.readings.get(key)
        if found is None or key[1] not in NAMES:
            continue
        if len(found) == len(series) and np.array_equal(found.time_s, series.time_s) and np.array_equal(found.value, series.value):
            stored.readings.pop(key)  # type: ignore[attr-defined]
    changed = [heading_of(key) for key in typed if key in stored.readings and stored.run.head.origin.road == "typed"]
    if changed:
        raise LogError(
            f"{path.name}: the column “{changed[0]}” is not what the typed lines in its event cells say. Change the lines, or take the events out and bring it in as a log."
        )
    return stored


def _key_of(heading: str, path: Path) -> TapQuantity:
    for quantity, name in NAMES.items():
        if heading.endswith(f" {name}"):
            return heading.removesuffix(f" {name}"), quantity
    raise LogError(f"{path.name}: the column “{heading}” is none that Ubrant writes. Export it again.")


def _json(cell: str, path: Path, line: int) -> dict[str, Any]:
    try:
        data = json.loads(cell)
    except ValueError:
        data = None
    if not isinstance(data, dict):
        raise LogError(f"{path.name}: the event “{cell[:60]}” is none that Ubrant writes. Correct it, or export the run again.")
    return data
