"""A sheet cell by cell: what cannot be read is named with its place, what is no reading is left out and listed, runs are told apart."""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta

import numpy as np

from ubrant.core.quantities.quantity import plain, unit_factor
from ubrant.core.quantities.readings import Array, Series
from ubrant.logbook.logs.cells import DAY_FIRST, Moment, NoNumber, read_cell, read_moment
from ubrant.logbook.logs.columns import LEAVE_OUT, Columns
from ubrant.logbook.logs.guessing import shape_of
from ubrant.logbook.logs.headings import Heading
from ubrant.logbook.logs.log_file import ColumnsError, LeftOut, LogError, LogFile
from ubrant.logbook.logs.text import TextTable

EPOCH_FROM = 1e8
"""A time in seconds beyond three years is a count from 1970."""
GAP_SPLIT_S, GAP_SPLIT_FACTOR = 1800.0, 100.0
_HOUR_S, _DAY_S = 3600.0, 86_400.0
_LONGEST_STEP_S, _SMALL_HOURS_S = 1800.0, 4 * _HOUR_S
_CHANGES = {3, 4, 9, 10, 11}
"""Months in which clocks are changed, on either half of the globe."""
_COUNTS = ((1e10, 1.0, ""), (1e13, 1e3, "milliseconds"), (1e16, 1e6, "microseconds"), (1e19, 1e9, "nanoseconds"))
"""Counts from 1970 up to so much are in these parts of a second (until the year 2286)."""
_SHORTEST_STEP_S, _STEP_ASKED_S = 1e-7, 500.0
_STEPS_S = {600.0, 900.0, 1200.0, 1800.0, 3600.0, 7200.0}
"""A step from reading to reading so long, in a column without a unit, is asked about, but for those that people set."""


@dataclass
class _Rows:
    """One run's rows while they are gathered. ``time`` is in seconds from the first stamp, the midnight before, or as counted."""

    name: str = ""
    lines: list[int] = field(default_factory=list)
    time: list[float] = field(default_factory=list)
    volts: list[float] = field(default_factory=list)
    amps: list[float] = field(default_factory=list)
    others: dict[tuple[str, str], list[tuple[float, float]]] = field(default_factory=dict)
    events: list[tuple[float, str]] = field(default_factory=list)


@dataclass
class _Clock:
    """Turns cells of time into seconds that go on: over midnight, over a change to or from summer time."""

    sheet: TextTable
    heading: Heading
    month_first: bool
    started: datetime | None = None
    shift_s: float = 0.0
    last_s: float | None = None
    typical_s: float = 0.0
    warnings: list[str] = field(default_factory=list)

    def seconds(self, moment: Moment, where: str, cell: str) -> float:
        if moment.kind == "number":
            return moment.seconds * self.heading.factor
        if moment.kind == "number in seconds":
            return moment.seconds
        if moment.kind == "stamp" and moment.stamp is not None:
            self.started = self.started or moment.stamp
            if (moment.stamp.tzinfo is None) != (self.started.tzinfo is None):
                raise LogError(f"{where}: “{cell}” has a time zone and others have none, or the other way round.")
            value = (moment.stamp - self.started).total_seconds()
            return value if moment.stamp.tzinfo is not None else self._going_on(value, wraps=False)
        return self._going_on(moment.seconds, wraps=True)

    def _going_on(self, value: float, *, wraps: bool) -> float:
        value += self.shift_s
        last = self.last_s
        if last is not None:
            step = value - last
            near = 5 * max(self.typical_s, 1.0)
            if wraps and step < -_DAY_S / 2:
                self.shift_s += _DAY_S
                value += _DAY_S
            elif -_HOUR_S <= step < 0 and step + _HOUR_S <= near and self.typical_s <= _LONGEST_STEP_S and self._may_be_changed(last):
                self.shift_s += _HOUR_S
                value += _HOUR_S
                self.warnings.append("The clock went back by an hour, as from summer time: an hour was added from there on.")
            elif (
                0 < self.typical_s <= _LONGEST_STEP_S
                and 0 < step - _HOUR_S <= near
                and _on_the_hour(last - self.shift_s + self._zero(), self.typical_s)
                and self._may_be_changed(last)
            ):
                self.shift_s -= _HOUR_S
                value -= _HOUR_S
                self.warnings.append("The clock went on by an hour at a full hour, as to summer time: the hour was taken out again.")
            if 0 < value - last <= _LONGEST_STEP_S:
                self.typical_s = value - last if not self.typical_s else 0.9 * self.typical_s + 0.1 * (value - last)
        self.last_s = value
        return value

    def _may_be_changed(self, last: float) -> bool:
        """Clocks are changed in the small hours, and in spring and autumn: an hour that is missing at noon, or in June, is a gap."""
        clock_s = last - self.shift_s + self._zero()
        if clock_s % _DAY_S > _SMALL_HOURS_S:
            return False
        return self.started is None or (self.started + timedelta(seconds=last)).month in _CHANGES

    def _zero(self) -> float:
        start = self.started
        return start.hour * 3600 + start.minute * 60 + start.second + start.microsecond / 1e6 if start is not None else 0.0

    def forget(self) -> None:
        """Another run begins: its clock may begin anew."""
        self.last_s, self.shift_s = None, 0.0


