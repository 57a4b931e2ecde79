"""However the program dies, what it switched on goes off: by the guardian, within three seconds; where that died too the next start asks."""

from __future__ import annotations

import contextlib
import os
import random
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path

import pytest

from tests.faults.hostile import Battery, Device
from ubrant.bench.guardian import Guardian, Instrument
from ubrant.bench.lines import open_line
from ubrant.bench.switched_on import AddressHeld, SwitchedOn, SwitchedOnLedger, Whose, by_id
from ubrant.logbook.logbook import Logbook
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.kept.left_on import may_be_on
from ubrant.runs.making.still_on import person_looked, switch_off, tell_run, tell_switched_off

STUB = Path(__file__).parent / "driver_stub"
MOMENTS = [pytest.param(n, marks=() if n < 6 else pytest.mark.slow) for n in range(60)]


class Scene:
    """A meter and a load at their ends of the cables, and the program that uses them."""

    def __init__(self, folder: Path, silent_s: float = 15.0, *, by_driver: bool = False, log: bool = False) -> None:
        self.battery = Battery()
        self.devices = [Device(kind, self.battery) for kind in ("meter", "load")]
        addresses = [device.address for device in self.devices]
        if by_driver:
            addresses[1] = addresses[1].replace("TCPIP0", "USB0").replace("SOCKET", "INSTR")
        self.path = folder / "bench.ubrant"
        more = [str(folder / "growing.csv")] if log else []
        if log:
            (folder / "growing.csv").write_text("Time (s),Voltage (V)\n0,13.0\n1,13.0\n2,13.0\n")
        environment = {**os.environ, "PYTHONPATH": f"{STUB}:{Path.cwd()}"}
        command = [sys.executable, "-m", "tests.crash.on_instruments", str(self.path), str(silent_s), *addresses, *more]
        self.program = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=environment)
        told = self.program.stdout.readline().split()
        assert told and told[0] == "on", self.program.communicate(timeout=20)
        self.guardian, *self.children = map(int, told[1:])
        self.address = addresses[1]

    def off_after_s(self, since_s: float, within_s: float = 10.0) -> float | None:
        """How long it took until the load was told, from a moment on; None where it was not."""
        until = since_s + within_s
        while time.monotonic() < until:
            if (off_s := self.battery.off_s("load", since_s)) is not None:
                return off_s - since_s
            time.sleep(0.005)
        return None

    def entry(self, *, settled: bool = True) -> SwitchedOn | None:
        """What is written down of the load, once whoever works on it has left."""
        until = time.monotonic() + 8.0
        while settled and SwitchedOnLedger().is_held(self.address) and time.monotonic() < until:
            time.sleep(0.02)
        return SwitchedOnLedger().read(self.address)

    def close(self) -> None:
        for pid in (self.program.pid, self.guardian, *self.children):
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
        self.program.communicate()
        for device in self.devices:
            device.close()


@pytest.fixture
def scene(tmp_path):
    made = []

    def of(*arguments: object, **more: object) -> Scene:
        made.append(Scene(tmp_path, *arguments, **more))  # type: ignore[arg-type]
        return made[-1]

    yield of
    for one in made:
        one.close()


@pytest.mark.parametrize("number", MOMENTS)
def test_kill_9_on_instruments(number, scene):
    """Off within 3 s and confirmed, while a reader of a growing log lives too; every second one over a driver's own process."""
    chance = random.Random(f"guardian {number}")
    bench = scene(by_driver=number % 2 == 1, log=number % 3 == 0)
    assert bench.battery.load_is_on
    time.sleep(chance.uniform(0.0, 0.4))
    killed = time.monotonic()
    os.kill(bench.program.pid, signal.SIGKILL)
    after_s = bench.off_after_s(killed)
    assert after_s is not None
    assert after_s <= 3.0
    assert not bench.battery.load_is_on
    entry = bench.entry()
    assert entry.is_off
    assert (entry.whose.logbook, entry.whose.run, entry.outcome["by"]) == (str(bench.path), 1, "guardian")
    logbook = Logbook(bench.path)
    assert may_be_on(SwitchedOnLedger()) == []
    (said,) = tell_switched_off(SwitchedOnLedger(), logbook)
    assert "was switched off by the guardian" in said
    assert SwitchedOnLedger().entries() == []
    assert [e.event.kind for e in logbook.events(1)][-1] == "guardian_off"
    logbook.close()


