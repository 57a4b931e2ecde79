"""Methods by eye with meters that talk: a person sets each point and the meters are read, or they are read on and on."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.making import on_shelf
from ubrant.bench.clocks import RealClock
from ubrant.bench.engine import Order
from ubrant.bench.lines import private_connection
from ubrant.bench.simulated import WorldProcess
from ubrant.bench.standins.converter_world import ConverterScenario
from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.models.cell import pack_from_label
from ubrant.core.models.converter import ConverterParameters
from ubrant.core.quantities.jot import Grammar
from ubrant.core.quantities.label import parse_label
from ubrant.core.quantities.readings import Series
from ubrant.core.record.events import PointTaken
from ubrant.core.record.head import INSTRUMENTS, Setup
from ubrant.methods.points_by_hand import _on_one_base
from ubrant.methods.registry import entries, method_of
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.making import benches
from ubrant.runs.making.begin import start_by_itself
from ubrant.runs.making.benches import BenchChoice, bench_checks
from ubrant.runs.typed.jotting import take_down

SPEED = 400.0
FIVE_V = ConverterParameters(5.1, 0.1, 0.05, 0.003, output_ohm=0.04, shutoff_v=9.0, restart_v=10.0)
HERE = {e.key for e in entries()}


class Fast(RealClock):
    """As fast as the world runs by itself."""

    def now_s(self) -> float:
        return SPEED * super().now_s()

    def wait_until(self, time_s, called) -> None:
        super().wait_until(time_s / SPEED, called)


@pytest.fixture
def world(monkeypatch):
    monkeypatch.setattr(benches, "RealClock", Fast)
    made = []

    def opened(**scenario):
        made.append(WorldProcess(ConverterScenario(FIVE_V, runs_free=True, free_speed=SPEED, **scenario)))
        return made[-1]

    yield opened
    for one in made:
        one.close()


def at(world, name, port, role="meter"):
    details = MeterDetails(role=role, connection="scpi", address=world.addresses[port])
    return Meter(name, "0.05 % + 2 mV", "0.2 % + 2 mA", details=details)


def tell(world, port, *lines):
    connection = private_connection(world.addresses[port], 5.0)
    for line in lines:
        connection.sendall(f"{line};*OPC?\n".encode())
        connection.recv(64)
    connection.close()


def begun(logbook, key, unit, meters, choice, **typed):
    method = method_of(key)
    made = on_shelf(logbook, method.prepare(Setup(unit, meters, Leads(0.0)), typed))
    assert bench_checks(choice, method.scene(made), made.setup) == []
    return start_by_itself(logbook, method, made, choice)


@pytest.mark.skipif("brick" not in HERE, reason="brick is not here")
def test_point_by_point_as_a_person_sets_them(logbook, world):
    """A supply under five loads: at each the person says go on, and one point is taken."""
    there = world()
    tell(there, "supply", "SOUR:VOLT 12", "SOUR:CURR 20", "OUTP ON")
    choice = BenchChoice(INSTRUMENTS, 1.0)
    run, session = begun(
        logbook,
        "brick",
        Unit("Brick", "converter", "12 V to 5 V, 3 A"),
        {"output": at(there, "Out", "meter2")},
        choice,
        loads="0, 0.5, 1, 2, 3 A",
    )
    loads, answered = iter(("0", "0.5", "1", "2", "3")), ""
    session.start()
    while session.running:
        progress = session.progress
        if progress.phase == "asking" and progress.text != answered:
            answered = progress.text
            if "Point" in answered:
                tell(there, "load", f"SOUR:CURR {next(loads)}", "INP ON")
                session.join(0.05)  # the person waits until it stands still
            session.order(Order.DONE)
        session.join(0.01)
    assert session.progress.trouble == ""
    record, account = account_of(logbook, logbook.run(run.id))
    assert len(record.of(PointTaken)) == 5
    assert account.taken == 5
    assert account.findings["no_load_voltage"].value == pytest.approx(5.1, abs=0.01)
    assert account.findings["load_regulation"].value == pytest.approx(-40.0, abs=2.0)


@pytest.mark.skipif("ways" not in HERE, reason="ways is not here")
def test_each_way_is_a_point_of_two_meters(logbook, world):
    """10 W and then 5 W at the load, by meters before and behind what is between: what each way burns is the difference."""
    there = world()
    tell(there, "supply", "SOUR:VOLT 12", "SOUR:CURR 20", "OUTP ON")
    meters = {"source": at(there, "In", "meter"), "load": at(there, "Out", "meter2")}
    unit = Unit("Station", "station", "500 Wh 25.6 V")
    run, session = begun(logbook, "ways", unit, meters, BenchChoice(INSTRUMENTS, 1.0), ways="strong, weak")
    loads, answered = iter(("2", "1")), ""
    session.start()
    while session.running:
        progress = session.progress
        if progress.phase == "asking" and progress.text != answered:
            answered = progress.text
            if "Point" in answered:
                tell(there, "load", f"SOUR:CURR {next(loads)}", "INP ON")
                session.join(0.05)
            session.order(Order.DONE)
        session.join(0.01)
    assert session.progress.trouble == ""
    found = account_of(logbook, logbook.run(run.id))[1].findings
    for k, amps in ((1, 2.0), (2, 1.0)):
        out = amps * (5.1 - 0.04 * amps)
        lost = 0.1 + 0.05 * out + 0.003 * out * out
        assert found[f"source_power_{k}"].value == pytest.approx(out + lost, rel=0.01)
    assert found["source_power_1"].name.startswith("strong")


@pytest.mark.skipif("recharge" not in HERE, reason="recharge is not here")
def test_a_recharge_with_a_meter_that_reads_along(logbook, world):
    """The percent is typed, volts and amperes at the source's output are read meanwhile: Wh by the meter, and not by points of a label."""
    there = world()
    tell(there, "supply", "SOUR:VOLT 12", "SOUR:CURR 20", "OUTP ON")
    tell(there, "load", "SOUR:CURR 2", "INP ON")
    bank, tablet = Unit("Bank", "bank", "24 000 mAh / 88.8 Wh"), Unit("Watch", "load", "1.1 Ah 3.85 V")
    method = method_of("recharge")
    made = on_shelf(logbook, method.prepare(Setup(bank, {"source": at(there, "USB", "meter2")}, Leads(0.0), device=tablet), {}))
    run, session = start_by_itself(logbook, method, made, BenchChoice(INSTRUMENTS, 1.0))
    session.order(Order.DONE)
    session.start()
    while session.progress.time_s < 60:
        session.join(0.01)
    for line, until in (("source 97 % device empty", 1800.0), ("source 90 % device full", 0.0)):
        take_down(logbook, run, Grammar().parse(line), session.progress.time_s, session)
        since = session.progress.time_s
        while until and session.progress.time_s < since + until:
            session.join(0.01)
    session.order(Order.STOP)
    session.join(10)
    assert session.progress.trouble == ""
    record, account = account_of(logbook, logbook.run(run.id))
    (first, _), (last, _) = [(e.time_s, e) for e in record.lines]
    assert account.findings["recharge_energy"].value == pytest.approx(2 * 5.02 * (last - first) / 3600, rel=0.02)
    assert account.findings["recharge_energy"].expanded_uncertainty < 0.02 * account.findings["recharge_energy"].value
    parts = {c.source.words(): c.amount for c in account.findings["recharge_energy"].contributions}
    hours = (last - first) / 3600
    assert parts["source current zero"] == pytest.approx(0.002 / 3**0.5 * 5.02 * hours, rel=0.03)
    assert parts["source voltage zero"] == pytest.approx(0.002 / 3**0.5 * 2.0 * hours, rel=0.03)


