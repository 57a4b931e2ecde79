"""Begin a trial: on the simulated bench, on instruments, or by hand."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime

from ubrant.bench.bench import Bench
from ubrant.bench.clocks import LaterClock, RealClock
from ubrant.bench.engine import Order, Progress
from ubrant.bench.session import RunSession
from ubrant.core.jot import Jotting
from ubrant.core.meter import Meter
from ubrant.core.protocols import Clock
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.logbook.writer import RunWriter
from ubrant.methods.steps import Ask, rest_of
from ubrant.workshop.benches import BY_HAND, INSTRUMENTS, SIMULATED, BenchChoice, instruments_as_json, open_trial_instruments
from ubrant.workshop.going_on import after_gap, begin_with
from ubrant.workshop.trials.registry import trial_of
from ubrant.workshop.trials.trial import LOAD, Told, Trial, ends_of, new_trial_run, told_of
from ubrant.workshop.typed_run import TypedRun


def start_trial(
    logbook: Logbook, trial: Trial, told: Told, *, speed: float = math.inf, started: datetime | None = None, choice: BenchChoice | None = None,
    unattended: bool = False,
) -> tuple[Run, RunSession]:  # fmt: skip
    """Begin a trial on the simulated bench, or on instruments. The session still has to be started.

    ``unattended``: on the simulated bench nobody is asked anything.

    Raises
    ------
    LogbookError
        The logbook cannot be written.
    """
    on_instruments = choice is not None and choice.kind == INSTRUMENTS
    blank = new_trial_run(told, trial.method, INSTRUMENTS if on_instruments else SIMULATED, started)
    kept = instruments_as_json(choice, ends_of(told)) if choice is not None else {}
    run = logbook.start_run(replace(blank, plan=blank.plan | kept))
    if choice is not None and on_instruments:
        chosen, meters = choice, told.meters
        return run, RunSession(
            trial.steps(told), lambda: open_trial_instruments(chosen, meters, loaded=LOAD in trial.chain), RunWriter(logbook.path, run.id)
        )
    opened = trial.open(told, run.id, speed)
    return run, RunSession(trial.steps(told), lambda: replace(opened(), unattended=unattended), RunWriter(logbook.path, run.id))


def can_trial_go_on(logbook: Logbook, run: Run) -> bool:
    """Whether an interrupted trial can go on: one made by hand always, one by itself where what is left follows from its points."""
    trial = trial_of(run.method)
    if trial is None or run.state != "interrupted":
        return False
    return run.source == BY_HAND or (trial.made_of_points and _answers(logbook, run) is not None)


def continue_trial(
    logbook: Logbook, run: Run, *, choice: BenchChoice | None = None, meters: tuple[Meter, Meter] | None = None, now: datetime | None = None
) -> tuple[Run, RunSession]:  # fmt: skip
    """Go on with the points that an interrupted trial still lacks, one that :func:`can_trial_go_on`.

    ``choice`` and ``meters`` are for one on instruments.
    """
    trial, answers = trial_of(run.method), _answers(logbook, run)
    assert trial is not None and answers is not None
    told = told_of(run)
    gap = after_gap(logbook, run, now)
    if run.source == INSTRUMENTS:
        chosen, ends = choice or BenchChoice(INSTRUMENTS), meters or told.meters

        def opener() -> Bench:
            return open_trial_instruments(chosen, ends, gap.from_s, loaded=LOAD in trial.chain)
    else:
        opened = trial.open(told, run.id, math.inf)

        def opener() -> Bench:
            bench = opened()
            return replace(bench, clock=LaterClock(bench.clock, gap.from_s))

    session = RunSession(rest_of(trial.steps(told), answers), opener, RunWriter(logbook.path, run.id))
    begin_with(session.live, logbook, run, gap.before)
    return gap.run, session


def _answers(logbook: Logbook, run: Run) -> list[str] | None:
    """What its points answered; None where that was not kept."""
    answers = [json.loads(e.text).get("answer") for e in logbook.events(run.id) if e.kind == "point"]
    return None if None in answers else answers


def continue_typed_trial(logbook: Logbook, run: Run, now: datetime | None = None) -> TypedTrial:
    """Go on by hand where the typed lines end."""
    trial = trial_of(run.method)
    assert trial is not None
    gap = after_gap(logbook, run, now)
    session = TypedTrial(logbook, gap.run, trial, told_of(run), LaterClock(RealClock(), gap.from_s))
    begin_with(session.live, logbook, run, gap.before)
    session.order(Order.DONE)
    if jots := logbook.jots(run.id):
        session.said("", jots[0].time_s, has_current=False)
    return session


def start_typed_trial(
    logbook: Logbook, trial: Trial, told: Told, clock: Callable[[], Clock] = RealClock, started: datetime | None = None
) -> tuple[Run, TypedTrial]:
    """Begin a trial that is made by hand."""
    run = logbook.start_run(new_trial_run(told, trial.method, BY_HAND, started))
    return run, TypedTrial(logbook, run, trial, told, clock())


class TypedTrial(TypedRun):
    """A trial made by hand: it calls out what to set, a typed line answers it and calls out the next."""

    def __init__(self, logbook: Logbook, run: Run, trial: Trial, told: Told, clock: Clock) -> None:
        self.trial, self.told = trial, told
        super().__init__(logbook, run, None, clock)

    def first_asks(self) -> list[Ask]:
        return [self.trial.first_ask(self.told)]

    def lacks(self, jotting: Jotting) -> str:
        """What a line lacks to count, in a sentence; empty when it is whole."""
        return self.trial.lacks(self.told, self._place(), jotting)

    def said(self, mark: str, time_s: float, has_current: bool) -> None:
        """A line was typed: the next is called out."""
        state = self._state
        self._state = replace(
            state, phase="measuring", load_on_s=time_s if state.load_on_s is None else state.load_on_s, text=self._callout(), cautions=()
        )

    def order(self, order: Order) -> None:
        if order is Order.DONE and self._state.phase == "asking":
            self._state = replace(self._state, phase="measuring", text=self._callout(), cautions=())
        elif order in (Order.STOP, Order.END) and self._state.phase != "ended":
            self._finish()

    @property
    def progress(self) -> Progress:
        if self._state.phase == "measuring":  # a line may have been taken back
            self._state = replace(self._state, text=self._callout())
        return super().progress

    def _place(self) -> int:
        return len(self.live.jots())

    def _callout(self) -> str:
        return self.trial.callout(self.told, self._place())
