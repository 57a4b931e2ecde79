"""Points through the real engine on real lines: what is lost is waited for with everything off, and instruments do what stand-ins do."""

from __future__ import annotations

from dataclasses import replace

from ubrant.bench import engine
from ubrant.bench.clocks import RealClock
from ubrant.bench.engine import Order
from ubrant.bench.live import LiveReadings
from ubrant.bench.session import RunSession
from ubrant.bench.simulated import Around, WorldProcess, open_simulated_converter
from ubrant.bench.standins.converter_world import ConverterScenario
from ubrant.bench.standins.faults import Fault
from ubrant.core.converter import ConverterParameters
from ubrant.core.leads import Leads
from ubrant.core.meter import Meter, MeterDetails
from ubrant.core.tolerance import Tolerance
from ubrant.core.unit import Unit
from ubrant.logbook.logbook import Logbook
from ubrant.methods.sweep.procedure import SweepPlan, sweep
from ubrant.workshop import benches
from ubrant.runs.benches import INSTRUMENTS, BenchChoice, choice_kept, trial_bench_problems
from ubrant.workshop.trials.registry import trial_of, trial_view
from ubrant.workshop.trials.session import start_trial
from ubrant.workshop.trials.trial import Told

STEP_DOWN = ConverterParameters(5.0, 0.15, 0.05, 0.003, sags_below_v=6.2, shutoff_v=5.5, restart_v=7.0)
PLAN = SweepPlan(13.0, 5.0, 1.0, (0.0, 1.0, 2.0), 2.0, 10.0, Tolerance(4.75, 5.25))


def swept(*faults: Fault, world: ConverterScenario | None = None):
    scenario = replace(world or ConverterScenario(STEP_DOWN), faults=faults)
    opened = []

    def open_bench():
        opened.append(replace(open_simulated_converter(scenario, around=Around(), timeout_s=0.04), unattended=True))
        return opened[0]

    session = RunSession(sweep(PLAN), open_bench, LiveReadings())
    notices = []
    session.start()
    while session.running:
        session.join(0.02)
        if session.progress.notice and session.progress.notice not in notices:
            notices.append(session.progress.notice)
    return session, notices, opened[0].log.text()


def last_answer(commands: str, question: str) -> str:
    lines = [line for line in commands.splitlines() if question in line]
    return lines[-1].rstrip()[-1]


def test_a_meter_that_is_away_has_load_and_supply_off_meanwhile():
    session, notices, commands = swept(Fault("meter2", "silent", 30.0, 25.0))
    assert session.progress.ended_by == "done"
    assert "Load and supply are off; trying again." in notices[0]
    kinds = [e.kind for e in session.live.events()]
    assert kinds.index("paused") < kinds.index("resumed")
    between = commands[commands.index("Output meter did not answer") :] if "Output meter did not answer" in commands else commands
    assert "OUTP OFF" in between
    assert last_answer(commands, "Supply: OUTP?") == "0"


def test_a_meter_that_stays_away_ends_it_with_everything_off(monkeypatch):
    monkeypatch.setattr(engine, "PATIENCE_S", 30.0)
    session, _, commands = swept(Fault("meter", "silent", 20.0))
    assert session.progress.ended_by == "instrument lost"
    assert "It did not come back" in session.progress.trouble
    assert last_answer(commands, "Supply: OUTP?") == "0"
    assert last_answer(commands, "Load: INP?") == "0"


class Hurried(RealClock):
    """A real clock that goes five times as fast."""

    def now_s(self) -> float:
        return 5 * super().now_s()

    def wait_until(self, time_s, called) -> None:
        super().wait_until(time_s / 5, called)


