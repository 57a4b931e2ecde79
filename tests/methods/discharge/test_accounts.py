"""A discharge from plan to account: expected, going on, kept, judged anew, and as a source for outlooks."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.making import falling
from tests.methods.discharge.making import DISCHARGE, SMALL, begun, discharging, small_plan
from ubrant.bench.engine import Order
from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.outlook.answers import look
from ubrant.core.quantities.label import parse_label
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.head import Criteria, label_of
from ubrant.logbook import logbook as logbook_module
from ubrant.logbook.logs.log_file import LogFile
from ubrant.methods.discharge.asked import discharge_of
from ubrant.methods.discharge.following import forecast_of
from ubrant.methods.discharge.procedure import usual_plan
from ubrant.runs.coming_in.bringing_in import LogOptions, from_log, keep, under_options
from ubrant.runs.kept.accounts import account_of, live_account, live_record, summary_of
from ubrant.runs.kits.kit_file import kit_of
from ubrant.runs.kits.kit_parts import KitError
from ubrant.runs.kits.kit_rows import kit_part_of, rows_of
from ubrant.runs.kits.measured import measured_in
from ubrant.runs.making.simulated import battery_scenario

METER = Meter("Bench meter", "0.1 % + 3 mV", "0.5 % + 1 mA", max_v=60, max_a=20)


@pytest.fixture
def run_and_session(logbook):
    run, session = begun(logbook, small_plan(), meter=METER)
    for _ in range(2):
        session.order(Order.DONE)
    session.start()
    yield run, session
    session.end()


def expected():
    return DISCHARGE.expect(discharging(SMALL, small_plan(), METER))


def logged(logbook, cutoff="11 V"):
    unit = logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    body = falling()
    log = LogFile("pack.csv", body.time_s, body.voltage_v, body.current_a)
    return keep(
        logbook,
        under_options(from_log(log), LogOptions(said={"cutoff": cutoff}, accuracies=("0.1 %", "0.5 %", "", ""), unit=unit, full=True)),
        unit,
    )


def test_what_is_expected_is_close_to_what_then_happens(logbook, run_and_session):
    """The stand-in is 97 % of its label: it ends as much sooner than the rehearsal said."""
    run, session = run_and_session
    session.join()
    happened = account_of(logbook, logbook.run(run.id))[1].findings["duration"].value
    assert happened / expected().until_s[0] == pytest.approx(0.97, abs=0.03)


def test_a_run_keeps_its_plan_label_and_meter(logbook, run_and_session):
    run, session = run_and_session
    session.join()
    kept = logbook.run(run.id)
    assert (kept.state, kept.ended_by, kept.label_text, kept.head.setup.meter("battery").name) == (
        "done",
        "cut-off",
        SMALL.label_text,
        "Bench meter",
    )
    plan = DISCHARGE.prepared(kept.head).plan
    assert (plan.current_a, plan.own_cutoff_v, kept.cutoff.hold_s) == (0.5, 10.7, 1.0)
    logbook.keep_unit(replace(SMALL, id=run.unit_id, label_text="99 Ah 12.8 V"))
    assert logbook.run(run.id).label.charge_ah == 0.5


def test_a_live_run_has_a_path_and_a_course(run_and_session):
    run, session = run_and_session
    seen = expected()
    while session.progress.time_s < 2000 and session.running:
        session.join(0.01)
    account = live_account(run, session, seen)
    path = account.path()
    assert path.unit == "W"
    assert path.flows[0].amount == pytest.approx(6.5, abs=0.5)
    assert "left by ampere-hours" in path.nodes[0].note
    found = forecast_of(discharge_of(live_record(run, session)), seen)
    assert found.low_ah <= 0.5 * 0.97 * 1.03 and found.high_ah >= 0.5 * 0.9
    assert account.ahead.left_s > 0


def test_paths_of_a_plan_and_of_a_kept_run(logbook, run_and_session):
    run, session = run_and_session
    wiring = DISCHARGE.wiring(discharging(SMALL, usual_plan(SMALL.label, Leads()), METER))
    assert [f.meter for f in wiring.flows] == ["Bench meter: V across, A through", "the load's own display"]
    assert wiring.losses[1].startswith("will drop")
    session.join()
    kept = account_of(logbook, logbook.run(run.id))[1].path()
    assert (kept.unit, len(kept.nodes)) == ("Wh", 3)
    assert kept.flows[0].amount > kept.flows[1].amount * 0.97


def test_the_same_thing_and_run_meet_the_same_bench():
    one, again, other = (battery_scenario(SMALL, METER, Leads().resistance_ohm, number) for number in (1, 1, 2))
    assert one == again
    assert one.seed != other.seed
    assert one.pack == other.pack
    assert abs(one.meter_v.gain) <= 0.001
    assert abs(one.meter_a.zero) <= 0.001


def test_summaries_are_kept_and_worked_out_anew_by_another_version(logbook, monkeypatch):
    run = logged(logbook)
    first = summary_of(logbook, run)
    assert logbook.summary(run.id) == first
    monkeypatch.setattr(logbook_module, "FINDINGS_VERSION", 99)
    assert logbook.summary(run.id) is None
    assert summary_of(logbook, run) == first
    logbook.update_run(run.under(criteria=Criteria(cutoff=Cutoff(12.0))))
    assert logbook.run(run.id).cutoff.voltage_v == 12.0
    assert logbook.summary(run.id) is None
    assert summary_of(logbook, logbook.run(run.id)).bar[0] < first.bar[0]


def test_sources_of_an_outlook(logbook):
    """Measured ampere-hours along their own volts first; a label only where nothing was measured."""
    logged(logbook)
    logbook.keep_unit(Unit("Never tested", "bank", "24 000 mAh / 88.8 Wh"))
    logbook.keep_unit(Unit("Blower", "load", "12 V, 65 W"))
    measured = measured_in(logbook)
    assert measured.newest("source", "pack") == 1
    source = measured.source(1)
    assert source.why.startswith("measured: ")
    _, account = account_of(logbook, logbook.run(1))
    assert source.capacity.value == pytest.approx(account.findings["charge"].value)
    assert source.energy_wh == pytest.approx(account.findings["energy"].value, rel=2e-3)
    assert source.curve.rate_a == pytest.approx(10.0, rel=1e-3)
    assert (measured.newest("source", "Never tested"), measured.label("never tested")) == (None, "24 000 mAh / 88.8 Wh")
    assert (measured.newest("load", "Blower"), measured.label("Blower"), measured.source(99)) == (None, "", None)


def test_a_log_without_cutoff_or_unit_is_kept_all_the_same(logbook):
    body = falling()
    run = keep(
        logbook,
        under_options(from_log(LogFile("x.csv", body.time_s, body.voltage_v, body.current_a, warnings=("said so",))), LogOptions()),
        None,
    )
    record, account = account_of(logbook, run)
    assert (account.ended_by, run.label, record.head.origin.said) == ("end of log", None, ("said so",))
    assert "said so" in account.warnings
    assert np.isclose(account.findings["charge"].value, 50.0)


def test_a_thing_without_capacity_has_no_label():
    assert label_of(Unit("Blower", "load", "12 V, 65 W")) is None
    assert label_of(SMALL) == parse_label(SMALL.label_text)


def test_what_is_left_after_a_run_that_was_stopped(logbook):
    """A whole run says what it holds; a second one that was stopped at half says how much of that is gone."""
    logged(logbook)
    unit = logbook.units()[0]
    body = falling()
    half = slice(0, len(body.time_s) // 2)
    log = LogFile("half.csv", body.time_s[half], body.voltage_v[half], body.current_a[half])
    stored = under_options(from_log(log), LogOptions(said={"cutoff": "11 V"}, accuracies=("0.1 %", "0.5 %", "", ""), unit=unit, full=True))
    run = keep(logbook, stored, unit)
    measured = measured_in(logbook)
    given = account_of(logbook, run)[1].energy
    assert not given.whole
    left = measured.left(run.id)
    whole = measured.source(1)
    assert left.full.value == pytest.approx(1 - given.energy_wh / whole.energy_wh)
    assert 0.4 < left.full.value < 0.6
    part = kit_part_of([("source", f"Pack left after run {run.id}"), ("load", "lamp 60 W")])
    assert rows_of(part)[0] == ("source", f"Pack left after run {run.id}")
    assert look(kit_of(part, measured), 0).runtime_s == pytest.approx(left.usable_wh / 60 * 3600, rel=0.02)
    assert measured.left(1) is None  # it gave all of it
    with pytest.raises(KitError, match="nobody can say what is left"):
        kit_of(kit_part_of([("source", "Pack left after run 1"), ("load", "lamp 60 W")]), measured)


def test_what_several_ask_of_a_record_is_made_once():
    body = falling()
    record = from_log(LogFile("x.csv", body.time_s, body.voltage_v, body.current_a)).record()
    assert discharge_of(record) is discharge_of(record)
    assert discharge_of(record) is not discharge_of(record.judged_by(record.head)), "under another head it may be another"
