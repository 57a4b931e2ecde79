"""What stands at the head of a jot text, and a run's typed lines as one. docs/jot-text.md."""

from __future__ import annotations

import re
from collections.abc import Mapping, Set
from dataclasses import fields, replace
from datetime import datetime, timedelta, timezone
from pathlib import Path

from ubrant.core.equipment.leads import OHM_PER_KM, Leads
from ubrant.core.equipment.meter import Meter, MeterDetails, details_from
from ubrant.core.equipment.unit import KINDS, Unit
from ubrant.core.quantities.accuracy import parse_accuracy
from ubrant.core.quantities.jot import TypedLine
from ubrant.core.quantities.quantity import QuantityError, parse_number, parse_quantity, plain_number
from ubrant.core.record.codec import encode
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.events import LoadOff, LoadOn, Note
from ubrant.core.record.head import BY_HAND, SAME_PLACE, Conditions, Criteria, Origin, RunHeader, Setup, parse_room, show_room
from ubrant.core.record.jot_text import TimedLine, names_on_path, write_jot_text
from ubrant.core.record.typed import HELD, STRAIGHT
from ubrant.core.wording import say
from ubrant.logbook.exporting import ExportError
from ubrant.logbook.logs.log_file import LogError, LogFile
from ubrant.logbook.records import StoredRun, entries_of
from ubrant.methods.method import Method
from ubrant.methods.registry import UnknownMethodError, method_of, usual
from ubrant.writing import write_whole

_DETAILS = {
    f.name: f.type
    for f in fields(MeterDetails)
    if f.name
    not in {"role", "connection", "address", "profile", "baud", "tap", "power_accuracy", "zeroed", "checks", "due", "standard"}
    | {"drift_a_year", "as_of", "counts"}
}


def head_of_jots(log: LogFile, method_key: str = "") -> tuple[RunHeader, datetime | None]:
    """The head of a jot text as a record's, and when it started; ``method_key`` stands for the method that it names.

    Raises
    ------
    LogError
        A line of it that cannot be read; says which and what to write.
    """
    headings: Mapping[str, str] = _named_units(log.about.get("head", {}))
    key = method_key or headings.get("method", "") or usual().key
    try:
        method = method_of(key)
    except UnknownMethodError as error:
        raise LogError(f"{log.name}, method: {error}") from None
    unit = Unit(headings.get("unit", ""), headings.get("kind", ""), headings.get("label", ""), headings.get("chemistry") or None)
    first = method.taps[0]
    meters = {first: _meter(log.name, headings, "")}
    for heading in headings:
        if match := re.fullmatch(r"(?:meter|volts|amps|watts|details) (.+)", heading):
            meters[match[1]] = _meter(log.name, headings, f" {match[1]}")
    meters, said = _at_its_places(meters, method, {r.tap for e in log.entries for r in e.jotting.readings})
    fed = headings.get("fed by", "")
    name, _, label = fed.partition(": ")
    battery = Unit(name, "battery", label) if fed else None
    name, _, label = headings.get("to", "").partition(": ")
    device = Unit(name, "load", label) if name else None
    setup = Setup(unit, meters, _leads(log, headings.get("leads", "")), battery, device)
    between = HELD if headings.get("between", "").lower().startswith("h") else STRAIGHT
    typed = {
        heading.removeprefix("plan "): "" if text == _NONE else text for heading, text in headings.items() if heading.startswith("plan ")
    }
    full = {"yes": True, "no": False}.get(headings.get("full", "").lower())
    checked = tuple(filter(None, (word.strip() for word in headings.get("checked", "").split(","))))
    celsius, room = _quantity(log, headings, "temperature", "°C"), _room(log, headings)
    conditions = Conditions(celsius, headings.get("start", ""), full=full, checked=checked, room_c=room)
    origin = Origin(BY_HAND, between, said=(*log.warnings, *said))
    cutoff_v = _quantity(log, headings, "cutoff", "V")
    cutoff = Cutoff(cutoff_v, _quantity(log, headings, "hold", "s") or 1.0) if cutoff_v else None
    plan, criteria = _plan(log, method, setup, typed)
    criteria = replace(criteria, cutoff=cutoff) if cutoff is not None or not plan else criteria
    return RunHeader(method.key, setup, plan, criteria, conditions, origin), log.started or _latest_such_day(
        log, datetime.now().astimezone()
    )


def _latest_such_day(log: LogFile, now: datetime) -> datetime | None:
    """When notes with times of day and no date began at the latest: on the last day on which all of it lies before now; None without such times."""
    timed = next((e for e in log.entries if e.jotting.at_clock_s is not None), None)
    if timed is None or timed.jotting.at_clock_s is None:
        return None
    midnight = now.replace(hour=0, minute=0, second=0, microsecond=0)
    began = midnight + timedelta(seconds=timed.jotting.at_clock_s - timed.time_s)
    lasted = timedelta(seconds=max(e.time_s for e in log.entries))
    while began + lasted > now:
        began -= timedelta(days=1)
    return began