@pytest.mark.parametrize(("silent_s", "short_s", "long_s"), [(1.5, 0.5, 3.0), pytest.param(15.0, 5.0, 25.0, marks=pytest.mark.slow)])
def test_a_program_that_stands_still(silent_s, short_s, long_s, scene):
    """For a moment: nothing. For longer than it may: off, and said as what it was, once it goes on."""
    bench = scene(silent_s)
    stopped = time.monotonic()
    os.kill(bench.program.pid, signal.SIGSTOP)
    assert bench.off_after_s(stopped, short_s) is None
    os.kill(bench.program.pid, signal.SIGCONT)
    assert bench.off_after_s(stopped, silent_s) is None
    assert bench.battery.load_is_on
    stopped = time.monotonic()
    os.kill(bench.program.pid, signal.SIGSTOP)
    after_s = bench.off_after_s(stopped, long_s)
    assert after_s is not None
    assert silent_s - 1.0 <= after_s <= silent_s + 1.4
    os.kill(bench.program.pid, signal.SIGCONT)
    told = bench.program.communicate(timeout=30)[0].splitlines()[-1]
    assert told.startswith("ended guardian | ")
    assert f"guardian_off: The guardian switched off: no sign of life for {silent_s:g} s." in told
    assert "cut-off" not in told.split("|")[1]
    assert bench.entry() is None, "it was confirmed, and nothing is left to ask"


def test_over_a_driver_as_well(scene):
    bench = scene(1.5, by_driver=True)
    stopped = time.monotonic()
    os.kill(bench.program.pid, signal.SIGSTOP)
    assert bench.off_after_s(stopped, 4.0) is not None
    os.kill(bench.program.pid, signal.SIGCONT)
    assert bench.program.communicate(timeout=30)[0].splitlines()[-1].startswith("ended guardian | ")


def test_a_guardian_that_dies_is_replaced_and_said(scene):
    bench = scene()
    killed = time.monotonic()
    os.kill(bench.guardian, signal.SIGKILL)
    told = bench.program.stdout.readline().split()
    assert told[0] == "on"
    assert int(told[1]) != bench.guardian
    assert bench.off_after_s(killed, time.monotonic() - killed + 1.0) is None
    bench.guardian = int(told[1])
    killed = time.monotonic()
    os.kill(bench.program.pid, signal.SIGKILL)
    assert bench.off_after_s(killed) <= 3.0
    logbook = Logbook(bench.path)
    assert any(e.event.text.startswith("Not guarded for a moment") for e in logbook.events(1))
    logbook.close()


def test_both_die_and_the_next_start_asks(scene):
    bench = scene()
    killed = time.monotonic()
    os.kill(bench.guardian, signal.SIGKILL)
    os.kill(bench.program.pid, signal.SIGKILL)
    assert bench.off_after_s(killed, 1.0) is None
    assert bench.battery.load_is_on
    logbook = Logbook(bench.path)
    (entry,) = may_be_on(SwitchedOnLedger())
    assert any("may still be on" in warning for warning in account_of(logbook, logbook.run(1))[1].warnings)
    tried = switch_off(SwitchedOnLedger(), entry)
    assert tried.is_off
    assert not bench.battery.load_is_on
    tell_run(logbook, entry, tried)
    assert may_be_on(SwitchedOnLedger()) == []
    assert not any("may still be on" in warning for warning in account_of(logbook, logbook.run(1))[1].warnings)
    assert "was switched off when Ubrant was started again" in logbook.events(1)[-1].event.text
    logbook.close()


# the next start


def left_on(device: Device, identity: str = "Made up,hostile load,1,1", logbook: str = "/nowhere/bench.ubrant") -> SwitchedOn:
    commands = {"off": "INP OFF", "is_on": "INP?", "current": "MEAS:CURR?", "identify": "*IDN?"}
    entry = SwitchedOn(device.address, "The load", "load", identity, commands, ("0",), Whose(logbook, 7), "2026-01-01T10:00:00+00:00")
    SwitchedOnLedger().write(entry)
    return SwitchedOnLedger().read(device.address)


@pytest.fixture
def load():
    battery = Battery(load_is_on=True)
    device = Device("load", battery)
    yield device
    device.close()


