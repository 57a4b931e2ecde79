"""Bring a file in from elsewhere: whatever it is, as a whole run, kept or only worked out."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path

import numpy as np

from ubrant.core.battery.parts import discharges_in
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit, kind_by_label
from ubrant.core.quantities.quantity import QuantityError
from ubrant.core.quantities.readings import Series
from ubrant.core.record.events import Event, Note, event_from_json
from ubrant.core.record.head import LOG, Origin, RunHeader, Setup
from ubrant.core.record.jot_text import line_of
from ubrant.core.record.record import TapQuantity
from ubrant.core.wording import say
from ubrant.logbook import older
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.logs.formats import format_of, head_of
from ubrant.logbook.logs.limits import check_file
from ubrant.logbook.logs.log_file import LogError, LogFile, left_out_sentence
from ubrant.logbook.logs.read import PACKAGE, is_jots, only, read_logs
from ubrant.logbook.logs.taps import TapLog, read_taps, read_wave
from ubrant.logbook.own import HEAD, OWN_HEADS, is_own, read_own, read_own_package
from ubrant.logbook.records import Run, StoredJot, StoredRun, new_run
from ubrant.methods.method import TAP_LOG, WAVE_LOG, Method, MethodError
from ubrant.methods.registry import UnknownMethodError, entry_of, method_of, taken_for, usual
from ubrant.runs.typed.jot_heads import head_of_jots

_ENDED = "ended by "
_WITHOUT_POINTS = (
    "an older Ubrant wrote it without what was done and when. Export the run again from its logbook: then it says what the run says."
)
_POINTS_ARE_FOUND = "An older Ubrant wrote this file without its points: they are found in the readings, and what they say differs from what the run itself says."


@dataclass(frozen=True)
class LogOptions:
    """What a person says of a file; empty where it is not known.

    Attributes
    ----------
    method : its key; empty for what the file says, or the usual one
    said : ``rated``, ``chemistry``, ``cutoff``, ``tolerance``, ``battery``, as typed
    accuracies : (V, A) of the meter at the input or battery, (V, A) of the one at the output, as its manual words them
    meters : by tap, instead of accuracies
    """

    method: str = ""
    said: Mapping[str, str] = field(default_factory=dict)
    accuracies: tuple[str, str, str, str] = ("", "", "", "")
    one_meter: bool = False
    meters: Mapping[str, Meter] = field(default_factory=dict)
    unit: Unit | None = None
    temperature_c: float | None = None
    load_w: float | None = None
    full: bool | None = None
    checked: tuple[str, ...] = ()
    room_c: tuple[float, float] | None = None


def read_file(path: Path, options: LogOptions, columns: str | None = None, number: int | None = None) -> StoredRun:
    """The one run in a file, under what was said of it.

    Raises
    ------
    LogError
        It cannot be read, or holds several and none was asked for.
    MethodError
        What was said of it cannot be read; says which.
    """
    own = own_run(path)
    if own is not None:
        return under_options(own, options)
    key = options.method or usual().key
    try:
        method = method_of(key)
    except UnknownMethodError as error:
        raise MethodError("method", str(error)) from None
    if method.log in {TAP_LOG, WAVE_LOG} and not _is_jots(path):
        return under_options(from_taps(path, method, columns), options)
    log = only(logs_in(path, columns), number)
    rated = str(options.said.get("rated") or "")
    if not options.method and not log.entries and not log.about.get("method") and rated:
        unit = options.unit or Unit("", kind_by_label(rated), rated)
        options = replace(options, method=taken_for(unit, log.voltage_v).key)
    return under_options(from_log(log, options.method), options)


def own_run(path: Path) -> StoredRun | None:
    """What Ubrant exported, as it was; None for anything else.

    Raises
    ------
    LogError
        It was changed so that it cannot be read any more.
    """
    package = path / PACKAGE if path.is_dir() else path
    if package.name == PACKAGE and package.exists():
        check_file(package, "bytes of a described package")
        try:
            described = json.loads(package.read_text("utf-8"))
            told = described.get("ubrant", {})
        except (OSError, ValueError, AttributeError, RecursionError):
            return None
        if isinstance(told, dict) and isinstance(told.get(HEAD), int) and told[HEAD] > OWN_HEADS[-1]:
            raise LogError(f"{package.parent.name} was written by a newer Ubrant: update Ubrant to read it.")
        if isinstance(told, dict) and told.get(HEAD) in OWN_HEADS:
            return read_own_package(package.parent, described)
        if isinstance(told, dict) and older.is_sampled_at_taps(told):
            raise LogError(f"{package.parent.name}: {_WITHOUT_POINTS}")
        return None
    return read_own(path) if path.suffix.lower() == ".csv" and path.is_file() and is_own(path) else None


def named_run(path: Path) -> StoredRun | None:
    """A jot text that names its method, as the run it tells of; None for anything else.

    Raises
    ------
    LogError
        It cannot be read.
    """
    if path.is_dir() or not _is_jots(path):
        return None
    log = only(read_logs(path), None)
    if not any(heading.split()[0] == "method" for heading in log.about.get("head", {}) if heading):
        return None
    return under_options(_from_jots(log, ""), LogOptions())


def logs_in(path: Path, columns: str | None = None) -> list[LogFile]:
    """Every run in a log; a log with charges between its discharges holds as many as it has discharges.

    Raises
    ------
    LogError
        It cannot be read.
    """
    return [part for log in read_logs(path, columns) for part in parts_of(log)]


def parts_of(log: LogFile) -> list[LogFile]:
    """A log by its discharges, each with the charge before it; the log itself where nothing was put in between."""
    if log.entries or log.about or not len(log.time_s):
        return [log]
    spans = discharges_in(log.time_s, log.voltage_v, log.current_a)
    if len(spans) < 2:
        return [log]
    parts = []
    for number, (first, last) in enumerate(spans, start=1):
        from_s, to_s = float(log.time_s[first]), float(log.time_s[last])
        said = say("The log holds {count} discharges with charges between them; this is number {number}.", count=len(spans), number=number)
        parts.append(
            replace(
                log,
                time_s=log.time_s[first : last + 1],
                voltage_v=log.voltage_v[first : last + 1],
                current_a=log.current_a[first : last + 1],
                others={key: _part(series, from_s, to_s) for key, series in log.others.items()},
                events=tuple((t, text) for t, text in log.events if from_s <= t <= to_s),
                warnings=(*log.warnings, said),
                run_name=f"{log.run_name} " * bool(log.run_name) + say("discharge {number} of {count}", number=number, count=len(spans)),
            )
        )
    return parts


def _part(series: Series, from_s: float, to_s: float) -> Series:
    here = (series.time_s >= from_s) & (series.time_s <= to_s)
    return Series(series.time_s[here], series.value[here])


def _is_jots(path: Path) -> bool:
    if path.is_dir() or path.name == PACKAGE:
        return True
    if format_of(path.name).of_file is not None:
        return False
    if not path.is_file():
        return is_jots(path.name, "")
    with path.open("rb") as file:
        return is_jots(path.name, head_of(file.read(4096)))


_FIRST_YEAR, _LAST_YEAR = 1970, 2200


def from_log(log: LogFile, method: str = "") -> StoredRun:
    """A log of one tap, a jot text, or a package of an older Ubrant. ``method`` is what a person says of it."""
    about = log.about
    if log.entries:
        return _from_jots(log, method)
    started = datetime.fromisoformat(about["started"]) if about.get("started") else log.started or datetime.now(UTC)
    if not _FIRST_YEAR <= started.year <= _LAST_YEAR:
        raise LogError(f"{log.name}: {started.isoformat()[:10]} is no day that can be. Look at its column of times.")
    started = started.astimezone(UTC)
    said = tuple(s for s in (*log.warnings, log.left_out_sentence()) if s)
    plan = {**about.get("plan", {}), "warnings": said, "columns": log.columns}
    if "fields" in plan:
        plan.pop("fields")  # its points were not written: they are found in the readings
    endings = [text.removeprefix(_ENDED) for _, text in log.events if text.startswith(_ENDED)]
    key = str(about.get("method") or method or usual().key)
    head = older.older_head(
        key,
        log.name,
        plan,
        str(about.get("label") or ""),
        about.get("chemistry"),
        str(about.get("voltage_accuracy") or ""),
        str(about.get("current_accuracy") or ""),
        str(about.get("meter") or ""),
        unit_name=str(about.get("unit") or ""),
    )
    run = Run(
        None,
        key,
        log.name,
        started.isoformat(timespec="seconds"),
        head,
        int(about.get("utc_offset_min", 0)),
        "done",
        endings[-1] if endings else "",
    )
    own = {("battery", "V"): Series(log.time_s, log.voltage_v), ("battery", "A"): Series(log.time_s, log.current_a)}
    events = tuple(_event(t, text) for t, text in log.events if not text.startswith(_ENDED))
    return StoredRun(run, {**log.others, **own}, events)


def _event(time_s: float, text: str) -> Event:
    """What a log's column of events says: one of Ubrant's own, by its word or whole, or a note."""
    if text.startswith("{"):
        try:
            data = json.loads(text)
        except ValueError:
            data = None
        if isinstance(data, dict) and "kind" in data:
            return event_from_json(time_s, data)
    return older.older_event(time_s, text, "", "battery") if text in older.KINDS else Note(time_s, text)


def _from_jots(log: LogFile, method: str) -> StoredRun:
    head, started = head_of_jots(log, method)
    entries = [(e.time_s, method_of(head.method).as_answer(e.jotting)) for e in log.entries]
    jots = tuple(StoredJot(moment, line_of(j), "", data=j) for moment, j in entries if j.readings or j.mark)
    notes = tuple(Note(moment, j.text) for moment, j in entries if not (j.readings or j.mark))
    return StoredRun(replace(new_run(head, log.name, started), unit_id=None, state="done"), {}, notes, jots)


def from_taps(path: Path, method: Method, columns: str | None = None) -> StoredRun:
    """A log whose headings name taps, or a scope's record.

    Raises
    ------
    LogError
        It cannot be read.
    """
    setup = Setup(Unit("", ""))
    if method.log != TAP_LOG:
        time, volts, heading = read_wave(path, columns)
        origin = Origin(LOG, columns={"voltage": heading})
        return StoredRun(
            new_run(RunHeader(method.key, setup, origin=origin), path.name, state="done"), {("scope", "V"): Series(time - time[0], volts)}
        )
    log = read_taps(path, columns, method.taps[0] if len(method.taps) == 1 else "")
    marks = older.marks_in(path)
    if older.HANDS in marks:
        raise LogError(f"{path.name}: {_WITHOUT_POINTS}")
    said: tuple[str, ...] = (_lacking(log),) if log.left_out else ()
    said += (_POINTS_ARE_FOUND,) if older.POINT in marks else ()
    origin = Origin(LOG, timed=log.time_s is not None, said=said)
    time = log.time_s if log.time_s is not None else np.arange(len(next(iter(log.columns.values()))), dtype=float)
    readings: dict[TapQuantity, Series] = {key: Series(time, column) for key, column in log.columns.items()}
    return StoredRun(new_run(RunHeader(method.key, setup, origin=origin), path.name, state="done"), readings)


def _lacking(log: TapLog) -> str:
    return left_out_sentence(log.left_out, "lacks a reading", "lack a reading")


def under_options(stored: StoredRun, options: LogOptions) -> StoredRun:
    """Under what a person said of it; what was not said stays as the file has it.

    Raises
    ------
    MethodError
        What was said cannot be read; says which.
    """
    head = stored.run.head
    key = options.method or head.method
    try:
        entry = entry_of(key)
    except UnknownMethodError as error:
        raise MethodError("method", str(error)) from None
    if entry.key != entry_or(head.method):
        head = replace(head, plan={})
    method = entry.method
    setup = head.setup
    if options.unit is not None:
        setup = replace(setup, unit=options.unit)
    meters = _meters(method, setup, options)
    setup = replace(setup, meters={tap: m if m.details.as_of else m.on(stored.run.started) for tap, m in meters.items()})
    setup, criteria = method.of_log(setup, options.said)
    merged = {name: value for name in ("cutoff", "tolerance", "rated_w") if (value := getattr(criteria, name)) is not None}
    conditions = head.conditions
    if options.temperature_c is not None:
        conditions = replace(conditions, temperature_c=options.temperature_c)
    if options.room_c is not None:
        conditions = replace(conditions, room_c=options.room_c)
    if options.load_w is not None:
        conditions = replace(conditions, load_w=options.load_w)
    if options.full is not None:
        conditions = replace(conditions, full=options.full)
    if options.checked:
        conditions = replace(conditions, checked=tuple(sorted({*conditions.checked, *options.checked})))
    judged_by = replace(head.criteria, **merged)
    return stored.under(RunHeader(entry.key, setup, head.plan, judged_by, conditions, head.origin))


def entry_or(key: str) -> str:
    """The key of a method, or what stands there if there is no such method."""
    try:
        return entry_of(key).key
    except UnknownMethodError:
        return key


def _meters(method: Method, setup: Setup, options: LogOptions) -> dict[str, Meter]:
    """Meters at the method's taps with what was said of their accuracy."""
    meters: dict[str, Meter] = {**setup.meters, **options.meters}
    if not any(options.accuracies) and not options.one_meter:
        return meters
    texts = {"output": (options.accuracies[2] or options.accuracies[0], options.accuracies[3] or options.accuracies[1])}
    for tap in method.taps:
        if tap == "output" and options.one_meter:
            meters.pop("output", None)
            continue
        volts, amps = texts.get(tap, options.accuracies[:2])
        meter = meters.get(tap) or Meter(f"{tap} meter" if len(method.taps) > 1 else "")
        meter = replace(meter, voltage_accuracy=volts or meter.voltage_accuracy, current_accuracy=amps or meter.current_accuracy)
        for option, unit in (("voltage", "V"), ("current", "A")):
            try:
                meter.accuracy(unit)
            except QuantityError as error:
                raise MethodError(
                    f"{'output-' if tap == 'output' and any(options.accuracies[2:]) else ''}{option}-accuracy", str(error)
                ) from None
        meters[tap] = meter
    return meters


def keep(logbook: Logbook, stored: StoredRun, unit: Unit | None) -> Run:
    """Keep a run from elsewhere as one of a unit's."""
    head = stored.run.head
    if unit is not None:
        head = replace(head, setup=replace(head.setup, unit=unit))
    run = replace(stored.run, told=head, unit_id=unit.id if unit is not None else None)
    return logbook.keep_import(replace(stored, run=run))


def unit_for(logbook: Logbook, stored: StoredRun) -> Unit | None:
    """Whose run an export is: a unit of the same name and label on the shelf, or a new one put there; None where it names none."""
    unit = stored.run.head.setup.unit
    if not unit.name:
        return None
    found = next((u for u in logbook.units() if (u.name, u.label_text) == (unit.name, unit.label_text)), None)
    return found or logbook.keep_unit(replace(unit, id=0))
