"""Which trials there are, which suit a unit, and what a kept or running one says."""

from __future__ import annotations

from dataclasses import replace

from ubrant.bench.session import RunSession
from ubrant.core.unit import Unit
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, StoredEvent
from ubrant.workshop.trials.appliance import ApplianceTrial, SupplyTrial
from ubrant.workshop.trials.beside import with_disagreements
from ubrant.workshop.trials.idle import IdleTrial
from ubrant.workshop.trials.steps import StepsTrial
from ubrant.workshop.trials.sweep import SweepTrial
from ubrant.workshop.trials.trial import KeptTrial, Trial, TrialView
from ubrant.workshop.trials.trip import TripTrial
from ubrant.workshop.trials.wave import WaveTrial
from ubrant.workshop.typed_run import TypedRun

TRIALS: tuple[Trial, ...] = (SweepTrial(), StepsTrial(), IdleTrial(), SupplyTrial(), TripTrial(), ApplianceTrial(), WaveTrial())


def trial_of(method: str) -> Trial | None:
    """The trial that a run was, None for a discharge."""
    return next((t for t in TRIALS if t.method == method), None)


def trials_for(unit: Unit) -> list[Trial]:
    """What can be tried on a unit, the usual one first; one whose form cannot be filled from its label is still among them."""
    return [t for t in TRIALS if t.is_started and t.suits(unit)]


def trial_view(logbook: Logbook, run: Run) -> TrialView:
    """A kept trial, worked out; load steps show the waves that were attached to their unit as well."""
    view = _view(run, _kept(logbook, run))
    if run.method != StepsTrial.method or run.unit_id is None:
        return view
    attached = [other for other, _ in logbook.runs() if other.method == WaveTrial.method and other.unit_id == run.unit_id]
    waves = [w for other in attached for w in _view(other, _kept(logbook, other)).waves]
    return replace(view, waves=tuple(sorted((*view.waves, *waves), key=lambda w: w.load_w)))


def live_trial(run: Run, session: RunSession | TypedRun) -> TrialView:
    """A trial that is going on, from what was taken so far."""
    events = tuple(StoredEvent(e.time_s, e.kind, e.text) for e in session.live.events())
    return _view(run, KeptTrial(session.live.all_series(), events, tuple(session.live.jots())))


def _kept(logbook: Logbook, run: Run) -> KeptTrial:
    series = {key: logbook.series(run.id, *key) for key in logbook.taps(run.id)}
    return KeptTrial(series, tuple(logbook.events(run.id)), tuple((j.time_s, j.line) for j in logbook.jots(run.id)))


def _view(run: Run, kept: KeptTrial) -> TrialView:
    trial = trial_of(run.method)
    assert trial is not None
    return with_disagreements(trial.view(run, kept), kept)
