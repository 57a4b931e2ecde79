"""What lies on the star dome's bench: meters, leads, a clock on the wall."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ubrant.bench.session import RunSession
from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter, MeterDetails

BENCH_METER = Meter("Bench meter", "0.05 % + 5 mV", "0.2 % + 5 mA", max_v=60.0, max_a=20.0)
BENCH_METER_TWO = Meter("Bench meter two", "0.05 % + 5 mV", "0.2 % + 5 mA", max_v=60.0, max_a=20.0)
CLAMP = Meter("Clamp meter", "0.8 % + 2 digits of 10 mV", "2 % + 5 digits of 10 mA", max_v=600.0, max_a=400.0)
PLUG_METER = Meter(
    "Plug-in meter",
    "0.5 % + 0.5 V",
    "1 % + 10 mA",
    max_v=250.0,
    max_a=16.0,
    details=MeterDetails(power_accuracy="1 % + 0.3 W", tap="output"),
)
LEADS = Leads(1.5, 4.0)


_AT_ONCE = 3
"""Runs made at the same time: each is a thread that mostly waits, and a world in a process of its own."""


def wait_for_room(going: Sequence[RunSession]) -> None:
    """Wait until another run may begin."""
    while sum(session.running for session in going) >= _AT_ONCE:
        next(session for session in going if session.running).join(0.02)


class WatchedClock:
    """The clock on the hall's wall."""

    def __init__(self) -> None:
        self.time_s = 0.0

    def now_s(self) -> float:
        return self.time_s

    def wait_until(self, time_s: float, called: Callable[[float], bool]) -> None:
        self.time_s = time_s
