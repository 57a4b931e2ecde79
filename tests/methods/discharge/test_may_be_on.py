"""What may be on stands across the window until it is answered: from before this start, and after the end of a run."""

from __future__ import annotations

from dataclasses import replace

import pytest
from PyQt6.QtWidgets import QPushButton

from tests.crash.test_guardian import left_on
from tests.faults.hostile import Battery, Device
from tests.faults.test_hostile import instrument
from tests.methods.discharge.making import SMALL, begun, small_plan
from tests.window import click
from ubrant.bench.orders import Order
from ubrant.bench.switched_on import SwitchedOnLedger, Whose
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import INSTRUMENTS, RunHeader, Setup
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import new_run
from ubrant.runs.making.benches import BenchChoice
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.window.shell import FINDINGS, MainWindow


@pytest.fixture
def load():
    device = Device("load", Battery(load_is_on=True))
    yield device
    device.close()


def said(window: MainWindow) -> str:
    return " ".join(c.text() for c in window.may_be_on.findChildren(Callout) if c.isVisible())


def buttons(window: MainWindow) -> list[str]:
    return [b.text() for b in window.may_be_on.findChildren(QPushButton) if b.isVisible()]


def interrupted(window: MainWindow) -> int:
    """A run that ended with the program."""
    logbook = window.bench.logbook
    unit = logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    return logbook.start_run(new_run(RunHeader("discharge", Setup(unit)), INSTRUMENTS, state="interrupted", ended_by="interrupted")).id


def test_the_next_start_asks_switches_off_and_tells_the_run(window, qtbot, load):
    run = interrupted(window)
    entry = left_on(load, logbook=str(window.bench.logbook.path))
    SwitchedOnLedger().write(entry.__class__(**{**entry.__dict__, "whose": Whose(str(window.bench.logbook.path), run)}))
    window.findings.open_run(run)
    window.go_to(FINDINGS)
    window.may_be_on.begin()
    assert "The load at TCPIP0::127.0.0.1" in said(window)
    assert f"may still be on: run {run} of bench.ubrant ended together with the program" in said(window)
    window.findings.open_run(run)
    assert "may still be on" in window.findings.notes.text() + window.findings.trouble.text()
    click(qtbot, window.may_be_on, "Switch it off")
    qtbot.waitUntil(lambda: not load.battery.load_is_on, timeout=5000)
    qtbot.waitUntil(lambda: not said(window), timeout=5000)
    assert "confirmed that it is off" in window.said()
    assert "may still be on" not in window.findings.notes.text() + window.findings.trouble.text()
    assert window.bench.logbook.events(run)[-1].event.text.startswith("The load was switched off when Ubrant was started again")


def test_a_window_that_is_closed_meanwhile_waits_and_tells_the_run(qtbot, load, tmp_path):
    window = MainWindow(Logbook(tmp_path / "bench.ubrant"))
    qtbot.addWidget(window)
    window.show()
    run = interrupted(window)
    entry = left_on(load)
    SwitchedOnLedger().write(replace(entry, whose=Whose(str(window.bench.logbook.path), run)))
    window.may_be_on.begin()
    click(qtbot, window.may_be_on, "Switch it off")
    window.close()
    assert not load.battery.load_is_on
    told = Logbook(tmp_path / "bench.ubrant").events(run)[-1].event.text
    assert told.startswith("The load was switched off when Ubrant was started again")


def test_something_else_there_is_left_alone_and_a_person_answers(window, qtbot, load):
    left_on(load, "Made up,the right one,9,9")
    window.may_be_on.begin()
    click(qtbot, window.may_be_on, "Switch it off")
    qtbot.waitUntil(lambda: "Something else answers" in said(window), timeout=5000)
    assert load.battery.told == []
    click(qtbot, window.may_be_on, "I looked: it is off")
    assert not buttons(window)
    assert SwitchedOnLedger().entries() == []


def test_one_without_a_name_is_asked_about_before_anything_is_sent(window, qtbot, load):
    left_on(load, "")
    window.may_be_on.begin()
    click(qtbot, window.may_be_on, "Switch it off")
    qtbot.waitUntil(lambda: "“INP OFF” would be sent" in said(window), timeout=5000)
    assert load.battery.told == []
    click(qtbot, window.may_be_on, "Send off all the same")
    qtbot.waitUntil(lambda: not load.battery.load_is_on, timeout=5000)
    qtbot.waitUntil(lambda: not said(window), timeout=5000)


def test_it_is_asked_in_every_window_and_goes_from_all_once_it_is_answered(window, qtbot, load, tmp_path):
    left_on(load)
    other = MainWindow(Logbook(tmp_path / "other.ubrant"))
    qtbot.addWidget(other)
    other.show()
    window.may_be_on.begin()
    assert "may still be on" in said(window)
    assert "may still be on" in said(other)
    click(qtbot, other.may_be_on, "I looked: it is off")
    qtbot.waitUntil(lambda: not said(window), timeout=5000)


