"""What the engine is handed, as protocols: a clock to go by and a recorder to write to."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from ubrant.core.record.events import Event


class Clock(Protocol):
    """Time of a run, in seconds from its start. Real, or simulated."""

    def now_s(self) -> float: ...

    def wait_until(self, time_s: float, called: Callable[[float], bool]) -> None:
        """Let time pass until ``time_s``. ``called(seconds)`` waits so long on the wall and says whether to come back early."""


class Recorder(Protocol):
    """Keeps what a run produces. Every method may raise, and then the run ends with the load off."""

    def reading(self, tap: str, quantity: str, time_s: float, value: float) -> None:
        """One reading: quantity is ``V`` or ``A``."""

    def event(self, event: Event) -> None:
        """Something that happened, or a person's note."""

    def check(self) -> None:
        """Raise if what was handed over cannot be kept any more."""

    def finish(self, ended_by: str, trouble: str) -> None:
        """The run is over: what ended it, and what went wrong, if anything."""
