"""A run in open formats: CSV (RFC 4180) and Data Package. What is written here reads back to the same readings."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np

from ubrant.logbook.csv_log import LogError, LogFile, read_log
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run

_NAMES = {"V": "voltage / V", "A": "current / A"}
_PACKAGE = "datapackage.json"


class ExportError(Exception):
    """A file that cannot be written; says why and what to do."""


def export_csv(logbook: Logbook, run: Run, path: Path) -> None:
    """Readings of a run, a line for each time, headings as ``quantity / unit``; events on lines of their own.

    Raises
    ------
    ExportError
        The file cannot be written.
    """
    import polars as pl  # slow to import, and only files need it

    table = pl.DataFrame({"time / s": pl.Series([], dtype=pl.Float64)})
    for tap in ("battery", "load"):
        for quantity, name in _NAMES.items():
            series = logbook.series(run.id, tap, quantity)
            if len(series):
                column = pl.DataFrame({"time / s": series.time_s, f"{tap} {name}": series.value})
                table = table.join(column, on="time / s", how="full", coalesce=True) if table.width > 1 else column
    happened = [(e.time_s, e.text if e.kind == "jotting" else e.kind) for e in logbook.events(run.id)]
    last_s = max([float(np.max(table["time / s"].to_numpy())) if len(table) else 0.0, *(t for t, _ in happened)])
    ending = [(last_s, f"ended by {run.ended_by}")] if run.ended_by else []

    def events(rows: list[tuple[float, str]]) -> pl.DataFrame:
        return pl.DataFrame(rows, schema={"time / s": pl.Float64, "event": pl.String}, orient="row")

    whole = pl.concat([events(happened), table.with_columns(pl.lit(None, pl.String).alias("event")), events(ending)], how="diagonal")
    whole = whole.select([*table.columns, "event"]).sort("time / s", maintain_order=True)
    try:
        whole.write_csv(path, line_terminator="\r\n")
    except OSError as error:
        raise ExportError(f"{path} could not be written: {error.strerror or error}.") from None


def export_package(logbook: Logbook, run: Run, folder: Path, name: str = "") -> None:
    """A folder with ``datapackage.json`` and ``readings.csv``: readings with their units, and what is known about the run.

    Raises
    ------
    ExportError
        The folder cannot be written, or holds something else.
    """
    try:
        if folder.exists() and any(p.name not in {_PACKAGE, "readings.csv"} for p in folder.iterdir()):
            raise ExportError(f"{folder.name} holds other files: choose an empty folder, or a new name.")
        folder.mkdir(parents=True, exist_ok=True)
        export_csv(logbook, run, folder / "readings.csv")
        (folder / _PACKAGE).write_text(json.dumps(_describe(logbook, run, name), indent=2, ensure_ascii=False) + "\n", "utf-8")
    except OSError as error:
        raise ExportError(f"{folder} could not be written: {error.strerror or error}.") from None


def _describe(logbook: Logbook, run: Run, name: str) -> dict[str, Any]:
    fields = [{"name": "time / s", "type": "number", "unit": "s"}]
    for tap in ("battery", "load"):
        fields += [
            {"name": f"{tap} {heading}", "type": "number", "unit": quantity}
            for quantity, heading in _NAMES.items() if len(logbook.series(run.id, tap, quantity))
        ]  # fmt: skip
    fields.append({"name": "event", "type": "string"})
    return {
        "profile": "tabular-data-package",
        "name": f"run-{run.id}",
        "title": f"{name or run.source}, {run.method}",
        "created": run.started,
        "resources": [
            {
                "name": "readings", "path": "readings.csv", "profile": "tabular-data-resource", "format": "csv", "mediatype": "text/csv",
                "encoding": "utf-8", "schema": {"fields": fields, "missingValues": [""]},
            }
        ],
        "ubrant": {
            "unit": name, "label": run.label_text, "chemistry": run.chemistry, "method": run.method, "source": run.source,
            "started": run.started, "utc_offset_min": run.utc_offset_min, "ended_by": run.ended_by, "plan": run.plan, "meter": run.meter,
            "voltage_accuracy": run.voltage_accuracy, "current_accuracy": run.current_accuracy,
        },
    }  # fmt: skip


def read_any(path: Path, columns: str | None = None) -> LogFile:
    """A log, or a Data Package by its folder or its ``datapackage.json``.

    Raises
    ------
    LogError
        It cannot be read; the sentence says where and what to do.
    """
    package = path / _PACKAGE if path.is_dir() else path
    if package.name != _PACKAGE or not package.exists():
        return read_log(path, columns)
    try:
        described = json.loads(package.read_text("utf-8"))
        resources = described["resources"]
        inside = str(next(r["path"] for r in resources if str(r.get("path", "")).endswith(".csv")))
        about = described.get("ubrant", {})
    except (ValueError, KeyError, TypeError, AttributeError, StopIteration):
        raise LogError(f"{package.name} in {package.parent.name} is not a Data Package with a CSV of readings in it.") from None
    if Path(inside).is_absolute() or ".." in Path(inside).parts:
        raise LogError(f"{package.name} in {package.parent.name} points outside its folder ({inside}): that is not followed.")
    log = read_log(package.parent / inside, columns)
    return LogFile(**{**log.__dict__, "name": package.parent.name, "about": about if isinstance(about, dict) else {}})
