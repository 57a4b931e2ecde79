"""Boards that print lines, the real clock, profiles, and a run on instruments that run freely."""

from __future__ import annotations

import math
import os
import socket
import threading
import tty

import pytest

from tests.methods.discharge.making import DISCHARGE, begun, discharging, small_plan
from ubrant.bench.clocks import RealClock
from ubrant.bench.engine import Order
from ubrant.bench.instruments import InstrumentError, ScpiConnection, WrongInstrument
from ubrant.bench.live import LiveReadings
from ubrant.bench.profile import ProfileError, keep_own, profiles, read_profile, shipped, shipped_text
from ubrant.bench.simulated import WorldProcess
from ubrant.bench.standins.faults import Fault
from ubrant.bench.standins.scenario import Scenario
from ubrant.bench.streams import LineSource, board
from ubrant.core.equipment.line_pattern import LinePattern
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.models.cell import pack_from_label
from ubrant.core.quantities.label import parse_label
from ubrant.core.record.cutoff import Cutoff
from ubrant.runs.making.benches import BenchChoice, bench_checks, try_command

PACK = pack_from_label(parse_label("0.5 Ah 12.8 V LiFePO4"))


class Standing:
    """A clock that stands still."""

    def now_s(self) -> float:
        return 5.0

    def wait_until(self, time_s, called) -> None:
        """Nothing to wait for."""


@pytest.fixture
def world():
    opened = []

    def open_world(**changes) -> WorldProcess:
        opened.append(WorldProcess(Scenario(PACK, runs_free=True, **changes)))
        return opened[-1]

    yield open_world
    for one in opened:
        one.close()


def test_lines_arrive_from_a_pseudo_terminal():
    """Half a line, a line of headings, nonsense: only whole readings count."""
    ours, theirs = os.openpty()
    tty.setraw(theirs)
    source = LineSource("Board", os.ttyname(theirs))
    assert source.lines(0.01) == []
    os.write(ours, b"ms,V,mA\r\n1000,12.9,41")
    assert source.lines(0.05) == ["ms,V,mA"]
    os.write(ours, b"00\r\n\xff\xfe??\r\n2000,12.8,4000\r\n")
    pattern = LinePattern("header")
    pattern.read("ms,V,mA")
    read = [values for line in source.lines(0.05) if (values := pattern.read(line))]
    assert read == [pytest.approx({"V": 12.9, "A": 4.1}), pytest.approx({"V": 12.8, "A": 4.0})]
    source.close()


def test_a_stream_keeps_every_line_and_says_when_it_is_silent():
    listener = socket.create_server(("127.0.0.1", 0))
    live, clock = LiveReadings(), Standing()
    stream = board("Board", f"socket://127.0.0.1:{listener.getsockname()[1]}", LinePattern("1 V, 2 A"))
    with pytest.raises(InstrumentError, match="has sent no V yet"):
        stream.latest("battery", "V", 5.0)
    stream.start(clock, live)
    connection, _ = listener.accept()
    for k in range(500):
        connection.sendall(f"{12 + k / 1000},1\n".encode())
    arrived = threading.Event()
    for _ in range(500):
        if len(live.series("battery", "V")) == 500:
            break
        arrived.wait(0.01)
    series = live.series("battery", "V")
    assert len(series) == 500
    assert (series.time_s[1:] > series.time_s[:-1]).all()
    assert stream.latest("battery", "V", 6.0) == pytest.approx(12.499)
    with pytest.raises(InstrumentError, match="has sent nothing for 95 s"):
        stream.latest("battery", "V", 100.0)
    connection.close()
    stream.stop()


def test_the_real_clock_goes_on_and_comes_back_early_when_called():
    clock = RealClock(100.0)
    before = clock.now_s()
    assert before >= 100.0
    clock.wait_until(before + 1000.0, lambda seconds: True)
    assert clock.now_s() - before < 5.0


def test_shipped_profiles_are_whole_and_a_person_can_keep_their_own():
    for kind in ("load", "supply", "meter"):
        assert shipped(kind).kind == kind
    text = shipped_text("load").replace('name = "Generic load"', 'name = "My load"').replace("INP ON", "LOAD ON")
    path = keep_own(text)
    found, troubles = profiles()
    assert found["My load"].command("on") == "LOAD ON"
    assert troubles == []
    path.write_text("name = 3")
    assert "my-load.toml" in profiles()[1][0]


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (("[commands]", "[commands"), "this is no TOML"),
        (('kind = "load"', 'kind = "toaster"'), "kind: "),
        (("INP ON", "INP {on}"), "is not understood"),
        (("{value:.4f}", ""), "has no {value} in it"),
        (('off = "INP OFF"', ""), "also needs off"),
        (("is_on =", "is_off ="), "“is_off” is not a command"),
        (('identity = ""', 'identity = "["'), "no regular expression"),
    ],
)
def test_a_profile_that_cannot_be_used_is_refused_with_its_place(change, says):
    with pytest.raises(ProfileError, match=says.replace("{", r"\{").replace("}", r"\}")):
        read_profile(shipped_text("load").replace(*change), "mine.toml")


