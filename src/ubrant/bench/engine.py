"""The engine: carries a method's steps out on a bench, and switches the load off however that ends."""

from __future__ import annotations

import enum
import queue
from collections.abc import Callable
from dataclasses import dataclass, replace

from ubrant.bench.bench import Bench
from ubrant.bench.instruments import InstrumentError
from ubrant.core.protocols import Recorder
from ubrant.methods.steps import Ask, LoadOff, LoadOn, ReadRest, ReadUntil, Step, Steps, walk

SETTLE_S = 0.1
"""After the load is switched, how long until the next reading."""
_OFF_SHARE = 0.05


class Order(enum.Enum):
    """What a person can tell a running engine."""

    DONE = "done"
    PAUSE = "pause"
    RESUME = "resume"
    STOP = "stop and rest"
    END = "end now"


@dataclass(frozen=True)
class Progress:
    """Where a run is. Replaced as a whole, so that another thread always sees one state.

    ``phase`` is ``asking``, ``resting``, ``load on``, ``paused``, ``recovering`` or ``ended``.
    """

    phase: str = "resting"
    text: str = ""
    cautions: tuple[str, ...] = ()
    time_s: float = 0.0
    load_on_s: float | None = None
    load_off_s: float | None = None
    ended_by: str = ""
    trouble: str = ""


class _Abandoned(Exception):
    """The person ended the run at once."""


