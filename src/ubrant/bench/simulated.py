"""Start a world process and connect to it as to any bench."""

from __future__ import annotations

import contextlib
import json
import math
import os
import select
import signal
import subprocess
import sys
import threading
import weakref
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ubrant.bench.bench import Bench, battery_and_load, channels_of
from ubrant.bench.clocks import WorldClock
from ubrant.bench.command_log import CommandLog, Logged
from ubrant.bench.instruments import Connection, DcMeter, InstrumentError, Scope, ScpiConnection
from ubrant.bench.standins.converter_world import ConverterScenario
from ubrant.bench.standins.scenario import Scenario
from ubrant.bench.switched import ElectronicLoad, Supply

if TYPE_CHECKING:
    from ubrant.bench.profile import Profile


class _Nursery:
    """One process that has read its libraries, and forks a world whenever it is given a scenario; its worlds outlive it."""

    def __init__(self) -> None:
        self._one_at_a_time = threading.Lock()
        self._process: subprocess.Popen[str] | None = None

    def born(self, scenario: str) -> dict[str, Any]:
        """The number and the addresses of a new world; of a second nursery where the first has gone. Empty where none came."""
        with self._one_at_a_time:
            if self._process is None or self._process.poll() is not None:
                self._process = subprocess.Popen(
                    [sys.executable, "-m", "ubrant.bench.standins"],
                    stdin=subprocess.PIPE,
                    stdout=subprocess.PIPE,
                    text=True,
                    start_new_session=True,
                    env={**os.environ, "OPENBLAS_NUM_THREADS": "1"},  # it starts in half the time, and has no use for more
                )
            assert self._process.stdin and self._process.stdout
            try:
                self._process.stdin.write(scenario + "\n")
                self._process.stdin.flush()
            except OSError:
                return {}
            told: dict[str, Any] = json.loads(self._process.stdout.readline() or "{}")
            return told


_nursery = _Nursery()


class WorldProcess:
    """The world, in a process of its own that outlives this one for as long as the load is on."""

    def __init__(self, scenario: Scenario | ConverterScenario) -> None:
        told = _nursery.born(scenario.to_json())
        if not told:
            raise InstrumentError("The simulated bench did not start. Start the run again.")
        self.pid: int = told["pid"]
        self.addresses: dict[str, str] = told["addresses"]
        try:
            self._handle = os.pidfd_open(self.pid)
        except ProcessLookupError:
            raise InstrumentError("The simulated bench ended as soon as it had started. Start the run again.") from None
        weakref.finalize(self, os.close, self._handle)

    def close(self) -> None:
        """End it at once; only for a bench whose load is off."""
        with contextlib.suppress(ProcessLookupError):  # gone before
            signal.pidfd_send_signal(self._handle, signal.SIGTERM)
            self.is_gone(10.0)

    def is_gone(self, within_s: float) -> bool:
        """Whether it has ended, or does so soon."""
        return bool(select.select([self._handle], [], [], within_s)[0])


def _liner(world: WorldProcess, lines: list[Connection], log: CommandLog, timeout_s: float) -> Callable[[str, str, Profile], Connection]:
    """What opens the line to a stand-in by its port, logged and added to ``lines``."""

    def line(name: str, port: str, profile: Profile) -> Connection:
        made = Logged(name, ScpiConnection(name, world.addresses[port], timeout_s, profile, off_first=True), log)
        lines.append(made)
        return made

    return line


def _profile(kind: str) -> Profile:
    """The shipped one; a stand-in answers two questions in one message as well."""
    from ubrant.bench.profile import shipped  # slow to import, and needed only with a bench

    made = shipped(kind)
    if not made.command("voltage") or not made.command("current"):
        return made
    return made.model_copy(update={"commands": {**made.commands, "volts_amps": "MEAS:VOLT?;:MEAS:CURR?"}})


@dataclass(frozen=True)
class Around:
    """What stands around a simulated converter besides its load and the meter at its input: names as the person gave them, empty for not there."""

    input_meter: str = "Input meter"
    output_meter: str = "Output meter"
    plug_meter: str = ""
    source_meter: str = ""
    scope: str = ""
    supply: str = "Supply"


def open_simulated_converter(
    scenario: ConverterScenario, speed: float = math.inf, around: Around | None = None, timeout_s: float = 3.0
) -> Bench:
    """A bench with a simulated supply or battery, converter, inverter or breaker, a load, and meters around it."""
    around = around or Around()
    world, log = WorldProcess(scenario), CommandLog()
    lines: list[Connection] = []

    line = _liner(world, lines, log, timeout_s)

    def meter(name: str, port: str, kind: str = "meter") -> DcMeter:
        return DcMeter(name, line(name, port, _profile(kind)), _profile(kind))

    load = ElectronicLoad("Load", line("Load", "load", _profile("load")), _profile("load"))
    channels = channels_of(meter(around.input_meter, "meter"), "input")
    if around.plug_meter:
        channels += channels_of(meter(around.plug_meter, "plug", "plug"), "output", quantities="VAWF")
    elif around.output_meter:
        channels += channels_of(meter(around.output_meter, "meter2"), "output")
    supply = Supply(around.supply, line(around.supply, "supply", _profile("supply"))) if around.supply else None
    if supply is not None and not around.source_meter:
        channels += channels_of(supply, "source", quantities="V")
    if around.source_meter:
        channels += channels_of(meter(around.source_meter, "meter3"), "source", quantities="V")
    scope = Scope(around.scope, line(around.scope, "scope", _profile("scope"))) if around.scope else None
    clock = WorldClock(world.addresses["clock"], speed)

    def close() -> None:
        clock.close()
        world.close()

    return Bench(load, channels, clock, tuple(lines), close, log, supply, scope=scope.record if scope else None, operator=clock.operator)


def open_simulated(
    scenario: Scenario,
    speed: float = math.inf,
    meter_name: str = "DC meter",
    load_name: str = "Load",
    *,
    timeout_s: float = 3.0,
    charger: bool = False,
    thermometer: bool = False,
    max_v: float | None = None,
    max_a: float | None = None,
) -> Bench:
    """A bench with a simulated load and meter, and where wanted a charger and a thermometer, at ``speed`` times the wall clock."""
    world, log = WorldProcess(scenario), CommandLog()
    lines: list[Connection] = []

    line = _liner(world, lines, log, timeout_s)

    load = ElectronicLoad(load_name, line(load_name, "load", _profile("load")), _profile("load"))
    meter = DcMeter(meter_name, line(meter_name, "meter", _profile("meter")), _profile("meter"))
    channels = battery_and_load(meter, load, max_v, max_a)
    if thermometer:
        channels += channels_of(DcMeter("Thermometer", line("Thermometer", "thermometer", _profile("meter"))), "battery", quantities="T")
    supply = Supply("Charger", line("Charger", "supply", _profile("supply"))) if charger else None
    clock = WorldClock(world.addresses["clock"], speed)

    def close() -> None:
        clock.close()
        world.close()

    return Bench(load, channels, clock, tuple(lines), close, log, supply, operator=clock.operator)
