"""What a run is made on: the load, what is read at which tap, and what arrives by itself."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from ubrant.bench.command_log import CommandLog
from ubrant.bench.instruments import Connection, DcMeter, VoltsAmps
from ubrant.bench.streams import Stream
from ubrant.bench.switched import ElectronicLoad, LoadByPerson, Supply
from ubrant.core.protocols import Clock
from ubrant.core.quantities.readings import Array

if TYPE_CHECKING:
    from ubrant.bench.guardian import Guardian


@dataclass(frozen=True)
class Channel:
    """One quantity read at one tap. ``limit`` is the largest value the meter can show; ``connection`` is opened anew after a failure.

    ``kept`` is False where the readings are recorded by whoever makes them, as a stream's are. ``beside``: it is only read along, so that
    a run goes on without it. ``reversed``: it shows a discharge as negative. ``zero_limit``: how far off its maker lets its zero be.
    """

    tap: str
    quantity: str
    meter: str
    read: Callable[[], float]
    limit: float | None = None
    connection: Connection | None = None
    kept: bool = True
    beside: bool = False
    reversed: bool = False
    zero_limit: float = 0.0


@dataclass(frozen=True)
class Bench:
    """A load, a clock and channels. ``channels`` come in the order they are read; the battery's voltage is what a cut-off watches.

    ``scope`` records the output's wave as (seconds, volts) where there is one. ``operator`` does what a person was asked to and has said is done:
    nothing on a real bench, the simulated person's part on a simulated one. ``unattended``: nobody is asked, whatever is asked counts as done;
    for simulated benches only. ``guardian`` switches off when the program cannot any more; None where nothing is real.
    """

    load: ElectronicLoad | LoadByPerson
    channels: tuple[Channel, ...]
    clock: Clock
    connections: tuple[Connection, ...] = field(default=())
    on_close: Callable[[], None] = lambda: None
    log: CommandLog | None = None
    supply: Supply | None = None
    streams: tuple[Stream, ...] = ()
    scope: Callable[[], tuple[Array, Array]] | None = None
    operator: Callable[[str], None] = lambda _: None
    unattended: bool = False
    guardian: Guardian | None = None

    def alive(self) -> None:
        """A sign of life from the thread that this bench belongs to."""
        if self.guardian is not None:
            self.guardian.alive()

    def cut_off(self) -> None:
        """Off to everything that can be switched, at once, from any thread; nothing is waited for, and nothing can be switched on any more."""
        for thing in (self.load, self.supply):
            if thing is not None:
                thing.cut_off()

    def close(self) -> None:
        for connection in self.connections:
            connection.close()
        self.on_close()
        if self.guardian is not None:
            self.guardian.close()


def channels_of(
    meter: DcMeter, tap: str, max_v: float | None = None, max_a: float | None = None, quantities: str = "VA"
) -> tuple[Channel, ...]:
    """The channels of a meter at a tap."""
    line = meter.connection
    both = VoltsAmps(meter) if meter.profile.command("volts_amps") and "VA" in quantities else meter
    made = {
        "V": Channel(tap, "V", meter.name, both.voltage_v, max_v, line),
        "A": Channel(tap, "A", meter.name, both.current_a, max_a, line),
        "T": Channel(tap, "°C", meter.name, meter.temperature_c, None, line),
        "W": Channel(tap, "W", meter.name, meter.power_w, None, line),
        "F": Channel(tap, "Hz", meter.name, meter.frequency_hz, None, line),
    }
    return tuple(made[q] for q in quantities)


def battery_and_load(meter: DcMeter, load: ElectronicLoad, max_v: float | None = None, max_a: float | None = None) -> tuple[Channel, ...]:
    """The usual taps of a discharge: a meter at the battery, and what the load shows at its own terminals."""
    return channels_of(meter, "battery", max_v, max_a) + channels_of(load, "load")