def _at_its_places(meters: Mapping[str, Meter], method: Method, read: Set[str]) -> tuple[dict[str, Meter], list[str]]:
    """Meters at the taps of the method, by whatever name a person has for the place; and what has to be said of one that stands nowhere.

    ``ac`` is the output of a converter, and where an appliance takes its mains: the one place of a method that has one only.
    """
    placed = {tap: meter for tap, meter in meters.items() if tap in method.taps or SAME_PLACE.get(tap, tap) not in meters}
    said = []
    for tap, meter in meters.items():
        if tap in method.taps:
            continue
        place = SAME_PLACE.get(tap, tap)
        place = place if place in method.taps else method.taps[0] if len(method.taps) == 1 and tap in _ENDS else tap
        if place in method.taps and (place not in meters or meters[place] == Meter("")):
            placed.pop(tap, None)
            placed[place] = meter
        elif tap not in read:
            said.append(
                say("What is said of a meter at “{tap}” is used nowhere: this test reads {taps}.", tap=tap, taps=", ".join(method.taps))
            )
    return placed, said


_ENDS = ("ac", "dc")


def _named_units(headings: Mapping[str, str]) -> Mapping[str, str]:
    """``method recharge: bank -> tablet`` and ``unit bank: 24000 mAh 3.7 V`` as what they stand for: method, unit, label, to."""
    said = next((key for key in headings if key.startswith("method ")), None)
    if said is None:
        return headings
    names = names_on_path(headings[said])
    labels = {key.removeprefix("unit "): text for key, text in headings.items() if key.startswith("unit ")}
    made = {"method": said.removeprefix("method ").strip()}
    if names:
        kind = names[0].lower() if names[0].lower() in KINDS else "bank"
        made |= {"unit": names[0], "kind": kind, "label": labels.get(names[0].lower(), "")}
    if len(names) > 1:
        made["to"] = f"{names[-1]}: {labels.get(names[-1].lower(), '')}"
    return made | {key: text for key, text in headings.items() if not key.startswith(("method ", "unit "))}


def _plan(log: LogFile, method: Method, setup: Setup, typed: Mapping[str, str]) -> tuple[Mapping[str, object], Criteria]:
    if not typed and not method.plan_from_label:
        return {}, Criteria()
    try:
        known = {field.key for field in method.form(setup)}
        for key in typed:
            if key not in known:
                raise LogError(f"{log.name}: “plan {key}” is none of this method: {', '.join(sorted(known))}.")
        prepared = method.by_person(method.prepare(setup, typed))
    except LogError:
        raise
    except ValueError as error:
        raise LogError(f"{log.name}: {error}") from None
    return encode(prepared.plan), prepared.criteria


def _quantity(log: LogFile, headings: Mapping[str, str], heading: str, unit: str) -> float | None:
    text = headings.get(heading, "")
    if not text:
        return None
    try:
        return parse_quantity(text if re.search(r"[^\d.,\s+-]", text) else f"{text} {unit}", unit)
    except QuantityError:
        raise LogError(f"{log.name}: “{text}” after {heading} is not understood: write it like “{heading}: {_LIKE[heading]}”.") from None


def _room(log: LogFile, headings: Mapping[str, str]) -> tuple[float, float] | None:
    """Between what the room is."""
    try:
        return parse_room(headings.get("room", ""))
    except QuantityError as error:
        raise LogError(f"{log.name}, room: {error}") from None


_NONE = "none"
_LIKE = {"cutoff": "11.0 V", "hold": "1 s", "temperature": "20 °C"}


def _check_accuracy(log: str, heading: str, text: str, unit: str) -> None:
    try:
        if text.strip():
            parse_accuracy(text, unit)
    except QuantityError as error:
        raise LogError(f"{log}, {heading}: {error}") from None


def _meter(log: str, headings: Mapping[str, str], tap: str) -> Meter:
    details: dict[str, object] = {"power_accuracy": headings.get(f"watts{tap}", "")}
    number = 0
    for part in filter(None, (p.strip() for p in headings.get(f"details{tap}", "").split(","))):
        name, _, value = part.partition(" ")
        if name == "reversed":
            details[name] = True
        elif _DETAILS.get(name) == "str":
            details[name] = value.strip()
        elif name == "id" or name in _DETAILS:
            if (given := plain_number(value)) is None:
                raise LogError(f"{log}, details{tap}: “{part}” is not understood: write a number behind {name}.")
            number, details = (int(given), details) if name == "id" else (number, {**details, name: given})
    for heading, unit in (("volts", "V"), ("amps", "A"), ("watts", "W")):
        _check_accuracy(log, f"{heading}{tap}", headings.get(f"{heading}{tap}", ""), unit)
    return Meter(
        headings.get(f"meter{tap}", ""),
        headings.get(f"volts{tap}", ""),
        headings.get(f"amps{tap}", ""),
        id=number,
        details=details_from(details),
    )


