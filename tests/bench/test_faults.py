"""Each fault of an instrument, injected into a run on stand-ins through the real engine: what the person sees, and that the load is off."""

from __future__ import annotations

from dataclasses import replace

import pytest

from tests.methods.discharge.making import small_plan
from ubrant.bench import engine
from ubrant.bench.bench import Channel
from ubrant.bench.engine import Order
from ubrant.bench.instruments import InstrumentError
from ubrant.bench.live import LiveReadings
from ubrant.bench.session import RunSession
from ubrant.bench.simulated import open_simulated
from ubrant.bench.standins.faults import Fault
from ubrant.bench.standins.scenario import Scenario
from ubrant.core.models.cell import pack_from_label
from ubrant.core.models.shown import Imperfection as Meant
from ubrant.core.quantities.label import parse_label
from ubrant.methods.discharge.procedure import discharge

AT_S = 600.0
EXACT = Meant(noise=0.0006, digit=0.001)


class Keeper(LiveReadings):
    """A recorder that also keeps whether the load was off when the run was over."""


def run_with(*faults: Fault, seconds_per_answer: float = 0.2, **plan: object):
    """A short run with these faults; the session and what it kept."""
    pack = pack_from_label(parse_label("0.5 Ah 12.8 V LiFePO4"))
    scenario = Scenario(pack, lead_ohm=0.015, meter_v=EXACT, meter_a=EXACT, load_v=EXACT, load_a=EXACT, faults=faults)
    opened = []

    def open_bench():
        opened.append(open_simulated(scenario, timeout_s=seconds_per_answer, max_v=60.0, max_a=20.0))
        off_at_end = opened[0].on_close

        def close() -> None:
            opened.append(opened[0].log.text())
            off_at_end()

        object.__setattr__(opened[0], "on_close", close)
        return opened[0]

    session = RunSession(discharge(small_plan(**plan)), open_bench, Keeper())
    notices = []
    for _ in range(2):
        session.order(Order.DONE)
    session.start()
    while session.running:
        session.join(0.02)
        if session.progress.notice and session.progress.notice not in notices:
            notices.append(session.progress.notice)
        if session.progress.phase == "may be on":
            session.order(Order.DONE)
    return session, notices, opened[-1]


def outcome(session) -> tuple[str, list[str]]:
    return session.progress.ended_by, [e.kind for e in session.live.events()]


def load_is_off(commands: str) -> bool:
    """The last thing the load said of itself is that it is off."""
    last = [line for line in commands.splitlines() if "Load: INP?" in line]
    return last[-1].rstrip().endswith("0")


def longest_silence(session) -> float:
    times = session.live.series("battery", "V").time_s
    return float((times[1:] - times[:-1]).max())


@pytest.mark.parametrize(
    "kind", ["silent", "late", "close", *(pytest.param(k, marks=pytest.mark.slow) for k in ("garbage", "half", "nan", "range"))]
)
def test_one_bad_answer_is_asked_for_again(kind):
    session, notices, commands = run_with(Fault("meter", kind, AT_S, count=1))
    assert outcome(session) == ("cut-off", ["load_on", "load_off"])
    assert notices == []
    assert longest_silence(session) < 15.0
    assert "(line opened anew)" in commands
    assert load_is_off(commands)


@pytest.mark.parametrize(
    ("kind", "says"),
    [
        ("silent", "did not answer"),
        pytest.param("late", "did not answer", marks=pytest.mark.slow),
        pytest.param("garbage", "which is not a reading", marks=pytest.mark.slow),
        pytest.param("half", "did not answer", marks=pytest.mark.slow),
        pytest.param("nan", "which is not a reading", marks=pytest.mark.slow),
        ("range", "over its range"),
        ("gone", "did not answer"),
    ],
)
def test_a_meter_that_is_away_for_half_a_minute_is_waited_for_with_the_load_off(kind, says):
    """Cable pulled and back, and its kin: the run is paused with a marked gap and goes on."""
    session, _notices, commands = run_with(Fault("meter", kind, AT_S, for_s=30.0))
    assert outcome(session) == ("cut-off", ["load_on", "paused", "resumed", "load_off"])
    paused = next(e for e in session.live.events() if e.kind == "paused")
    assert says in paused.text
    assert "The load is off; trying again." in paused.text
    assert 25.0 < longest_silence(session) < 45.0
    assert load_is_off(commands)


