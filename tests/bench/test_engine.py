"""The engine: whatever happens, the load goes off. On a bench of plain objects, with a clock that is pushed on."""

from __future__ import annotations

import contextlib
import queue

import pytest

from tests.methods.discharge.making import small_plan
from ubrant.bench.bench import Bench, Channel
from ubrant.bench.engine import Engine, Order, Progress
from ubrant.bench.instruments import InstrumentError
from ubrant.bench.live import LiveReadings
from ubrant.bench.switched import ElectronicLoad
from ubrant.core.models.cell import Pack, pack_from_label
from ubrant.core.models.circuit import Circuit
from ubrant.core.quantities.label import parse_label
from ubrant.methods.discharge.procedure import discharge
from ubrant.methods.steps import ReadRest


class PushedClock:
    """Time passes when it is waited for; ``at`` runs something at a moment."""

    def __init__(self, circuit: Circuit) -> None:
        self.time_s, self.circuit, self.at = 0.0, circuit, {}

    def now_s(self) -> float:
        return self.time_s

    def wait_until(self, time_s: float, called) -> None:
        for moment in sorted(m for m in self.at if m <= time_s):
            self.at.pop(moment)()
        if time_s > self.time_s:
            self.circuit.step(time_s - self.time_s)
            self.time_s = time_s


class PlainLine:
    """The load's end of the cable, answering as a load does."""

    switches = True

    def __init__(self, circuit: Circuit) -> None:
        self.circuit, self.set_a, self.low_v, self.is_on = circuit, 0.0, 0.0, False
        self.faults: dict[str, object] = {}
        self.told: list[str] = []

    def tell(self, command: str) -> None:
        self.told.append(command)
        if command in self.faults:
            raise InstrumentError(str(self.faults[command]))
        head, _, value = command.partition(" ")
        if head == "SOUR:CURR":
            self.set_a = float(value)
        elif head == "SOUR:VOLT:LIM:LOW":
            self.low_v = float(value)
        elif head == "INP":
            self.is_on = value == "ON"
            self.circuit.draw(self.set_a if self.is_on else 0.0)

    def ask(self, command: str, *, long: bool = False) -> str:
        fault = self.faults.get(command)
        if isinstance(fault, list):
            fault = fault.pop(0) if fault else None
        if fault is not None:
            if str(fault).startswith("!"):
                raise InstrumentError(str(fault)[1:])
            return str(fault)
        answers = {
            "SOUR:CURR?": self.set_a,
            "SOUR:VOLT:LIM:LOW?": self.low_v,
            "INP?": int(self.is_on),
            "SYST:ERR?": "0,No error",
            "MEAS:VOLT?": self.circuit.load_v(),
            "MEAS:CURR?": self.circuit.current_a,
        }
        return str(answers[command])

    def make_sure(self) -> None:
        """Nothing can be out of order here."""

    def cut_in(self, command: str) -> None:
        with contextlib.suppress(InstrumentError):
            self.tell(command)

    def reopen(self) -> None:
        """Nothing to open; off is the first that is sent."""
        self.tell("INP OFF")

    def close(self) -> None:
        """Nothing to close."""


