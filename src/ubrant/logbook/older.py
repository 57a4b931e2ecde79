"""What logbooks up to format 3, and exports of their time, kept of a run and its events, in today's form. Nothing that they wrote is changed."""

from __future__ import annotations

import csv
import json
import re
import sqlite3
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter, details_from
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.jot import Grammar, TypedLine
from ubrant.core.quantities.quantity import QuantityError, parse_quantity
from ubrant.core.quantities.tolerance import parse_tolerance
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.events import (
    ChargeOff,
    ChargeOn,
    Event,
    Gap,
    HandDid,
    HeldOn,
    HoldBegan,
    LoadOff,
    LoadOn,
    LoadSet,
    MeterAway,
    Note,
    Paused,
    PointTaken,
    Resumed,
    Unknown,
    WentOff,
    Zeroed,
)
from ubrant.core.record.head import BY_HAND, INSTRUMENTS, LOG, SIMULATED, Conditions, Criteria, Origin, RunHeader, Setup
from ubrant.core.record.jot_data import to_text
from ubrant.core.record.typed import STRAIGHT

_PLAIN: dict[str, type[Event]] = {
    "load on": LoadOn,
    "load off": LoadOff,
    "charge on": ChargeOn,
    "charge off": ChargeOff,
    "paused": Paused,
    "resumed": Resumed,
    "step": LoadSet,
    "beside": MeterAway,
    "jotting": Note,
}
KINDS = frozenset({*_PLAIN, "gap", "zero", "hands", "point", "hold", "off", "held"})
"""Kinds of events as they were called."""

HANDS, POINT = "hands", "point"


def older_head(
    method: str,
    source: str,
    plan: Mapping[str, Any],
    label: str,
    chemistry: str | None,
    voltage_accuracy: str,
    current_accuracy: str,
    meter: str,
    unit_id: int | None = None,
    unit_name: str = "",
    unit_kind: str = "",
) -> RunHeader:
    """The head of a run whose row says so much of it."""
    unit = Unit(plan.get("unit_name") or unit_name, plan.get("unit_kind") or unit_kind or "battery", label, chemistry, id=unit_id or 0)
    fed = plan.get("battery")
    battery = Unit(fed["name"], "battery", fed["label"], fed.get("chemistry")) if isinstance(fed, dict) else None
    leads = Leads(float(plan.get("lead_length_m", 0.0 if "fields" not in plan else 1.5)), float(plan.get("lead_area_mm2", 4.0)))
    setup = Setup(unit, _meters(plan, voltage_accuracy, current_accuracy, meter), leads, battery)
    heading = plan.get("heading", "")
    has_plan = "current_a" in plan or ("fields" in plan and "heading" not in plan)
    columns = {"voltage": heading} if heading else dict(plan.get("columns", {}))
    road = source if source in (SIMULATED, INSTRUMENTS, BY_HAND) else LOG
    said = tuple(s for s in plan.get("warnings", ()) if s)
    origin = Origin(
        road, str(plan.get("between", STRAIGHT)), str(plan.get("tap", "battery")), True, columns, said, dict(plan.get("instruments", {}))
    )
    conditions = Conditions(plan.get("temperature_c"), str(plan.get("told", {}).get("start", "")), plan.get("load_w"))
    return RunHeader(method, setup, {"older": dict(plan)} if has_plan else {}, _criteria(plan), conditions, origin)


def _meters(plan: Mapping[str, Any], voltage_accuracy: str, current_accuracy: str, name: str) -> dict[str, Meter]:
    """Meters by the tap each was read at."""
    if "heading" in plan:
        return {"scope": Meter(name, voltage_accuracy)}
    if "fields" in plan:
        corrections = plan.get("corrections") or [{}, {}]
        into = {"power_accuracy": plan.get("input_power_accuracy", ""), "floor_a": float(plan.get("floor_a", 0.0))}
        out = {"power_accuracy": plan.get("output_power_accuracy", "")}
        meters = {
            "input": Meter(name, voltage_accuracy, current_accuracy, details=details_from({**corrections[0], **into})),
            "output": Meter(
                plan.get("output_meter", ""),
                plan.get("output_voltage_accuracy", ""),
                plan.get("output_current_accuracy", ""),
                details=details_from({**corrections[1], **out}),
            ),
        }
        if plan.get("scope_accuracy"):
            meters["scope"] = Meter("Scope", plan["scope_accuracy"])
    else:
        meters = {"battery": Meter(name, voltage_accuracy, current_accuracy, details=details_from(plan.get("meter_details", {})))}
    for tap, about in plan.get("beside", {}).items():
        meters[tap] = Meter(
            about["name"],
            about.get("voltage_accuracy", ""),
            about.get("current_accuracy", ""),
            details=details_from(about.get("details", {})),
        )
    return meters


