"""Things that were seen at a bench and must not come back."""

from __future__ import annotations

import queue
import time
from dataclasses import replace

import pytest

from tests.bench.test_engine import Rig
from tests.faults.hostile import Battery, Device
from tests.faults.test_hostile import instrument, on_and_off
from ubrant.bench.engine import Order
from ubrant.bench.instruments import InstrumentError, ask_number
from ubrant.bench.live import LiveReadings
from ubrant.bench.profile import read_profile, shipped, shipped_text
from ubrant.bench.session import RunSession
from ubrant.bench.switched import ElectronicLoad
from ubrant.core.equipment.line_pattern import LinePattern
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.quantity import QuantityError, parse_number, plain_number
from ubrant.core.record.head import INSTRUMENTS, Setup
from ubrant.logbook.file import LogbookError
from ubrant.methods.cautions import RECHARGE
from ubrant.methods.discharge.procedure import discharge, is_low, longest_s
from ubrant.methods.method import Scene
from ubrant.runs.making.benches import BenchChoice, open_instruments


def test_a_program_that_is_ended_while_a_load_reconnects_was_not_a_lost_instrument():
    rig = Rig()
    rig.clock.at[100.0] = lambda: rig.line.faults.update({"MEAS:CURR?": ["!Load did not answer."] * 4})
    rig.clock.at[101.0] = lambda: rig.orders.put(Order.CLOSE)
    honest = rig.load.on

    def on() -> None:
        if rig.clock.now_s() > 60.0:
            rig.load.cut_off()  # as it is when the order comes from another thread
            rig.orders.put(Order.CLOSE)
        honest()

    rig.load.on = on
    ended = rig.run()
    assert (ended.ended_by, ended.trouble) == ("program", "")


def test_a_full_disk_is_said_once():
    class Full(LiveReadings):
        def check(self) -> None:
            if len(self.series("battery", "V")) > 5:
                raise LogbookError("The disk is full: bench.ubrant could not be written.")

        def finish(self, ended_by: str, trouble: str) -> None:
            raise LogbookError("The disk is full: bench.ubrant could not be written.")

    rig = Rig()
    session = RunSession(discharge(rig.plan), lambda: rig.engine._bench, Full())
    for _ in range(2):
        session.order(Order.DONE)
    session.start()
    session.join(20.0)
    assert session.progress.trouble.count("The disk is full") == 1


@pytest.mark.parametrize("text", ["1_3.0", "１３.0", "13.0.", "٣", "nan", "1e", "inf", "0x10", "13 .0"])
def test_what_is_no_plain_number_is_no_reading(text):
    assert plain_number(text) is None
    with pytest.raises(QuantityError):
        parse_number(text)

    class Line:
        def ask(self, command: str) -> str:
            return text

    with pytest.raises(InstrumentError):
        ask_number(Line(), "The meter", "MEAS:VOLT?")
    assert LinePattern("1 V").read(text) in (None, {"V": 13.0}) or text == "13.0."
    assert LinePattern("1 V").read("1_3.0") is None


@pytest.mark.parametrize("text", ["13", "13.0", "+.5", "-0.25", "1.5E-3", " 7 "])
def test_plain_numbers(text):
    assert plain_number(text) == float(text)


def test_a_flipped_sign_is_said_and_asked_about():
    rig = Rig()
    channel = rig.engine._bench.channels[1]
    object.__setattr__(channel, "read", lambda: -rig.circuit.current_a)
    rig.run()
    (text,) = [e.text for e in rig.live.events() if "the other way round" in e.text]
    assert "shows -0.5 A while the load draws 0.5 A" in text.replace("−", "-")


def test_a_battery_that_was_hardly_used_need_not_be_recharged_soon():
    rig = Rig()
    assert not is_low(rig.plan, "person", 0.1)
    assert is_low(rig.plan, "person", 0.3)
    assert is_low(rig.plan, "protection", 0.0)
    rig.clock.at[100.0] = lambda: rig.orders.put(Order.STOP)
    rig.run()
    assert [p.cautions for p in rig.shown if p.phase == "recovering"]
    assert all(RECHARGE not in p.cautions for p in rig.shown)
    whole = Rig()
    whole.run()
    assert any(RECHARGE in p.cautions for p in whole.shown)