def _on_the_hour(clock_s: float, typical_s: float) -> bool:
    """Whether a reading at this time of day is the last one before a full hour."""
    return _HOUR_S - clock_s % _HOUR_S < max(601, 1.5 * typical_s)


def read_table(sheet: TextTable, columns: Columns, split_gaps: bool = False) -> list[LogFile]:
    """Every run in the sheet.

    Raises
    ------
    LogError
        A cell that cannot be read, times that go back without beginning anew, or nothing left.
    """
    first_rows = sheet.first_rows()
    month_first, said = _order_of_dates(sheet, columns, [_cell(r, columns.date or columns.time) for r in first_rows])
    clock = _Clock(sheet, columns.time, month_first, warnings=said)
    runs, left_out = _gather(sheet, columns, clock)
    if split_gaps:
        runs = [part for rows in runs for part in _at_gaps(rows)]
    runs = [r for r in runs if len(r.time) >= 2] or runs[:1]
    count = sum(len(r.time) for r in runs)
    if count < 2:
        why = f" ({left_out[0].why} in line {left_out[0].line})" if left_out else ""
        raise LogError(f"{sheet.name} holds {count} reading{'' if count == 1 else 's'}: there is nothing to add up{why}.")
    if len(left_out) > count:
        raise ColumnsError(
            f"{sheet.name}, line {left_out[0].line}: more lines are no readings ({left_out[0].why}) than are.",
            "Say which columns to read, with --columns.",
        )
    return [_as_log(sheet, columns, rows, clock, left_out if len(runs) == 1 else _own(left_out, rows), len(runs)) for rows in runs]


def _order_of_dates(sheet: TextTable, columns: Columns, first: list[str]) -> tuple[bool, list[str]]:
    """Whether the month comes first in dates like 03/04/2026, by the whole column; and what has to be said about it.

    Raises
    ------
    LogError
        Both orders occur, or the dates go on as well in either.
    """
    heading = columns.date or columns.time
    if not any(DAY_FIRST.fullmatch(cell.strip().strip('"')) for cell in first):
        return False, []
    dates = list(
        dict.fromkeys(m.group(1, 3, 4) for _, cells in sheet.rows() if (m := DAY_FIRST.fullmatch(_cell(cells, heading).strip('"'))))
    )
    numbers = [(int(a), int(b), int(c)) for a, b, c in dates]
    day, month = any(a > 12 for a, _, _ in numbers), any(b > 12 for _, b, _ in numbers)
    place = f"{sheet.name}, column {heading.index + 1} ({heading.text})"
    if day and month:
        raise LogError(f"{place}: in some dates the day comes first and in others the month. Write them one way, like 2026-10-17.")
    if day or month:
        return month, []
    if len(numbers) == 1:
        a, b, c = numbers[0]
        return False, [f"{a}/{b}/{c} can be read in two ways: the day was taken to come first."] if a != b else []
    gaps = [_longest_gap(numbers, month_first) for month_first in (False, True)]
    if max(gaps) < 10 * min(gaps):
        raise LogError(f"{place}: whether day or month comes first cannot be told. Write the dates like 2026-10-17.")
    return gaps[1] < gaps[0], [
        "Of dates like {}/{}/{} the {} was taken to come first: so they follow each other.".format(
            *numbers[0], "month" if gaps[1] < gaps[0] else "day"
        )
    ]


def _longest_gap(dates: list[tuple[int, int, int]], month_first: bool) -> float:
    """Days between two dates that follow each other; endless where they go back."""
    made = [date(c + 2000 if c < 100 else c, *((a, b) if month_first else (b, a))) for a, b, c in dates]
    steps = [(later - earlier).days for earlier, later in itertools.pairwise(made)]
    return max(steps) if min(steps) > 0 else 1e9


