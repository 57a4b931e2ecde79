"""What became known of a run after it was made: what it was of, its plan, what it is judged by, when its load came on, that a clock was wrong."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, fields, replace
from datetime import UTC, datetime, timedelta
from typing import Any, TypeVar

from ubrant.core import FINDINGS_VERSION
from ubrant.core.equipment.meter import Meter
from ubrant.core.quantities.jot import JotError, TypedLine
from ubrant.core.quantities.quantity import show_duration
from ubrant.core.record.codec import encode
from ubrant.core.record.events import LoadOff, LoadOn
from ubrant.core.record.head import Conditions, Criteria, RunHeader
from ubrant.core.record.record import Record
from ubrant.core.wording import say
from ubrant.logbook.file import DamagedError
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, StoredJot, stamp_of
from ubrant.methods.form import CONDITIONS, CRITERIA, ORIGIN, Field
from ubrant.methods.method import Method, Prepared
from ubrant.runs.kept.accounts import summary_of
from ubrant.runs.making.going_on import since_start
from ubrant.runs.typed.edits import RowChange
from ubrant.runs.typed.sheet import clock_at, read_time

LOAD_ON, LOAD_OFF, EMPTY = "load on", "load off", "empty"
_HALF_A_DAY_S = 43_200.0
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


class KnownLate:
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


def texts_of(run: Run, method: Method, asked: Iterable[Field]) -> dict[str, str]:
    """The fields of a form as a run has them; of one without a plan those of its head alone.

    ``asked``: the fields, as they are of the unit that it is said to be of now
    """
    if run.head.plan and method.key == run.head.method:
        return method.typed(method.prepared(run.head))
    parts = {CRITERIA: run.head.criteria, CONDITIONS: run.head.conditions, ORIGIN: run.head.origin}
    known = [one for one in asked if hasattr(parts.get(one.part), one.key)]
    return {one.key: one.kind.show(value) for one in known if (value := getattr(parts[one.part], one.key)) is not None}


def head_as_known(run: Run, method: Method, usual: Prepared, made: Prepared) -> RunHeader:
    """The head of a run under what a form says now: what differs from the same form as it was (``usual``) is taken, all else stays as it is known.

    A run without a plan is given none. Its meters stay where they were.
    """
    head = run.head
    same = method.key == head.method
    plan = head.plan
    if plan and (not same or made.plan != usual.plan):
        plan = encode(made.plan)
    return RunHeader(
        method.key,
        replace(made.setup, meters=meters_for(head, method)),
        plan,
        _changed(head.criteria, usual.criteria if same else Criteria(), made.criteria),
        _changed(head.conditions, usual.conditions if same else Conditions(), made.conditions),
        head.origin if made.between == usual.between else replace(head.origin, between=made.between),
    )


def _changed(known: _Part, usual: _Part, made: _Part) -> _Part:
    """``known`` with what differs between the other two."""
    others: dict[str, Any] = {f.name: value for f in fields(known) if (value := getattr(made, f.name)) != getattr(usual, f.name)}  # type: ignore[arg-type]
    return replace(known, **others)  # type: ignore[type-var]


def meters_for(head: RunHeader, method: Method) -> Mapping[str, Meter]:
    """The meters of a run at the taps of a method: where there was one only, that was moved."""
    meters = dict(head.setup.meters)
    if set(method.taps) <= set(meters) or not meters:
        return meters
    only = next(iter(meters.values())) if len({m.uid for m in meters.values()}) == 1 else None
    return {tap: meters.get(tap) or only or Meter("") for tap in method.taps}


# when the load came on and went off


def can_be_moved(record: Record) -> bool:
    """Whether the load came on and went off when a person said so, and not when an instrument switched it."""
    return not record.of(LoadOn) and (record.is_typed or not record.of(LoadOff))


def said_edges(jots: Iterable[StoredJot]) -> tuple[float | None, float | None]:
    """When a person said that the load came on first, and went off last."""
    on, off = _edge(jots, LOAD_ON), _edge(jots, LOAD_OFF)
    return (None if on is None else on.time_s), (None if off is None else off.time_s)


def _edge(jots: Iterable[StoredJot], mark: str) -> StoredJot | None:
    """The row that says when it came on first, or went off last. One after a *load off* says nothing of the first."""
    marked = sorted((j for j in jots if j.jotting is not None and j.jotting.mark in {LOAD_ON, LOAD_OFF, EMPTY}), key=lambda j: j.time_s)
    if mark == LOAD_ON:
        return marked[0] if marked and _mark(marked[0]) == LOAD_ON else None
    return next((jot for jot in reversed(marked) if _mark(jot) != LOAD_ON), None)


def _mark(jot: StoredJot) -> str:
    return jot.jotting.mark if jot.jotting is not None else ""


def edge_moved(jots: Iterable[StoredJot], mark: str, moment_s: float | None) -> list[RowChange]:
    """The first *load on* or the last *load off* at another moment; None: it was never said. Readings beside it stay where they are."""
    jot = _edge(jots, mark)
    changes = []
    if jot is not None and (found := jot.jotting) is not None:
        mark = found.mark
        if moment_s is not None and abs(jot.time_s - moment_s) < 1:
            return []
        if not (found.readings or found.text):
            return [RowChange(jot.time_s if moment_s is None else moment_s, None if moment_s is None else found, jot.id)]
        changes.append(RowChange(jot.time_s, replace(found, mark="", line=""), jot.id))
    if moment_s is not None:
        changes.append(RowChange(moment_s, TypedLine("", mark=mark, line=mark)))
    return changes


def mark_moment(text: str, run: Run, jots: Iterable[StoredJot], near_s: float) -> float:
    """A time of day that was written for a mark, within half a day of what was read; seconds from the start of the run.

    Raises
    ------
    JotError
        It is none, or lies far from everything that was read.
    """
    read = [jot.time_s for jot in jots]
    first, last = min(read, default=0.0), max(read, default=0.0)
    moment = read_time(text, run, near_s, max(since_start(run), last))
    if not first - _HALF_A_DAY_S <= moment <= last + _HALF_A_DAY_S:
        raise JotError(
            say(
                "{time} would be far from what was read, {from_} to {to}: write its date as well.",
                time=text,
                from_=clock_at(run, first, days=True),
                to=clock_at(run, last, days=True),
            )
        )
    return moment


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
