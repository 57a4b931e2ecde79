"""Start a world process and connect to it as to any bench."""

from __future__ import annotations

import json
import math
import subprocess
import sys

from ubrant.bench.bench import Bench, battery_and_load
from ubrant.bench.clocks import WorldClock
from ubrant.bench.command_log import CommandLog, Logged
from ubrant.bench.instruments import Connection, DcMeter, ElectronicLoad, InstrumentError, VisaConnection
from ubrant.bench.standins.scenario import Scenario


class WorldProcess:
    """The world, in a process of its own that outlives this one for as long as the load is on."""

    def __init__(self, scenario: Scenario) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-m", "ubrant.bench.standins"],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, start_new_session=True,
        )  # fmt: skip
        assert self._process.stdin and self._process.stdout
        self._process.stdin.write(scenario.to_json() + "\n")
        self._process.stdin.close()
        ports = self._process.stdout.readline()
        self._process.stdout.close()
        if not ports:
            raise InstrumentError("The simulated bench did not start. Start the run again.")
        self.ports: dict[str, int] = json.loads(ports)

    @property
    def pid(self) -> int:
        return self._process.pid

    def close(self) -> None:
        """End it at once; only for a bench whose load is off."""
        self._process.terminate()
        self._process.wait(timeout=10)


def open_simulated(scenario: Scenario, speed: float = math.inf, meter_name: str = "DC meter", load_name: str = "Load") -> Bench:
    """A bench with a simulated load and meter, at ``speed`` times the wall clock."""
    world, log = WorldProcess(scenario), CommandLog()
    load_line, meter_line = (
        Logged(name, VisaConnection(name, f"TCPIP0::127.0.0.1::{world.ports[port]}::SOCKET"), log)
        for name, port in ((load_name, "load"), (meter_name, "meter"))
    )
    clock = WorldClock(world.ports["clock"], speed)

    def close() -> None:
        clock.close()
        world.close()

    lines: tuple[Connection, ...] = (load_line, meter_line)
    load = ElectronicLoad(load_name, load_line)
    return Bench(load, battery_and_load(DcMeter(meter_name, meter_line), load), clock, lines, close, log)
