"""Which column of a sheet is what: by its headings, or as a person said."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from ubrant.core.quantities.quantity import unit_factor
from ubrant.logbook.logs.headings import Heading, fitting_columns, is_run_column, other_column, read_heading
from ubrant.logbook.logs.log_file import ColumnsError, LogError
from ubrant.logbook.logs.text import TextTable

NEEDED = ("time", "voltage", "current")
LIKE = {"time": "Time (s)", "voltage": "Voltage (V)", "current": "Current (A)", "power": "Power (W)", "run": "Run"}
LEAVE_OUT = "bad lines left out"
_UNITS = {"time": "s", "voltage": "V", "current": "A", "power": "W", "run": ""}


@dataclass(frozen=True)
class Columns:
    """Headings by what they hold. ``current`` may be missing where ``power`` is there; ``date`` stands beside a time of day.

    ``leaves_out``: a line with a cell that cannot be read is left out; else the log is refused.
    """

    time: Heading
    voltage: Heading
    current: Heading | None
    power: Heading | None = None
    date: Heading | None = None
    event: Heading | None = None
    run: Heading | None = None
    others: dict[tuple[str, str], Heading] = field(default_factory=dict)
    leaves_out: bool = False

    def used(self) -> dict[str, str]:
        """Headings by quantity, for showing."""
        second = {"current": self.current.text} if self.current else {"power": self.power.text} if self.power else {}
        return {"time": self.time.text, "voltage": self.voltage.text, **second}


def columns_of(sheet: TextTable, wanted: str | None = None) -> Columns:
    """Find the columns.

    Parameters
    ----------
    wanted : ``time=…,voltage=…,current=…``, headings or column numbers, where the headings do not say it; ``time in min``, ``current=3 in mA``
        where they do not say the unit, or a wrong one; LEAVE_OUT at its end

    Raises
    ------
    LogError
        One is missing, could be several, or is in a unit that cannot be.
    """
    if wanted and (match := re.fullmatch(rf"(.*?)[\s,]*{LEAVE_OUT}\s*", wanted)):
        return replace(columns_of(sheet, match[1] or None), leaves_out=True)
    headings = [read_heading(text, k) for k, text in enumerate(sheet.headings)]
    wanted, units = said_units(wanted or "", _UNITS)
    where = f"{sheet.name}, line {sheet.heading_line}"
    if sheet.headless and not wanted:
        raise ColumnsError(
            f"{where}: there are no column headings.", 'Say which column is what, with --columns "time=1,voltage=2,current=3".'
        )
    said = _said(wanted, headings, where) if wanted else {}
    chosen: dict[str, Heading] = {}
    power = said.get("power") or next((h for h in headings if h.has_unit and h.unit == "W" and other_column(h)), None)
    for quantity in NEEDED:
        if quantity in said:
            chosen[quantity] = said[quantity]
            continue
        if quantity == "current" and "power" in said:
            continue
        chosen_heading = fitting_columns([h for h in headings if h not in said.values()], quantity)
        if not chosen_heading and quantity == "current" and power is not None:
            continue
        if not chosen_heading:
            seen = ", ".join(f"“{h.text}”" for h in headings[:8])
            raise ColumnsError(
                f"{where}: no column for {quantity} among {seen}.", f"Name it with --columns or in the heading, like “{LIKE[quantity]}”."
            )
        if len(chosen_heading) > 1:
            both = " and ".join(f"“{h.text}”" for h in chosen_heading[:3])
            raise ColumnsError(
                f"{where}: {both} could all be the {quantity}.", f'Say which, with --columns "{quantity}={chosen_heading[0].text}".'
            )
        chosen[quantity] = chosen_heading[0]
    chosen = {quantity: in_unit(heading, units.get(quantity, "")) for quantity, heading in chosen.items()}
    if power is not None and "power" in units:
        power = in_unit(power, units["power"])
    for heading in chosen.values():
        if heading.trouble:
            raise ColumnsError(
                f"{where}, column {heading.index + 1} ({heading.text}): {heading.trouble}.",
                f'Say its unit, like --columns "{heading.quantity} in {_UNITS.get(heading.quantity or "", "")}".',
                heading.index,
            )
    return _with_others(chosen, power, headings, said)


def _with_others(chosen: dict[str, Heading], power: Heading | None, headings: list[Heading], said: dict[str, Heading]) -> Columns:
    taken = {h.index for h in chosen.values()}
    own_tap = "battery"
    others: dict[tuple[str, str], Heading] = {}
    event = run = date = None
    for heading in headings:
        if heading.index in taken:
            continue
        name = heading.text.strip().lower()
        if name == "event":
            event = replace(heading, quantity="event")
        elif heading.quantity == "time" and "date" in name and not chosen["time"].has_unit:
            date = heading
        elif is_run_column(heading.text):
            run = heading
        elif (found := other_column(heading)) is not None:
            tap, quantity, factor = found
            key = (tap, quantity)
            if key not in others and not (tap == own_tap and quantity in ("V", "A")):
                others[key] = replace(heading, factor=factor)
    run = said.get("run", run)
    current = chosen.get("current")
    if date is None and "date" in chosen["time"].text.lower() and not chosen["time"].has_unit:
        clock = next((h for h in headings if h.index not in taken and h.quantity == "time" and not h.has_unit), None)
        if clock is not None:
            chosen["time"], date = clock, chosen["time"]
    if current is not None and power is not None and ("battery", "W") not in others:
        others[("battery", "W")] = power
    return Columns(chosen["time"], chosen["voltage"], current, power if current is None else None, date, event, run, others)


def said_units(wanted: str, known: Mapping[str, str]) -> tuple[str, dict[str, str]]:
    """What was said of columns without their units, and the units: ``time in min``, ``current=I in mA``, ``input current in mA``.

    Parameters
    ----------
    known : the last word of what a column may be, with its base unit

    Raises
    ------
    LogError
        A unit that it cannot have.
    """
    parts, units = [], {}
    for part in filter(None, re.split(r"\s*,\s*(?=[\w ]+(?:=|\sin\s))", wanted.strip())):
        match = re.fullmatch(r"([\w ]*?\w)\s*(=.*?)?\s+in\s+(\S+)", part)
        if match and match[1].split()[-1].lower() in known:
            unit = unit_factor(match[3])
            if unit is None or unit.unit != known[match[1].split()[-1].lower()]:
                raise LogError(f"“{part}”: {match[3]} is no unit of {match[1]} that Ubrant knows.")
            units[match[1].lower()] = match[3]
            part = f"{match[1]}{match[2]}" if match[2] else ""
        if part:
            parts.append(part)
    return ",".join(parts), units


def in_unit(heading: Heading, symbol: str) -> Heading:
    """The column in the unit that a person said it has, whatever its heading says."""
    unit = unit_factor(symbol) if symbol else None
    return heading if unit is None else replace(heading, unit=unit.unit, factor=unit.value, has_unit=True, trouble="")


def _said(wanted: str, headings: list[Heading], where: str) -> dict[str, Heading]:
    """The columns a person named."""
    said: dict[str, Heading] = {}
    for part in re.split(r"\s*,\s*(?=\w+\s*=)", wanted):
        quantity, _, name = (p.strip() for p in part.partition("="))
        if quantity not in LIKE or not name:
            raise LogError(f'“{part}” is not understood: write --columns "time=…,voltage=…,current=…".')
        named = [h for h in headings if h.text.lower() == name.lower() or re.split(r"\s*[(\[/]", h.text)[0].lower() == name.lower()]
        if not named and name.isdigit() and 1 <= int(name) <= len(headings):
            named = [headings[int(name) - 1]]
        if not named:
            raise LogError(f"{where}: there is no column “{name}”. There are {', '.join('“' + h.text + '”' for h in headings[:8])}.")
        heading, unit = named[0], _UNITS[quantity]
        known = heading.has_unit and heading.unit == unit
        said[quantity] = Heading(heading.text, heading.index, quantity, unit, heading.factor if known else 1.0, known)
    return said
