"""Runs as the trade makes them, on stand-ins, and runs that are typed: begun, kept, worked out."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from tests.making import small_plan
from ubrant.bench.engine import Order
from ubrant.core.cutoff import Cutoff
from ubrant.core.ending import Ends
from ubrant.core.jot import Grammar
from ubrant.core.label import parse_label
from ubrant.core.leads import Leads
from ubrant.core.meter import Meter, MeterDetails
from ubrant.core.unit import Unit
from ubrant.demo.kit import WatchedClock
from ubrant.logbook.exporting import export_jots
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.logs.read import read_log
from ubrant.methods.discharge.procedure import ChargePlan
from ubrant.workshop.bringing_in import Told, brought
from ubrant.workshop.going_on import close_interrupted
from ubrant.workshop.jotting import take_back, take_down
from ubrant.workshop.running import continue_discharge, new_run, plan_as_json, plan_from_json, start_discharge
from ubrant.workshop.typed_run import start_typed
from ubrant.workshop.views import view_of

METER = Meter("Meter", "0.05 % + 2 mV", "0.2 % + 1 mA")
EXACT = {"meter_v": None}
PACK = Unit("Small pack", "battery", "0.5 Ah 12.8 V LiFePO4", stand_in={"health": 0.97})


def run(logbook: Logbook, plan, unit: Unit = PACK, meter: Meter = METER, done: int = 2, **changes):
    """A whole run on stand-ins, and what it says."""
    kept = logbook.keep_unit(unit)
    begun, session = start_discharge(logbook, kept, plan, meter, Leads(), changes=changes or None)
    for _ in range(done):
        session.order(Order.DONE)
    session.start()
    session.join()
    assert session.progress.trouble == ""
    return view_of(logbook, logbook.run(begun.id))


@pytest.mark.parametrize(
    ("changes", "settles"),
    [({"mode": "power", "amount": 6.4}, lambda v, a: v * a), ({"mode": "resistance", "amount": 26.0}, lambda v, a: v / a)],
)
def test_constant_power_and_resistance(logbook, changes, settles):
    view = run(logbook, small_plan(**changes))
    load = view.load
    middle = len(load) // 2
    assert settles(load.voltage_v[middle], load.current_a[middle]) == pytest.approx(changes["amount"], rel=0.01)
    assert view.found.ended_by == "cut-off"


def test_pulses_give_the_resistance_at_every_edge(logbook):
    view = run(logbook, small_plan(profile=((60.0, 0.5), (20.0, 0.0)), repeats=True, every_s=2.0))
    found = view.found.findings
    model = 0.0  # the model's R₀ with its fast pair, which a reading two seconds after the step half holds
    edges = found["resistance_edges"]
    assert edges.value > model
    assert "steps" in edges.working
    assert view.found.ended_by == "cut-off"


@pytest.mark.parametrize(
    ("limits", "ended", "close_to"),
    [
        (Ends(charge_ah=0.2), "charge", ("charge", 0.2)),
        (Ends(energy_wh=2.0), "energy", ("energy", 2.0)),
        (Ends(time_s=900.0), "time", ("duration", 900.0)),
    ],
)
def test_other_ways_to_end(logbook, limits, ended, close_to):
    view = run(logbook, small_plan(limits=limits))
    assert view.run.ended_by == ended
    key, value = close_to
    assert view.found.findings[key].value == pytest.approx(value, rel=0.02)
    assert "at least" in view.found.verdict.sentence or "Not like for like" in view.found.verdict.sentence


def test_temperature_ends_a_run(logbook):
    view = run(logbook, small_plan(limits=Ends(temperature_c=20.3)))
    assert view.run.ended_by == "temperature"
    assert view.found.findings["hottest"].value == pytest.approx(20.3, abs=0.1)


def test_two_steps_first(logbook):
    view = run(logbook, small_plan(two_step=True, rated_ah=0.5))
    found = view.found.findings["resistance_two_step"]
    assert "10 s, then 1 s" in found.working
    assert 0 < found.value < 5
    assert found.expanded_uncertainty > 0


def test_charge_before_gives_both_efficiencies(logbook):
    charge = ChargePlan(0.25, 14.6, 0.02)
    view = run(logbook, small_plan(charge=charge, charge_when="after", rest_after_s=120.0))
    found = view.found.findings
    assert found["end_current"].value == pytest.approx(0.02, abs=0.005)
    assert 85 < found["energy_efficiency"].value < found["coulombic_efficiency"].value < 103
    assert [e.kind for e in view.events] == ["load on", "load off", "charge on", "charge off"]


def test_cycles_stop_when_capacity_has_fallen(logbook):
    charge = ChargePlan(0.5, 14.6, 0.03)
    view = run(logbook, small_plan(charge=charge, charge_when="cycles", cycles=3, rest_after_s=60.0))
    found = view.found.findings
    assert [found[f"cycle_{k}"].value > 0.4 for k in (1, 2, 3)] == [True] * 3
    assert "of the first" in found["cycle_2"].working
    fading = run(logbook, small_plan(charge=ChargePlan(0.5, 13.2, 0.2), charge_when="cycles", cycles=6, stop_share=0.9, rest_after_s=60.0))
    assert "cycle_6" not in fading.found.findings


def test_part_taken_out_first_counts(logbook):
    view = run(logbook, small_plan(take_out_ah=0.1))
    found = view.found.findings
    assert found["whole_charge"].value == pytest.approx(found["charge"].value + 0.1)
    assert "had been taken out before" in " ".join(view.found.warnings)


def test_zero_and_reversed_are_put_right(logbook):
    """A clamp that is the wrong way round and shows 30 mA of nothing."""
    from ubrant.bench.standins.scenario import Channel

    clamp = replace(METER, details=MeterDetails(reversed=True))
    wrong = Channel(gain=-2.0, zero=0.03, noise=0.0005, digit=0.001)  # −1 times the truth, and 30 mA on it
    view = run(logbook, small_plan(zero_first=True), meter=clamp, done=3, meter_a=wrong)
    assert next(e.kind for e in view.events) == "zero"
    assert view.found.findings["charge"].value == pytest.approx(0.5 * view.found.findings["duration"].value / 3600, rel=0.01)


def test_a_plan_comes_back_from_the_logbook():
    plan = small_plan(mode="power", amount=6.0, profile=((5.0, 1.0),), repeats=True, limits=Ends(time_s=50.0), charge=ChargePlan(1.0, 14.0, 0.1),
                      charge_when="after", told={"charged": "overnight"}, take_out_ah=0.1)  # fmt: skip
    again, leads = plan_from_json(plan_as_json(plan, Leads(2.0, 6.0)), PACK)
    assert replace(again, rated_ah=plan.rated_ah) == plan
    assert leads == Leads(2.0, 6.0)


def test_an_interrupted_run_goes_on_after_the_gap(tmp_path):
    path = tmp_path / "bench.ubrant"
    logbook = Logbook(path)
    unit = logbook.keep_unit(PACK)
    begun, session = start_discharge(
        logbook, unit, small_plan(limits=Ends(time_s=1200.0)), METER, Leads(), started=datetime(2026, 5, 1, 8, tzinfo=UTC)
    )
    for _ in range(2):
        session.order(Order.DONE)
    session.start()
    session.join()
    logbook.update_run(
        replace(logbook.run(begun.id), state="interrupted", ended_by="interrupted", plan=plan_as_json(small_plan(), Leads()))
    )
    logbook._db.execute("DELETE FROM event WHERE kind = 'load off'")
    interrupted = view_of(logbook, logbook.run(begun.id))
    assert interrupted.found.ended_by == "interrupted"
    later = datetime(2026, 5, 1, 8, tzinfo=UTC) + timedelta(minutes=50)
    goes_on, session = continue_discharge(logbook, logbook.run(begun.id), unit, now=later)
    session.order(Order.DONE)
    session.start()
    session.join()
    view = view_of(logbook, logbook.run(goes_on.id))
    assert (view.run.state, view.found.ended_by) == ("done", "cut-off")
    assert [e.kind for e in view.events].count("gap") == 1
    assert len(view.found.gaps) == 1
    charge = view.found.findings["charge"]
    gap = next(c for c in charge.contributions if c.source == "gaps")
    assert gap.amount == pytest.approx(charge.standard_uncertainty, rel=0.1)
    assert abs(charge.value - 0.5) < charge.expanded_uncertainty + 0.03
    logbook.close()


def test_an_interrupted_run_can_be_left_as_it_is(logbook):
    begun = logbook.start_run(new_run(PACK, small_plan(), METER, Leads(), None, "simulated bench"))
    logbook.update_run(replace(begun, state="interrupted"))
    assert close_interrupted(logbook, logbook.run(begun.id)).state == "done"
    with pytest.raises(ValueError, match="was interrupted can go on"):
        continue_discharge(logbook, logbook.run(begun.id), PACK)


LINES = (
    (0, "13.34 V"), (120, "load on 13.1 V 10.0 A"), (3600, "13.05 V 10.0 A"), (7200, "12.98 V 10.0 A"), (10800, "12.90 V 10.0 A"),
    (14400, "12.75 V 10.0 A"), (16200, "12.4 V 10.0 A"), (16800, "11.9 V 10.0 A"), (17100, "10.9 V 10.0 A empty"), (18000, "12.3 V"),
)  # fmt: skip


def typed(logbook, clock=None):
    unit = logbook.keep_unit(Unit("Dome pack", "battery", "50 Ah 12.8 V LiFePO4"))
    plan = replace(small_plan("50 Ah 12.8 V LiFePO4"), current_a=10.0, cutoff=Cutoff(11.0), temperature_c=20.0)
    meter = Meter("Clamp", "0.5 % + 10 mV", "1 % + 20 mA")
    clock = clock or WatchedClock()
    begun, session = start_typed(
        logbook, unit, plan, new_run(unit, plan, meter, Leads(), datetime(2026, 5, 1, 8, tzinfo=UTC), ""), lambda: clock
    )
    return unit, begun, session, clock


def test_a_typed_run_and_its_jot_text_say_the_same(logbook, tmp_path):
    _, begun, session, clock = typed(logbook)
    for _ in range(2):
        session.order(Order.DONE)
    for moment, line in LINES:
        clock.time_s = float(moment)
        take_down(logbook, begun, Grammar().parse(line), clock.now_s(), session)
    assert session.progress.phase == "recovering"
    session.order(Order.STOP)
    kept = logbook.run(begun.id)
    view = view_of(logbook, kept)
    assert view.found.ended_by == "cut-off"
    assert view.found.findings["charge"].value == pytest.approx(47.0, abs=0.3)
    assert view.found.findings["charge"].expanded_uncertainty > 0.5
    assert view.found.findings["rest_before"].value == 13.34
    assert view.found.findings["rest_after"].value == 12.3
    export_jots(logbook, kept, tmp_path / "notes.txt", "Dome pack")
    log = read_log(tmp_path / "notes.txt")
    told = Told(kept.label_text, None, Cutoff(11.0), kept.voltage_accuracy, kept.current_accuracy, 20.0)
    other = brought(log, told).found()
    for key, finding in view.found.findings.items():
        assert other.findings[key].value == finding.value, key
        assert other.findings[key].expanded_uncertainty == finding.expanded_uncertainty, key
    assert other.verdict == view.found.verdict


def test_a_correction_supersedes_and_can_be_taken_back(logbook):
    _, begun, session, _clock = typed(logbook)
    take_down(logbook, begun, Grammar().parse("13.34 V"), 0.0, session)
    taken = take_down(logbook, begun, Grammar().parse("fix 13.43 V"), 5.0, session)
    assert [j.line for j in logbook.jots(begun.id)] == ["13.43 V"]
    assert [line for _, line in session.live.jots()] == ["13.43 V"]
    assert logbook._db.execute("SELECT count(*) FROM jot").fetchone() == (2,)
    take_back(logbook, taken, session)
    assert [j.line for j in logbook.jots(begun.id)] == ["13.34 V"]


def test_held_and_straight_differ_and_counters_agree(logbook):
    _, begun, session, _clock = typed(logbook)
    lines = ((0, "load on 13.0 V 10.0 A 0 Wh"), (3600, "12.9 V 2.0 A 78 Wh"), (7200, "12.9 V 2.0 A 104 Wh load off"))
    for moment, line in lines:
        take_down(logbook, begun, Grammar().parse(line), float(moment), session)
    session.end()
    straight = view_of(logbook, logbook.run(begun.id)).found
    kept = replace(logbook.run(begun.id), plan={**begun.plan, "between": "held"})
    logbook.update_run(kept)
    held = view_of(logbook, kept).found
    assert straight.findings["charge"].value == pytest.approx(8.0, abs=0.01)
    assert held.findings["charge"].value == pytest.approx(12.0, abs=0.02)
    assert straight.findings["counted_energy"].value == pytest.approx(104)
    assert held.findings["charge"].expanded_uncertainty > straight.findings["charge"].expanded_uncertainty


def test_only_a_counter_and_percent(logbook):
    unit = logbook.keep_unit(Unit("Bank", "bank", "24 000 mAh / 88.8 Wh"))
    plan = small_plan()
    begun, session = start_typed(logbook, unit, plan, new_run(unit, plan, METER, Leads(), None, ""), WatchedClock)
    for moment, line in ((0, "bank 100 % 0.0 Wh"), (3600, "bank 71 % 21.4 Wh"), (9000, "bank 44 % 41.6 Wh")):
        take_down(logbook, begun, Grammar().parse(line), float(moment), session)
    session.end()
    found = view_of(logbook, logbook.run(begun.id)).found
    assert found.findings["energy"].value == pytest.approx(41.6)
    assert found.findings["points"].value == 56
    assert found.findings["energy_per_point"].value == pytest.approx(41.6 / 56)


def test_parse_label_is_what_the_pack_says():
    assert parse_label(PACK.label_text).charge_ah == 0.5
