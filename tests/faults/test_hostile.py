"""The real engine on instruments that misbehave: the load goes off or a person is told to, nothing waits for ever, and nothing false is kept."""

from __future__ import annotations

import os
import re
import time
from dataclasses import dataclass
from pathlib import Path

import pytest

from tests.faults.hostile import AMPS, VOLTS, Battery, Device
from ubrant.bench import engine, switching_off
from ubrant.bench.engine import Order
from ubrant.bench.instruments import InstrumentError, ScpiConnection
from ubrant.bench.live import LiveReadings
from ubrant.bench.profile import shipped
from ubrant.bench.session import RunSession
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import INSTRUMENTS, Setup
from ubrant.methods.method import Scene
from ubrant.methods.steps import ReadRest, Steps, SwitchLoadOff, SwitchLoadOn
from ubrant.runs.making.benches import BenchChoice, open_instruments

ANSWER_S = 0.12
TRUE = {
    ("battery", "V"): {float(VOLTS["meter"])},
    ("battery", "A"): {float(AMPS["meter"]), 0.0},
    ("load", "V"): {float(VOLTS["load"])},
    ("load", "A"): {float(AMPS["load"]), 0.0},
}


def on_and_off(read_s: float = 0.35) -> Steps:
    yield SwitchLoadOn(2.0, 10.5, "Load on")
    yield ReadRest(read_s, 0.02, "Reading")
    yield SwitchLoadOff("Load off")
    yield ReadRest(0.1, 0.05, "Resting")


def instrument(device: Device) -> Meter:
    return instrument_at(device.kind, device.address)


def instrument_at(kind: str, address: str) -> Meter:
    return Meter(f"The {kind}", "0.1 %", "1 %", details=MeterDetails(role=kind, connection="scpi", address=address), id=len(kind))


@dataclass
class Outcome:
    """What came of a run on such a bench."""

    battery: Battery
    session: RunSession
    notices: list[str]
    not_off: bool
    took_s: float
    off_after_s: float | None
    """From the end that was ordered until the load was told."""

    @property
    def text(self) -> str:
        return " ".join((self.session.progress.trouble, *self.notices))

    def false_readings(self) -> list[tuple[str, str, float]]:
        live = self.session.live
        return [(*key, float(v)) for key, true in TRUE.items() for v in live.series(*key).value if float(v) not in true]


def run_on(monkeypatch, kind: str, wrong: str, *, end: bool = False) -> Outcome:
    """A run in which one device begins to misbehave once the load is on; whether the load is off then is looked at on the other side of its cable."""
    monkeypatch.setattr(engine, "PATIENCE_S", 0.8)
    monkeypatch.setattr(engine, "TRY_EVERY_S", 0.1)
    monkeypatch.setattr(switching_off, "TRY_EVERY_S", 0.1)
    battery = Battery()
    devices = {name: Device(name, battery, wrong if name == kind else "") for name in ("meter", "load")}
    try:
        scene = Scene(taps=("battery",), battery=True, load=True, load_is_metered=True)
        setup = Setup(Unit("Pack", "battery"), {"battery": instrument(devices["meter"])})
        choice = BenchChoice(INSTRUMENTS, 1.0, load=instrument(devices["load"]))
        session = RunSession(
            on_and_off(30.0 if end else 0.35), lambda: open_instruments(choice, scene, setup, timeout_s=ANSWER_S), LiveReadings()
        )
        session.start()
        began = time.monotonic()
        notices: list[str] = []
        not_off = ordered = False
        while session.running and time.monotonic() < began + 20.0:
            session.join(0.01)
            progress = session.progress
            if progress.notice and progress.notice not in notices:
                notices.append(progress.notice)
            if battery.load_is_on and len(session.live.series("battery", "V")) > 2 and not devices[kind].is_wrong:
                devices[kind].begin()
                began = time.monotonic()
            if end and devices[kind].is_wrong and not ordered and time.monotonic() > began + 0.15:
                ordered, began = True, time.monotonic()
                session.order(Order.END)
            if progress.phase == "may be on":
                not_off = True
                if time.monotonic() > began + 1.5:
                    session.order(Order.DONE)
        took_s = time.monotonic() - began
        assert not session.running, "the run never ended"
        session.join()
        off_s = battery.off_s("load", began)
        return Outcome(battery, session, notices, not_off, took_s, off_s - began if off_s is not None else None)
    finally:
        for device in devices.values():
            device.close()