@pytest.mark.skipif("output" not in HERE, reason="output is not here")
def test_a_bank_on_an_electronic_load_until_it_gives_up(logbook, world):
    """It ends by itself once the output has gone, with the load off; what it gave is what left its cells less the loss."""
    there = world(pack=pack_from_label(parse_label("0.4 Ah 12.8 V LiFePO4")))
    tell(there, "clock", "OPER on")
    choice = BenchChoice(INSTRUMENTS, 1.0, at(there, "Load", "load", "load"))
    run, session = begun(
        logbook, "output", Unit("Bank", "bank", "0.4 Ah 12.8 V"), {"output": at(there, "Out", "meter2")}, choice, volts="5 V", amps="1 A"
    )
    session.order(Order.DONE)
    session.start()
    session.join(60)
    assert session.progress.trouble == ""
    record, account = account_of(logbook, logbook.run(run.id))
    assert not record.is_typed
    watts_in = 5.06 * 1.05 + 0.1 + 0.003 * 5.06**2
    assert account.findings["energy_out"].value == pytest.approx(0.4 * 12.9 * 5.06 / watts_in, rel=0.07)
    assert "Gives" in account.sentence, "to its end, and not at least so much"
    answers = [line for line in session.commands.text().splitlines() if "Load: INP?" in line]
    assert answers[-1].endswith("0"), "the load is off whatever ended it"


@pytest.mark.skipif("capacitor" not in HERE, reason="capacitor is not here")
def test_instruments_asked_one_after_the_other_stand_on_one_base(logbook):
    """Volts and amperes of moments that differ: a straight line between."""
    time = np.arange(0.0, 20.0, 0.5)
    run, _ = begun(
        logbook,
        "capacitor",
        Unit("Caps", "battery", "10 F 5.4 V"),
        {"battery": Meter("M", "0.1 %", "0.1 %", details=MeterDetails(connection="scpi", address="unix:x"))},
        BenchChoice(INSTRUMENTS),
    )
    record = logbook.kept(logbook.run(run.id)).record()
    readings = {("battery", "V"): Series(time, 5.4 - 0.1 * time), ("battery", "A"): Series(time + 0.1, np.full(len(time), 1.0))}
    moved = _on_one_base(replace(record, readings=readings)).readings
    assert np.array_equal(moved["battery", "A"].time_s, time)
    assert np.isnan(moved["battery", "A"].value[0]), "nothing was read before"
    assert moved["battery", "A"].value[5] == 1.0
