"""One run in a thread of its own: started, ordered about, looked at, joined."""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Callable
from dataclasses import replace

from ubrant.bench.afterwards import Afterwards
from ubrant.bench.bench import Bench
from ubrant.bench.command_log import CommandLog
from ubrant.bench.engine import Engine
from ubrant.bench.instruments import InstrumentError
from ubrant.bench.live import FanOut, LiveReadings
from ubrant.bench.orders import OVER, Order, Progress
from ubrant.core.protocols import Recorder
from ubrant.core.record.events import Event, Note
from ubrant.diagnostics import unexpected
from ubrant.methods.steps import Steps


class RunSession:
    """Carries a method out on a bench in a non-daemon thread; the process does not end before the load is off.

    ``open_bench`` is called in that thread, since instruments belong to the thread that talks to them. ``keep_after`` keeps what is seen at the
    instruments after the run has ended; without it nobody looks any more.
    """

    def __init__(
        self, steps: Steps, open_bench: Callable[[], Bench], recorder: Recorder, keep_after: Callable[[Event], None] | None = None
    ) -> None:
        self.live = LiveReadings()
        self.after: Afterwards | None = None
        """Looks at the bench on after the run has ended; None where nobody does."""
        self._keep_after = keep_after
        self.commands: CommandLog | None = None
        self._steps, self._open_bench = steps, open_bench
        self._recorder = FanOut(recorder, self.live)
        self._orders: queue.SimpleQueue[Order] = queue.SimpleQueue()
        self._progress = Progress(phase="resting", text="Connecting to the bench …")
        self._bench: Bench | None = None
        self._thread = threading.Thread(target=self._run, name="engine", daemon=False)
        self.is_typed = False

    def start(self) -> None:
        self._thread.start()

    @property
    def progress(self) -> Progress:
        return self._progress

    @property
    def running(self) -> bool:
        return self._thread.is_alive()

    def order(self, order: Order) -> None:
        """Tell the engine; where the run is to end, off is sent at once, by a thread that nothing can hold up."""
        self._orders.put(order)
        if order in OVER and (bench := self._bench) is not None:
            threading.Thread(target=bench.cut_off, name="off", daemon=True).start()

    def jot(self, text: str, time_s: float | None = None) -> float:
        """Note something at a time of the run (now, when None); returns that time."""
        moment = self._progress.time_s if time_s is None else time_s
        self._recorder.event(Note(moment, text))
        return moment

    def end(self, timeout_s: float = 30.0, order: Order = Order.END) -> None:
        """End at once and wait until the load is off; not for one that cannot be confirmed to be."""
        if self._thread.is_alive():
            self.order(order)
            waited_until = time.monotonic() + timeout_s
            while self._thread.is_alive() and self._progress.phase != "may be on" and time.monotonic() < waited_until:
                self._thread.join(0.05)
            if self._progress.phase == "may be on":
                self.order(order)
                self._thread.join(timeout_s)
        self.leave()

    def relook(self) -> None:
        """What was typed beside it changes nothing of what is done."""

    def let_go(self) -> None:
        """Whoever looks at the bench is to leave it; not waited for."""
        if self.after is not None:
            self.after.let_go()

    def leave(self) -> None:
        """Nobody looks at the bench any more: its lines are closed."""
        if self.after is not None:
            self.after.leave()

    def join(self, timeout_s: float | None = None) -> None:
        self._thread.join(timeout_s)

    def _run(self) -> None:
        try:
            bench = self._open_bench()
        except InstrumentError as error:
            self._ended(Progress(phase="ended", ended_by="instrument lost", trouble=str(error)))
            return
        except Exception as error:  # whatever it is, nothing was switched on, and the person is told
            unexpected("opening the bench", error)
            self._ended(Progress(phase="ended", ended_by="fault", trouble=str(error) or type(error).__name__))
            return
        self.commands, self._bench = bench.log, bench
        latest: list[Progress] = [self._progress]

        def show(progress: Progress) -> None:
            latest[0] = progress
            if progress.phase != "ended":  # shown as ended only once everything is kept and closed
                self._progress = progress

        engine = Engine(bench, self._recorder, self._orders, show)
        looks_after = False
        try:
            ended = engine.run(self._steps)
            looks_after = self._keep_after is not None and bool(engine.staying.keys) and ended.ended_by != "program"
        finally:
            if not looks_after:
                bench.close()
        if looks_after and self._keep_after is not None:
            self.after = Afterwards(bench, engine.staying, self._keep_after)
        self._ended(ended)
        if self.after is not None:
            self.after.start()

    def _ended(self, progress: Progress) -> None:
        try:
            self._recorder.finish(progress.ended_by, progress.trouble)
        except Exception as error:  # a full disk: the load is off by now, and the person is told
            if str(error) not in progress.trouble:  # what ended the run may have been the same
                progress = replace(progress, trouble=f"{progress.trouble} {error}".strip())
        self._progress = progress