class Engine:
    """Interprets one method. ``run`` is called once, in a thread of its own."""

    def __init__(self, bench: Bench, recorder: Recorder, orders: queue.Queue[Order], show: Callable[[Progress], None]) -> None:
        self._bench, self._recorder, self._orders, self._show = bench, recorder, orders, show
        self._clock = bench.clock
        self._progress = Progress()
        self._pending: list[Order] = []
        self._last_read_s = -1.0
        self._set: LoadOn | None = None

    def run(self, steps: Steps) -> Progress:
        """Carry the method out to its end, whatever end that is. Raises nothing: trouble is in the progress returned."""
        ended_by, trouble = "", ""
        try:
            walk(steps, self._carry_out, faults=(InstrumentError,))
        except _Abandoned:
            ended_by = "person"
        except InstrumentError as error:
            ended_by, trouble = "instrument lost", str(error)
        except Exception as error:  # whatever it is, the load goes off and the person is told
            ended_by, trouble = "fault", str(error) or type(error).__name__
        finally:
            trouble = self._all_off(trouble)
            steps.close()
        if self._progress.ended_by not in ("", "cut-off") or not ended_by:
            ended_by = self._progress.ended_by or ended_by
        self._update(phase="ended", text="", cautions=(), ended_by=ended_by or "person", trouble=trouble)
        return self._progress

    def _all_off(self, trouble: str) -> str:
        """Load off, read back; an extra sentence if it cannot be confirmed."""
        for attempt in range(3):
            try:
                self._bench.load.off()
            except InstrumentError as error:
                if attempt == 2:
                    own = f" Its own cut-off stands at {self._set.own_cutoff_v:g} V." if self._set else ""
                    return f"{trouble} {error} It could not be confirmed that the load is off: switch it off by hand.{own}".strip()
                continue
            break
        if self._progress.load_on_s is not None and self._progress.load_off_s is None:
            now = self._clock.now_s()
            self._update(load_off_s=now)
            try:
                self._recorder.event(now, "load off", "Load off.")
            except Exception as error:
                return trouble or str(error)
        return trouble

    def _carry_out(self, step: Step) -> str | None:
        self._update(text=step.text, cautions=step.cautions)
        match step:
            case Ask():
                self._ask()
            case ReadRest():
                self._rest(step)
            case LoadOn():
                self._load_on(step)
            case LoadOff():
                self._load_off()
            case ReadUntil():
                ended_by = self._read_until(step)
                self._update(ended_by=ended_by)
                return ended_by
        return None

    def _ask(self) -> None:
        self._update(phase="asking")
        while True:
            self._recorder.check()
            order = self._next_order(0.5)
            if order is Order.DONE:
                return
            if order in (Order.END, Order.STOP):
                raise _Abandoned

    def _rest(self, step: ReadRest) -> None:
        self._update(phase="recovering" if self._progress.load_off_s is not None else "resting")
        end = self._clock.now_s() + step.seconds
        while (now := self._clock.now_s()) < end:
            self._read_all()
            order = self._next_order(0)
            if order is Order.STOP:
                return
            if order is Order.END:
                raise _Abandoned
            self._clock.wait_until(min(now + step.every_s, end), self._called)

    def _load_on(self, step: LoadOn) -> None:
        self._bench.load.prepare(step.current_a, step.own_cutoff_v)
        self._set = step
        self._bench.load.on()
        now = self._clock.now_s()
        self._recorder.event(now, "load on", step.text)
        self._update(phase="load on", load_on_s=now if self._progress.load_on_s is None else self._progress.load_on_s)

    def _load_off(self) -> None:
        self._bench.load.off()
        now = self._clock.now_s()
        self._recorder.event(now, "load off", "Load off.")
        self._update(load_off_s=now)

    def _read_until(self, step: ReadUntil) -> str:
        start = self._clock.now_s()
        due = start
        while self._clock.now_s() - start < step.at_most_s:
            shown = self._read_all()
            if step.watch.reached(self._last_read_s, shown[("battery", "V")]):
                return "cut-off"
            if stopped := self._load_stopped(shown):
                return stopped
            order = self._next_order(0)
            if order is Order.STOP:
                return "person"
            if order is Order.END:
                raise _Abandoned
            if order is Order.PAUSE:
                if self._paused(step.every_s) is Order.STOP:
                    return "person"
                due = self._clock.now_s()
                continue
            due = max(due + step.every_s, self._clock.now_s())
            self._clock.wait_until(due, self._called)
        return "time"

    def _load_stopped(self, shown: dict[tuple[str, str], float]) -> str:
        """What stopped the current while it should flow; empty when it flows."""
        if self._set is None or shown[("load", "A")] > _OFF_SHARE * self._set.current_a:
            return ""
        if not self._bench.load.is_on():
            return "load's own cut-off"
        return "protection" if shown[("battery", "V")] < 0.5 * self._set.own_cutoff_v else "load draws nothing"

    def _paused(self, every_s: float) -> Order:
        """Load off and reading on, until a person resumes or stops."""
        assert self._set is not None
        self._bench.load.off()
        self._recorder.event(self._clock.now_s(), "paused", "Load paused.")
        self._update(phase="paused")
        while True:
            self._read_all()
            order = self._next_order(0)
            if order is Order.END:
                raise _Abandoned
            if order is Order.STOP:
                return order
            if order is Order.RESUME:
                self._bench.load.prepare(self._set.current_a, self._set.own_cutoff_v)
                self._bench.load.on()
                self._recorder.event(self._clock.now_s(), "resumed", "Load on again.")
                self._update(phase="load on")
                return order
            self._clock.wait_until(self._clock.now_s() + every_s, self._called)

    def _read_all(self) -> dict[tuple[str, str], float]:
        """Read every channel once; each reading has its own time, and none has the time of the one before."""
        self._recorder.check()
        if self._clock.now_s() <= self._last_read_s:
            self._clock.wait_until(self._last_read_s + SETTLE_S, self._called)
        shown = {}
        for channel in self._bench.channels:
            try:
                value = channel.read()
            except InstrumentError:
                value = channel.read()  # once more: a single lost answer is no reason to end a run
            self._last_read_s = self._clock.now_s()
            shown[(channel.tap, channel.quantity)] = value
            self._recorder.reading(channel.tap, channel.quantity, self._last_read_s, value)
        self._update(time_s=self._last_read_s)
        return shown

    def _next_order(self, wait_s: float) -> Order | None:
        if not self._pending:
            self._called(wait_s)
        return self._pending.pop(0) if self._pending else None

    def _called(self, wait_s: float) -> bool:
        """Wait for an order; True when one has come."""
        if self._pending:
            return True
        try:
            self._pending.append(self._orders.get(timeout=wait_s) if wait_s > 0 else self._orders.get_nowait())
        except queue.Empty:
            return False
        return True

    def _update(self, **changes: object) -> None:
        self._progress = replace(self._progress, **changes)  # type: ignore[arg-type]
        self._show(self._progress)