def _leads(log: LogFile, text: str) -> Leads:
    if not text:
        return Leads(0.0)
    match = re.fullmatch(r"(\d+(?:[.,]\d+)?)\s*m\s*[,;]?\s+(\d+(?:[.,]\d+)?)\s*mm(?:²|2|\^2)", text.strip())
    if match is None or parse_number(match[2]) not in OHM_PER_KM:
        raise LogError(f"{log.name}: “{text}” after leads is not understood: write it like “leads: 1.5 m, 4 mm²”.")
    return Leads(parse_number(match[1]), parse_number(match[2]))


def lost_in_jots(stored: StoredRun) -> str:
    """What a jot text cannot hold of a run, in a sentence; empty where it holds it all."""
    lost = []
    if any(len(s) for s in stored.readings.values()):
        lost.append("what instruments read")
    if any(not isinstance(e, LoadOn | LoadOff | Note) for e in stored.events):
        lost.append("what the bench did")
    return f"A jot text holds what was typed: {' and '.join(lost)} is not in it." if lost else ""


def export_jots(stored: StoredRun, path: Path, name: str = "") -> str:
    """A run's typed lines, notes and switching as jot text; returns what it cannot hold.

    Raises
    ------
    ExportError
        The file cannot be written.
    """
    run, head = stored.run, stored.run.head
    entries = entries_of(stored.jots)
    entries += [TimedLine(e.time_s, TypedLine(e.text)) for e in stored.events if isinstance(e, Note)]
    marks = {LoadOn: "load on", LoadOff: "load off"}
    entries += [TimedLine(e.time_s, TypedLine("", mark=marks[type(e)])) for e in stored.events if isinstance(e, LoadOn | LoadOff)]
    started = datetime.fromisoformat(run.started).astimezone(timezone(timedelta(minutes=run.utc_offset_min)))
    try:
        damage = {"note": stored.damage} if stored.damage else {}
        text = write_jot_text({**head_lines(head, name), **damage}, started, entries)
        write_whole(path, lambda beside: beside.write_text(text, "utf-8"))
    except OSError as error:
        raise ExportError(f"{path} could not be written: {error.strerror or error}.") from None
    return lost_in_jots(stored)


def head_lines(head: RunHeader, name: str) -> dict[str, str]:
    """The head, a heading and its words each."""
    method, setup = method_of(head.method), head.setup
    lines = {
        "method": method.key,
        "unit": name or setup.unit.name,
        "kind": setup.unit.kind,
        "label": setup.unit.label_text,
        "chemistry": setup.unit.chemistry or "",
        "leads": f"{setup.leads.length_m:.12g} m, {setup.leads.area_mm2:g} mm²",
        "between": head.origin.between,
        "start": head.conditions.start,
        "full": {True: "yes", False: "no", None: ""}[head.conditions.full],
        "checked": ", ".join(head.conditions.checked),
        "temperature": f"{head.conditions.temperature_c:.12g} °C" if head.conditions.temperature_c is not None else "",
        "room": show_room(head.conditions.room_c),
        "to": f"{setup.device.name}: {setup.device.label_text}" if setup.device is not None else "",
        "fed by": f"{setup.battery.name}: {setup.battery.label_text}" if setup.battery is not None else "",
    }
    for tap, meter in setup.meters.items():
        lines |= _meter_lines(meter.plainly(), "" if tap == method.taps[0] else f" {tap}")
    prepared = method.prepared(head)
    if prepared.plan is not None:
        typed = method.typed(prepared)
        for place, field in enumerate(method.form(setup)):
            if not place or typed[field.key] != field.usual:  # the first one always: it says that there is a plan
                lines[f"plan {field.key}"] = typed[field.key] or _NONE
    cutoff = head.criteria.cutoff
    if cutoff is not None:
        lines |= {"cutoff": f"{cutoff.voltage_v:.12g} V", "hold": f"{cutoff.hold_s:.12g} s"}
    return {key: text for key, text in lines.items() if text}


def _meter_lines(meter: Meter, tap: str) -> dict[str, str]:
    usual_details = MeterDetails()
    parts = [f"id {meter.id}"] if meter.id else []
    for key in _DETAILS:
        value = getattr(meter.details, key)
        if value != getattr(usual_details, key):
            parts.append(key if value is True else f"{key} {value}" if isinstance(value, str) else f"{key} {value:.12g}")
    return {
        f"meter{tap}": meter.name,
        f"volts{tap}": meter.voltage_accuracy,
        f"amps{tap}": meter.current_accuracy,
        f"watts{tap}": meter.details.power_accuracy,
        f"details{tap}": ", ".join(parts),
    }
