"""After the end of a run: its instruments stay connected for a while, and somebody looks whether off stays off."""

from __future__ import annotations

import contextlib
import queue
import threading
from collections.abc import Callable
from dataclasses import replace

from ubrant.bench.bench import Bench
from ubrant.bench.instruments import InstrumentError
from ubrant.bench.live import LiveReadings
from ubrant.bench.orders import Ears, Order, Progress
from ubrant.bench.staying_off import StayingOff
from ubrant.core.quantities.quantity import show_duration
from ubrant.core.record.events import Event
from ubrant.diagnostics import unexpected

LOOKS_FOR_S = 15 * 60.0
_EVERY_S = 2.0


class Afterwards:
    """Looks on until a person says that it is disconnected, another run takes the bench, the window closes, or a quarter of an hour has passed.

    ``progress`` is ``may be on`` while something flows, else ``ended``; its notice is what a person should know. ``keep`` keeps events of the run.
    """

    def __init__(self, bench: Bench, staying: StayingOff, keep: Callable[[Event], None], looks_for_s: float = LOOKS_FOR_S) -> None:
        self._bench, self._keep, self.looks_for_s = bench, keep, looks_for_s
        self.progress = Progress(phase="ended")
        self.is_over = False
        self.said = ""
        """How it ended, where that has to be said."""
        self._staying = StayingOff(bench, self._kept, self._update, lambda: self.progress, staying.watch)
        self._staying.keys = staying.keys
        self._staying.goes_on_with(staying.flow)
        self._silent: set[str] = set()
        self._orders: queue.SimpleQueue[Order] = queue.SimpleQueue()
        self._ears = Ears(self._orders, bench.alive)
        self._thread = threading.Thread(target=self.run, name="afterwards", daemon=True)  # the guardian is there for what it leaves

    def start(self) -> None:
        self._thread.start()

    def order(self, order: Order) -> None:
        """``BESIDES``: something else draws what flows. ``DONE``: everything is disconnected."""
        self._orders.put(order)

    def let_go(self) -> None:
        """Close the lines as soon as what is being read has come; nothing of what may be on is forgotten."""
        self._orders.put(Order.LEAVE)

    def leave(self) -> None:
        """As :meth:`let_go`, and wait for it."""
        self.let_go()
        if self._thread.is_alive():
            self._thread.join(10.0)

    def run(self) -> None:
        """To its end, whatever that is; the bench is closed behind it."""
        clock = self._bench.clock
        began = clock.now_s()
        try:
            for stream in self._bench.streams:
                stream.start(clock, LiveReadings())
            while self._staying.flow is not None or clock.now_s() < began + self.looks_for_s:
                if self._obeyed():
                    return
                self._look()
                clock.wait_until(clock.now_s() + self._staying.pace(_EVERY_S), self._ears.called)
            self.said = f"For {show_duration(self.looks_for_s)} after the end of the run nothing flowed: the instruments are let go."
        except InstrumentError:  # the bench has gone as a whole
            return
        except Exception as error:  # whatever it is, the lines are closed and the guardian says farewell
            unexpected("looking on after the end", error)
        finally:
            for stream in self._bench.streams:
                stream.stop()
            self._bench.close()
            self.progress = replace(self.progress, phase="ended", notice="" if self.progress.phase == "ended" else self.progress.notice)
            self.is_over = True

    def _look(self) -> None:
        shown, flowed = {}, self._staying.flow is not None
        for channel in self._bench.channels:
            if (channel.tap, channel.quantity) not in self._staying.keys:
                continue
            try:
                shown[(channel.tap, channel.quantity)] = channel.read()
            except InstrumentError as error:
                self._falls_silent(channel.meter, str(error))
                if channel.connection is not None:
                    with contextlib.suppress(InstrumentError):
                        channel.connection.reopen()  # off is the first that is sent
            else:
                self._silent.discard(channel.meter)
        self._staying.look(shown, self._bench.clock.now_s())
        if flowed and self._staying.flow is None:
            self._is_off()

    def _falls_silent(self, meter: str, why: str) -> None:
        """Once, and calmly: it had confirmed that it is off."""
        if meter not in self._silent:
            self._silent.add(meter)
            self._update(notice=f"{why} The run is over, and what was on had confirmed that it is off.")

    def _is_off(self) -> None:
        for thing in (self._bench.load, self._bench.supply):
            if thing is not None:
                thing.is_over()

    def _obeyed(self) -> bool:
        """Carry out what was ordered; True where that ends it."""
        while self._ears.pending or self._ears.called(0.0):
            order = self._ears.pending.pop(0)
            if order is Order.LEAVE:
                return True
            if order is Order.DONE:
                self._is_off()
                self._staying.goes_on_with(None)
                self.progress = Progress(phase="ended")
                return True
            if order is Order.BESIDES:
                self._staying.besides(self._bench.clock.now_s())
                self._is_off()
        return False

    def _kept(self, event: Event) -> None:
        """What cannot be written any more is said all the same."""
        try:
            self._keep(event)
        except Exception as error:
            unexpected("keeping what was seen after the end", error)

    def _update(self, **changes: object) -> None:
        self.progress = replace(self.progress, **changes)  # type: ignore[arg-type]