METER = (
    *(
        "silent",
        "dead",
        "is gone",
        "hangs up",
        "resets the line",
        "one line only",
        "streams without an end",
        "streams digits",
        "streams lines",
    ),
    *(
        "streams while it is silent",
        "no end of line",
        "ends lines by CR",
        "one byte a second",
        "a hundred million bytes",
        "answers twice",
        "echoes",
    ),
    *(
        "one line too much, once",
        "one answer late",
        "answers too late",
        "half, then the rest",
        "half a line, once",
        "binary",
        "not a number",
        "overload",
    ),
    *("with a unit", "empty lines", "carriage returns", "another device", "does not say who it is"),
)
LOAD = (
    *METER,
    *("says 1.0", "says nonsense of its state", "silent of its state", "stays on and says so", "stays on and says 0", "reports an error"),
    *("keeps no list of errors", "hangs up at off", "reads nothing"),
)
SHORT = {
    *(("meter", w) for w in ("streams without an end", "one line too much, once", "one answer late")),
    *(("load", w) for w in ("silent", "stays on and says so", "hangs up at off")),
}


def cases() -> list[object]:
    every = [("meter", w) for w in METER] + [("load", w) for w in LOAD]
    return [pytest.param(*case, id=" ".join(case), marks=() if case in SHORT else pytest.mark.slow) for case in every]


def note(kind: str, wrong: str, made: Outcome, what: str) -> None:
    """A line of the table of outcomes, where one is wanted."""
    if path := os.environ.get("HOSTILE_TABLE"):
        state = "a person had to look" if made.not_off else "confirmed"
        with Path(path).open("a", encoding="utf-8") as table:
            table.write(
                f"{kind} | {wrong} | {what} | {state} | {made.took_s:.2f} s | {made.off_after_s or 0:.3f} s | {len(made.false_readings())} | {made.text[:150]}\n"
            )


@pytest.mark.parametrize(("kind", "wrong"), cases())
def test_the_load_goes_off_and_nothing_false_is_kept(kind, wrong, monkeypatch):
    made = run_on(monkeypatch, kind, wrong)
    note(kind, wrong, made, "by itself")
    assert made.false_readings() == []
    assert made.took_s < 9.0
    if not made.not_off:
        assert not made.battery.load_is_on
    elif made.battery.load_is_on:
        assert "switch it off by hand" in made.text
    if made.battery.load_is_on:
        assert made.not_off, "called off while it is on"


@pytest.mark.parametrize(("kind", "wrong"), cases())
def test_an_end_sends_off_at_once(kind, wrong, monkeypatch):
    """Within two seconds, whatever the engine is waiting for; where the load itself hangs up or reads nothing, off goes first over the line that is opened again."""
    made = run_on(monkeypatch, kind, wrong, end=True)
    note(kind, wrong, made, "ended")
    assert made.false_readings() == []
    if wrong.startswith("stays on") or (kind == "load" and wrong in {"is gone", "one line only", "reads nothing", "dead"}):
        assert made.not_off
        assert "switch it off by hand" in made.text
        return
    assert made.off_after_s is not None
    assert made.off_after_s < 2.0
    assert not made.battery.load_is_on


@pytest.mark.parametrize(
    ("wrong", "says", "long_s"),
    [
        ("silent", "did not answer MEAS:VOLT?: check its cable", 0.1),
        ("one byte a second", "it is slow", 0.1),
        ("a hundred million bytes", "without an end", 0.0),
    ],
)
def test_an_answer_has_a_deadline_and_a_limit(wrong, says, long_s):
    """A reading has its time-out, whatever comes or does not; only a whole trace has ten times as long."""
    device = Device("meter", Battery(), wrong)
    try:
        line = ScpiConnection("The meter", device.address, 0.1, shipped("meter"))
        device.begin()
        for long in (False, True) if long_s else (False,):
            began = time.monotonic()
            with pytest.raises(InstrumentError, match=re.escape(says)):
                line.ask("MEAS:VOLT?", long=long)
            took_s = time.monotonic() - began
            if long_s:
                assert (took_s >= 10 * long_s) == long
            else:
                assert took_s < 0.1
            device.is_wrong = False
            line.reopen()
            device.begin()
        line.close()
    finally:
        device.close()


@pytest.mark.parametrize(("wrong", "answer"), [("one line too much, once", VOLTS["meter"]), ("streams lines", "")])
def test_one_that_does_not_say_who_it_is_has_to_fall_silent_first(wrong, answer):
    device, profile = Device("meter", Battery(), wrong), shipped("meter")
    nameless = profile.model_copy(update={"commands": {k: v for k, v in profile.commands.items() if k != "identify"}})
    try:
        line = ScpiConnection("The meter", device.address, 0.5, nameless)
        device.begin()
        if answer:
            assert line.ask("MEAS:VOLT?") == answer
        else:
            with pytest.raises(
                InstrumentError
            ):  # the first line may come just when an answer is due: from the next question on it is known
                for _ in range(10):
                    line.ask("MEAS:VOLT?")
        line.close()
    finally:
        device.close()