class Rig:
    """A bench, an engine on it, and what came of a run."""

    def __init__(self, soc: float = 1.0, **plan: object) -> None:
        self.circuit = Circuit(Pack(pack_from_label(parse_label("0.5 Ah 12.8 V LiFePO4")), soc), 0.015)
        self.line, self.clock = PlainLine(self.circuit), PushedClock(self.circuit)
        self.load = ElectronicLoad("Load", self.line)
        channels = (
            Channel("battery", "V", "Meter", lambda: self.circuit.battery_v),
            Channel("battery", "A", "Meter", lambda: self.circuit.current_a),
            Channel("load", "V", "Load", self.load.voltage_v),
            Channel("load", "A", "Load", self.load.current_a),
        )
        self.live, self.orders, self.shown = LiveReadings(), queue.Queue(), []
        self.engine = Engine(Bench(self.load, channels, self.clock), self.live, self.orders, self.show)
        self.plan = small_plan(**plan)
        for _ in range(2):
            self.orders.put(Order.DONE)

    def show(self, progress: Progress) -> None:
        """A person who looks at the load where nothing else can tell, and says that it is off."""
        self.shown.append(progress)
        if progress.phase == "may be on":
            self.orders.put(Order.DONE)

    def run(self, steps=None) -> Progress:
        ended = self.engine.run(steps if steps is not None else discharge(self.plan))
        assert not self.line.is_on, "the load was left on"
        assert ended.phase == "ended"
        return ended

    def kinds(self) -> list[str]:
        return [e.kind for e in self.live.events()]


def test_runs_to_the_cutoff_and_reads_the_recovery():
    rig = Rig()
    ended = rig.run()
    assert (ended.ended_by, ended.trouble) == ("cut-off", "")
    assert rig.kinds() == ["load_on", "load_off"]
    volts = rig.live.series("battery", "V")
    assert ended.load_off_s < volts.time_s[-1]
    assert (volts.time_s[1:] > volts.time_s[:-1]).all()


def test_current_and_own_cutoff_are_set_and_read_back_before_switching_on():
    rig = Rig()
    rig.run()
    before = rig.line.told[: rig.line.told.index("INP ON")]
    assert before == ["SOUR:FUNC CURR", "SOUR:CURR 0.5000", "SOUR:VOLT:LIM:LOW 10.7000"]


@pytest.mark.parametrize("command", ["SOUR:CURR?", "SOUR:VOLT:LIM:LOW?"])
def test_is_not_switched_on_when_it_holds_something_else(command):
    rig = Rig()
    rig.line.faults[command] = "3.3"
    ended = rig.run()
    assert "INP ON" not in rig.line.told
    assert "holds 3.3: it was not switched on" in ended.trouble


@pytest.mark.parametrize(
    ("fault", "says"),
    [
        ("!Load did not answer MEAS:CURR?: check its cable.", "did not answer"),
        ("garbage", "which is not a reading"),
        ("9.9E37", "over its range"),
    ],
)
def test_an_instrument_that_fails_ends_the_run_with_the_load_off(fault, says):
    rig = Rig()
    rig.clock.at[100.0] = lambda: rig.line.faults.update({"MEAS:CURR?": fault})
    ended = rig.run()
    assert (ended.ended_by, says in ended.trouble) == ("instrument lost", True)
    assert rig.kinds()[-1] == "load_off"


def test_a_single_lost_answer_is_asked_for_again():
    rig = Rig()
    rig.clock.at[100.0] = lambda: rig.line.faults.update({"MEAS:CURR?": ["!lost"]})
    assert rig.run().ended_by == "cut-off"


def test_a_recorder_that_fails_ends_the_run_with_the_load_off():
    rig = Rig()

    def fail() -> None:
        raise OSError("The disk is full.")

    rig.clock.at[200.0] = lambda: setattr(rig.live, "check", fail)
    ended = rig.run()
    assert (ended.ended_by, ended.trouble) == ("fault", "The disk is full.")


def test_a_method_that_fails_ends_the_run_with_the_load_off():
    def broken(plan):
        for step in discharge(plan):
            yield step
            if type(step).__name__ == "SwitchLoadOn":
                raise RuntimeError("a slip in the method")

    rig = Rig()
    assert "a slip in the method" in rig.run(broken(rig.plan)).trouble


def test_a_method_may_answer_a_fault_with_steps_of_its_own():
    """A fault is thrown into the method; what it yields then is carried out like any other step."""

    def careful(plan):
        try:
            yield from discharge(plan)
        except InstrumentError:
            yield ReadRest(30.0, 10.0, "Read on after the fault.")

    rig = Rig()
    rig.clock.at[100.0] = lambda: rig.line.faults.update({"MEAS:CURR?": ["!lost"] * 1000})
    rig.clock.at[300.0] = rig.line.faults.clear
    ended = rig.run(careful(rig.plan))
    assert "Read on after the fault." in [p.text for p in rig.shown]
    assert ended.trouble == ""


