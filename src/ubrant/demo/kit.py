"""What lies on the star dome's bench: meters, leads, a clock on the wall."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

from ubrant.bench.session import RunSession
from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run

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
STATION_DISPLAY = Meter("Station's display", details=MeterDetails(power_accuracy="3 % + 1 W", tap="source"))
LEADS = Leads(1.5, 4.0)


METERS = (BENCH_METER, BENCH_METER_TWO, CLAMP, PLUG_METER, STATION_DISPLAY)
_AT_ONCE = 4
"""Runs made at the same time: each is a thread that mostly waits, and a world in a process of its own."""


def on_shelf(logbook: Logbook, meter: Meter) -> Meter:
    """The same one as it is kept there: what it is wrong by is one thing in all of its runs."""
    kept = next((m for m in logbook.meters() if m.name == meter.name), None)
    return meter if kept is None else replace(meter, id=kept.id, details=replace(meter.details, checks=kept.details.checks))


@dataclass(frozen=True)
class Coming:
    """A run that is begun and not started; ``finish`` is what is done once it has ended."""

    run: Run
    session: RunSession
    finish: Callable[[Run], None] = lambda run: None


def carried_out(coming: Sequence[Coming]) -> Iterator[Coming]:
    """Each as it is over, begun in this order, a few at the same time."""
    waiting, going = list(coming), list[Coming]()
    while waiting or going:
        while waiting and len(going) < _AT_ONCE:
            going.append(waiting.pop(0))
            going[-1].session.start()
        over = [one for one in going if not one.session.running]
        if not over:
            going[0].session.join(0.02)
        for one in over:
            going.remove(one)
            one.session.join()
            assert not one.session.progress.trouble, one.session.progress.trouble
            yield one


class WatchedClock:
    """The clock on the hall's wall."""

    def __init__(self) -> None:
        self.time_s = 0.0

    def now_s(self) -> float:
        return self.time_s

    def wait_until(self, time_s: float, called: Callable[[float], bool]) -> None:
        self.time_s = time_s
