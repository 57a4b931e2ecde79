"""A run in open formats: CSV (RFC 4180) and Data Package. What is written here reads back to the same record: see ``own.py``."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ubrant.core.record.events import event_to_json
from ubrant.core.record.head import head_to_json
from ubrant.core.record.jot_data import data_of
from ubrant.core.record.record import TapQuantity
from ubrant.logbook.logs.read import PACKAGE
from ubrant.logbook.own import HEAD, LINE, NAMES, heading_of, shown_series
from ubrant.logbook.records import StoredRun
from ubrant.writing import write_whole

if TYPE_CHECKING:
    import polars as pl

READINGS = "readings.csv"


class ExportError(Exception):
    """A file that cannot be written; says why and what to do."""


def export_csv(stored: StoredRun, path: Path) -> None:
    """Readings of a run, a line for each time, headings as ``quantity / unit``; the head and the events on lines of their own.

    Raises
    ------
    ExportError
        The file cannot be written.
    """
    _write(path, lambda target: _table(stored).write_csv(target, line_terminator="\r\n"))


def export_package(stored: StoredRun, folder: Path, name: str = "") -> None:
    """A folder with ``datapackage.json`` and ``readings.csv``: readings with their units, and what is known about the run.

    Raises
    ------
    ExportError
        The folder cannot be written, or holds something else.
    """
    try:
        if folder.exists() and any(p.name not in {PACKAGE, READINGS, "readings.jot"} for p in folder.iterdir()):
            raise ExportError(f"{folder.name} holds other files: choose an empty folder, or a new name.")
        folder.mkdir(parents=True, exist_ok=True)
        (folder / "readings.jot").unlink(missing_ok=True)  # of an older export
    except OSError as error:
        raise ExportError(f"{folder} could not be written: {error.strerror or error}.") from None
    export_csv(stored, folder / READINGS)
    described = json.dumps(_describe(stored, name), indent=2, ensure_ascii=False) + "\n"
    _write(folder / PACKAGE, lambda target: target.write_text(described, "utf-8"))


def _write(path: Path, write: Callable[[Path], object]) -> None:
    try:
        write_whole(path, write)
    except OSError as error:
        raise ExportError(f"{path} could not be written: {error.strerror or error}.") from None


def about_run(stored: StoredRun) -> dict[str, Any]:
    """What stands in the first event cell of a CSV."""
    run = stored.run
    about = {
        "started": run.started,
        "utc_offset_min": run.utc_offset_min,
        "state": run.state,
        "ended_by": run.ended_by,
        "trouble": run.trouble,
        "source": run.source,
        "damage": stored.damage,
    }
    return {HEAD: 3, **{k: v for k, v in about.items() if v}, "head": head_to_json(run.head)}


def _table(stored: StoredRun) -> pl.DataFrame:
    import polars as pl  # slow to import, and only files need it

    time = "time / s"
    table = pl.DataFrame({time: pl.Series([], dtype=pl.Float64), "n": pl.Series([], dtype=pl.UInt32)})
    for key, series in shown_series(stored).items():
        column = pl.DataFrame({time: series.time_s, heading_of(key): series.value})
        column = column.with_columns(pl.int_range(pl.len(), dtype=pl.UInt32).over(time).alias("n"))  # two readings may have one time
        table = table.join(column, on=[time, "n"], how="full", coalesce=True) if table.width > 2 else column
    happened = [(e.time_s, event_to_json(e)) for e in stored.events]
    happened += [
        (j.time_s, {"kind": LINE, "line": j.line, "typed": j.typed, **({"data": data_of(said)} if (said := j.jotting) is not None else {})})
        for j in stored.jots
    ]
    first_s = min([t for t, _ in happened] + ([float(table[time].min())] if len(table) else []), default=0.0)  # type: ignore[arg-type]
    rows = [(first_s, about_run(stored)), *happened]
    events = pl.DataFrame(
        [(t, json.dumps(cell, ensure_ascii=False)) for t, cell in rows], schema={time: pl.Float64, "event": pl.String}, orient="row"
    )
    whole = pl.concat([events, table.sort([time, "n"]).with_columns(pl.lit(None, pl.String).alias("event"))], how="diagonal")
    return whole.select([time, *(c for c in table.columns if c not in {time, "n"}), "event"]).sort(time, maintain_order=True)


def _describe(stored: StoredRun, name: str) -> dict[str, Any]:
    run = stored.run
    keys: list[TapQuantity] = list(shown_series(stored))
    fields: list[dict[str, str]] = [{"name": "time / s", "type": "number", "unit": "s"}]
    fields += [{"name": heading_of(key), "type": "number", "unit": key[1]} for key in keys if key[1] in NAMES]
    fields.append({"name": "event", "type": "string"})
    return {
        "profile": "tabular-data-package",
        "name": f"run-{run.id}",
        "title": f"{name or run.source}, {run.method}",
        "created": run.started,
        "resources": [
            {
                "name": "readings",
                "path": READINGS,
                "profile": "tabular-data-resource",
                "format": "csv",
                "mediatype": "text/csv",
                "encoding": "utf-8",
                "schema": {"fields": fields, "missingValues": [""]},
            }
        ],
        "ubrant": about_run(stored),
    }
