"""Putting a plan, a bench and a logbook together."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.making import falling, small_plan
from ubrant.bench.engine import Order
from ubrant.core.cutoff import Cutoff
from ubrant.core.label import parse_label
from ubrant.core.leads import Leads
from ubrant.core.meter import Meter
from ubrant.core.unit import Unit
from ubrant.logbook import logbook as logbook_module
from ubrant.logbook.logs.log_file import LogFile
from ubrant.methods.discharge.procedure import usual_plan
from ubrant.workshop.bringing_in import keep_log
from ubrant.workshop.outlooks import outlook_path, sources
from ubrant.workshop.paths import kept_path, live_path, wiring_path
from ubrant.workshop.running import expected, scenario_of, start_discharge
from ubrant.workshop.views import course_of, label_of, live_view, summary_of, view_of

METER = Meter("Bench meter", "0.1 % + 3 mV", "0.5 % + 1 mA", max_v=60, max_a=20)
UNIT = Unit("Small pack", "battery", "0.5 Ah 12.8 V LiFePO4", stand_in={"health": 0.97})


@pytest.fixture
def run_and_session(logbook):
    unit = logbook.keep_unit(UNIT)
    run, session = start_discharge(logbook, unit, small_plan(), METER, Leads())
    for _ in range(2):
        session.order(Order.DONE)
    session.start()
    yield run, session
    session.end()


def logged(logbook, **changes):
    unit = logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    body = falling()
    log = LogFile("pack.csv", body.time_s, body.voltage_v, body.current_a)
    return keep_log(logbook, log, unit, **{"cutoff": Cutoff(11.0), "voltage_accuracy": "0.1 %", "current_accuracy": "0.5 %", **changes})


def test_what_is_expected_is_close_to_what_then_happens(logbook, run_and_session):
    """The stand-in is 97 % of its label: it ends as much sooner than the rehearsal said."""
    run, session = run_and_session
    session.join()
    seen = expected(small_plan(), UNIT.label, Leads())
    happened = view_of(logbook, logbook.run(run.id)).found.findings["duration"].value
    assert happened / seen.until_s[0] == pytest.approx(0.97, abs=0.03)


def test_a_run_keeps_its_plan_label_and_meter(logbook, run_and_session):
    run, session = run_and_session
    session.join()
    kept = logbook.run(run.id)
    assert (kept.state, kept.ended_by, kept.label_text, kept.meter) == ("done", "cut-off", UNIT.label_text, "Bench meter")
    assert (kept.plan["current_a"], kept.plan["own_cutoff_v"], kept.cutoff.hold_s) == (0.5, 10.7, 1.0)
    logbook.keep_unit(replace(UNIT, id=run.unit_id, label_text="99 Ah 12.8 V"))
    assert logbook.run(run.id).label.charge_ah == 0.5


def test_live_and_kept_say_the_same(logbook, run_and_session):
    """The same readings, looked at while in memory and after they came back from the file."""
    run, session = run_and_session
    session.join()
    live, kept = live_view(run, session), view_of(logbook, logbook.run(run.id))
    for key, finding in live.found.findings.items():
        assert kept.found.findings[key].value == finding.value, key
    assert live.found.verdict == kept.found.verdict


def test_a_live_run_has_a_path_and_a_course(logbook, run_and_session):
    run, session = run_and_session
    seen = expected(small_plan(), UNIT.label, Leads())
    while session.progress.time_s < 2000 and session.running:
        session.join(0.01)
    view = live_view(run, session)
    found = course_of(view, seen)
    path = live_path(run, session, "Small pack", found, view.found.findings["charge"].value)
    assert path.unit == "W"
    assert path.flows[0].amount == pytest.approx(6.5, abs=0.5)
    assert "left by ampere-hours" in path.nodes[0].note
    assert found.low_ah <= 0.5 * 0.97 * 1.03 and found.high_ah >= 0.5 * 0.9


def test_paths_of_a_plan_and_of_a_kept_run(logbook, run_and_session):
    run, session = run_and_session
    plan = usual_plan(UNIT.label, Leads())
    wiring = wiring_path("Small pack", UNIT.label, plan, METER, Leads())
    assert [f.meter for f in wiring.flows] == ["Bench meter: V across, A through", "the load's own display"]
    assert wiring.losses[1].startswith("will drop")
    session.join()
    kept = kept_path(view_of(logbook, logbook.run(run.id)), "Small pack")
    assert (kept.unit, len(kept.nodes)) == ("Wh", 3)
    assert kept.flows[0].amount > kept.flows[1].amount * 0.97


def test_the_same_thing_and_run_meet_the_same_bench():
    one, again, other = (scenario_of(UNIT, METER, Leads(), number) for number in (1, 1, 2))
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
    assert logbook.set_cutoff(run, 12.0).cutoff.voltage_v == 12.0
    assert logbook.summary(run.id) is None
    assert summary_of(logbook, logbook.run(run.id)).charge_ah < first.charge_ah


def test_sources_of_an_outlook(logbook):
    """Measured energy first; a label only where nothing was measured, with its stated doubt."""
    logged(logbook)
    logbook.keep_unit(Unit("Never tested", "bank", "24 000 mAh / 88.8 Wh"))
    logbook.keep_unit(Unit("Blower", "load", "12 V, 65 W"))
    measured, label = sources(logbook)
    assert (measured.unit, measured.doubtful, measured.run_id) == ("Pack", "", 1)
    assert measured.share == pytest.approx(measured.energy_wh / 640)
    assert (label.unit, label.run_id, "Only the label" in label.doubtful) == ("Never tested", None, True)
    assert label.energy_u == pytest.approx(8.88 / 3**0.5)


def test_an_outlook_without_a_converter_has_a_straight_path(logbook):
    from ubrant.core.outlook import Width

    logged(logbook)
    source = sources(logbook)[0]
    straight = outlook_path("Pack", source.outlook(Width(60), Width(100), Width(0), Width(0), 0.1, 0.0))
    bent = outlook_path("Pack", source.outlook(Width(60), Width(80), Width(5), Width(20), 0.0, 50.0))
    assert (len(straight.nodes), len(bent.nodes)) == (2, 3)
    assert bent.losses[1] == "−20.0 W lost"
    assert bent.nodes[0].note == "50.0 Wh kept back, 20 W coming in"


def test_a_log_without_cutoff_or_unit_is_kept_all_the_same(logbook):
    body = falling()
    run = keep_log(logbook, LogFile("x.csv", body.time_s, body.voltage_v, body.current_a, warnings=("said so",)), None, cutoff=None)
    view = view_of(logbook, run)
    assert (view.found.ended_by, view.record.label, run.plan["warnings"]) == ("end of log", None, ["said so"])
    assert np.isclose(view.found.findings["charge"].value, 50.0)


def test_a_thing_without_capacity_has_no_label():
    assert label_of(Unit("Blower", "load", "12 V, 65 W")) is None
    assert label_of(UNIT) == parse_label(UNIT.label_text)