def test_another_instrument_at_the_address_is_sent_nothing(load):
    entry = left_on(load, "Made up,the right one,9,9")
    tried = switch_off(SwitchedOnLedger(), entry)
    assert not tried.is_off
    assert "Something else answers" in tried.sentence
    assert "Nothing was sent" in tried.sentence
    assert load.battery.told == []
    assert may_be_on(SwitchedOnLedger()) == [entry]


def test_one_that_does_not_say_who_it_is_is_asked_about_first(load):
    entry = left_on(load, "")
    tried = switch_off(SwitchedOnLedger(), entry)
    assert (tried.is_off, tried.asks_first) == (False, True)
    assert load.battery.told == []
    assert switch_off(SwitchedOnLedger(), entry, agreed=True).is_off
    assert not load.battery.load_is_on


def test_nobody_there(load):
    entry = left_on(load)
    load.close()
    tried = switch_off(SwitchedOnLedger(), entry)
    assert not tried.is_off
    assert "does not answer" in tried.sentence
    assert "switch it off by hand" in tried.sentence
    assert person_looked(SwitchedOnLedger(), entry).is_off
    assert SwitchedOnLedger().entries() == []


def test_one_that_does_not_go_off(load):
    entry = left_on(load)
    load.wrong = "stays on and says so"
    load.begin()
    tried = switch_off(SwitchedOnLedger(), entry)
    assert not tried.is_off
    assert may_be_on(SwitchedOnLedger()) == [entry]


def test_a_copy_of_the_logbook_and_another_machine_ask_nothing(load, tmp_path, monkeypatch):
    left_on(load, logbook=str(tmp_path / "bench.ubrant"))
    Logbook(tmp_path / "copy.ubrant").close()
    copy = Logbook(tmp_path / "copy.ubrant")
    from ubrant.runs.kept.left_on import about

    assert about(SwitchedOnLedger(), copy, 7) == []
    copy.close()
    monkeypatch.setattr("ubrant.bench.switched_on.this_machine", lambda: "another one")
    assert SwitchedOnLedger().entries() == []


def test_one_line_is_one_program_s(load):
    held = SwitchedOnLedger().lock(load.address, Whose("/a/bench.ubrant", 3))
    with pytest.raises(AddressHeld, match=r"run 3 of bench\.ubrant, process \d+"):
        SwitchedOnLedger().lock(load.address, Whose(), 0.1)
    left_on(load)
    assert may_be_on(SwitchedOnLedger()) == [], "who holds it sees to it"
    held.release()
    assert len(may_be_on(SwitchedOnLedger())) == 1


def test_a_serial_line_goes_by_its_adapter(tmp_path, monkeypatch):
    (tmp_path / "by-id").mkdir()
    (tmp_path / "ttyUSB0").touch()
    (tmp_path / "by-id" / "usb-adapter").symlink_to(tmp_path / "ttyUSB0")
    monkeypatch.setattr("ubrant.bench.switched_on._BY_ID", tmp_path / "by-id")
    assert by_id(f"ASRL{tmp_path}/ttyUSB0::INSTR") == f"ASRL{tmp_path}/by-id/usb-adapter::INSTR"
    assert by_id("socket://127.0.0.1:5025") == "socket://127.0.0.1:5025"


# the guardian by itself


def guarded(device: Device, silent_s: float = 15.0, current: str = "MEAS:CURR?") -> tuple[Guardian, object]:
    commands = {"off": "INP OFF", "is_on": "INP?", "current": current, "identify": "*IDN?"}
    guardian = Guardian(SwitchedOnLedger(), Whose("/a/b.ubrant", 1), silent_s)
    line_guard = guardian.watch(
        Instrument("The load", "load", device.address, commands, ("0",)), SwitchedOnLedger().lock(device.address, Whose())
    )
    line = open_line(device.address, time.monotonic() + 2.0)
    line_guard.opened(line, "Made up,hostile load,1,1")
    line_guard.on(2.0)
    return guardian, line_guard


def test_a_farewell_switches_nothing(load):
    guardian, _ = guarded(load)
    guardian.close()
    assert load.battery.told == []


def test_a_child_of_the_program_does_not_keep_the_guardian_waiting(load):
    """The end of the program is seen though a process that it forked lives on."""
    reads, writes = os.pipe()
    program = os.fork()
    if not program:
        guarded(load)
        if not os.fork():
            os.close(reads)
            time.sleep(20.0)
            os._exit(0)
        os.write(writes, b"x")
        time.sleep(20.0)
        os._exit(0)
    os.close(writes)
    assert os.read(reads, 1) == b"x"
    killed = time.monotonic()
    os.kill(program, signal.SIGKILL)
    os.waitpid(program, 0)
    while load.battery.off_s("load", killed) is None and time.monotonic() < killed + 5.0:
        time.sleep(0.01)
    assert load.battery.off_s("load", killed) is not None


