"""The time between marks that a person made: from the alarm to the trip, from the trip until it was back."""

from __future__ import annotations

from itertools import pairwise

from ubrant.core.quantities.quantity import plain, show_duration
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.sources import ErrorKind
from ubrant.core.uncertainty.value import within
from ubrant.core.wording import say, words

ALARM, _GOES_OFF = "alarm", ("empty", "tripped")
BY_HAND = (ALARM, "tripped", "back")
"""Marks that stand for something the person saw or heard."""
_OTHERS = ("load on", "load off", "full", "empty")
_CATCHES_S = 0.5
"""How well a person catches a moment. Common practice, no source."""


def between_marks(record: Record) -> dict[str, Finding]:
    """A duration for every two marks in a row of which at least one is by ear or eye, and is a line of its own (an alarm may stand with what was read at it); by
    key, in the order of time."""
    if not record.typed.marks:
        return {}
    alone = {e.time_s for e in record.typed.further if e.jotting.mark in BY_HAND and (not e.jotting.readings or e.jotting.mark == ALARM)}
    marks = [(t, mark) for t, mark in record.typed.marks if (mark in BY_HAND and t in alone) or mark in _OTHERS]
    half_s = record.moment_half_s if any(e.jotting.to_minute for e in record.lines) else _CATCHES_S
    found: dict[str, Finding] = {}
    for (start_s, first), (end_s, then) in pairwise(sorted(marks)):
        if first == then or (first not in BY_HAND and then not in BY_HAND):
            continue
        key = f"from_{first}_to_{then}".replace(" ", "_")
        number = sum(k == key or k.startswith(f"{key}_") for k in found) + 1
        name = say("From {first} to {then}", first=say(first), then=say(then)) + (f" ({number})" if number > 1 else "")
        start, end = (
            moment + within(half_s, words("moment"), "s", when=say("of {mark}", mark=f"{say(mark)} {moment:g}"), kind=ErrorKind.MOMENT)
            for mark, moment in ((first, start_s), (then, end_s))
        )
        working = say("marked by hand, {seconds} apart", seconds=show_duration(end_s - start_s))
        key = key if number == 1 else f"{key}_{number}"
        found[key] = Finding.made(key, name, end - start, "s", working)
    return found


def warning_of(record: Record) -> str:
    """How long before it went off by itself its alarm came, and at what it stood then, in a sentence; empty where nobody noted one."""
    alarm = next((e for e in record.lines if e.jotting.mark == ALARM), None)
    if alarm is None:
        return ""
    off_s = next((t for t, mark in sorted(record.typed.marks) if mark in _GOES_OFF and t > alarm.time_s), None)
    if off_s is None:
        return ""
    read = [f"{plain(r.value)} {r.quantity}" for r in alarm.jotting.readings if r.quantity in {"V", "%"} and r.kind == "read"]
    before = show_duration(off_s - alarm.time_s)
    if not read:
        return say("Its alarm came {time} before it went off.", time=before)
    return say("Its alarm came at {what}, {time} before it went off.", what=", ".join(read), time=before)
