"""A run made by hand: a person sets things and reads displays, Ubrant asks, and takes down one Enter at a time."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import UTC, datetime

from ubrant.bench.command_log import CommandLog
from ubrant.bench.live import LiveReadings
from ubrant.bench.orders import OVER, Order, Progress
from ubrant.bench.session import RunSession
from ubrant.core.protocols import Clock
from ubrant.core.quantities.jot import LEFT_OUT, TypedLine
from ubrant.core.record.events import Event, LoadOff, Note
from ubrant.core.record.record import TapQuantity
from ubrant.core.wording import say
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, StoredJot
from ubrant.methods import cautions
from ubrant.methods.method import Method, Prepared
from ubrant.methods.rows import HandScript, Prompt

LOAD_ON, LOAD_OFF = "load on", "load off"
_OFF = {LOAD_OFF, "empty"}
_BEGINS_NOTHING = {*_OFF, LEFT_OUT}
_MUCH_LEFT = 50.0
"""Percent on its display from which nobody has to hurry to recharge it."""


class TypedSession:
    """Looks to a stage like any session, but has no thread and no instrument: it asks, calls out row after row, and knows what was typed."""

    is_typed = True

    def __init__(self, logbook: Logbook, run: Run, method: Method, prepared: Prepared, clock: Clock) -> None:
        self.live = LiveReadings()
        self.commands: CommandLog | None = None
        self._logbook, self.run, self.clock = logbook, run, clock
        self.hand: HandScript = method.by_hand(prepared)
        self._asks = list(self.hand.asks)
        self._state = Progress()
        self.relook()

    def start(self) -> None:
        """It has begun: there is nothing to wait for."""

    def let_go(self) -> None:
        """Nothing is connected."""

    def keep_up(self) -> None:
        """Nothing comes by itself."""

    @property
    def progress(self) -> Progress:
        return self._state if self._state.phase == "ended" else replace(self._state, time_s=self.clock.now_s())

    @property
    def running(self) -> bool:
        return self._state.phase != "ended"

    @property
    def row(self) -> Prompt:
        """What is to be set and typed next."""
        return self.hand.next_row([jotting for _, jotting in self.live.jots()] if self.hand.rows else ())

    @property
    def wanted_elsewhere(self) -> Mapping[str, Mapping[TapQuantity, float]]:
        """What the rows ask for that come behind the one whose turn it is, by how they are called."""
        return self.hand.wanted_elsewhere([jotting for _, jotting in self.live.jots()]) if self.hand.rows else {}

    def lacks(self, jotting: TypedLine) -> str:
        """What a line lacks to count, in a sentence; empty when it is whole."""
        return "" if self.hand.is_aside(jotting) else self.row.lacks(jotting)

    def order(self, order: Order) -> None:
        """Done goes on to the next thing asked; stop means the load is off, or closes the run; so does end."""
        phase = self._state.phase
        if order is Order.DONE and phase == "asking":
            self._asks.pop(0)
            self.relook()
        elif order is Order.STOP and phase == "load on":
            self._take_down(TypedLine("", mark=LOAD_OFF, line=LOAD_OFF))
        elif (order is Order.STOP or order in OVER) and phase != "ended":
            self._finish("program" if order is Order.CLOSE else "person")

    def relook(self) -> None:
        """Where it stands by what was asked and typed, however that was changed meanwhile."""
        if self._state.phase == "ended":
            return
        lines = self.live.jots()
        if not self.hand.marks_load:
            first_s = lines[0][0] if lines else None
            self._state = self._asked() if self._asks and not lines else Progress("measuring", self.row.text, load_on_s=first_s)
            return
        offs = [(e.time_s, TypedLine("", mark=LOAD_OFF)) for e in self.live.events() if isinstance(e, LoadOff)]
        rows = sorted([*lines, *offs], key=lambda row: row[0]) if offs else lines
        said = next((j.mark for _, j in rows if j.mark == LOAD_ON or j.mark in _OFF), "") == LOAD_ON
        on_s: float | None = None
        off_s: float | None = None
        loaded = False
        for time_s, jotting in rows:
            mark = jotting.mark
            if on_s is not None and not mark:
                continue
            begins = (
                on_s is None
                and not said
                and mark not in _BEGINS_NOTHING
                and any(r.quantity in {"A", "W"} and r.value for r in jotting.readings)
            )
            if not loaded and (begins or mark == LOAD_ON):
                loaded, on_s, off_s = True, time_s if on_s is None else on_s, None
            if loaded and mark in _OFF:
                loaded, off_s = False, time_s
        if on_s is None:
            self._state = self._asked()
        elif loaded:
            self._state = Progress("load on", self.row.text, (cautions.HAND_OFF, cautions.WARM), load_on_s=on_s)
        else:
            text = say("Let it rest, take down the voltage it recovers to, then close the run. Or switch it on again, and say “load on”.")
            shown = [r.value for _, jotting in lines for r in jotting.readings if r.quantity == "%"]
            soon = (cautions.RECHARGE,) if not shown or shown[-1] < _MUCH_LEFT else ()
            self._state = Progress("recovering", text, soon, load_on_s=on_s, load_off_s=off_s)

    def _asked(self) -> Progress:
        """What is asked now; the last thing asked of a discharge stays while its rest is read."""
        if len(self._asks) > self.hand.marks_load:
            return Progress("asking", self._asks[0].text, self._asks[0].cautions)
        last = self._asks[0] if self._asks else self.hand.asks[-1]
        return Progress("resting", last.text, last.cautions)

    def _take_down(self, jotting: TypedLine) -> None:
        """A mark at this moment, as a row like any other: its time can be mended."""
        moment = self.clock.now_s()
        row = StoredJot(moment, jotting.line, datetime.now(UTC).isoformat(timespec="seconds"), data=jotting)
        self.live.jot_is(self._logbook.add_jot(self.run.id, row), (moment, jotting))
        self.relook()

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
        self._asks = self._asks[len(self._asks) - self.hand.marks_load :]
        self.relook()

    def _finish(self, ended_by: str) -> None:
        self.run = replace(self.run, state="done", ended_by=ended_by)
        self._logbook.update_run(self.run)
        self._state = replace(self._state, phase="ended", ended_by=ended_by, text="", cautions=(), time_s=self.clock.now_s())


Session = RunSession | TypedSession
"""A run that is going on: an engine carries it out, or a person does."""
