"""What a run is made on: the load, and what is read at which tap."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from ubrant.bench.command_log import CommandLog
from ubrant.bench.instruments import Connection, DcMeter, ElectronicLoad
from ubrant.core.protocols import Clock


@dataclass(frozen=True)
class Channel:
    """One quantity read at one tap."""

    tap: str
    quantity: str
    meter: str
    read: Callable[[], float]


@dataclass(frozen=True)
class Bench:
    """A load, a clock and channels. ``channels`` come in the order they are read; the battery's voltage is what a cut-off watches."""

    load: ElectronicLoad
    channels: tuple[Channel, ...]
    clock: Clock
    connections: tuple[Connection, ...] = field(default=())
    on_close: Callable[[], None] = lambda: None
    log: CommandLog | None = None

    def close(self) -> None:
        for connection in self.connections:
            connection.close()
        self.on_close()


def battery_and_load(meter: DcMeter, load: ElectronicLoad) -> tuple[Channel, ...]:
    """The usual taps of a discharge: a meter at the battery, and what the load shows at its own terminals."""
    return (
        Channel("battery", "V", meter.name, meter.voltage_v),
        Channel("battery", "A", meter.name, meter.current_a),
        Channel("load", "V", load.name, load.voltage_v),
        Channel("load", "A", load.name, load.current_a),
    )