def address(world: WorldProcess, name: str) -> str:
    return world.addresses[name]


def test_a_command_is_tried_at_an_address(world):
    made = world()
    load = Meter("Load", details=MeterDetails(role="load", connection="scpi", address=address(made, "load")))
    assert try_command(load, shipped("load"), "INP?") == "0"
    assert "No error" in try_command(load, shipped("load"), "SOUR:CURR 1.0")
    assert "Undefined header" in try_command(load, shipped("load"), "SOUR:SPEED 1")
    nowhere = Meter("Load", details=MeterDetails(role="load", connection="scpi", address="TCPIP0::127.0.0.1::9::SOCKET"))
    assert "answer" in try_command(nowhere, shipped("load"), "INP?", 0.5)
    nonsense = Meter("Load", details=MeterDetails(role="load", connection="scpi", address="over there"))
    assert "does not answer at over there" in try_command(nonsense, shipped("load"), "INP?", 0.5)


def test_the_wrong_instrument_is_told_by_its_identity(world):
    made = world(faults=(Fault("meter", "other"),))
    wanted = read_profile(shipped_text("multimeter").replace('identity = ""', 'identity = "DC meter"'), "m.toml")
    with pytest.raises(WrongInstrument, match="“Somebody,another device,7,1” answers instead of Meter"):
        ScpiConnection("Meter", address(made, "meter"), 0.5, wanted)


def test_what_is_missing_for_instruments_is_named():
    shown = Meter("Clamp")
    asked = Meter("Load", details=MeterDetails(role="load", connection="scpi", profile="Nobody's"))
    made = discharging(Unit("Small pack", "battery", "0.5 Ah 12.8 V LiFePO4"), small_plan(), shown)
    said = " ".join(bench_checks(BenchChoice("bench", 1.0, asked), DISCHARGE.scene(made), made.setup))
    assert "Clamp has no connection" in said
    assert "Load has no address" in said


def test_a_run_on_another_program_s_growing_log(logbook, tmp_path):
    """The log is followed as it grows, the load is switched by a person, and the run ends at the cut-off that the log shows."""
    path = tmp_path / "growing.csv"
    path.write_text("Time (s),Voltage (V),Current (A)\n0,13.2,0\n1,13.2,0\n")
    unit = logbook.keep_unit(Unit("Small pack", "battery", "0.5 Ah 12.8 V LiFePO4"))
    meter = Meter("Other program", "0.1 %", "0.5 %", details=MeterDetails(connection="file", address=str(path)))
    plan = small_plan(every_s=0.05, rest_before_s=0.2, rest_after_s=0.1, cutoff=Cutoff(11.0, 0.0), by_hand=True)
    run, session = begun(logbook, plan, unit, meter, BenchChoice("bench", 1.0))
    session.start()
    wait = threading.Event()
    for k in range(200):
        with path.open("a") as file:
            file.write(f"{2 + k * 0.1:.1f},{max(13.0 - 0.1 * k, 10.5):.2f},0.5\n")
        wait.wait(0.1)
        if session.progress.phase == "asking":
            session.order(Order.DONE)
        if not session.running:
            break
    session.join(10.0)
    assert session.progress.ended_by == "cut-off"
    volts = logbook.series(run.id, "battery", "V")
    assert len(volts) > 10
    assert (volts.time_s[1:] > volts.time_s[:-1]).all()


@pytest.mark.parametrize("by_lines", [False, True])
def test_a_run_on_instruments_that_run_freely(world, logbook, by_lines):
    """Load by SCPI, meter by SCPI or as a board's printed lines, each at its own pace, by the real clock."""
    made = world(free_speed=1200.0, board_every_s=20.0)
    unit = logbook.keep_unit(Unit("Small pack", "battery", "0.5 Ah 12.8 V LiFePO4"))
    load = Meter("Load", max_a=30.0, details=MeterDetails(role="load", connection="scpi", address=address(made, "load")))
    details = MeterDetails(connection="scpi", address=address(made, "meter"))
    if by_lines:
        details = MeterDetails(connection="lines", address=made.addresses["board"], profile="2 V, 3 A")
    meter = Meter("Meter", "0.1 %", "0.5 %", details=details)
    plan = small_plan(every_s=0.05, rest_before_s=0.3, rest_after_s=0.2, own_cutoff_v=6.0, cutoff=Cutoff(11.0, 0.0))
    run, session = begun(logbook, plan, unit, meter, BenchChoice("bench", math.nan, load))
    for _ in range(2):
        session.order(Order.DONE)
    session.start()
    session.join(30.0)
    assert not session.running
    assert session.progress.trouble == ""
    assert session.progress.ended_by in {"cut-off", "load's own cut-off"}  # twenty minutes go by in a second: either may see it first
    kept = logbook.run(run.id)
    assert (kept.source, kept.state) == ("bench", "done")
    assert len(logbook.series(run.id, "battery", "V")) > 20
    assert len(logbook.series(run.id, "load", "A")) > 20
    assert session.commands.text().splitlines()[-1].endswith("0") or "INP?  →  0" in session.commands.text()
