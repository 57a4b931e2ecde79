"""A log whose headings name taps: ``input voltage / V``, ``output power / W``. Rows may lack cells; each quantity is a column of its own."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ubrant.core.quantities.readings import Array
from ubrant.logbook.logs.cells import NoNumber, read_cell, read_moment
from ubrant.logbook.logs.columns import in_unit, said_units
from ubrant.logbook.logs.formats import sheet_in
from ubrant.logbook.logs.headings import Heading, fitting_columns, other_column, read_heading
from ubrant.logbook.logs.log_file import ColumnsError, LeftOut, LogError
from ubrant.logbook.logs.text import TextTable

_WORDS = {"time": "s", "voltage": "V", "current": "A", "power": "W", "frequency": "Hz", "charge": "Ah", "energy": "Wh"}


@dataclass(frozen=True)
class TapLog:
    """Columns by (tap, quantity), (n,) each, NaN where a cell held no number; ``time_s`` where there is a column for it."""

    name: str
    columns: dict[tuple[str, str], Array]
    time_s: Array | None
    left_out: tuple[LeftOut, ...] = ()

    def get(self, tap: str, quantity: str) -> Array | None:
        return self.columns.get((tap, quantity))


def read_taps(path: Path, columns: str | None = None, alone: str = "") -> TapLog:
    """Read a log with taps in its headings.

    Parameters
    ----------
    columns : ``time=…,input voltage=…,output current=…``, headings or column numbers, where the headings do not say it; ``input current in mA``

    alone : the one tap there is, which a heading of volts or amperes need not name

    Raises
    ------
    LogError
        It cannot be read, or no heading names a tap.
    """
    sheet = sheet_in(path, columns)
    headings = [read_heading(text, k) for k, text in enumerate(sheet.headings)]
    columns, units = said_units(columns or "", _WORDS)
    said = _said(columns, headings, f"{sheet.name}, line {sheet.heading_line}")
    chosen: dict[tuple[str, str], Heading] = {key: heading for key, heading in said.items() if key[0]}
    headings = [h for h in headings if h.index not in {s.index for s in said.values()}]
    for heading in headings:
        if heading.trouble:
            raise LogError(
                f"{sheet.name}, line {sheet.heading_line}, column {heading.index + 1} ({heading.text}): {heading.trouble}. Correct the heading."
            )
        found = other_column(heading)
        if alone and found is None and heading.quantity in {"voltage", "current"}:
            found = alone, "V" if heading.quantity == "voltage" else "A", heading.factor
        if found is not None and found[:2] not in chosen:
            chosen[found[:2]] = Heading(heading.text, heading.index, heading.quantity, found[1], found[2], heading.has_unit)
    if not chosen:
        seen = ", ".join(f"“{h.text}”" for h in headings[:8])
        raise LogError(
            f"{sheet.name}, line {sheet.heading_line}: no heading among {seen} names a tap. Write them like “input voltage / V”, “output current / A”."
        )
    time = said.get(("", "s")) or next(iter(fitting_columns(headings, "time")), None)
    time = in_unit(time, units.get("time", "")) if time is not None else None
    for wanted, unit in units.items():
        tap, _, word = wanted.rpartition(" ")
        if word != "time" and (tap, _WORDS[word]) in chosen:
            chosen[(tap, _WORDS[word])] = in_unit(chosen[(tap, _WORDS[word])], unit)
    return _columns(sheet, chosen, time)


def _said(columns: str, headings: list[Heading], where: str) -> dict[tuple[str, str], Heading]:
    """The columns a person named, by tap and unit; time under no tap."""
    found: dict[tuple[str, str], Heading] = {}
    for part in filter(None, (p.strip() for p in columns.split(","))):
        wanted, _, name = (p.strip() for p in part.partition("="))
        tap, _, word = wanted.lower().rpartition(" ")
        unit = _WORDS.get(word)
        if unit is None or not name or (word == "time") == bool(tap):
            raise LogError(
                f'“{part}” is not understood: write --columns "time=…,input voltage=…,input current=…,output voltage=…,output current=…".'
            )
        heading = _named(name, headings)
        if heading is None:
            raise LogError(f"{where}: there is no column “{name}”. There are {', '.join('“' + h.text + '”' for h in headings[:8])}.")
        known = heading.has_unit and heading.unit == unit
        found[(tap, unit)] = Heading(heading.text, heading.index, heading.quantity or word, unit, heading.factor if known else 1.0, known)
    return found


def read_wave(path: Path, columns: str | None = None) -> tuple[Array, Array, str]:
    """(seconds, volts, heading) of a scope's record: time and one voltage.

    Raises
    ------
    LogError
        It cannot be read, or has two traces and nobody said which.
    """
    sheet = sheet_in(path, columns)
    headings = [read_heading(text, k) for k, text in enumerate(sheet.headings)]
    where = f"{sheet.name}, line {sheet.heading_line}"
    wanted = dict(part.split("=", 1) for part in (columns or "").split(",") if "=" in part)
    time = _named(wanted.get("time"), headings) or next(iter(fitting_columns(headings, "time")), None)
    volts = (
        [named]
        if (named := _named(wanted.get("voltage"), headings))
        else [h for h in headings if h.quantity == "voltage" and not h.trouble]
    )
    if time is None:
        raise ColumnsError(f"{where}: no column for time. Name it in the heading, like “Time (s)”.", "Or say it with --columns.")
    if not volts:
        volts = [h for h in headings if h.index != time.index and not h.has_unit][:1] if len(headings) == 2 else []
    if not volts:
        raise ColumnsError(f"{where}: no column for voltage. Name it in the heading, like “Voltage (V)”.", "Or say it with --columns.")
    if len(volts) > 1:
        seen = " and ".join(f"“{h.text}”" for h in volts[:3])
        raise ColumnsError(f"{where}: there are {len(volts)} traces, {seen}.", f'Say which, with --columns "voltage={volts[0].text}".')
    factor = volts[0].factor if volts[0].has_unit else 1.0
    log = _columns(sheet, {("wave", "V"): Heading(volts[0].text, volts[0].index, "voltage", "V", factor, volts[0].has_unit)}, time)
    assert log.time_s is not None
    good = np.isfinite(log.columns[("wave", "V")]) & np.isfinite(log.time_s)
    return log.time_s[good], log.columns[("wave", "V")][good], volts[0].text


def _named(name: str | None, headings: list[Heading]) -> Heading | None:
    if not name:
        return None
    name = name.strip()
    found = [h for h in headings if h.text.lower() == name.lower()] or (
        [headings[int(name) - 1]] if name.isdigit() and int(name) <= len(headings) else []
    )
    return found[0] if found else None


def _columns(sheet: TextTable, chosen: dict[tuple[str, str], Heading], time: Heading | None) -> TapLog:
    columns: dict[tuple[str, str], list[float]] = {key: [] for key in chosen}
    moments: list[float] = []
    left_out: list[LeftOut] = []
    headings = [h.strip() for h in sheet.headings]
    for line, cells in sheet.rows():
        if [c.strip() for c in cells][: len(headings)] == headings:
            continue
        values = {key: _value(sheet, heading, cells, line) for key, heading in chosen.items()}
        moment = _moment(sheet, time, cells, line) if time is not None else float(line)
        if moment is None or all(np.isnan(v) for v in values.values()):
            left_out.append(LeftOut(line, "no readings"))
            continue
        if any(np.isnan(v) for v in values.values()):
            left_out.append(LeftOut(line, "a reading is missing"))
        moments.append(moment)
        for key, value in values.items():
            columns[key].append(value)
    if not moments:
        raise LogError(f"{sheet.name}, line {sheet.heading_line}: there are no readings under the headings.")
    arrays = {key: np.array(found) for key, found in columns.items()}
    return TapLog(sheet.name, arrays, np.array(moments) if time is not None else None, tuple(left_out))


def _place(sheet: TextTable, heading: Heading, line: int) -> str:
    return f"{sheet.name}, line {line}, column {heading.index + 1} ({heading.text})"


def _moment(sheet: TextTable, heading: Heading, cells: list[str], line: int) -> float | None:
    text = cells[heading.index].strip() if heading.index < len(cells) else ""
    try:
        moment = read_moment(text, decimal_comma=sheet.decimal_comma)
    except NoNumber:
        raise LogError(f"{_place(sheet, heading, line)}: “{text}” is no time. Correct it or delete the line.") from None
    if moment is None:
        return None
    if moment.stamp is not None:
        return moment.stamp.timestamp()
    return moment.seconds * (heading.factor if moment.kind == "number" else 1.0)


def _value(sheet: TextTable, heading: Heading, cells: list[str], line: int) -> float:
    text = cells[heading.index].strip() if heading.index < len(cells) else ""
    try:
        cell = read_cell(text, decimal_comma=sheet.decimal_comma)
    except NoNumber:
        raise LogError(f"{_place(sheet, heading, line)}: “{text}” is not a number. Correct it or delete the line.") from None
    return float("nan") if cell.gone else cell.value * heading.factor
