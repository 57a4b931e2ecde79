"""How load steps ended: the moment the output went off, out of what was recorded or typed."""

from __future__ import annotations

import math

import numpy as np

from ubrant.core.conversion.load_steps import Ending, ending_of
from ubrant.core.gate.check import Question
from ubrant.core.quantities.jot import TypedLine
from ubrant.core.quantities.readings import Series
from ubrant.core.record.events import PointTaken, WentOff
from ubrant.core.record.record import Record
from ubrant.core.record.settled import QUANTITIES, log_columns, row_of_line
from ubrant.core.wording import say

BY_ITSELF = "went-off"
"""By which a person confirms that a typed “load off” was the output's own doing."""
_OFF_SHARE = 0.3
_LOADED_SHARE = 0.02
_PLACE = {name: k for k, name in enumerate(QUANTITIES)}


def ending(record: Record, hold_w: float) -> Ending | None:
    """The moment the output went off, and after; None where it did not."""
    if record.is_typed:
        return _typed(record, hold_w)
    if not record.head.plan:
        return _found(record)
    return _sampled(record)


def _found(record: Record) -> Ending | None:
    """Out of a log, whose lines are in the order of time."""
    if not record.head.origin.timed:
        return None
    _, read = log_columns(record)
    volts, watts = read[("output", "V")], read[("output", "W")]
    if not np.isfinite(watts).any():
        watts = volts * read[("output", "A")]
    source = read[("source", "V")]
    return ending_of(read[("input", "V")], read[("input", "A")], volts, watts, source if np.isfinite(source).any() else None)


def _sampled(record: Record) -> Ending | None:
    """In the hold, or at a step that was too much."""
    out, amps_out = record.corrected("output", "V"), record.corrected("output", "A")
    if out is None or not len(out):
        return None
    alive = out.value > _OFF_SHARE * float(out.value.max())
    drawn = np.interp(out.time_s, amps_out.time_s, amps_out.value) if amps_out is not None and len(amps_out) else np.ones(len(out))
    off = next(iter(record.of(WentOff)), None)
    if off is None:
        points = record.of(PointTaken)
        if not points:
            return None
        load_w, until = points[-1].load, points[-1].time_s
        last = out.time_s <= until
        if not load_w or (bool(alive[last][-1:].all()) and float(drawn[last][-1]) * float(out.value[last][-1]) > _OFF_SHARE * load_w):
            return None
    else:
        load_w, until = off.load, off.time_s
    alive &= drawn * out.value > _LOADED_SHARE * load_w  # one that started again, the load having gone, is not what is looked for
    last_on = out.time_s[alive & (out.time_s <= until)]
    if not len(last_on):
        return None
    moment = float(last_on[-1])
    volts, amps, source = record.corrected("input", "V"), record.corrected("input", "A"), record.corrected("source", "V")
    earlier = float(last_on[-2]) if len(last_on) > 1 else moment
    after = (source.value[source.time_s > until] if source is not None else np.array([])).tolist()
    return Ending(
        load_w,
        near(volts, moment),
        near(volts, earlier),
        near(amps, moment),
        near(source, moment),
        after[0] if after else math.nan,
        after[-1] if after else math.nan,
    )


def near(series: Series | None, moment: float) -> float:
    """The reading nearest to a moment; NaN for none."""
    if series is None or not len(series):
        return math.nan
    return float(series.value[int(np.argmin(np.abs(series.time_s - moment)))])


def whose_off(record: Record) -> tuple[Question, ...]:
    """Whether a “load off” that was typed was the output's own doing, where nothing says so."""
    marks = [e.jotting.mark for e in record.lines]
    if not record.is_typed or "load off" not in marks or {"empty", "tripped"} & {*marks} or BY_ITSELF in record.head.conditions.checked:
        return ()
    text = say("“load off” is a person's: it says nothing of what the output can carry. Did it go off by itself there?")
    return (Question(say("It went off by itself"), checked=BY_ITSELF, text=text),)


def _typed(record: Record, hold_w: float) -> Ending | None:
    """The last line with the output on before it went off by itself, and what the battery read after that; a person's “load off” is none."""
    lines = [e.jotting for e in record.lines]
    marks = {"empty", "tripped"} | ({"load off"} if BY_ITSELF in record.head.conditions.checked else set())
    off = next((k for k, j in enumerate(lines) if j.mark in marks), None)
    if off is None:
        return None
    before = [_row(j) for j in lines[:off] if j.readings and j.mark != "alarm"]
    before = [r for r in before if math.isfinite(r[_PLACE[("input", "V")]])]
    after = [v for j in lines[off:] if math.isfinite(v := _row(j)[_PLACE[("source", "V")]])]
    if not before:
        return None
    last = before[-1]
    earlier = before[-2] if len(before) > 1 else last
    watts = last[_PLACE[("output", "W")]]
    return Ending(
        watts if math.isfinite(watts) else hold_w,
        last[_PLACE[("input", "V")]],
        earlier[_PLACE[("input", "V")]],
        last[_PLACE[("input", "A")]],
        last[_PLACE[("source", "V")]],
        after[0] if after else math.nan,
        after[-1] if after else math.nan,
        next((j.text for j in lines if j.mark == "tripped"), ""),
    )


def _row(jotting: TypedLine) -> list[float]:
    return row_of_line(jotting)[0]


def alarm_v(record: Record) -> float | None:
    """The input voltage at which somebody noted the alarm."""
    for entry in record.lines:
        if entry.jotting.mark == "alarm":
            volts = _row(entry.jotting)[0]
            found = volts if math.isfinite(volts) else near(record.corrected("input", "V"), entry.time_s)
            return found if math.isfinite(found) else None
    return None