def _own(left_out: list[LeftOut], rows: _Rows) -> list[LeftOut]:
    return [one for one in left_out if rows.lines[0] <= one.line <= rows.lines[-1]]


def _gather(sheet: TextTable, columns: Columns, clock: _Clock) -> tuple[list[_Rows], list[LeftOut]]:
    runs, left_out = [_Rows()], []
    headings = [h.strip() for h in sheet.headings]
    wide = len(headings)
    fresh = False
    run_name: str | None = None
    needed = max(h.index for h in (columns.time, columns.voltage, columns.current or columns.power or columns.voltage))
    for line, cells in sheet.rows():
        stripped = [c.strip().strip('"').strip() for c in cells]
        if _is_heading_again(stripped, headings):
            fresh = True
            continue
        if (
            fresh
            and sum(1 for c in stripped if c and unit_factor(c.strip("()[]")) is not None) >= 2
            and not any(c[:1].isdigit() for c in stripped)
        ):
            continue  # the units line under the headings, again
        if len(cells) > wide and any(stripped[wide:]):
            raise LogError(
                f"{sheet.name}, line {line}: {len(cells)} cells under {wide} headings. "
                "If its decimal sign is a comma, the cells must be apart by semicolons or tabs."
            )
        event = _cell(cells, columns.event) if columns.event else ""
        if len(cells) <= needed and not event:
            left_out.append(LeftOut(line, "too few cells"))
            continue
        try:
            moment_s = _time_of(sheet, columns, clock, cells, line)
        except ColumnsError as error:
            if not columns.leaves_out:
                raise
            left_out.append(LeftOut(line, error.what))
            continue
        if moment_s is None:
            left_out.append(LeftOut(line, "no time"))
            continue
        rows = runs[-1]
        if columns.run is not None:
            name = _cell(cells, columns.run)
            if run_name is not None and name != run_name and rows.time:
                runs.append(rows := _Rows())
                clock.forget()
                moment_s = _time_of(sheet, columns, clock, cells, line) or 0.0
            run_name, rows.name = name, name
        if rows.time and moment_s < rows.time[-1]:
            begins_anew = fresh or moment_s < rows.time[0] + 0.5 * (rows.time[1] - rows.time[0] if len(rows.time) > 1 else 1.0)
            if not begins_anew:
                raise LogError(
                    f"{_where(sheet, line, columns.time)}: the time goes back, to “{_cell(cells, columns.time)}”. Sort the lines, or split the log there."
                )
            runs.append(rows := _Rows())
            clock.forget()
            moment_s = _time_of(sheet, columns, clock, cells, line) or 0.0
        fresh = False
        if event:
            rows.events.append((moment_s, event))
            continue
        try:
            _add(sheet, columns, rows, cells, line, moment_s, left_out)
        except ColumnsError as error:
            if not columns.leaves_out:
                raise
            left_out.append(LeftOut(line, error.what))
    return runs, left_out


def _is_heading_again(cells: list[str], headings: list[str]) -> bool:
    same = sum(1 for c, h in zip(cells, headings, strict=False) if c and (c == h or h.startswith(c + " (")))
    return same >= max(2, 0.6 * len([h for h in headings if h]))


def _time_of(sheet: TextTable, columns: Columns, clock: _Clock, cells: list[str], line: int) -> float | None:
    text = _cell(cells, columns.time)
    if columns.date is not None:
        text = f"{_cell(cells, columns.date)} {text}".strip()
    try:
        moment = read_moment(text, decimal_comma=sheet.decimal_comma, month_first=clock.month_first)
    except NoNumber:
        raise _bad(sheet, line, columns.time, f"“{text}” is neither a number nor a time") from None
    return None if moment is None else clock.seconds(moment, _where(sheet, line, columns.time), text)


def _add(sheet: TextTable, columns: Columns, rows: _Rows, cells: list[str], line: int, moment_s: float, left_out: list[LeftOut]) -> None:
    second = columns.current or columns.power
    assert second is not None
    volts, why_v = _value(sheet, columns.voltage, cells, line)
    amps, why_a = _value(sheet, second, cells, line)
    for key, heading in columns.others.items():
        value, why = _value(sheet, heading, cells, line, strict=False)
        if not why:
            rows.others.setdefault(key, []).append((moment_s, value))
    if why_v or why_a:
        quantity = ("voltage" if why_v else "current" if columns.current else "power") if not (why_v and why_a) else "voltage and current"
        left_out.append(LeftOut(line, f"{quantity}: {why_v or why_a}"))
        return
    if columns.current is None:
        amps = amps / volts if volts else 0.0
    rows.lines.append(line)
    rows.time.append(moment_s)
    rows.volts.append(volts)
    rows.amps.append(amps)


