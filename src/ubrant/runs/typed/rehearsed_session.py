"""A run that a simulated person makes: reads simulated things off, and types, at the pace of a sped-up clock."""

from __future__ import annotations

import math

from ubrant.bench.clocks import PacedClock
from ubrant.bench.orders import Order
from ubrant.core.quantities.jot import Grammar
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.methods.by_eye import SimulatedEyes
from ubrant.methods.method import Method, Prepared
from ubrant.runs.typed.jotting import take_down
from ubrant.runs.typed.typed_session import TypedSession

_AT_A_TIME = 4
"""Lines taken down at one go, where they need not be waited for: they are seen to come."""


def read_off(method: Method, prepared: Prepared, run_number: int) -> SimulatedEyes:
    """The simulated person's eyes; the same for the same unit and run."""
    unit = prepared.setup.unit
    return SimulatedEyes(prepared.setup, f"{unit.name}/{unit.label_text}/{run_number}")


class RehearsedSession(TypedSession):
    """As one made by hand, but what is read comes by itself once all that is asked is done; a real person may type beside it."""

    def __init__(
        self, logbook: Logbook, run: Run, method: Method, prepared: Prepared, clock: PacedClock, *, unattended: bool = False
    ) -> None:
        super().__init__(logbook, run, method, prepared, clock)
        self._paced = clock
        self._lines = method.read_off(prepared, read_off(method, prepared, run.id))
        self._next: tuple[float, str] | None = None
        self._due_s = 0.0
        if unattended:
            while self.progress.phase == "asking":
                self.order(Order.DONE)

    def keep_up(self, most: int = _AT_A_TIME) -> None:
        """Type what the simulated person has read by now; close the run behind the last line.

        Raises
        ------
        LogbookError
            It cannot be kept.
        """
        for _ in range(most):
            if not self.running or self.progress.phase == "asking":
                self._due_s = max(self._due_s, self.clock.now_s())
                return
            if self._next is None:
                self._next = next(self._lines, (0.0, ""))
                self._due_s += self._next[0]
            if math.isinf(self._paced.speed):
                self._paced.skip_to(self._due_s)
            if self._due_s > self.clock.now_s():
                return
            line, self._next = self._next[1], None
            if not line:
                self.order(Order.END)
                return
            found = Grammar().parse(line)
            assert found is not None and not self.lacks(found), (line, found and self.lacks(found))
            take_down(self._logbook, self.run, found, self._due_s, self)
