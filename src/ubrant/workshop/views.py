"""Work out runs that were kept or are going on, for whoever shows them."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ubrant.bench.rehearsal import Rehearsal
from ubrant.core.account import account
from ubrant.core.course import Course, course, running_charge, thinned
from ubrant.core.cutoff import Cutoff
from ubrant.core.departure import leaves_expected
from ubrant.core.discharge import Discharge, DischargeRecord
from ubrant.core.label import Label, LabelError
from ubrant.core.readings import Readings, ReadingsError, join
from ubrant.core.unit import Unit
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, StoredEvent, StoredJot, Summary
from ubrant.logbook.run_record import Kept, beside_of, record_of, typed_of
from ubrant.workshop.jotting import Session
from ubrant.workshop.trials.registry import trial_of, trial_view


@dataclass(frozen=True)
class RunView:
    """A run with everything a window or a report shows of it."""

    run: Run
    record: DischargeRecord
    found: Discharge
    load: Readings | None
    events: tuple[StoredEvent, ...]
    notes: tuple[tuple[float, str], ...] = ()


def view_of(logbook: Logbook, run: Run, cutoff: Cutoff | None = None) -> RunView:
    """Work out a kept run.

    Raises
    ------
    ReadingsError
        Nothing can be said of it: too few readings, or no current.
    """
    return _viewed(run, kept_of(logbook, run), cutoff)


def kept_of(logbook: Logbook, run: Run) -> Kept:
    """Everything that was read, noted and typed in a run."""
    series = {key: logbook.series(run.id, *key) for key in logbook.taps(run.id)}
    return Kept(series, tuple(logbook.events(run.id)), typed_of(logbook.jots(run.id)))


def _viewed(run: Run, kept: Kept, cutoff: Cutoff | None = None) -> RunView:
    record = record_of(run, kept, cutoff)
    load_v, load_a = kept.either("load", "V"), kept.either("load", "A")
    load = join(load_v, load_a) if len(load_v) and len(load_a) else None
    return RunView(run, record, account(record, beside_of(run, kept)), load, kept.events, kept.typed.notes if kept.typed else ())


def latest(session: Session) -> dict[tuple[str, str], float]:
    """The last value at every tap of a run that is going on."""
    series = session.live.all_series()
    series |= {key: s for key, s in typed_of(StoredJot(t, line) for t, line in session.live.jots()).series.items() if key not in series}
    return {key: float(s.value[-1]) for key, s in series.items() if len(s)}


def live_view(run: Run, session: Session) -> RunView | None:
    """Work out a run that is going on, from what was read so far; None before there is anything."""
    events = tuple(StoredEvent(e.time_s, e.kind, e.text) for e in session.live.events())
    progress = session.progress
    ended_by = progress.ended_by if progress.phase in {"recovering", "ended"} else ""
    kept = Kept(session.live.all_series(), events, typed_of(StoredJot(t, line) for t, line in session.live.jots()))
    try:
        view = _viewed(replace(run, ended_by=ended_by, state="running"), kept)
    except ReadingsError:
        return None
    return view if view.record.load_on_s is not None or kept.is_typed else None


def summary_of(logbook: Logbook, run: Run) -> Summary | None:
    """The few figures of a run, from the logbook or worked out now; None when nothing can be said."""
    kept = logbook.summary(run.id)
    if kept is not None or run.state == "running":
        return kept
    if trial_of(run.method) is not None:
        sentence = trial_view(logbook, run).sentence
        return logbook.keep_summary(run.id, Summary(*(None,) * 6, run.ended_by, "", sentence)) if sentence else None
    try:
        return logbook.keep_summary(run.id, _summary(view_of(logbook, run).found))
    except ReadingsError:
        return None


def _summary(found: Discharge) -> Summary:
    charge, energy, share = (found.findings[key] for key in ("charge", "energy", "label_share"))
    return Summary(
        charge.value, charge.expanded_uncertainty, energy.value, energy.expanded_uncertainty, share.value, share.expanded_uncertainty,
        found.ended_by, found.verdict.word, found.verdict.sentence,
    )  # fmt: skip


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


def departure_of(view: RunView, seen: Rehearsal | None) -> str:
    """A sentence where a run that is going on leaves its expected curve; empty while it does not."""
    if seen is None or seen.load_on_s is None or not seen.until_s or view.record.widths is not None:
        return ""
    part, model = thinned(view.record.readings, 4000), seen.readings
    under_load = part.time_s >= view.found.load_on_s
    in_model = (model.time_s >= seen.load_on_s) & (model.time_s <= seen.load_on_s + seen.until_s[0])
    if under_load.sum() < 10 or in_model.sum() < 5:
        return ""
    first, expected_first = int(np.argmax(under_load)), int(np.argmax(in_model))
    so_far, foreseen = running_charge(part), running_charge(model)
    return leaves_expected(
        so_far[under_load] - so_far[first],
        part.voltage_v[under_load],
        foreseen[in_model] - foreseen[expected_first],
        model.voltage_v[in_model],
    )


def label_of(unit: Unit) -> Label | None:
    """A unit's label, or None where it claims no capacity."""
    try:
        return unit.label
    except LabelError:
        return None