def _criteria(plan: Mapping[str, Any]) -> Criteria:
    fields = plan.get("fields", {})

    def quantity(key: str, unit: str) -> float | None:
        text = fields.get(key, "")
        try:
            return parse_quantity(text, unit) if text.strip() else None
        except QuantityError:
            return None

    try:
        tolerance = parse_tolerance(fields["tolerance"]) if fields.get("tolerance", "").strip() else None
    except QuantityError:
        tolerance = None
    volts = plan.get("cutoff_v")
    cutoff = Cutoff(float(volts), float(plan.get("hold_s", 1.0))) if volts else None
    return Criteria(
        cutoff,
        tolerance,
        quantity("rated", "W"),
        str(fields.get("ratings", "")),
        str(fields.get("curve", "")),
        quantity("battery_wh", "Wh"),
    )


def marks_in(path: Path) -> set[str]:
    """Kinds of events in the last column of a CSV that was exported up to format 3, which wrote no more of them."""
    if path.suffix.lower() != ".csv":
        return set()
    with path.open(encoding="utf-8", errors="replace", newline="") as file:
        rows = csv.reader(file)
        if (next(rows, None) or [""])[-1].strip().lower() != "event":
            return set()
        return {row[-1] for row in rows if row and row[-1]}


def is_sampled_at_taps(about: Mapping[str, Any]) -> bool:
    """Whether an exported package of a format up to 3 is of a run by instruments whose points were not written."""
    return about.get("source") in (SIMULATED, INSTRUMENTS) and "fields" in about.get("plan", {})


def read_lines(db: sqlite3.Connection) -> None:
    """What the typed lines of a logbook up to format 7 say, as data beside them: read once, for all time. A line that says nothing is a note."""
    for jot_id, line in db.execute("SELECT id, CAST(line AS BLOB) FROM jot").fetchall():
        text = line.decode("utf-8", "replace")
        try:
            said = Grammar().parse(text)
        except ValueError:
            said = TypedLine(text)
        db.execute("UPDATE jot SET data = ? WHERE id = ?", (to_text(said) if said is not None else "", jot_id))


def older_event(time_s: float, kind: str, text: str, zero_tap: str) -> Event:
    """An event as it was kept; ``zero_tap`` is where a zero was read. What is not understood is passed on as it is."""
    if (plain := _PLAIN.get(kind)) is not None:
        return plain(time_s, text)
    if kind == "gap":
        return Gap(time_s, text, interrupted=not text or text.startswith("Interrupted"))  # exports did not keep the text
    if kind == "hands":
        return HandDid(time_s, "", text)
    if kind == "zero":
        read = Grammar().parse(text) if text else None
        return Zeroed(time_s, "", {r.quantity: r.value for r in read.readings} if read is not None else {}, zero_tap)
    try:
        about = json.loads(text)
        if kind == "point":
            wave = about.get("wave")
            return PointTaken(
                time_s,
                "",
                float(about["from_s"]),
                float(about["input_v"]),
                float(about["load_a"]),
                bool(about.get("settled", True)),
                about.get("answer"),
                (float(wave[0]), float(wave[1])) if wave else None,
            )
        if kind == "hold":
            return HoldBegan(time_s, "", float(about["load"]), str(about.get("tap", "")))
        if kind in {"off", "held"}:
            return (WentOff if kind == "off" else HeldOn)(time_s, "", float(about["load"]), float(about["after_s"]))
    except (ValueError, KeyError, TypeError, AttributeError):
        pass
    return Unknown(time_s, text, re.sub(r"\s+", "_", kind), {"text": text})
