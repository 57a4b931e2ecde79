"""A run that a person types: no instrument at all, a line and an Enter at a time."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import datetime

from ubrant.bench.clocks import LaterClock, RealClock
from ubrant.bench.command_log import CommandLog
from ubrant.bench.engine import Order, Progress
from ubrant.bench.live import LiveReadings
from ubrant.core.protocols import Clock
from ubrant.core.quantity import plain
from ubrant.core.unit import Unit
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, StoredEvent
from ubrant.methods import cautions
from ubrant.methods.discharge import DischargePlan
from ubrant.methods.steps import Ask
from ubrant.workshop.benches import BY_HAND
from ubrant.workshop.going_on import begin_with, since_start


def typed_steps(plan: DischargePlan) -> list[Ask]:
    """What is asked of the person before the first reading."""
    volts = plain(plan.cutoff.voltage_v)
    return [
        Ask("Charge it fully until the charger stops, let it rest, take every other load off.", (cautions.LOOK_FIRST,)),
        Ask(
            "Clip the meter on at the battery's terminals, then the load behind its leads, switched off.", (cautions.FUSE, cautions.SURFACE)
        ),
        Ask(
            f"Take down the resting voltage (“13.34 V”). Switch the load on and say so with the first reading: “load on 13.1 V 10 A”. "
            f"Then look in now and then, more often near {volts} V.",
            (cautions.HAND_OFF, cautions.WARM),
        ),
    ]


class TypedRun:
    """Looks to a stage like any session, but has no thread and no instrument: what it knows is what was typed."""

    is_typed = True

    def __init__(self, logbook: Logbook, run: Run, plan: DischargePlan | None, clock: Clock) -> None:
        self.live = LiveReadings()
        self.commands: CommandLog | None = None
        self._logbook, self.run, self._plan, self.clock = logbook, run, plan, clock
        self._asks = self.first_asks()
        self._state = Progress(phase="asking", text=self._asks[0].text, cautions=self._asks[0].cautions)

    def first_asks(self) -> list[Ask]:
        """What is asked before the first reading."""
        assert self._plan is not None
        return typed_steps(self._plan)

    def start(self) -> None:
        """It has begun: there is nothing to wait for."""

    @property
    def progress(self) -> Progress:
        if self._state.phase == "ended":
            return self._state
        return replace(self._state, time_s=self.clock.now_s())

    @property
    def running(self) -> bool:
        return self._state.phase != "ended"

    def order(self, order: Order) -> None:
        """Done goes on to the next thing asked; stop means the load is off; stop again, or end, closes the run."""
        phase = self._state.phase
        if order is Order.DONE and phase == "asking":
            self._asks.pop(0)
            if self._asks:
                self._state = replace(self._state, text=self._asks[0].text, cautions=self._asks[0].cautions)
            if len(self._asks) == 1:
                self._state = replace(self._state, phase="resting")
        elif order is Order.STOP and phase == "load on":
            self.event(self.clock.now_s(), "load off", "Load off.")
            self._recovering()
        elif order in (Order.STOP, Order.END) and phase != "ended":
            self._finish()

    def said(self, mark: str, time_s: float, has_current: bool) -> None:
        """A typed line marked something, or held a first current: the load is on, or off."""
        if self._state.load_on_s is None and (mark == "load on" or has_current):
            self._state = replace(self._state, phase="load on", load_on_s=time_s, cautions=(cautions.HAND_OFF, cautions.WARM))
        if mark in {"load off", "empty"} and self._state.phase == "load on":
            self._recovering(time_s)

    def event(self, time_s: float, kind: str, text: str) -> None:
        self._logbook.add_event(self.run.id, StoredEvent(time_s, kind, text))
        self.live.event(time_s, kind, text)

    def jot(self, text: str, time_s: float | None = None) -> float:
        moment = self.clock.now_s() if time_s is None else time_s
        self.event(moment, "jotting", text)
        return moment

    def end(self, timeout_s: float = 0.0) -> None:
        if self.running:
            self._finish()

    def join(self, timeout_s: float | None = None) -> None:
        """There is nothing to wait for."""

    def _recovering(self, time_s: float | None = None) -> None:
        moment = self.clock.now_s() if time_s is None else time_s
        text = "Let it rest, take down the voltage it recovers to, then close the run."
        self._state = replace(self._state, phase="recovering", load_off_s=moment, text=text, cautions=(cautions.RECHARGE,))

    def _finish(self) -> None:
        self.run = replace(self.run, state="done", ended_by="person")
        self._logbook.update_run(self.run)
        self._state = replace(self._state, phase="ended", ended_by="person", text="", cautions=(), time_s=self.clock.now_s())


def start_typed(
    logbook: Logbook, unit: Unit, plan: DischargePlan, run: Run, clock: Callable[[], Clock] = RealClock
) -> tuple[Run, TypedRun]:
    """Begin a run that will be typed."""
    kept = logbook.start_run(replace(run, source=BY_HAND))
    return kept, TypedRun(logbook, kept, plan, clock())


def continue_typed(logbook: Logbook, run: Run, plan: DischargePlan, now: datetime | None = None) -> TypedRun:
    """Go on typing a run that was left."""
    goes_on = replace(run, state="running", ended_by="")
    logbook.update_run(goes_on)
    session = TypedRun(logbook, goes_on, plan, LaterClock(RealClock(), max(since_start(run, now), 0.0)))
    begin_with(session.live, logbook, run, {})
    session.order(Order.DONE)
    session.order(Order.DONE)
    on = [j for j in logbook.jots(run.id) if " A" in j.line or "load on" in j.line]
    if on:
        session.said("load on", on[0].time_s, has_current=True)
    return session
