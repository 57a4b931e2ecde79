"""Points through the real engine on real lines: what is lost is waited for with everything off, and instruments do what stand-ins do."""

from __future__ import annotations

from dataclasses import replace

from tests.making import on_shelf, prepared
from ubrant.bench import engine
from ubrant.bench.clocks import RealClock
from ubrant.bench.engine import Order
from ubrant.bench.live import LiveReadings
from ubrant.bench.session import RunSession
from ubrant.bench.simulated import Around, WorldProcess, open_simulated_converter
from ubrant.bench.standins.converter_world import ConverterScenario
from ubrant.bench.standins.faults import Fault
from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.models.converter import ConverterParameters
from ubrant.core.quantities.tolerance import Tolerance
from ubrant.core.record.head import INSTRUMENTS
from ubrant.methods.registry import method_of
from ubrant.methods.sweep.procedure import SweepPlan, sweep
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.making import benches
from ubrant.runs.making.begin import start_by_itself
from ubrant.runs.making.benches import BenchChoice, bench_checks, choice_again

STEP_DOWN = ConverterParameters(5.0, 0.15, 0.05, 0.003, sags_below_v=6.2, shutoff_v=5.5, restart_v=7.0)
PLAN = SweepPlan(13.0, 5.0, 1.0, (0.0, 1.0, 2.0), 2.0, 10.0)
TOLERANCE = Tolerance(4.75, 5.25)
UNIT = Unit("Step-down", "converter", "12 V to 5 V, 2 A")


def swept(*faults: Fault, world: ConverterScenario | None = None):
    scenario = replace(world or ConverterScenario(STEP_DOWN), faults=faults)
    opened = []

    def open_bench():
        opened.append(replace(open_simulated_converter(scenario, around=Around(), timeout_s=0.12), unattended=True))
        return opened[0]

    session = RunSession(sweep(PLAN, TOLERANCE), open_bench, LiveReadings())
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
    assert any("Load and supply are off; trying again." in notice for notice in notices)
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


def test_a_sweep_on_instruments_by_their_addresses(logbook, monkeypatch):
    """Supply, load and two meters as a person would enter them: the stand-ins' sockets are as good as any."""
    monkeypatch.setattr(benches, "RealClock", Hurried)
    scenario = ConverterScenario(STEP_DOWN, lead_ohm=Leads().resistance_ohm, runs_free=True, free_speed=400.0)
    world = WorldProcess(scenario)

    def at(name, port, role="meter", **more):
        address = world.addresses[port]
        return Meter(name, "0.05 % + 2 mV", "0.2 % + 2 mA", details=MeterDetails(role=role, connection="scpi", address=address, **more))

    into, out = at("In", "meter"), at("Out", "meter2")
    beside = at("Third", "meter2", tap="input")  # meant for the input, and clipped to the output
    choice = BenchChoice(INSTRUMENTS, 1.0, at("Load", "load", "load"), at("Supply", "supply", "supply"), (beside, into))
    method, made = (
        method_of("sweep"),
        on_shelf(logbook, prepared("sweep", UNIT, (into, out), highest="12 V", lowest="11 V", step="1 V", loads="0, 1, 1.5 A")),
    )
    assert bench_checks(choice, method.scene(made), made.setup) == []
    assert "no load with a connection" in bench_checks(replace(choice, load=None), method.scene(made), made.setup)[0]
    run, session = start_by_itself(logbook, method, made, choice)
    session.order(Order.DONE)
    session.start()
    session.join(60)
    assert session.progress.ended_by == "done", session.progress.trouble
    record, account = account_of(logbook, logbook.run(run.id))
    assert account.taken == 9
    assert any("Third at the input shows 6." in said and "V less" in said for said in account.warnings), account.warnings
    assert choice_again(record.head, [beside, into, out, choice.load, choice.supply]) == replace(choice, others=(beside,))
    assert abs(account.findings["idle_power"].value - 0.15) < account.findings["idle_power"].expanded_uncertainty
    world.close()


def test_an_idle_draw_on_instruments_needs_no_load(logbook, monkeypatch):
    """A supply and one meter; nothing is attached, and nothing else is connected to."""
    monkeypatch.setattr(benches, "RealClock", Hurried)
    world = WorldProcess(ConverterScenario(STEP_DOWN, runs_free=True, free_speed=400.0))

    def at(name, port, role="meter"):
        address = world.addresses[port]
        return Meter(name, "0.05 % + 2 mV", "0.2 % + 2 mA", details=MeterDetails(role=role, connection="scpi", address=address))

    into, choice = at("In", "meter"), BenchChoice(INSTRUMENTS, 1.0, None, at("Supply", "supply", "supply"))
    method, made = method_of("idle"), on_shelf(logbook, prepared("idle", UNIT, (into,), seconds="10 s"))
    assert bench_checks(choice, method.scene(made), made.setup) == []
    both = prepared("sweep", UNIT, (into, into))
    assert "cannot be at both ends" in bench_checks(choice, method_of("sweep").scene(both), both.setup)[0]
    run, session = start_by_itself(logbook, method, made, choice)
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
    _, account = account_of(logbook, logbook.run(run.id))
    assert abs(account.findings["idle_power"].value - 0.15) < account.findings["idle_power"].expanded_uncertainty
    world.close()
