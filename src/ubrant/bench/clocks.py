"""The clocks a run goes by: the real one, and that of the simulated world."""

from __future__ import annotations

import math
import time
from collections.abc import Callable

from ubrant.bench.instruments import InstrumentError
from ubrant.bench.lines import private_connection
from ubrant.core.protocols import Clock


class WorldClock:
    """Moves the simulated world on and goes by its time. ``speed`` is pacing only: what happens is the same at any.

    Raises
    ------
    InstrumentError
        The world has gone away.
    """

    def __init__(self, address: str, speed: float = math.inf) -> None:
        self._socket = private_connection(address, 30.0)
        self._answers = self._socket.makefile("r", encoding="ascii")
        self._now_s = 0.0
        self.speed = speed
        self._wall = time.monotonic()

    def now_s(self) -> float:
        return self._now_s

    def wait_until(self, time_s: float, called: Callable[[float], bool]) -> None:
        due = self._wall + (time_s - self._now_s) / self.speed
        called(max(0.0, due - time.monotonic()))
        self._wall = max(due, time.monotonic() - 0.25)  # a hold-up is not made up for in a rush
        if time_s > self._now_s:
            self._ask(f"ADV {time_s:.6f}")
            self._now_s = time_s

    def operator(self, action: str) -> None:
        """Have the simulated person do something."""
        if action:
            self._ask(f"OPER {action}")

    def truth(self) -> tuple[float, float, float, float]:
        """What really happened: charge Ah, energy Wh, state of charge, °C. For tests; nothing else may know."""
        charge, energy, soc, celsius = (float(x) for x in self._ask("TRU?").split(","))
        return charge, energy, soc, celsius

    def _ask(self, command: str) -> str:
        try:
            self._socket.sendall(command.encode() + b"\n")
            answer = self._answers.readline()
        except OSError:
            answer = ""
        if not answer:
            raise InstrumentError("The simulated bench has stopped. Start the run again.")
        return answer

    def close(self) -> None:
        self._answers.close()
        self._socket.close()


class PacedClock:
    """So many times as fast as the real one; at infinite speed it stands until it is told to skip ahead."""

    def __init__(self, speed: float) -> None:
        self.speed = speed
        self._real, self._now_s = RealClock(), 0.0

    def now_s(self) -> float:
        return self._now_s if math.isinf(self.speed) else self._now_s + self.speed * self._real.now_s()

    def skip_to(self, time_s: float) -> None:
        """Ahead, never back."""
        self._now_s += max(0.0, time_s - self.now_s())

    def wait_until(self, time_s: float, called: Callable[[float], bool]) -> None:
        """For whoever waits: at infinite speed there is nothing to wait for."""
        if math.isinf(self.speed):
            self.skip_to(time_s)
        else:
            self._real.wait_until((time_s - self._now_s) / self.speed, called)


class LaterClock:
    """Another clock, counted on from a later moment: for a run that goes on after an interruption."""

    def __init__(self, clock: Clock, from_s: float) -> None:
        self._clock, self._from_s = clock, from_s - clock.now_s()

    def now_s(self) -> float:
        return self._clock.now_s() + self._from_s

    def wait_until(self, time_s: float, called: Callable[[float], bool]) -> None:
        self._clock.wait_until(time_s - self._from_s, called)


class RealClock:
    """Seconds since it was made, by a clock that counts on while the computer sleeps and that nobody can set."""

    def __init__(self, from_s: float = 0.0) -> None:
        self._zero = time.clock_gettime(time.CLOCK_BOOTTIME) - from_s

    def now_s(self) -> float:
        return time.clock_gettime(time.CLOCK_BOOTTIME) - self._zero

    def wait_until(self, time_s: float, called: Callable[[float], bool]) -> None:
        """Waits in short pieces, since waiting itself does not count while the computer sleeps."""
        while (left := time_s - self.now_s()) > 0:
            if called(min(left, 1.0)):
                return
