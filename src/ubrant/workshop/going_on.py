"""Go on with a run that was interrupted, or leave it with what it has."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime

from ubrant.bench.live import Event, LiveReadings
from ubrant.core.quantity import show_duration
from ubrant.core.readings import Series
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, StoredEvent

_LEAST_GAP_S = 60.0


@dataclass(frozen=True)
class Gap:
    """A run that runs again, what was read before, and the moment it goes on from, in seconds of its own time."""

    run: Run
    before: Mapping[tuple[str, str], Series]
    from_s: float


def since_start(run: Run, now: datetime | None = None) -> float:
    """Seconds from its start until now."""
    return ((now or datetime.now(UTC)) - datetime.fromisoformat(run.started)).total_seconds()


def after_gap(logbook: Logbook, run: Run, now: datetime | None = None) -> Gap:
    """Mark the gap, and the run as running again."""
    before = {key: logbook.series(run.id, *key) for key in logbook.taps(run.id)}
    last_s = max((float(s.time_s[-1]) for s in before.values() if len(s)), default=0.0)
    from_s = max(last_s + _LEAST_GAP_S, since_start(run, now))
    goes_on = replace(run, state="running", ended_by="", trouble="")
    logbook.update_run(goes_on)
    logbook.add_event(run.id, StoredEvent(from_s, "gap", f"Interrupted; nothing was read for {show_duration(from_s - last_s)}."))
    return Gap(goes_on, before, from_s)


def begin_with(live: LiveReadings, logbook: Logbook, run: Run, before: Mapping[tuple[str, str], Series]) -> None:
    """What was read, noted and typed before stands in front of what will come."""
    live.begin_with(before, [Event(e.time_s, e.kind, e.text) for e in logbook.events(run.id)])
    for jot in logbook.jots(run.id):
        live.jot(jot.id, jot.time_s, jot.line)


def close_interrupted(logbook: Logbook, run: Run) -> Run:
    """Leave an interrupted run as it is: done, with what it has."""
    closed = replace(run, state="done")
    logbook.update_run(closed)
    return closed