def test_a_load_that_does_not_go_off_is_said_out_loud():
    rig = Rig()
    rig.line.faults["INP OFF"] = "Load took no command: check its cable."
    ended = rig.engine.run(discharge(rig.plan))
    assert "switch it off by hand" in ended.trouble
    assert "10.7 V" in ended.trouble


@pytest.mark.parametrize(("order", "rests"), [(Order.STOP, True), (Order.END, False)])
def test_a_person_stops_it(order, rests):
    rig = Rig()
    rig.clock.at[500.0] = lambda: rig.orders.put(order)
    ended = rig.run()
    assert ended.ended_by == "person"
    assert (rig.live.series("battery", "A").value[-1] == 0.0) == rests


def test_stopped_before_it_began():
    rig = Rig()
    rig.orders = rig.engine._ears._orders = queue.Queue()
    rig.orders.put(Order.STOP)
    assert (rig.run().ended_by, rig.kinds()) == ("person", [])


def test_pause_takes_the_load_off_and_resume_sets_everything_anew():
    rig = Rig()
    rig.clock.at[300.0] = lambda: rig.orders.put(Order.PAUSE)
    rig.clock.at[600.0] = lambda: rig.orders.put(Order.RESUME)
    assert rig.run().ended_by == "cut-off"
    assert rig.kinds() == ["load_on", "paused", "resumed", "load_off"]
    amps = rig.live.series("battery", "A")
    assert (amps.value[(amps.time_s > 305) & (amps.time_s < 600)] == 0).all()
    assert rig.line.told.count("SOUR:VOLT:LIM:LOW 10.7000") == 2


def test_what_stopped_the_current_is_told_apart():
    """The load's own cut-off shows as a load that is off, protection as a dead battery, a bad contact as a live one."""
    own = Rig(own_cutoff_v=12.5)
    own.clock.at[400.0] = lambda: own.line.tell("INP OFF")
    assert own.run().ended_by == "load's own cut-off"
    dead = Rig()
    dead.clock.at[400.0] = lambda: setattr(dead.circuit.pack, "tripped", "undervoltage")
    assert dead.run().ended_by == "protection"
    loose = Rig()
    loose.clock.at[400.0] = lambda: loose.circuit.draw(0.0)
    assert loose.run().ended_by == "load draws nothing"


def test_a_computer_that_slept_is_noticed_and_the_run_goes_on():
    """The clock has moved on far more than was waited for: the gap is marked, what was recorded stays."""
    rig = Rig()
    slept = []

    def sleep() -> None:
        slept.append(rig.clock.time_s)
        rig.circuit.step(400.0)
        rig.clock.time_s += 400.0

    honest = rig.clock.wait_until

    def wait_until(time_s: float, called) -> None:
        honest(time_s, called)
        if not slept and time_s > 600:
            sleep()

    rig.clock.wait_until = wait_until
    assert rig.run().ended_by == "cut-off"
    (gap,) = [e for e in rig.live.events() if e.kind == "gap"]
    assert "Nothing was read for 6 min 40 s: the computer slept" in gap.text
    volts = rig.live.series("battery", "V")
    assert max(volts.time_s[1:] - volts.time_s[:-1]) >= 400


def test_a_sleep_over_the_load_s_own_cutoff_ends_the_run():
    rig = Rig()
    rig.clock.at[700.0] = lambda: (
        setattr(rig.line, "is_on", False),
        rig.circuit.draw(0.0),
        setattr(rig.clock, "time_s", rig.clock.time_s + 9000),
    )
    assert rig.run().ended_by == "load's own cut-off"
