"""The simulated person: reads meters and displays off simulated things and types, for methods whose instruments are mostly displays."""

from __future__ import annotations

import zlib
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from ubrant.core.equipment.unit import Unit
from ubrant.core.models.shown import Imperfection, drawn_inside, gauss, shown
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.record.head import Setup

ReadLines = Iterator[tuple[float, str]]
"""(seconds since the line before, what is typed)."""
_UNKNOWN = {
    "V": Accuracy(0.005, 0.005, "V"),
    "A": Accuracy(0.01, 0.005, "A"),
    "W": Accuracy(0.01, 0.3, "W"),
    "Wh": Accuracy(0.01, 0.0, "Wh"),
}
"""How wrong a simulated meter is when nobody said."""
_NOISE = 0.2
"""Of a last digit."""


class SimulatedEyes:
    """Eyes on the meters of a setup. Each is off by a gain and a zero of its own, somewhere inside its accuracy, the same in every reading.

    Parameters
    ----------
    seed_text : names the thing and the run; the same text gives the same errors
    """

    def __init__(self, setup: Setup, seed_text: str) -> None:
        self._setup, self._seed_text = setup, seed_text
        self._channels: dict[tuple[str, str], Imperfection] = {}
        self._count = 0

    def known(self, unit: Unit, key: str, usual: float, spread: float = 0.0) -> float:
        """What is known of a simulated thing, or what is usual, a little more or less."""
        rng = np.random.default_rng(zlib.crc32(f"{self._seed_text}/{unit.name}/{key}".encode()))
        return float(unit.stand_in.get(key, usual * (1 + spread * float(rng.uniform(-1, 1)))))

    def number(self, tap: str, quantity: str, true: float, digit: float) -> str:
        """What the meter at a tap shows, without its unit."""
        self._count += 1
        channel = self._channel(tap, quantity)
        digits = max(0, round(-np.log10(digit)))
        seed = zlib.crc32(self._seed_text.encode())
        value = shown(true, channel, digit * _NOISE * gauss(seed, f"{tap} {quantity}", self._count)) if true else 0.0
        return f"{round(value / digit) * digit:.{digits}f}"

    def off(self, tap: str, quantity: str, true: float) -> float:
        """What the meter makes of it, before its display rounds it: for what it counts."""
        channel = self._channel(tap, quantity)
        return true * (1 + channel.gain) + channel.zero

    def read(self, tap: str, quantity: str, true: float, digit: float) -> str:
        return f"{self.number(tap, quantity, true, digit)} {quantity}"

    def volts(self, tap: str, true: float) -> str:
        return self.read(tap, "V", true, 0.1 if abs(true) > 80 else 0.01 if abs(true) > 5.5 else 0.001)

    def amps(self, tap: str, true: float) -> str:
        return self.read(tap, "A", true, 0.01 if abs(true) > 2 else 0.001)

    def watts(self, tap: str, true: float) -> str:
        return self.read(tap, "W", true, 0.1)

    def _channel(self, tap: str, quantity: str) -> Imperfection:
        meter = self._setup.meter(tap)
        key = meter.uid or tap, quantity
        if key not in self._channels:
            rng = np.random.default_rng(zlib.crc32("/".join((self._seed_text, *key)).encode()))
            quoted = meter.accuracy("W" if quantity == "Wh" else quantity)
            made = drawn_inside(quoted or _UNKNOWN[quantity], rng, 1.0, 0.0)
            self._channels[key] = made if quantity != "Wh" else replace(made, zero=0.0)
        return self._channels[key]
