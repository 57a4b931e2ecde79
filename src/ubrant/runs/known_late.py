"""What became known of a run after it was made: what it was of, its plan, what it is judged by, when its load came on, that a clock was wrong."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, fields, replace
from datetime import UTC, datetime, timedelta
from typing import Any, TypeVar

from ubrant.core import FINDINGS_VERSION
from ubrant.core.equipment.meter import Meter
from ubrant.core.quantities.jot import Jotting
from ubrant.core.quantities.quantity import show_duration
from ubrant.core.record.events import LoadOff, LoadOn
from ubrant.core.record.head import Head
from ubrant.core.record.record import Record
from ubrant.core.wording import say
from ubrant.logbook.file import DamagedError
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, StoredJot, stamp_of
from ubrant.methods.form import CONDITIONS, CRITERIA, ORIGIN, PLAN, Field
from ubrant.methods.method import Method, Prepared
from ubrant.runs.accounts import summary_of
from ubrant.runs.edits import Change

LOAD_ON, LOAD_OFF, EMPTY = "load on", "load off", "empty"
_MOST_SHIFT_S = 400 * 86_400.0
_Part = TypeVar("_Part")


@dataclass(frozen=True)
class Before:
    """What a run said until something became known of it: until when (UTC), what that was, and the sentence."""

    until: str
    because: str
    sentence: str


def said_before(logbook: Logbook, run_id: int) -> list[Before]:
    """The newest first."""
    told = [(stated, said) for stated, _, said in logbook.statements(run_id) if "because" in said]
    return [Before(stated, str(said["because"]), str(said.get("verdict", ""))) for stated, said in reversed(told)]


class Told:
    """A run under what is known of it from now on. What it said until then stays to be seen; undone, it was never told."""

    def __init__(self, logbook: Logbook, run: Run, because: str) -> None:
        self._logbook, self._after, self._because = logbook, run, because
        self._before = logbook.run(run.id)
        self._said = 0

    def do(self) -> None:
        """
        Raises
        ------
        LogbookError
            It cannot be kept; nothing was.
        """
        try:
            summary = summary_of(self._logbook, self._before)
        except DamagedError:
            summary = None  # of what is damaged nothing was said
        with self._logbook.together():
            if summary is not None:
                stated = datetime.now(UTC).isoformat(timespec="seconds")
                said = {"verdict": summary.sentence, "because": self._because}
                self._said = self._logbook.keep_said(self._after.id, stated, FINDINGS_VERSION, said)
            self._logbook.update_run(self._after)

    def undo(self) -> None:
        """As it was before."""
        with self._logbook.together():
            if self._said:
                self._logbook.forget_said(self._said)
            self._logbook.update_run(self._before)


def head_of(run: Run, method: Method, prepared: Prepared, asked: Iterable[Field]) -> Head:
    """The head of a run under what a form says now. What that does not ask stays as it is known; a run without a plan is given none.

    Parameters
    ----------
    prepared : as :meth:`Method.prepare` makes it; its meters are left aside, those of the run stay
    asked : the fields that a person could change
    """
    head = run.head
    made = method.head(prepared, replace(head.origin, between=prepared.between))
    keys = {part: {one.key for one in asked if one.part == part} for part in (CRITERIA, CONDITIONS, ORIGIN, PLAN)}
    return Head(
        method.key,
        replace(prepared.setup, meters=meters_for(head, method)),
        made.plan if head.plan else {},
        _taken(head.criteria, prepared.criteria, keys[CRITERIA]),
        _taken(head.conditions, prepared.conditions, keys[CONDITIONS]),
        made.origin if keys[ORIGIN] else head.origin,
    )


def meters_for(head: Head, method: Method) -> Mapping[str, Meter]:
    """The meters of a run at the taps of a method: where there was one only, that was moved."""
    meters = dict(head.setup.meters)
    if set(method.taps) <= set(meters) or not meters:
        return meters
    only = next(iter(meters.values())) if len({m.uid for m in meters.values()}) == 1 else None
    return {tap: meters.get(tap) or only or Meter("") for tap in method.taps}


def _taken(old: _Part, new: _Part, keys: set[str]) -> _Part:
    """Of ``new`` what stands under these keys, everything else of ``old``."""
    known: dict[str, Any] = {f.name: getattr(new, f.name) for f in fields(old) if f.name in keys}  # type: ignore[arg-type]
    return replace(old, **known)  # type: ignore[type-var]


# when the load came on and went off


def can_be_moved(record: Record) -> bool:
    """Whether the load came on and went off when a person said so, and not when an instrument switched it."""
    return not record.of(LoadOn) and (record.is_typed or not record.of(LoadOff))


def said_edges(jots: Iterable[StoredJot]) -> tuple[float | None, float | None]:
    """When a person said that the load came on first, and went off last."""
    marks = [(jot.time_s, jot.jotting.mark) for jot in jots if jot.jotting is not None]
    on, off = [t for t, m in marks if m == LOAD_ON], [t for t, m in marks if m in {LOAD_OFF, EMPTY}]
    return (on[0] if on else None), (off[-1] if off else None)


def edge_moved(jots: Iterable[StoredJot], mark: str, moment_s: float | None) -> list[Change]:
    """The first *load on* or the last *load off* at another moment; None: it was never said. Readings beside it stay where they are."""
    marks = {LOAD_ON} if mark == LOAD_ON else {LOAD_OFF, EMPTY}
    there = [(jot, found) for jot in jots if (found := jot.jotting) is not None and found.mark in marks]
    old = (there[0] if mark == LOAD_ON else there[-1]) if there else None
    changes = []
    if old is not None:
        jot, found = old
        mark = found.mark
        if moment_s is not None and abs(jot.time_s - moment_s) < 1:
            return []
        if not (found.readings or found.text):
            return [Change(jot.time_s if moment_s is None else moment_s, None if moment_s is None else found, jot.id)]
        changes.append(Change(jot.time_s, replace(found, mark="", line=""), jot.id))
    if moment_s is not None:
        changes.append(Change(moment_s, Jotting("", mark=mark, line=mark)))
    return changes


# a wrong clock


def shifted(run: Run, by_s: float) -> Run:
    """All of it so much later by the clock. Times from its start stay what they are.

    Raises
    ------
    ValueError
        It would have been made in the future, or the clock was wrong by more than a year.
    """
    if abs(by_s) > _MOST_SHIFT_S:
        raise ValueError(say("A clock that is wrong by {time}: look at it once more.", time=show_duration(abs(by_s))))
    started = datetime.fromisoformat(run.started) + timedelta(seconds=by_s)
    if started > datetime.now(UTC) + timedelta(minutes=1):
        raise ValueError(say("By that it began in the future: write “-1 h” where the clock was fast."))
    origin = run.head.origin
    return replace(run.under(origin=replace(origin, clock_s=origin.clock_s + by_s)), started=stamp_of(started))
