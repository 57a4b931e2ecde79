"""What was said to the instruments and what they answered, to be read when something is odd, and attached when help is asked for."""

from __future__ import annotations

import contextlib
import time
from collections import deque

from ubrant.bench.instruments import Connection, InstrumentError

_MOST = 20_000


class CommandLog:
    """The latest exchanges, oldest first. Appending from one thread and reading from another is safe."""

    def __init__(self) -> None:
        self._lines: deque[tuple[float, str, str, str]] = deque(maxlen=_MOST)

    def note(self, name: str, command: str, answer: str) -> None:
        self._lines.append((time.time(), name, command, answer))

    def __len__(self) -> int:
        return len(self._lines)

    def text(self, most: int = _MOST) -> str:
        """A line an exchange: time of day, instrument, command, answer."""
        lines = list(self._lines)[-most:]
        return "\n".join(
            f"{time.strftime('%H:%M:%S', time.localtime(t))}.{int(t % 1 * 1000):03}  {n}: {c}{'  →  ' + a if a else ''}"
            for t, n, c, a in lines
        )


class Logged:
    """A connection that writes down what passes over it."""

    def __init__(self, name: str, connection: Connection, log: CommandLog) -> None:
        self._name, self._connection, self._log = name, connection, log

    def tell(self, command: str) -> None:
        self._log.note(self._name, command, "")
        self._connection.tell(command)

    @property
    def switches(self) -> bool:
        return self._connection.switches

    def ask(self, command: str, *, long: bool = False) -> str:
        try:
            answer = self._connection.ask(command, long=long)
        except InstrumentError as error:
            self._log.note(self._name, command, f"({error})")
            raise
        self._log.note(self._name, command, answer)
        return answer

    def make_sure(self) -> None:
        self._connection.make_sure()

    def cut_in(self, command: str) -> None:
        self._log.note(self._name, command, "(at once)")
        self._connection.cut_in(command)

    def reopen(self) -> None:
        self._log.note(self._name, "(line opened anew)", "")
        self._connection.reopen()

    def within(self, seconds: float) -> contextlib.AbstractContextManager[None]:
        return self._connection.within(seconds)

    def close(self) -> None:
        self._connection.close()