def _value(sheet: TextTable, heading: Heading, cells: list[str], line: int, *, strict: bool = True) -> tuple[float, str]:
    """(value in the base unit, why there is none)."""
    text = _cell(cells, heading)
    try:
        cell = read_cell(text, decimal_comma=sheet.decimal_comma)
    except NoNumber:
        if not strict:
            return 0.0, "no number"
        raise _bad(sheet, line, heading, f"“{text}” is not a number") from None
    if cell.gone:
        return 0.0, cell.gone
    factor = heading.factor
    if cell.unit and (known := unit_factor(cell.unit)) is not None:
        wanted = heading.unit
        if known.unit != wanted and strict:
            raise _bad(sheet, line, heading, f"“{text}” is in {known.unit}, and a value in {wanted} belongs here")
        factor = known.value
    return cell.value * factor, ""


def _bad(sheet: TextTable, line: int, heading: Heading, what: str) -> ColumnsError:
    sentence = f"{_where(sheet, line, heading)}: {what}. Leave such lines out, or correct it."
    return ColumnsError(sentence, f'To leave them out: --columns "{LEAVE_OUT}".', heading.index, what)


def _cell(cells: list[str], heading: Heading | None) -> str:
    return cells[heading.index].strip() if heading is not None and heading.index < len(cells) else ""


def _where(sheet: TextTable, line: int, heading: Heading) -> str:
    return f"{sheet.name}, line {line}, column {heading.index + 1} ({heading.text})"


def _at_gaps(rows: _Rows) -> Iterable[_Rows]:
    """A run's rows in pieces, cut where nothing was read for very long."""
    time = np.array(rows.time)
    if len(time) < 3:
        return [rows]
    step = np.diff(time)
    limit = max(GAP_SPLIT_S, GAP_SPLIT_FACTOR * float(np.median(step)))
    cuts = [0, *(int(k) + 1 for k in np.flatnonzero(step > limit)), len(time)]
    pieces = []
    for a, b in itertools.pairwise(cuts):
        low, high = time[a], time[b - 1]
        others = {key: [(t, v) for t, v in found if low <= t <= high] for key, found in rows.others.items()}
        pieces.append(
            _Rows(
                rows.name,
                rows.lines[a:b],
                rows.time[a:b],
                rows.volts[a:b],
                rows.amps[a:b],
                others,
                [e for e in rows.events if low <= e[0] <= high],
            )
        )
    return pieces


def _as_log(sheet: TextTable, columns: Columns, rows: _Rows, clock: _Clock, left_out: list[LeftOut], of: int) -> LogFile:
    time, volts, amps = np.array(rows.time), np.array(rows.volts), np.array(rows.amps)
    if columns.current is None:
        clock.warnings.append("There is no column for current: it was worked out from power ÷ voltage.")
    name = (
        (f"run {rows.name}" if columns.run is not None else f"lines {rows.lines[0]} to {rows.lines[-1]}") if of > 1 and rows.lines else ""
    )
    return finished(
        sheet,
        columns,
        time,
        volts,
        amps,
        rows.events,
        clock.started,
        tuple(dict.fromkeys(clock.warnings)),
        tuple(left_out),
        name,
        {
            key: Series(np.array([t for t, _ in found]), np.array([v for _, v in found]))
            for key, found in rows.others.items()
            if len(found) > 1
        },
    )


