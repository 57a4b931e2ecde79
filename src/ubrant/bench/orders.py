"""What a person can tell a run that is going on, and where it says it is."""

from __future__ import annotations

import enum
import queue
from collections.abc import Callable
from dataclasses import dataclass


class Order(enum.Enum):
    """What a person can tell a running engine."""

    DONE = "done"
    """What was asked for is done; where nothing can confirm that the load is off: it is off, the person looked."""
    BESIDES = "something else draws this"
    """What flows although the load is off is not the load: a person looked."""
    PAUSE = "pause"
    RESUME = "resume"
    STOP = "stop and rest"
    END = "end now"
    CLOSE = "the program is being ended"
    LEAVE = "let the instruments go"
    """To whoever looks at them after the end of a run."""


OVER = frozenset({Order.END, Order.CLOSE})


class Ears:
    """Hears orders wherever something is waited for; whoever waits gives a sign of life (``alive``)."""

    def __init__(self, orders: queue.SimpleQueue[Order], alive: Callable[[], None]) -> None:
        self._orders, self._alive = orders, alive
        self.pending: list[Order] = []

    def called(self, wait_s: float) -> bool:
        """Wait for an order, so long at most; True when one has come."""
        self._alive()
        if self.pending:
            return True
        try:
            self.pending.append(self._orders.get(timeout=wait_s) if wait_s > 0 else self._orders.get_nowait())
        except queue.Empty:
            return False
        return True


@dataclass(frozen=True)
class Progress:
    """Where a run is. Replaced as a whole, so that another thread always sees one state.

    ``phase`` is ``asking``, ``zeroing``, ``resting``, ``load on``, ``charging``, ``measuring`` (points), ``paused``, ``waiting``, ``recovering``,
    ``may be on`` (nothing confirms that the load is off, or something flows although it is) or ``ended``. ``flows``: it is the latter.
    ``notice`` is what a person should know meanwhile: an instrument that is waited for.
    """

    phase: str = "resting"
    text: str = ""
    cautions: tuple[str, ...] = ()
    time_s: float = 0.0
    load_on_s: float | None = None
    load_off_s: float | None = None
    ended_by: str = ""
    trouble: str = ""
    notice: str = ""
    flows: bool = False