def test_a_load_has_its_own_time_limit_set_and_read_back():
    profile = read_profile(
        shipped_text("load")
        .replace("# set_time_limit", "set_time_limit")
        .replace("# get_time_limit", "get_time_limit")
        .replace("   seconds after", "   #"),
        "load.toml",
    )
    assert profile.command("set_time_limit", 7200.0) == "SOUR:TIM 7200"
    rig = Rig()
    rig.load.profile = profile
    set_to: list[str] = []
    honest_tell, honest_ask = rig.line.tell, rig.line.ask
    rig.line.tell = lambda command: set_to.append(command) if command.startswith("SOUR:TIM") else honest_tell(command)
    rig.line.ask = lambda command, long=False: set_to[-1].split()[1] if command == "SOUR:TIM?" else honest_ask(command)
    rig.run()
    assert set_to == ["SOUR:TIM 7200"], "twice what its label gives at this current"
    assert longest_s(rig.plan) == 7200.0


def test_a_load_that_its_own_time_limit_ended_is_not_said_to_be_empty():
    rig = Rig()
    rig.load.limit_time = lambda seconds: True
    honest = rig.load.prepare
    rig.load.prepare = lambda *a: (honest(*a), rig.clock.at.update({rig.clock.now_s() + 600.0: lambda: rig.line.tell("INP OFF")}))

    def passed():
        walked, answer = discharge(rig.plan), None
        try:
            while True:
                step = walked.send(answer)
                answer = yield replace(step, at_most_s=600.0) if type(step).__name__ == "SwitchLoadOn" else step
        except StopIteration:
            return

    assert rig.run(passed()).ended_by == "load's own time limit"


@pytest.mark.parametrize("wrong", ["silent", "dead", "one byte a second"])
def test_a_load_that_misses_an_answer_is_off_within_a_second_and_a_person_told_within_three_more(wrong):
    """Its deadline here is one second; the one of a reading is three, or what its profile says."""
    deadline_s = 1.0
    battery = Battery()
    meter, load = Device("meter", battery), Device("load", battery, wrong)
    scene = Scene(taps=("battery",), battery=True, load=True, load_is_metered=True)
    setup = Setup(Unit("Pack", "battery"), {"battery": instrument(meter)})
    choice = BenchChoice(INSTRUMENTS, 1.0, load=instrument(load))
    session = RunSession(on_and_off(60.0), lambda: open_instruments(choice, scene, setup, timeout_s=deadline_s), LiveReadings())
    session.start()
    try:
        while not (battery.load_is_on and len(session.live.series("battery", "V")) > 3):
            session.join(0.01)
        load.begin()
        began, told_s = time.monotonic(), None
        while told_s is None and time.monotonic() < began + 12.0:
            session.join(0.005)
            if session.progress.notice:
                told_s = time.monotonic() - began
        while wrong != "dead" and battery.off_s("load", began) is None and time.monotonic() < began + 12.0:
            session.join(0.005)  # it is on its way to the other end of the cable
        off_s = battery.off_s("load", began)
        if wrong != "dead":  # it obeys nothing
            assert off_s is not None
            assert off_s - began <= deadline_s + 1.0
        assert told_s <= deadline_s + 1.0 + 3.0
        while session.running:
            session.join(0.01)
            if session.progress.phase == "may be on":
                may_be_on_s = time.monotonic() - began
                assert may_be_on_s <= deadline_s + 1.0 + 3.0
                break
    finally:
        while session.running:
            session.order(Order.DONE if session.progress.phase == "may be on" else Order.END)
            session.join(0.1)
        meter.close()
        load.close()


def test_a_meter_that_takes_its_time_is_not_missed():
    """Its profile says how long an answer may take; nothing is switched off meanwhile."""
    device = Device("meter", Battery(), "answers too late")
    slow = shipped("meter").model_copy(update={"answers_within_s": 2.0})
    from ubrant.bench.instruments import ScpiConnection

    line = ScpiConnection("The meter", device.address, 0.1, slow)
    device.begin()
    assert line.ask("MEAS:VOLT?") == "13.0001"
    line.close()
    device.close()


def test_orders_wait_in_line():
    """What something else draws is no order for a run in which nothing flows."""
    rig = Rig()
    rig.clock.at[100.0] = lambda: rig.orders.put(Order.BESIDES)
    assert rig.run().ended_by == "cut-off"
    assert isinstance(rig.orders, queue.Queue)
    assert isinstance(rig.load, ElectronicLoad)
