"""Whether an interrupted run of any kind can go on, and how it does."""

from __future__ import annotations

from dataclasses import replace

from ubrant.bench.session import RunSession
from ubrant.core.meter import Meter
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.workshop.benches import BY_HAND, INSTRUMENTS, choice_kept
from ubrant.workshop.running import continue_discharge, plan_from_json
from ubrant.workshop.trials.registry import trial_of
from ubrant.workshop.trials.session import can_trial_go_on, continue_trial, continue_typed_trial
from ubrant.workshop.typed_run import TypedRun, continue_typed


def can_go_on(logbook: Logbook, run: Run) -> bool:
    """Whether an interrupted run can go on: a discharge of a unit on the shelf, a trial made by hand, one whose rest follows from its points."""
    if run.state != "interrupted":
        return False
    return run.unit_id is not None if trial_of(run.method) is None else can_trial_go_on(logbook, run)


def go_on(logbook: Logbook, run: Run) -> tuple[Run, RunSession | TypedRun]:
    """Go on after the gap, on the instruments of the same names. The session still has to be started.

    Raises
    ------
    ValueError
        It is none that can go on.
    LogbookError
        The logbook cannot be written.
    """
    if not can_go_on(logbook, run):
        raise ValueError("This one cannot go on: close it with what it has, and start it anew.")
    meters = logbook.meters()
    choice = choice_kept(run.plan, meters) if run.source == INSTRUMENTS else None
    if trial_of(run.method) is not None:
        if run.source == BY_HAND:
            by_hand = continue_typed_trial(logbook, run)
            return by_hand.run, by_hand
        into, out = _named(run.meter, meters), _named(run.plan.get("output_meter", ""), meters)
        return continue_trial(logbook, run, choice=choice, meters=(into, out) if into and out else None)
    assert run.unit_id is not None
    unit = logbook.unit(run.unit_id)
    if run.source == BY_HAND:
        typed = continue_typed(logbook, run, plan_from_json(run.plan, unit)[0])
        return typed.run, typed
    if choice is not None and run.plan.get("by_hand"):
        choice = replace(choice, load=None)
    return continue_discharge(logbook, run, unit, choice=choice, meter=_named(run.meter, meters))


def _named(name: str, meters: list[Meter]) -> Meter | None:
    return next((m for m in meters if m.name == name), None)
