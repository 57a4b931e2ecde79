"""Work out runs that were kept or are going on, for whoever shows them."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ubrant.bench.rehearsal import Rehearsal
from ubrant.bench.session import RunSession
from ubrant.core.course import Course, course, running_charge, thinned
from ubrant.core.cutoff import Cutoff
from ubrant.core.discharge import Discharge, DischargeRecord, analyse
from ubrant.core.label import Label, LabelError
from ubrant.core.readings import Readings, ReadingsError, join
from ubrant.core.unit import Unit
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, StoredEvent, Summary


@dataclass(frozen=True)
class RunView:
    """A run with everything a window or a report shows of it."""

    run: Run
    record: DischargeRecord
    found: Discharge
    load: Readings | None
    events: tuple[StoredEvent, ...]


def view_of(logbook: Logbook, run: Run, cutoff: Cutoff | None = None) -> RunView:
    """Work out a kept run.

    Raises
    ------
    ReadingsError
        Nothing can be said of it: too few readings, or no current.
    """
    events = logbook.events(run.id)
    record = run.record(logbook.series(run.id, "battery", "V"), logbook.series(run.id, "battery", "A"), events, cutoff)
    load_v, load_a = logbook.series(run.id, "load", "V"), logbook.series(run.id, "load", "A")
    load = join(load_v, load_a) if len(load_v) and len(load_a) else None
    return RunView(run, record, analyse(record), load, tuple(events))


def live_view(run: Run, session: RunSession) -> RunView | None:
    """Work out a run that is going on, from what was read so far; None before there is anything."""
    events = tuple(StoredEvent(e.time_s, e.kind, e.text) for e in session.live.events())
    progress = session.progress
    ended_by = progress.ended_by if progress.phase in {"recovering", "ended"} else ""
    try:
        record = replace(run, ended_by=ended_by).record(
            session.live.series("battery", "V"), session.live.series("battery", "A"), list(events)
        )
        if record.load_on_s is None:
            return None
        found = analyse(record)
        load = join(session.live.series("load", "V"), session.live.series("load", "A"))
    except ReadingsError:
        return None
    return RunView(run, record, found, load, events)


def summary_of(logbook: Logbook, run: Run) -> Summary | None:
    """The few figures of a run, from the logbook or worked out now; None when nothing can be said."""
    kept = logbook.summary(run.id)
    if kept is not None or run.state == "running":
        return kept
    try:
        return logbook.keep_summary(run.id, view_of(logbook, run).found)
    except ReadingsError:
        return None


def course_of(view: RunView, seen: Rehearsal | None) -> Course | None:
    """Where a run that is going on is heading, by what was expected of it; None while too little has flowed."""
    if seen is None or seen.load_on_s is None or not seen.until_s:
        return None
    part, model = thinned(view.record.readings), seen.readings
    so_far, foreseen = running_charge(part), running_charge(model)
    usual = float(np.median(part.current_a[part.current_a > 0])) if (part.current_a > 0).any() else 0.0
    under_load = part.current_a > 0.5 * usual
    in_model = (model.time_s >= seen.load_on_s) & (model.time_s <= seen.load_on_s + seen.until_s[0])
    return course(so_far[under_load], part.voltage_v[under_load], foreseen[in_model], model.voltage_v[in_model], usual)


def label_of(unit: Unit) -> Label | None:
    """A unit's label, or None where it claims no capacity."""
    try:
        return unit.label
    except LabelError:
        return None
