"""A run that a person types: no instrument at all, a line and an Enter at a time."""

from __future__ import annotations

from dataclasses import replace

from ubrant.bench.command_log import CommandLog
from ubrant.bench.live import LiveReadings
from ubrant.bench.orders import OVER, Order, Progress
from ubrant.core.protocols import Clock
from ubrant.core.quantities.jot import Jotting
from ubrant.core.record.events import Event, LoadOff, Note
from ubrant.core.wording import say
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.methods import cautions
from ubrant.methods.method import Method, Prepared, Row


class TypedSession:
    """Looks to a stage like any session, but has no thread and no instrument: it asks, calls out row after row, and knows what was typed."""

    is_typed = True

    def __init__(self, logbook: Logbook, run: Run, method: Method, prepared: Prepared, clock: Clock) -> None:
        self.live = LiveReadings()
        self.commands: CommandLog | None = None
        self._logbook, self.run, self.clock = logbook, run, clock
        self._hand = method.by_hand(prepared)
        self._asks = list(self._hand.asks)
        self._state = Progress(phase="asking", text=self._asks[0].text, cautions=self._asks[0].cautions)

    def start(self) -> None:
        """It has begun: there is nothing to wait for."""

    @property
    def progress(self) -> Progress:
        if self._state.phase == "ended":
            return self._state
        if self._state.phase == "measuring":  # a line may have been taken back
            self._state = replace(self._state, text=self.row.text)
        return replace(self._state, time_s=self.clock.now_s())

    @property
    def running(self) -> bool:
        return self._state.phase != "ended"

    @property
    def row(self) -> Row:
        """What is to be set and typed next."""
        return self._hand.row(len(self.live.jots()))

    def lacks(self, jotting: Jotting) -> str:
        """What a line lacks to count, in a sentence; empty when it is whole."""
        return self.row.lacks(jotting)

    def order(self, order: Order) -> None:
        """Done goes on to the next thing asked; stop means the load is off, or closes the run; so does end."""
        phase = self._state.phase
        if order is Order.DONE and phase == "asking":
            self._go_on()
        elif order is Order.STOP and phase == "load on":
            self.event(LoadOff(self.clock.now_s(), say("Load off.")))
            self._recovering(self.clock.now_s())
        elif (order is Order.STOP or order in OVER) and phase != "ended":
            self._finish("program" if order is Order.CLOSE else "person")

    def _go_on(self) -> None:
        self._asks.pop(0)
        if self._asks:
            self._state = replace(self._state, text=self._asks[0].text, cautions=self._asks[0].cautions)
        if not self._hand.marks_load and not self._asks:
            self._state = replace(self._state, phase="measuring", text=self.row.text, cautions=())
        elif self._hand.marks_load and len(self._asks) == 1:
            self._state = replace(self._state, phase="resting")

    def said(self, mark: str, time_s: float, has_current: bool) -> None:
        """A line was typed: the next row is called out; or it marked something, or held a first current: the load is on, or off."""
        state = self._state
        if not self._hand.marks_load:
            on_s = time_s if state.load_on_s is None else state.load_on_s
            self._state = replace(state, phase="measuring", load_on_s=on_s, text=self.row.text, cautions=())
            return
        if (state.load_on_s is None and has_current) or (
            mark == "load on" and state.phase != "load on"
        ):  # the first time, or after a break
            on_s = time_s if state.load_on_s is None else state.load_on_s
            self._state = replace(
                state, phase="load on", load_on_s=on_s, load_off_s=None, text="", cautions=(cautions.HAND_OFF, cautions.WARM)
            )
        if mark in {"load off", "empty"} and self._state.phase == "load on":
            self._recovering(time_s)

    def event(self, event: Event) -> None:
        self._logbook.add_event(self.run.id, event)
        self.live.event(event)

    def jot(self, text: str, time_s: float | None = None) -> float:
        moment = self.clock.now_s() if time_s is None else time_s
        self.event(Note(moment, text))
        return moment

    def end(self, timeout_s: float = 0.0, order: Order = Order.END) -> None:
        if self.running:
            self.order(order)

    def join(self, timeout_s: float | None = None) -> None:
        """There is nothing to wait for."""

    def taken_up(self) -> None:
        """Go on where the typed lines end: what was asked at the start is done, what was marked holds."""
        while self._asks and self._state.phase == "asking":
            self._go_on()
        for time_s, line in self.live.jots():
            mark = next((m for m in ("load on", "load off", "empty") if m in line), "")
            if mark or " A" in line or not self._hand.marks_load:
                self.said(mark, time_s, has_current=" A" in line or not self._hand.marks_load)

    def _recovering(self, moment: float) -> None:
        text = say("Let it rest, take down the voltage it recovers to, then close the run.")
        self._state = replace(self._state, phase="recovering", load_off_s=moment, text=text, cautions=(cautions.RECHARGE,))

    def _finish(self, ended_by: str) -> None:
        self.run = replace(self.run, state="done", ended_by=ended_by)
        self._logbook.update_run(self.run)
        self._state = replace(self._state, phase="ended", ended_by=ended_by, text="", cautions=(), time_s=self.clock.now_s())
