"""Readings that arrive by themselves, each source at its own pace: boards that print lines, logs that grow."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field

from ubrant.bench.instruments import InstrumentError
from ubrant.bench.lines import LineError, Transport, open_line
from ubrant.core.equipment.line_pattern import LinePattern
from ubrant.core.protocols import Clock, Recorder

Sample = tuple[str, str, float, float | None]
"""Tap, quantity, value, and the source's own time in seconds (None: now)."""
_SILENT_AFTER_S = 10.0


@dataclass
class Stream:
    """One source in a thread of its own. ``poll`` waits a little and hands out what has come; ``close`` ends it."""

    name: str
    poll: Callable[[], list[Sample]]
    close: Callable[[], None] = lambda: None
    patience_s: float = _SILENT_AFTER_S
    trouble: str = field(default="", init=False)
    _latest: dict[tuple[str, str], tuple[float, float]] = field(default_factory=dict, init=False)
    _thread: threading.Thread | None = field(default=None, init=False)
    _stopped: threading.Event = field(default_factory=threading.Event, init=False)
    _lock: threading.Lock = field(default_factory=threading.Lock, init=False)

    def start(self, clock: Clock, recorder: Recorder) -> None:
        self._stopped.clear()
        self._thread = threading.Thread(target=self._run, args=(clock, recorder), name=f"stream {self.name}", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        self._stopped.set()
        if self._thread is not None:
            self._thread.join(5.0)
        with contextlib.suppress(Exception):  # it may be gone already
            self.close()

    def latest(self, tap: str, quantity: str, now_s: float) -> float:
        """The last value read.

        Raises
        ------
        InstrumentError
            None has come yet, or none for too long.
        """
        with self._lock:
            sample = self._latest.get((tap, quantity))
        if sample is None:
            raise InstrumentError(self.trouble or f"{self.name} has sent no {quantity} yet: check its cable and how its lines are read.")
        if now_s - sample[0] > self.patience_s:
            raise InstrumentError(self.trouble or f"{self.name} has sent nothing for {now_s - sample[0]:.0f} s: check its cable.")
        return sample[1]

    def _run(self, clock: Clock, recorder: Recorder) -> None:
        last: dict[tuple[str, str], float] = {}
        while not self._stopped.is_set():
            try:
                samples = self.poll()
            except InstrumentError as error:
                self.trouble = str(error)
                self._stopped.wait(0.5)
                continue
            if samples:
                self.trouble = ""
            for tap, quantity, value, at_s in samples:
                moment = clock.now_s() if at_s is None else at_s
                if moment <= last.get((tap, quantity), -1e99):
                    moment = last[(tap, quantity)] + 1e-4  # two that arrive together still come one after the other
                last[(tap, quantity)] = moment
                recorder.reading(tap, quantity, moment, value)
                with self._lock:
                    self._latest[(tap, quantity)] = (moment, value)


class LineSource:
    """A serial port, or ``socket://host:port``, from which lines come. Opened anew when it has gone."""

    def __init__(self, name: str, address: str, baud: int = 115_200) -> None:
        self._name, self._address, self._baud = name, address, baud
        self._line: Transport | None = None
        self._pending = b""

    def lines(self, wait_s: float = 0.2) -> list[str]:
        """Whole lines that have come, after waiting a little for some.

        Raises
        ------
        InstrumentError
            It cannot be opened, or has gone.
        """
        try:
            if self._line is None:
                self._pending = b""
                address = f"ASRL{self._address}" if self._address.startswith("/") else self._address
                self._line = open_line(address, time.monotonic() + 3.0, self._baud)
            data = self._line.receive(time.monotonic() + wait_s)
        except LineError:
            self.close()
            raise InstrumentError(f"{self._name} is not there at {self._address}: check its cable and the port.") from None
        *whole, self._pending = (self._pending + data).split(b"\n")
        if len(self._pending) > 4096:
            self._pending = b""
        return [line.decode("utf-8", "replace").strip() for line in whole if len(line) <= 4096]

    def close(self) -> None:
        if self._line is not None:
            self._line.close()
        self._line = None


def board(name: str, address: str, pattern: LinePattern, tap: str = "battery", baud: int = 115_200) -> Stream:
    """A stream of a board's lines."""
    source = LineSource(name, address, baud)

    def poll() -> list[Sample]:
        samples: list[Sample] = []
        for line in source.lines():
            values = pattern.read(line)
            samples += [(tap, quantity, value, None) for quantity, value in (values or {}).items()]
        return samples

    return Stream(name, poll, source.close)
