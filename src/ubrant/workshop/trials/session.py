"""Begin a trial: on the simulated bench, on instruments, or by hand."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime

from ubrant.bench.clocks import RealClock
from ubrant.bench.engine import Order, Progress
from ubrant.bench.session import RunSession
from ubrant.core.jot import Jotting
from ubrant.core.protocols import Clock
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.logbook.writer import RunWriter
from ubrant.methods.steps import Ask
from ubrant.workshop.benches import BY_HAND, INSTRUMENTS, SIMULATED, BenchChoice, open_trial_instruments
from ubrant.workshop.trials.trial import Told, Trial, new_trial_run
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
    run = logbook.start_run(new_trial_run(told, trial.method, INSTRUMENTS if on_instruments else SIMULATED, started))
    if choice is not None and on_instruments:
        chosen, meters = choice, told.meters
        return run, RunSession(trial.steps(told), lambda: open_trial_instruments(chosen, meters), RunWriter(logbook.path, run.id))
    opened = trial.open(told, run.id, speed)
    return run, RunSession(trial.steps(told), lambda: replace(opened(), unattended=unattended), RunWriter(logbook.path, run.id))


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