def finished(
    sheet: TextTable,
    columns: Columns,
    time: Array,
    volts: Array,
    amps: Array,
    events: list[tuple[float, str]],
    started: datetime | None,
    warnings: tuple[str, ...],
    left_out: tuple[LeftOut, ...] = (),
    run_name: str = "",
    others: dict[tuple[str, str], Series] | None = None,
) -> LogFile:
    """Columns as a log: equal times thinned out, counts from 1970 turned into dates, what was taken for granted said.

    Raises
    ------
    LogError
        Too few readings, time that goes back, or values that cannot be what their heading says.
    """
    if len(time) < 2:
        raise LogError(f"{sheet.name} holds {len(time)} readings: there is nothing to add up.")
    said = [f"“{h.text}” has no unit: taken as {h.unit}." for h in (columns.voltage, columns.current) if h is not None and not h.has_unit]
    said += warnings
    steps = np.diff(time)
    shortest = float(steps.min())
    others = others or {}
    if shortest <= 0 and (repeated := steps == 0).any():
        keep = np.concatenate((~repeated, [True]))
        time, volts, amps = time[keep], volts[keep], amps[keep]
        count = int(repeated.sum())
        said.append(f"{count} {'reading has' if count == 1 else 'readings have'} the time of the next one: only the last of each was kept.")
        others = {key: _last_of_each(s) for key, s in others.items()}
    if len(time) < 2:
        raise LogError(f"{sheet.name}, line {sheet.first_line}: all its readings have one and the same time. Write a time for each.")
    if shortest < _SHORTEST_STEP_S and float(np.median(np.diff(time))) < _SHORTEST_STEP_S:
        raise LogError(
            f"{sheet.name}, line {sheet.first_line}: from reading to reading {np.median(np.diff(time)):.3g} s pass, and no meter reads so fast. "
            "Look at the unit of the time."
        )
    if time[0] > EPOCH_FROM:
        part = next((part for part in _COUNTS if time[0] < part[0]), None)
        if part is None or (part[1] > 1 and columns.time.has_unit):
            raise LogError(
                f"{sheet.name}, line {sheet.first_line}: {time[0]:.6g} s from 1970 is no date that can be. Look at the unit of the time."
            )
        if part[1] > 1:
            said.append(f"“{columns.time.text}” was read as {part[2]} from 1970.")
            time, events = time / part[1], [(moment / part[1], text) for moment, text in events]
            others = {key: Series(s.time_s / part[1], s.value) for key, s in others.items()}
        started = datetime.fromtimestamp(float(time[0]), UTC)
        zero = float(time[0])
        events = [(moment - zero, text) for moment, text in events]
        others = {key: Series(s.time_s - zero, s.value) for key, s in others.items()}
        time = time - zero
    elif started is not None and time[0]:
        started = started + timedelta(seconds=float(time[0]))
        zero = float(time[0])
        events = [(moment - zero, text) for moment, text in events]
        others = {key: Series(s.time_s - zero, s.value) for key, s in others.items()}
        time = time - zero
    first_cell = next((_cell(r, columns.time) for r in sheet.first_rows(3)), "")
    if not columns.time.has_unit and started is None and ":" not in first_cell and not first_cell.endswith("s"):
        step = float(np.median(np.diff(time)))
        if step >= _STEP_ASKED_S and step not in _STEPS_S:
            raise LogError(
                f"{sheet.name}, line {sheet.heading_line}, column {columns.time.index + 1} ({columns.time.text}): it has no unit and goes on by {step:g} "
                f"from reading to reading. Are these milliseconds? Write the unit into the heading, like “{columns.time.text} (ms)” or “{columns.time.text} (s)”."
            )
        said.append(f"“{columns.time.text}” has no unit: taken as seconds.")
    for heading in (columns.voltage, columns.current):
        if heading is not None and heading.factor < 1 and (odd := _maybe_thousands(sheet, heading)):
            said.append(
                f"“{odd}” under “{heading.text}” was read as {plain(float(odd))}: if its point marks thousands, take the points out."
            )
    for heading, values in ((columns.voltage, volts), (columns.current, amps)):
        if heading is not None and not heading.has_unit and np.abs(values).max() > 1000:
            raise LogError(
                f"{sheet.name}, line {sheet.heading_line}, column {heading.index + 1} ({heading.text}): values up to "
                f"{np.abs(values).max():.0f} and no unit. Write the unit into the heading, like “{heading.text} (m{heading.unit})”."
            )
    return LogFile(
        sheet.name,
        time,
        volts,
        amps,
        columns.used(),
        started,
        tuple(said),
        others,
        tuple(events),
        {},
        left_out,
        run_name,
        (),
        shape_of(sheet),
    )


def _maybe_thousands(sheet: TextTable, heading: Heading) -> str:
    """The first number of a column in thousandths of a unit whose point could as well mark thousands; empty where none could."""
    cells = [c for row in sheet.first_rows(50) if re.search(r"\d", c := _cell(row, heading).strip('"'))]
    return cells[0] if cells and not sheet.decimal_comma and all(re.fullmatch(r"[+-]?[1-9]\d{0,2}\.\d{3}", c) for c in cells) else ""


def _last_of_each(series: Series) -> Series:
    keep = np.concatenate((np.diff(series.time_s) != 0, [True]))
    return Series(series.time_s[keep], series.value[keep])
