"""A run in open formats: CSV (RFC 4180) and Data Package. What is written here reads back to the same readings."""

from __future__ import annotations

import json
from datetime import datetime, timedelta, timezone
from pathlib import Path
from typing import Any

import numpy as np

from ubrant.core.jot import Grammar, Jotting
from ubrant.core.jot_text import Entry, write_jot_text
from ubrant.core.readings import Series
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.logs.read import PACKAGE
from ubrant.logbook.records import Run
from ubrant.logbook.run_record import typed_of

_NAMES = {
    "V": "voltage / V", "A": "current / A", "W": "power / W", "Ah": "charge / Ah", "Wh": "energy / Wh", "°C": "temperature / °C", "%": "left / %",
    "Hz": "frequency / Hz", "VA": "apparent power / VA",
}  # fmt: skip
"""Headings by quantity, behind the name of the tap."""


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
    for (tap, quantity), series in exported(logbook, run).items():
        column = pl.DataFrame({"time / s": series.time_s, f"{tap} {_NAMES[quantity]}": series.value})
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


def exported(logbook: Logbook, run: Run) -> dict[tuple[str, str], Series]:
    """What an export holds, by tap and quantity, the battery's first: instruments' readings, and typed ones where there are no others."""
    found = {key: logbook.series(run.id, *key) for key in logbook.taps(run.id)}
    found |= {key: series for key, series in typed_of(logbook.jots(run.id)).series.items() if key not in found}
    return {key: found[key] for key in sorted(found, key=lambda k: (k[0] != "battery", k[0], list(_NAMES).index(k[1]))) if len(found[key])}


def export_jots(logbook: Logbook, run: Run, path: Path, name: str = "") -> None:
    """A run's typed lines, notes and events as jot text.

    Raises
    ------
    ExportError
        The file cannot be written.
    """
    entries = [Entry(j.time_s, found) for j in logbook.jots(run.id) if (found := Grammar().parse(j.line)) is not None]
    entries += [Entry(e.time_s, Jotting(e.text)) for e in logbook.events(run.id) if e.kind == "jotting"]
    entries += [Entry(e.time_s, Jotting("", mark=e.kind)) for e in logbook.events(run.id) if e.kind in {"load on", "load off"}]
    cutoff, celsius = run.plan.get("cutoff_v"), run.plan.get("temperature_c")
    head = {
        "unit": name, "label": run.label_text, "chemistry": run.chemistry or "", "meter": run.meter, "volts": run.voltage_accuracy,
        "amps": run.current_accuracy, "cutoff": f"{cutoff:g} V" if cutoff else "", "between": str(run.plan.get("between", "")),
        "temperature": f"{celsius:g} °C" if celsius is not None else "", "method": run.method,
    }  # fmt: skip
    started = datetime.fromisoformat(run.started).astimezone(timezone(timedelta(minutes=run.utc_offset_min)))
    try:
        path.write_text(write_jot_text(head, started, entries), "utf-8")
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
        if folder.exists() and any(p.name not in {PACKAGE, "readings.csv", "readings.jot"} for p in folder.iterdir()):
            raise ExportError(f"{folder.name} holds other files: choose an empty folder, or a new name.")
        folder.mkdir(parents=True, exist_ok=True)
        export_csv(logbook, run, folder / "readings.csv")
        if logbook.jots(run.id):
            export_jots(logbook, run, folder / "readings.jot", name)
        (folder / PACKAGE).write_text(json.dumps(_describe(logbook, run, name), indent=2, ensure_ascii=False) + "\n", "utf-8")
    except OSError as error:
        raise ExportError(f"{folder} could not be written: {error.strerror or error}.") from None


def _describe(logbook: Logbook, run: Run, name: str) -> dict[str, Any]:
    fields = [{"name": "time / s", "type": "number", "unit": "s"}]
    fields += [{"name": f"{tap} {_NAMES[quantity]}", "type": "number", "unit": quantity} for tap, quantity in exported(logbook, run)]
    fields.append({"name": "event", "type": "string"})
    return {
        "profile": "tabular-data-package",
        "name": f"run-{run.id}",
        "title": f"{name or run.source}, {run.method}",
        "created": run.started,
        "resources": [
            *([{"name": "typed", "path": "readings.jot", "format": "jot", "mediatype": "text/plain"}] if logbook.jots(run.id) else []),
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