@pytest.mark.parametrize(
    ("kind", "patience_s", "says"), [("silent", 14.0, "14 s"), ("gone", 14.0, "14 s"), ("garbage", engine.PATIENCE_S, "2 min")]
)
def test_a_meter_that_stays_away_ends_the_run_with_the_load_off(kind, patience_s, says, monkeypatch):
    """Two minutes for people; less here where each try lasts as long as an answer is waited for."""
    monkeypatch.setattr(engine, "PATIENCE_S", patience_s)
    session, _, commands = run_with(Fault("meter", kind, AT_S), seconds_per_answer=0.2)
    assert outcome(session) == ("instrument lost", ["load_on", "paused", "load_off"])
    assert f"It did not come back in {says}" in session.progress.trouble
    assert load_is_off(commands)


def test_another_device_on_the_port_is_not_taken_for_the_meter():
    session, _, commands = run_with(Fault("meter", "close", AT_S, count=1), Fault("meter", "other", AT_S))
    assert outcome(session)[0] == "instrument lost"
    assert "“Somebody,another device,7,1” answers instead of DC meter" in session.progress.trouble
    assert load_is_off(commands)


def test_a_meter_that_freezes_is_noticed():
    session, _, commands = run_with(Fault("meter", "freeze", AT_S))
    assert outcome(session)[0] == "instrument lost"
    assert "it has frozen" in session.progress.trouble
    assert load_is_off(commands)


def test_a_load_that_says_it_is_on_and_draws_nothing():
    session, _, commands = run_with(Fault("load", "draws nothing", AT_S))
    assert outcome(session) == ("load draws nothing", ["load_on", "load_off"])
    assert load_is_off(commands)


def test_a_load_that_is_away_and_cannot_be_told_off_is_said_out_loud():
    session, _, _ = run_with(Fault("load", "gone", AT_S))
    assert outcome(session)[0] == "instrument lost"
    assert "It could not be confirmed that the load is off: switch it off by hand." in session.progress.trouble
    assert "Its own cut-off stands at 10.7 V" in session.progress.trouble


def test_a_load_that_does_not_go_off_is_said_out_loud():
    session, _, _ = run_with(Fault("load", "stuck on", AT_S))
    assert "switch it off by hand" in session.progress.trouble


def test_a_person_can_end_a_run_that_waits():
    session, notices, commands = run_with_end_while_waiting()
    assert outcome(session)[0] == "person"
    assert notices
    assert load_is_off(commands)


def run_with_end_while_waiting():
    import ubrant.bench.engine as engine

    patience = engine.PATIENCE_S
    engine.PATIENCE_S = 1e9
    try:
        pack = pack_from_label(parse_label("0.5 Ah 12.8 V LiFePO4"))
        scenario = Scenario(
            pack, lead_ohm=0.015, meter_v=EXACT, meter_a=EXACT, load_v=EXACT, load_a=EXACT, faults=(Fault("meter", "silent", AT_S),)
        )
        benches = []
        session = RunSession(
            discharge(small_plan()), lambda: benches.append(open_simulated(scenario, timeout_s=0.1)) or benches[0], LiveReadings()
        )
        for _ in range(2):
            session.order(Order.DONE)
        session.start()
        notices = []
        while not notices:
            session.join(0.01)
            notices += [session.progress.notice] if session.progress.notice else []
        session.end()
        return session, notices, benches[0].log.text()
    finally:
        engine.PATIENCE_S = patience


def test_a_meter_that_is_only_read_along_does_not_hold_up_the_run():
    """It goes away for ten minutes and comes back: said, asked again now and then, the load stays on."""
    pack = pack_from_label(parse_label("0.5 Ah 12.8 V LiFePO4"))
    asked: list[float] = []

    def open_bench():
        bench = open_simulated(Scenario(pack, lead_ohm=0.015, meter_v=EXACT, meter_a=EXACT, load_v=EXACT, load_a=EXACT))

        def read() -> float:
            asked.append(bench.clock.now_s())
            if AT_S < asked[-1] < AT_S + 600.0:
                raise InstrumentError("Second meter did not answer MEAS:VOLT?: check its cable.")
            return 13.0

        return replace(bench, channels=(*bench.channels, Channel("battery 2", "V", "Second meter", read, beside=True)))

    session = RunSession(discharge(small_plan()), open_bench, Keeper())
    for _ in range(2):
        session.order(Order.DONE)
    session.start()
    session.join(60)
    assert outcome(session) == ("cut-off", ["load_on", "meter_away", "meter_away", "load_off"])
    said = [e.text for e in session.live.events() if e.kind == "meter_away"]
    assert said == [
        "Second meter did not answer MEAS:VOLT?: check its cable. It is only read along: the run goes on without it.",
        "Second meter answers again.",
    ]
    assert sum(AT_S < t < AT_S + 600.0 for t in asked) <= 3
    assert longest_silence(session) < 15.0
    assert session.live.series("battery 2", "V").time_s[-1] > AT_S + 600.0
    assert session.progress.notice == ""
