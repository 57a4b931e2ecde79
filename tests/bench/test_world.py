"""The simulated bench: the same to the last bit at any speed, and its load cuts off by itself."""

from __future__ import annotations

import math
import os
import signal
import subprocess
import sys
import time
from dataclasses import replace

import numpy as np
import pytest

from tests.making import AMPS, VOLTS
from tests.methods.discharge.making import small_plan
from ubrant.bench import simulated
from ubrant.bench.engine import Order
from ubrant.bench.lines import private_connection
from ubrant.bench.live import LiveReadings
from ubrant.bench.session import RunSession
from ubrant.bench.simulated import WorldProcess, open_simulated
from ubrant.bench.standins.scenario import Scenario, from_json, scenario_for
from ubrant.bench.standins.scpi import load_device, meter_device
from ubrant.bench.standins.world import World
from ubrant.core.models.shown import Imperfection
from ubrant.core.quantities.label import parse_label
from ubrant.methods.discharge.procedure import discharge

LABEL = parse_label("0.5 Ah 12.8 V LiFePO4")


def scenario(**changes: object) -> Scenario:
    return replace(scenario_for(LABEL, VOLTS, AMPS, 0.015, "a test", {"health": 1.0}), **changes)  # type: ignore[arg-type]


def carried_out(speed: float) -> RunSession:
    session = RunSession(discharge(small_plan()), lambda: open_simulated(scenario(), speed), LiveReadings())
    for _ in range(2):
        session.order(Order.DONE)
    session.start()
    session.join()
    assert session.progress.ended_by == "cut-off", session.progress.trouble
    return session


def test_bit_identical_over_repeats_at_any_speed():
    """As fast as it can, twice, and paced at 3000 times the clock."""
    runs = [carried_out(speed) for speed in (math.inf, math.inf, 3000.0)]
    for tap, quantity in (("battery", "V"), ("battery", "A"), ("load", "V"), ("load", "A")):
        series = [run.live.series(tap, quantity) for run in runs]
        for other in series[1:]:
            assert np.array_equal(series[0].time_s, other.time_s)
            assert np.array_equal(series[0].value, other.value)


def test_the_way_there_does_not_matter():
    one, other = World(scenario()), World(scenario())
    for world in (one, other):
        world.set_load(0.5)
        world.switch(True)
    one.advance_to(600.0)
    for moment in np.linspace(0.37, 600.0, 811):
        other.advance_to(float(moment))
    assert (one.meter_voltage(), one.circuit.charge_ah) == (other.meter_voltage(), other.circuit.charge_ah)


def test_scenarios_survive_the_way_to_the_world():
    assert from_json(scenario().to_json()) == scenario()


def test_meters_are_wrong_as_they_are_told_to_be():
    exact = Imperfection()
    world = World(scenario(meter_v=Imperfection(gain=0.01, zero=0.1), meter_a=exact, load_v=exact, load_a=exact))
    assert world.meter_voltage() == pytest.approx(world.circuit.battery_v * 1.01 + 0.1)
    noisy = World(scenario(meter_v=Imperfection(noise=0.01)))
    shown = []
    for k in range(400):
        noisy.advance_to(k * 0.1)
        shown.append(noisy.meter_voltage() - noisy.circuit.battery_v)
    assert np.std(shown) == pytest.approx(0.01, rel=0.15)


def test_instruments_speak_scpi():
    world = World(scenario())
    load, meter = load_device(world), meter_device(world)
    assert load.answer("*IDN?").startswith("Ubrant")
    assert load.answer("SOURce:CURRent 0.25; SOUR:CURR?") == "0.250000"
    assert load.answer(":input on;:INP?") == "1"
    assert float(meter.answer("MEAS:VOLT?")) > 12
    assert load.answer("SOUR:CURR lots") is None
    assert load.answer("NONSENSE") is None
    assert [load.answer("SYST:ERR?") for _ in range(3)] == ['-104,"Data type error"', '-113,"Undefined header"', '0,"No error"']


def ask(address: str, command: str) -> str:
    with private_connection(address, 10.0) as line:
        line.sendall(command.encode() + b"\n")
        return line.makefile().readline().strip()


def wait_for_load_off(address: str) -> None:
    """The world runs on by itself at a speed the test chose; nothing is slept for but its answer."""
    deadline = time.monotonic() + 20
    while ask(address, "INP?") != "0":
        assert time.monotonic() < deadline, "the load's own cut-off did not work"


def test_load_cuts_off_by_itself_when_the_clock_is_gone():
    world = WorldProcess(scenario(soc=0.2, free_speed=20_000.0, linger_s=0.2))
    clock = private_connection(world.addresses["clock"], 10.0)
    ask(world.addresses["load"], "SOUR:CURR 0.5;:SOUR:VOLT:LIM:LOW 11.5;:INP ON;:INP?")
    clock.close()
    wait_for_load_off(world.addresses["load"])
    assert ask(world.addresses["load"], "STAT:QUES:COND?") == "1"
    assert world.is_gone(20.0)  # and it goes by itself once nobody calls any more


_APPLICATION = """
import sys
from ubrant.bench.simulated import WorldProcess
from ubrant.bench.clocks import WorldClock
from ubrant.bench.instruments import ScpiConnection
from ubrant.bench.switched import ElectronicLoad
from ubrant.bench.standins.scenario import from_json
world = WorldProcess(from_json(sys.stdin.readline()))
clock = WorldClock(world.addresses["clock"])
load = ElectronicLoad("Load", ScpiConnection("Load", world.addresses["load"]))
load.prepare(0.5, 11.5)
load.on()
print(world.addresses["load"], flush=True)
sys.stdin.read()
"""


def test_load_cuts_off_by_itself_when_the_application_is_killed():
    app = subprocess.Popen([sys.executable, "-c", _APPLICATION], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    app.stdin.write(scenario(soc=0.2, free_speed=20_000.0).to_json() + "\n")
    app.stdin.flush()
    port = app.stdout.readline().strip()
    assert ask(port, "INP?") == "1"
    os.kill(app.pid, signal.SIGKILL)
    app.wait()
    wait_for_load_off(port)


def test_a_bench_that_goes_away_ends_the_run_with_a_sentence(monkeypatch: pytest.MonkeyPatch):
    worlds: list[WorldProcess] = []

    class Known(WorldProcess):
        def __init__(self, scenario: Scenario) -> None:
            super().__init__(scenario)
            worlds.append(self)

    monkeypatch.setattr(simulated, "WorldProcess", Known)
    session = RunSession(discharge(small_plan()), lambda: open_simulated(scenario(), 600.0), LiveReadings())
    for _ in range(2):
        session.order(Order.DONE)
    session.start()
    while not len(session.live.series("battery", "V")):
        session.join(0.01)
    os.kill(worlds[0].pid, signal.SIGKILL)  # all of it at once: nothing is left that could say the load is off
    session.join(60)
    assert session.progress.phase == "ended"
    assert session.progress.ended_by in {"instrument lost", "fault"}
    assert "switch it off by hand" in session.progress.trouble
