"""A reading that was written wrong in a way that leaves no doubt what was there: what it should be, in one press."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from ubrant.core.quantities.jot import TypedLine, TypedReading
from ubrant.core.quantities.quantity import plain
from ubrant.core.record.jot_text import line_of
from ubrant.core.wording import say


@dataclass(frozen=True)
class Mend:
    """One reading of one line.

    Attributes
    ----------
    time_s : of the moment it belongs to; its own line is that or one soon after
    place, quantity : where on the path it was read, and its unit
    shown, to : what stands there, and what it was
    taps : what its place may be called in a line
    """

    time_s: float
    place: str
    quantity: str
    shown: float
    to: float
    taps: frozenset[str] = frozenset()

    @property
    def text(self) -> str:
        """As a button says it: ``Make it 8.1 A``."""
        return say("Make it {to} {unit}", to=plain(self.to, 5), unit=self.quantity)

    def is_in(self, line: TypedLine) -> bool:
        """Whether it is a reading of a line."""
        return any(map(self._is_it, line.readings))

    def _is_it(self, reading: TypedReading) -> bool:
        here = reading.tap in (self.taps or {self.place}) and reading.quantity == self.quantity
        return here and math.isclose(reading.value, self.shown, rel_tol=1e-6)

    def of(self, line: TypedLine) -> TypedLine:
        """The line with what it was, as wide as its digits make it there."""
        size = abs(self.to / self.shown) if self.shown else 1.0
        wider = size if round(size, 9) in {0.001, 0.1, 10.0, 1000.0} else 1.0
        readings = tuple(
            replace(reading, value=self.to, half_width=float(f"{reading.half_width * wider:.9g}")) if self._is_it(reading) else reading
            for reading in line.readings
        )
        made = replace(line, readings=readings, line="")
        return replace(made, line=line_of(made))