def test_what_the_guardian_switched_off_is_said_and_not_asked(window, qtbot, load):
    run = interrupted(window)
    entry = left_on(load)
    outcome = {
        "by": "guardian",
        "because": "the program ended",
        "at": "2026-01-01T10:05:00+00:00",
        "sent": True,
        "confirmed": True,
        "says": "",
    }
    SwitchedOnLedger().write(entry.__class__(**{**entry.__dict__, "outcome": outcome, "whose": Whose(str(window.bench.logbook.path), run)}))
    window.may_be_on.begin()
    assert "was switched off by the guardian" in said(window)
    qtbot.waitUntil(lambda: buttons(window) == ["Read"], timeout=2000)
    assert window.bench.logbook.events(run)[-1].event.kind == "guardian_off"
    click(qtbot, window.may_be_on, "Read")
    assert not said(window)


class OnInstruments:
    """A discharge on a meter and a load, begun in the window, which looks at them on when it has ended."""

    def __init__(self, window: MainWindow) -> None:
        self.battery, self.window = Battery(), window
        self.meter, self.load = Device("meter", self.battery), Device("load", self.battery)
        self.begins()

    def begins(self) -> None:
        choice = BenchChoice(INSTRUMENTS, 1.0, load=instrument(self.load))
        plan = small_plan(every_s=0.1, rest_before_s=0.5, rest_after_s=3.0)
        self.run, self.session = begun(self.window.bench.logbook, plan, SMALL, instrument(self.meter), choice)
        for order in (Order.DONE, Order.DONE):
            self.session.order(order)
        self.window.bench.begin(self.run, self.session, None)

    def ends(self, qtbot) -> None:
        qtbot.waitUntil(lambda: len(self.session.live.series("battery", "A")) > 12, timeout=15_000)
        self.session.order(Order.STOP)
        qtbot.waitUntil(lambda: not self.window.bench.is_running, timeout=15_000)

    def close(self) -> None:
        self.session.end()
        self.meter.close()
        self.load.close()


@pytest.fixture
def bench(window):
    made = OnInstruments(window)
    yield made
    made.close()


def test_after_the_end_it_is_looked_at_on_and_said_if_something_flows(window, qtbot, bench):
    bench.ends(qtbot)
    qtbot.waitUntil(lambda: "stay connected for 15 min" in said(window), timeout=5000)
    qtbot.waitUntil(lambda: buttons(window) == ["Disconnected"], timeout=2000)
    assert SwitchedOnLedger().entries() == []
    bench.battery.load_is_on = True  # by itself
    offered = ["Something else draws this", "Disconnected"]
    qtbot.waitUntil(lambda: "A flow at the" in (text := said(window)) and "although" in text and buttons(window) == offered, timeout=8000)
    qtbot.waitUntil(lambda: not bench.battery.load_is_on, timeout=5000)  # off went out again
    qtbot.waitUntil(lambda: "although everything" not in said(window), timeout=8000)
    kinds = [e.event.kind for e in window.bench.logbook.events(bench.run.id)]
    assert "still_draws" in kinds
    click(qtbot, window.may_be_on, "Disconnected")
    qtbot.waitUntil(lambda: bench.session.after.is_over, timeout=5000)
    qtbot.waitUntil(lambda: not said(window), timeout=3000)
    assert SwitchedOnLedger().entries() == []


def test_another_run_takes_the_instruments(window, qtbot, bench):
    bench.ends(qtbot)
    first = bench.session
    bench.begins()
    bench.ends(qtbot)
    assert first.after.is_over
    assert bench.session.progress.ended_by == "person", bench.session.progress.trouble


def test_something_else_draws_it_says_a_person(window, qtbot, bench):
    bench.ends(qtbot)
    bench.load.wrong = "stays on and says 0"
    bench.load.begin()
    bench.battery.load_is_on = True
    qtbot.waitUntil(lambda: "A flow at the" in said(window), timeout=8000)
    (left,) = SwitchedOnLedger().entries()
    assert left.whose.run == bench.run.id
    click(qtbot, window.may_be_on, "Something else draws this")
    qtbot.waitUntil(lambda: "although everything" not in said(window), timeout=8000)
    assert [e.event.kind for e in window.bench.logbook.events(bench.run.id)][-2:] == ["still_draws", "draws_besides"]
    assert SwitchedOnLedger().entries() == []


def test_what_flows_at_the_end_stays_written_down_though_the_load_says_that_it_is_off(window, qtbot, bench):
    """If the program died now, the next start would ask."""
    qtbot.waitUntil(lambda: len(bench.session.live.series("battery", "A")) > 12, timeout=15_000)
    honest = bench.load.battery.amps
    bench.meter.battery.amps = lambda device: (
        "2.0002" if device == "meter" else "0.0000" if not bench.battery.load_is_on else honest(device)
    )
    bench.session.order(Order.STOP)
    qtbot.waitUntil(lambda: not window.bench.is_running, timeout=15_000)
    assert "although everything was switched off" in bench.session.progress.trouble
    (left,) = SwitchedOnLedger().entries()
    assert left.whose.run == bench.run.id
    qtbot.waitUntil(lambda: "Something else draws this" in buttons(window), timeout=5000)
    click(qtbot, window.may_be_on, "Something else draws this")
    qtbot.waitUntil(lambda: SwitchedOnLedger().entries() == [], timeout=8000)