def test_a_trial_on_instruments_by_their_addresses(tmp_path, monkeypatch):
    """Supply, load and two meters as a person would enter them: the stand-ins' sockets are as good as any."""
    monkeypatch.setattr(benches, "RealClock", Hurried)
    scenario = ConverterScenario(STEP_DOWN, lead_ohm=Leads().resistance_ohm, runs_free=True, free_speed=400.0)
    world = WorldProcess(scenario)

    def at(name, port, role="meter", **more):
        address = f"TCPIP0::127.0.0.1::{world.ports[port]}::SOCKET"
        return Meter(name, "0.05 % + 2 mV", "0.2 % + 2 mA", details=MeterDetails(role=role, connection="scpi", address=address, **more))

    into, out = at("In", "meter"), at("Out", "meter2")
    beside = at("Third", "meter2", tap="input")  # meant for the input, and clipped to the output
    choice = BenchChoice(INSTRUMENTS, 1.0, at("Load", "load", "load"), at("Supply", "supply", "supply"), (beside, into))
    assert trial_bench_problems(choice, (into, out), on_battery=False) == []
    assert "no load with a connection" in trial_bench_problems(replace(choice, load=None), (into, out), on_battery=False)[0]
    book = Logbook(tmp_path / "x.ubrant")
    trial, unit = trial_of("sweep"), book.keep_unit(Unit("Step-down", "converter", "12 V to 5 V, 2 A"))
    fields = {**trial.usual(unit), "highest": "12 V", "lowest": "11 V", "step": "1 V", "loads": "0, 1, 1.5 A"}
    run, session = start_trial(book, trial, Told(unit, fields, (into, out)), choice=choice)
    session.order(Order.DONE)
    session.start()
    session.join(60)
    assert session.progress.ended_by == "done", session.progress.trouble
    view = trial_view(book, book.run(run.id))
    assert len(view.points) == 9
    assert any("Third at the input shows 6." in said and "V less" in said for said in view.warnings), view.warnings
    assert choice_kept(view.run.plan, [beside, into, out, choice.load, choice.supply]) == replace(choice, others=(beside,))
    assert abs(view.findings["idle_power"].value - 0.15) < view.findings["idle_power"].expanded_uncertainty
    book.close()
    world.close()


def test_an_idle_draw_on_instruments_needs_no_load(tmp_path, monkeypatch):
    """A supply and one meter; nothing is attached, and nothing else is connected to."""
    monkeypatch.setattr(benches, "RealClock", Hurried)
    world = WorldProcess(ConverterScenario(STEP_DOWN, runs_free=True, free_speed=400.0))

    def at(name, port, role="meter"):
        address = f"TCPIP0::127.0.0.1::{world.ports[port]}::SOCKET"
        return Meter(name, "0.05 % + 2 mV", "0.2 % + 2 mA", details=MeterDetails(role=role, connection="scpi", address=address))

    into, choice = at("In", "meter"), BenchChoice(INSTRUMENTS, 1.0, None, at("Supply", "supply", "supply"))
    assert trial_bench_problems(choice, (into, into), on_battery=False, two_ends=False, loaded=False) == []
    assert "cannot be at both ends" in trial_bench_problems(choice, (into, into), on_battery=False)[0]
    book = Logbook(tmp_path / "x.ubrant")
    trial, unit = trial_of("idle"), book.keep_unit(Unit("Step-down", "converter", "12 V to 5 V, 2 A"))
    run, session = start_trial(book, trial, Told(unit, {**trial.usual(unit), "minutes": "10 s"}, (into, into)), choice=choice)
    session.start()
    answered = ""
    while session.running:
        progress = session.progress
        if progress.phase in {"asking", "zeroing"} and progress.text != answered:
            answered = progress.text
            session.order(Order.DONE)
        session.join(0.02)
    assert session.progress.ended_by == "done", session.progress.trouble
    assert last_answer(session.commands.text(), "Supply: OUTP?") == "0"
    assert "Load:" not in session.commands.text()
    view = trial_view(book, book.run(run.id))
    assert abs(view.findings["idle_power"].value - 0.15) < view.findings["idle_power"].expanded_uncertainty
    book.close()
    world.close()