def test_a_line_that_has_gone_is_opened_anew_after_the_old_one_is_closed(load):
    guardian, line_guard = guarded(load)
    openings = load.openings
    line_guard._line._thing.shutdown(socket.SHUT_RDWR)  # type: ignore[attr-defined]
    guardian._control.close()  # the program is no more
    guardian._child.wait(10.0)
    assert load.openings == openings + 1
    assert not load.battery.load_is_on
    assert SwitchedOnLedger().read(load.address).is_off


@pytest.mark.parametrize(
    ("wrong", "confirmed"),
    [
        ("stays on and says 0", False),
        ("stays on and says so", False),
        ("silent", False),
        ("carriage returns", True),
        ("one line too much, once", True),
    ],
)
def test_what_is_not_confirmed_is_said_to_be_not(wrong, confirmed, load):
    guardian, line_guard = guarded(load)
    load.wrong = wrong
    load.begin()
    guardian._control.close()
    guardian._child.wait(15.0)
    line_guard.lock.release()
    entry = SwitchedOnLedger().read(load.address)
    assert entry.outcome["sent"]
    assert entry.is_off == confirmed
    assert bool(may_be_on(SwitchedOnLedger())) != confirmed


def test_one_that_shows_no_current_goes_by_what_it_says(load):
    guardian, line_guard = guarded(load, current="")
    load.wrong = "stays on and says so"
    load.begin()
    guardian._control.close()
    guardian._child.wait(15.0)
    line_guard.lock.release()
    entry = SwitchedOnLedger().read(load.address)
    assert not entry.is_off
    assert "it answers “1” when it is asked whether it is on" in entry.outcome["says"]


def test_the_command_line_switches_it_off_or_takes_a_person_s_word(load):
    from tests.command_line import ubrant

    assert "Nothing is known that may still be on" in ubrant("off").stdout
    left_on(load, "Made up,the right one,9,9")
    made = ubrant("off")
    assert made.returncode == 1
    assert "may still be on: run 7 of bench.ubrant" in made.stdout
    assert "Something else answers" in made.stdout
    assert ubrant("off", "--looked", load.address).returncode == 0
    left_on(load, "")
    assert "Call it again with --agreed" in ubrant("off").stdout
    assert ubrant("off", "--agreed").returncode == 0
    assert not load.battery.load_is_on
    assert SwitchedOnLedger().entries() == []


def test_a_driver_s_own_process_takes_no_late_answer_for_the_one_it_asked_for():
    """A reading that the program had asked for comes first: it is not taken for *off*."""
    from ubrant.bench.visa_child import Driver

    class Resource:
        def __init__(self) -> None:
            self.answers, self.told = [b"12.9003\n"], []

        def write_raw(self, data: bytes) -> None:
            for command in filter(None, data.decode().split("\n")):
                self.told.append(command)
                answer = {"*IDN?": b"Made up,load\n", "INP?": b"0\n", "MEAS:CURR?": b"0.0000\n"}.get(command)
                self.answers += [answer] if answer else []

        def read_raw(self) -> bytes:
            if not self.answers:
                raise RuntimeError("VI_ERROR_TMO")
            return self.answers.pop(0)

    orders, ours = os.pipe()
    answers, theirs = os.pipe()
    resource = Resource()
    driver = Driver(resource, orders, theirs)
    driver._how = {
        "off": "INP OFF",
        "is_on": "INP?",
        "off_answers": ["0"],
        "current": "MEAS:CURR?",
        "identify": "*IDN?",
        "identity": "Made up,load",
    }
    assert driver._looks_off() == ""
    resource.answers.append(b"12.9003\n")
    driver._how["identity"] = ""
    assert driver._looks_off() == ""
    for descriptor in (orders, ours, answers, theirs):
        os.close(descriptor)


def test_where_the_guardian_would_end_with_the_program_that_is_said(load, monkeypatch):
    from ubrant.bench.guardian import ends_with_the_program

    assert ends_with_the_program() == ""
    monkeypatch.setattr(os, "getpid", lambda: 1)
    assert "first process of a container" in ends_with_the_program()
