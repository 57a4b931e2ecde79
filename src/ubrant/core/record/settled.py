"""Settled points of a record: from what was noted as a point, from typed lines, or, only without either, found in the readings."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ubrant.core.quantities.alternating import is_ac
from ubrant.core.quantities.jot import FATES, TypedLine, plainly
from ubrant.core.quantities.readings import Array, ReadingsError, Series
from ubrant.core.record.events import PointTaken
from ubrant.core.record.head import SAME_PLACE
from ubrant.core.record.points import Points, points_of
from ubrant.core.record.record import Record, TapQuantity
from ubrant.core.wording import say

QUANTITIES: tuple[TapQuantity, ...] = (
    ("input", "V"),
    ("input", "A"),
    ("output", "V"),
    ("output", "A"),
    ("output", "W"),
    ("output", "Hz"),
    ("source", "V"),
)
NEEDED = QUANTITIES[:3]
_WATTS_IN = ("input", "W")
_FACTORS = 0.02, 1.1
"""Between these a power factor lies, meters of a hand being what they are; past them it is a slip. Common practice, no source."""
_WIDE = {
    "input_v": ("input", "V"),
    "input_a": ("input", "A"),
    "output_v": ("output", "V"),
    "output_a": ("output", "A"),
    "output_w": ("output", "W"),
    "source_v": ("source", "V"),
}
_UNSETTLED = 0.02
_SAME_SETTING = 0.015
Setting = tuple[float, float]


@dataclass(frozen=True)
class Try:
    """A typed row: what was tried at which input, and what became of it.

    Attributes
    ----------
    place : of its setting
    input_v, half_v : at the terminals, and how wide to both sides
    output_v : NaN where it was not read
    fate : *runs*, *falters*, *off*, or empty
    """

    place: int
    input_v: float
    half_v: float
    output_v: float
    fate: str


@dataclass(frozen=True, eq=False)
class PointRows:
    """Points as they were taken.

    Attributes
    ----------
    asked : settings, (V in, A or W out); empty for what was found in the readings
    values, half : (n, 7) in the order of QUANTITIES, NaN where not read, and how wide each is to both sides
    time_s : (n,) when
    settled : (n,) whether it held still
    waves : (from, to) of a scope's record at each, None without
    said : sentences
    fates : what a person said became of the load at each; empty where nobody said anything at all
    tries : every typed row with volts at the input, also those that are no whole point
    """

    asked: tuple[Setting, ...]
    values: Array
    half: Array
    time_s: Array
    settled: tuple[bool, ...]
    waves: tuple[tuple[float, float] | None, ...]
    said: tuple[str, ...] = ()
    fates: tuple[str, ...] = ()
    tries: tuple[Try, ...] = ()

    def __len__(self) -> int:
        return len(self.values)

    def column(self, tap: str, quantity: str) -> Array:
        return np.asarray(self.values[:, QUANTITIES.index((tap, quantity))])

    def points(self) -> Points | None:
        """What the sums take; None for no row. Watts that were read stand; amperes that were not are worked out."""
        if not len(self):
            return None
        return replace(self._numbers(), fates=self.fates)

    def _numbers(self) -> Points:
        vin, iin, vout, iout, pout, _, source = self.values.T
        if not self.asked:
            there = [None if not np.isfinite(c).any() else c for c in (iout, pout)]
            return points_of(vin, iin, vout, there[0], there[1], source)
        if not np.isfinite(iout).any() and not np.isfinite(pout).any():
            return points_of(vin, iin, vout, source_v=source)
        widths = dict(zip(_WIDE, (self.half[:, QUANTITIES.index(key)] for key in _WIDE.values()), strict=True))
        if np.isfinite(pout).any():  # watts that were read stand: what is worked out beside them has no width of its own
            widths.pop("output_a")
        watts = np.where(np.isfinite(pout), pout, vout * np.where(np.isfinite(iout), iout, 0.0))
        amps = np.where(np.isfinite(iout), iout, np.divide(watts, vout, out=np.zeros_like(watts), where=vout > 0))
        half = {name: np.where(np.isfinite(h), h, 0.0) for name, h in widths.items() if (h > 0).any()}
        return replace(points_of(vin, iin, vout, amps, watts, source), half=half)


def points_taken(record: Record, settings: Sequence[Setting]) -> PointRows:
    """Points of a record; typed ones take the settings in their order.

    Raises
    ------
    ReadingsError
        Of a log: a quantity is missing that cannot be worked out.
    """
    if record.of(PointTaken):
        return _noted(record)
    if record.is_typed:
        return _typed(record, settings)
    if record.head.plan:
        return _rows([], [], [], [], [], [])
    return found_points(record)


def _rows(
    asked: list[Setting],
    values: list[list[float]],
    half: list[list[float]],
    time_s: list[float],
    settled: list[bool],
    waves: list[tuple[float, float] | None],
) -> PointRows:
    shape = (-1, len(QUANTITIES))
    return PointRows(
        tuple(asked), np.array(values).reshape(shape), np.array(half).reshape(shape), np.array(time_s), tuple(settled), tuple(waves)
    )


def _noted(record: Record) -> PointRows:
    """The settled means of every point."""
    series = {key: record.corrected(*key) for key in QUANTITIES}
    watts = record.corrected(*_WATTS_IN)
    asked, rows, moments, settled, waves = [], [], [], [], []
    for event in record.of(PointTaken):
        row = [mean_between(series[key], event.from_s, event.time_s) for key in QUANTITIES]
        if row[0] and (is_ac(row[0]) or math.isnan(row[1])):
            row[1] = mean_between(watts, event.from_s, event.time_s) / row[0]
        if not all(math.isfinite(row[k]) for k in range(len(NEEDED))):
            continue
        asked.append((event.input_v, event.load))
        rows.append(row)
        moments.append(event.time_s)
        settled.append(event.settled)
        waves.append(event.wave)
    return _rows(asked, rows, [[0.0] * len(QUANTITIES) for _ in rows], moments, settled, waves)


def mean_between(series: Series | None, from_s: float, to_s: float) -> float:
    """Mean of the readings between two moments; NaN for none."""
    if series is None or not len(series):
        return math.nan
    inside = (series.time_s >= from_s - 1e-6) & (series.time_s <= to_s + 1e-6)
    return float(np.mean(series.value[inside])) if inside.any() else math.nan


def _typed(record: Record, settings: Sequence[Setting]) -> PointRows:
    """A point a line: what it reads at both ends. A line marked ``skip`` leaves its point out."""
    asked, rows, halves, moments, fates, tries = [], [], [], [], [], []
    lines = record.answers("skip")
    for place, (moment, jotting) in enumerate(lines if not record.head.plan else lines[: len(settings)]):
        row, half = row_of_line(jotting)
        setting = settings[place] if record.head.plan else (row[0], row[3])
        fate = plainly(jotting.mark) if jotting.mark in FATES else ""
        if jotting.mark != "skip" and math.isfinite(row[0]):
            tries.append(Try(place, row[0], half[0], row[2], fate))
        if jotting.mark == "skip" or not all(math.isfinite(row[k]) for k in range(len(NEEDED))):
            continue
        asked.append(setting)
        rows.append(row)
        halves.append(half)
        moments.append(moment)
        fates.append(fate)
    made = _rows(asked, rows, halves, moments, [True] * len(rows), [None] * len(rows))
    said = without_watts(sum(_lacks_watts(jotting) for _, jotting in lines))
    return replace(made, said=said, fates=tuple(fates) if any(fates) else (), tries=tuple(tries))


def _lacks_watts(jotting: TypedLine) -> bool:
    """A line of an AC input that has amperes and no watts."""
    read = read_at_ends(jotting)
    return is_ac(read.get(("input", "V"), (0.0, 0.0))[0]) and ("input", "A") in read and _WATTS_IN not in read


def without_watts(count: int) -> tuple[str, ...]:
    if not count:
        return ()
    rows = say("One reading") if count == 1 else say("{count} readings", count=count)
    return (
        say(
            "{rows} of an AC input without watts, or with watts that volts × amperes do not allow: left out. A meter in the plug reads W.",
            rows=rows,
        ),
    )


def read_at_ends(jotting: TypedLine) -> dict[TapQuantity, tuple[float, float]]:
    """What a line says of both ends; watts of an AC input that its volts × amperes do not allow are none."""
    read = {(SAME_PLACE.get(r.tap, r.tap) or "input", r.quantity): (r.value, r.half_width) for r in jotting.readings}
    (volts, _), (amps, _), (watts, _) = (read.get(("input", q), (math.nan, 0.0)) for q in "VAW")
    if is_ac(volts) and volts * amps and not math.isnan(watts * amps) and not _FACTORS[0] <= watts / (volts * amps) <= _FACTORS[1]:
        del read[_WATTS_IN]
    return read


def row_of_line(jotting: TypedLine) -> tuple[list[float], list[float]]:
    """A typed line in the order of QUANTITIES, and how wide each is to both sides.

    Amperes of the input are those that carry its watts: on AC watts over volts, and none where no watts were read.
    """
    read = read_at_ends(jotting)
    volts, _ = read.get(("input", "V"), (math.nan, 0.0))
    if is_ac(volts) or ("input", "A") not in read:
        read.pop(("input", "A"), None)
        if _WATTS_IN in read and volts:
            read["input", "A"] = read[_WATTS_IN][0] / volts, read[_WATTS_IN][1] / abs(volts)
    pairs = [read.get(key, (math.nan, 0.0)) for key in QUANTITIES]
    return [value for value, _ in pairs], [half for _, half in pairs]


# found in the readings of a log


def found_points(record: Record) -> PointRows:
    """The settled point of each setting: the mean of the later half of a stretch that holds still; a single line is a point of its own.

    Raises
    ------
    ReadingsError
        A quantity is missing that cannot be worked out.
    """
    time, columns = log_columns(record)
    load = columns[("output", "A")] if np.isfinite(columns[("output", "A")]).any() else columns[("output", "W")]
    groups, said = _stretches(
        time if record.head.origin.timed else None, columns[("input", "V")], load if np.isfinite(load).any() else None
    )
    values = [[_mean(columns[key][g]) for key in QUANTITIES] for g in groups]
    moments = [float(time[g[-1]]) for g in groups]
    rows = _rows([], values, [[0.0] * len(QUANTITIES) for _ in groups], moments, [True] * len(groups), [None] * len(groups))
    return PointRows(rows.asked, rows.values, rows.half, rows.time_s, rows.settled, rows.waves, tuple(said))


def log_columns(record: Record) -> tuple[Array, Mapping[TapQuantity, Array]]:
    """(n,) seconds and a column for each of QUANTITIES on them, NaN where it was not read; amperes and volts worked out where watts say so.

    Raises
    ------
    ReadingsError
        Volts in, amperes in or volts out are neither there nor to be worked out.
    """
    time, table = table_of(record)
    into = next((t for t in ("input", "dc", "battery") if (t, "V") in table), "input")
    vin, iin, pin = (table.get((into, q)) for q in "VAW")
    out = "output" if ("output", "V") in table or ("ac", "V") not in table else "ac"
    vout, iout, pout = (table.get((out, q)) for q in "VAW")
    if vin is None or (iin is None and pin is None):
        raise ReadingsError(
            say("Volts and amperes (or watts) of the input are needed: name the columns “input voltage / V”, “input current / A”.")
        )
    if vout is None and iout is not None and pout is not None:
        vout = np.divide(pout, iout, out=np.full(len(iout), np.nan), where=iout > 0)
    if vout is None:
        raise ReadingsError(say("The output's voltage is needed: name the column “output voltage / V”."))
    iin = carrying(vin, iin, pin)
    missing = np.full(len(time), math.nan)
    hertz = next((table[(t, "Hz")] for t in ("output", "ac") if (t, "Hz") in table), missing)
    found = (vin, iin, vout, iout, pout, hertz, table.get(("source", "V")))
    return time, {key: missing if column is None else column for key, column in zip(QUANTITIES, found, strict=True)}


def carrying(volts: Array, amps: Array | None, watts: Array | None) -> Array:
    """(n,) amperes that carry the watts of an input, NaN where nothing tells; on AC only its watts do.

    Raises
    ------
    ReadingsError
        It is AC, and there are no watts.
    """
    of_ac = bool(np.isfinite(volts).any()) and is_ac(float(np.nanmedian(volts)))
    if amps is not None and np.isfinite(amps).any() and not of_ac:
        return amps
    if watts is not None and np.isfinite(watts).any():
        return np.asarray(np.divide(watts, volts, out=np.full(len(watts), math.nan), where=np.abs(volts) > 0))
    if of_ac:
        raise ReadingsError(
            say(
                "On AC volts × amperes are VA, no watts: the watts of the input are needed, and no more of them than VA. A meter in the plug reads them, like “input 230 V 3.1 W”; a log has them in a column “input power / W”."
            )
        )
    return np.full(len(volts), math.nan)


def is_read_in_watts(record: Record) -> float | None:
    """Volts of an input that only its watts tell about: AC, or one whose amperes nobody read; None where amperes count."""
    if record.is_typed:
        read = [read_at_ends(e.jotting) for e in record.lines]
        by_watts = [r["input", "V"][0] for r in read if ("input", "V") in r and _WATTS_IN in r]
        by_watts = [v for v in by_watts if is_ac(v)] or ([] if any(("input", "A") in r for r in read) else by_watts)
        return float(np.median(by_watts)) if by_watts else None
    volts, watts = record.corrected("input", "V"), record.corrected(*_WATTS_IN)
    if volts is None or watts is None or not len(volts):
        return None
    middle = float(np.median(volts.value))
    return middle if is_ac(middle) or record.corrected("input", "A") is None else None


def table_of(record: Record) -> tuple[Array, dict[TapQuantity, Array]]:
    """Every series on one base of time, (n,) each, NaN where it was not read then."""
    if not record.readings:
        return np.empty(0), {}
    bases = [s.time_s for s in record.readings.values()]
    time = bases[0] if all(len(b) == len(bases[0]) and np.array_equal(b, bases[0]) for b in bases[1:]) else np.unique(np.concatenate(bases))
    table = {}
    for key in record.readings:
        series = record.corrected(*key)
        assert series is not None
        column = np.full(len(time), math.nan)
        column[np.searchsorted(time, series.time_s)] = series.value
        table[key] = column
    return time, table


def _largest(values: Array) -> float:
    """By size; 0 where nothing was read."""
    return float(np.max(np.abs(values[np.isfinite(values)]), initial=0.0))


def _mean(values: Array) -> float:
    good = values[np.isfinite(values)]
    return float(np.mean(good)) if len(good) else math.nan


def _stretches(time: Array | None, vin: Array, load: Array | None) -> tuple[list[NDArray[np.int64]], list[str]]:
    """Indexes that make each point."""
    n = len(vin)
    if time is None or load is None:
        return [np.array([k]) for k in range(n)], []
    width_v, width_a = _SAME_SETTING * _largest(vin), 2 * _SAME_SETTING * max(_largest(load), 1e-9)
    jump = (np.abs(np.diff(vin)) > width_v) | (np.abs(np.diff(load)) > width_a)
    stretches = np.split(np.arange(n), np.flatnonzero(jump) + 1)
    if max(len(s) for s in stretches) < 4:
        return [np.array([k]) for k in range(n)], []
    groups, unsettled = [], 0
    for stretch in stretches:
        later = stretch[len(stretch) // 2 :]
        volts = vin[later][np.isfinite(vin[later])]
        if len(volts) > 1 and np.std(volts) > _UNSETTLED * abs(float(np.mean(volts))):
            unsettled += 1
            continue
        groups.append(later)
    return groups, [say("{unsettled} settings never settled and were left out.", unsettled=unsettled)] if unsettled else []
