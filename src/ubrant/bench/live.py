"""What a run has read so far, for those who look while it goes on."""

from __future__ import annotations

import threading
from bisect import insort
from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from ubrant.core.protocols import Recorder
from ubrant.core.quantities.jot import TypedLine
from ubrant.core.quantities.readings import Array, Series
from ubrant.core.record.events import Event


class _Column:
    """A growing pair of arrays. A view handed out stays as it was: appending writes behind it, growing copies."""

    def __init__(self, begin: Series | None = None) -> None:
        self._n = len(begin) if begin is not None else 0
        self._time: Array = np.empty(max(1024, 2 * self._n))
        self._value: Array = np.empty(len(self._time))
        if begin is not None:
            self._time[: self._n], self._value[: self._n] = begin.time_s, begin.value

    def __len__(self) -> int:
        return self._n

    def append(self, time_s: float, value: float) -> None:
        if self._n == len(self._time):
            self._time, self._value = (np.concatenate([a, np.empty(len(a))]) for a in (self._time, self._value))
        self._time[self._n], self._value[self._n] = time_s, value
        self._n += 1

    def series(self) -> Series:
        return Series(self._time[: self._n], self._value[: self._n])


_TYPED_ROW = 50
"""A row that is understood word by word costs about as much as so many readings in columns."""


def _values(jotting: TypedLine) -> dict[tuple[str, str], float]:
    """What a typed row says of the moment."""
    return {(r.tap or "battery", r.quantity): r.value for r in jotting.readings if r.kind not in {"peak", "count"}}


class LiveReadings:
    """A recorder that keeps everything in memory, safe to read from another thread."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._columns: dict[tuple[str, str], _Column] = {}
        self._events: list[Event] = []
        self._jots: list[tuple[float, int, TypedLine]] = []  # by time, then by number
        self._pairs: list[tuple[float, TypedLine]] | None = []
        self._latest: dict[tuple[str, str], float] | None = {}
        self._newest = 0
        self.revision = 0
        """Grows with everything that is taken down, by hand or by itself."""

    def reading(self, tap: str, quantity: str, time_s: float, value: float) -> None:
        with self._lock:
            column = self._columns.get((tap, quantity))
            if column is None:
                column = self._columns[(tap, quantity)] = _Column()
            column.append(time_s, value)
            self.revision += 1

    def event(self, event: Event) -> None:
        with self._lock:
            self._events.append(event)
            self.revision += 1

    def begin_with(self, series: Mapping[tuple[str, str], Series], events: Iterable[Event]) -> None:
        """What was read and happened before an interruption."""
        with self._lock:
            for key, column in series.items():
                self._columns[key] = _Column(column)
            self._events += list(events)
            self.revision += 1

    def check(self) -> None:
        """Memory holds."""

    def finish(self, ended_by: str, trouble: str) -> None:
        """Nothing is open."""

    def count(self) -> int:
        """How many readings there are so far."""
        with self._lock:
            return sum(len(column) for column in self._columns.values())

    def work(self) -> int:
        """How much there is to sum up, in readings by instruments: a typed row is worth many of them."""
        with self._lock:
            return sum(len(column) for column in self._columns.values()) + _TYPED_ROW * len(self._jots)

    def series(self, tap: str, quantity: str) -> Series:
        """What has been read so far; empty when nothing was."""
        with self._lock:
            column = self._columns.get((tap, quantity))
            return column.series() if column else Series(np.empty(0), np.empty(0))

    def all_series(self) -> dict[tuple[str, str], Series]:
        """Everything read so far, by tap and quantity."""
        with self._lock:
            return {key: column.series() for key, column in self._columns.items()}

    def jots_are(self, jots: Mapping[int, tuple[float, TypedLine]]) -> None:
        """The typed rows that count: (seconds, what it says) by the number each is kept under."""
        with self._lock:
            self._jots = sorted(((time_s, number, jotting) for number, (time_s, jotting) in jots.items()), key=lambda one: one[:2])
            self._newest = max(jots, default=0)
            self._pairs = self._latest = None
            self.revision += 1

    def jot_is(self, number: int, row: tuple[float, TypedLine] | None) -> None:
        """One of them is another, or there, or None: no more."""
        with self._lock:
            self.revision += 1
            if row is None or number <= self._newest:
                self._jots = [one for one in self._jots if one[1] != number]
            if row is not None:
                insort(self._jots, (row[0], number, row[1]), key=lambda one: one[:2])
                appended = self._jots[-1][1] == number > self._newest
                self._newest = max(self._newest, number)
                if appended:
                    if self._latest is not None:
                        self._latest |= _values(row[1])
                    if self._pairs is not None:
                        self._pairs = [*self._pairs, row]
                    return
            self._pairs = self._latest = None

    def jots(self) -> Sequence[tuple[float, TypedLine]]:
        """Typed rows that count, by time; of two at one time the one that was kept later stands behind. The same until there are others."""
        with self._lock:
            if self._pairs is None:
                self._pairs = [(time_s, jotting) for time_s, _, jotting in self._jots]
            return self._pairs

    def latest_typed(self) -> dict[tuple[str, str], float]:
        """The last value that was typed at every (tap, quantity), by time: the later one counts. No peak and nothing counted."""
        with self._lock:
            if self._latest is None:
                self._latest = {}
                for _, _, jotting in self._jots:
                    self._latest |= _values(jotting)
            return dict(self._latest)

    def numbered(self) -> list[tuple[float, int, TypedLine]]:
        """The same, each with the number it is kept under."""
        with self._lock:
            return list(self._jots)

    def events(self) -> list[Event]:
        with self._lock:
            return list(self._events)


class FanOut:
    """Hands everything to several recorders, the first one first."""

    def __init__(self, *recorders: Recorder) -> None:
        self._recorders = recorders

    def reading(self, tap: str, quantity: str, time_s: float, value: float) -> None:
        for recorder in self._recorders:
            recorder.reading(tap, quantity, time_s, value)

    def event(self, event: Event) -> None:
        for recorder in self._recorders:
            recorder.event(event)

    def check(self) -> None:
        for recorder in self._recorders:
            recorder.check()

    def finish(self, ended_by: str, trouble: str) -> None:
        for recorder in self._recorders:
            recorder.finish(ended_by, trouble)
