"""Runs as the trade makes them, on stand-ins, and runs that are typed: begun, kept, worked out."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from tests.making import by_hand
from tests.methods.discharge.making import DISCHARGE, FINE, SMALL, begun, discharged, discharging, small_plan
from ubrant.bench.engine import Order
from ubrant.core.battery.ending import Ends
from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.models.shown import Imperfection
from ubrant.core.quantities.jot import Grammar
from ubrant.core.quantities.label import parse_label
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.head import BY_HAND, Origin, head_to_json
from ubrant.methods.discharge.asked import discharge_of
from ubrant.methods.discharge.procedure import ChargePlan
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.making.going_on import close_interrupted, go_on
from ubrant.runs.typed.jot_heads import export_jots
from ubrant.runs.typed.jotting import take_down


@pytest.mark.parametrize(
    ("changes", "settles"),
    [({"mode": "power", "amount": 6.4}, lambda v, a: v * a), ({"mode": "resistance", "amount": 26.0}, lambda v, a: v / a)],
)
def test_constant_power_and_resistance(logbook, changes, settles):
    record, account, _ = discharged(logbook, small_plan(**changes))
    volts, amps = record.at("load", "V").value, record.at("load", "A").value
    middle = len(volts) // 2
    assert settles(volts[middle], amps[middle]) == pytest.approx(changes["amount"], rel=0.01)
    assert account.ended_by == "cut-off"


def test_pulses_give_the_resistance_at_every_edge(logbook):
    _, account, _ = discharged(logbook, small_plan(profile=((60.0, 0.5), (20.0, 0.0)), repeats=True, every_s=2.0))
    found = account.findings
    model = 0.0  # the model's R₀ with its fast pair, which a reading two seconds after the step half holds
    edges = found["resistance_edges"]
    assert edges.value > model
    assert "steps" in edges.working
    assert account.ended_by == "cut-off"


@pytest.mark.parametrize(
    ("limits", "ended", "close_to"),
    [
        (Ends(charge_ah=0.2), "charge", ("charge", 0.2)),
        (Ends(energy_wh=2.0), "energy", ("energy", 2.0)),
        (Ends(time_s=900.0), "time", ("duration", 900.0)),
    ],
)
def test_other_ways_to_end(logbook, limits, ended, close_to):
    _, account, run = discharged(logbook, small_plan(limits=limits))
    assert run.ended_by == ended
    key, value = close_to
    assert account.findings[key].value == pytest.approx(value, rel=0.02)
    assert "at least" in account.verdict.sentence or "Not like for like" in account.verdict.sentence


def test_temperature_ends_a_run(logbook):
    _, account, run = discharged(logbook, small_plan(limits=Ends(temperature_c=20.3)))
    assert run.ended_by == "temperature"
    assert account.findings["hottest"].value == pytest.approx(20.3, abs=0.1)


def test_two_steps_first(logbook):
    _, account, _ = discharged(logbook, small_plan(two_step=True, rated_ah=0.5))
    found = account.findings["resistance_two_step"]
    assert "10 s, then 1 s" in found.working
    assert 0 < found.value < 5
    assert found.expanded_uncertainty > 0


def test_charge_before_gives_both_efficiencies(logbook):
    charge = ChargePlan(0.25, 14.6, 0.02)
    record, account, _ = discharged(logbook, small_plan(charge=charge, charge_when="after", rest_after_s=120.0))
    found = account.findings
    assert found["end_current"].value == pytest.approx(0.02, abs=0.005)
    assert 85 < found["energy_efficiency"].value < found["coulombic_efficiency"].value < 103
    assert [e.kind for e in record.events] == ["load_on", "load_off", "charge_on", "charge_off"]


@pytest.mark.slow
def test_cycles_stop_when_capacity_has_fallen(logbook):
    charge = ChargePlan(0.5, 14.6, 0.03)
    _, account, _ = discharged(logbook, small_plan(charge=charge, charge_when="cycles", cycles=3, rest_after_s=60.0))
    found = account.findings
    assert [found[f"cycle_{k}"].value > 0.4 for k in (1, 2, 3)] == [True] * 3
    assert "of the first" in found["cycle_2"].working
    _, fading, _ = discharged(
        logbook, small_plan(charge=ChargePlan(0.5, 13.2, 0.2), charge_when="cycles", cycles=6, stop_share=0.9, rest_after_s=60.0)
    )
    assert "cycle_6" not in fading.findings


def test_part_taken_out_first_counts(logbook):
    _, account, _ = discharged(logbook, small_plan(take_out_ah=0.1))
    found = account.findings
    assert found["whole_charge"].value == pytest.approx(found["charge"].value + 0.1)
    assert "had been taken out before" in " ".join(account.warnings)


def test_zero_and_reversed_are_put_right(logbook):
    """A clamp that is the wrong way round and shows 30 mA of nothing."""
    clamp = replace(FINE, details=MeterDetails(reversed=True))
    wrong = Imperfection(gain=-2.0, zero=0.03, noise=0.0005, digit=0.001)  # −1 times the truth, and 30 mA on it
    record, account, _ = discharged(logbook, small_plan(zero_first=True), meter=clamp, meter_a=wrong)
    assert next(e.kind for e in record.events) == "zeroed"
    assert account.findings["charge"].value == pytest.approx(0.5 * account.findings["duration"].value / 3600, rel=0.01)


def test_a_zero_read_first_changes_nothing_but_the_zero(logbook):
    """On the simulated bench the leads are open while the zero is read: what then flows is counted whole."""
    _, with_zero, _ = discharged(logbook, small_plan(zero_first=True))
    _, without, _ = discharged(logbook, small_plan())
    charge = with_zero.findings["charge"]
    assert charge.value > 0.4
    assert (
        abs(charge.value - without.findings["charge"].value) < charge.expanded_uncertainty + without.findings["charge"].expanded_uncertainty
    )


def test_a_plan_comes_back_from_what_its_run_keeps():
    plan = small_plan(
        mode="power",
        amount=6.0,
        profile=((5.0, 1.0),),
        repeats=True,
        limits=Ends(time_s=50.0),
        charge=ChargePlan(1.0, 14.0, 0.1),
        charge_when="after",
        take_out_ah=0.1,
    )
    made = discharging(SMALL, plan, leads=Leads(2.0, 6.0))
    again = DISCHARGE.prepared(DISCHARGE.head(made, Origin(BY_HAND)))
    assert again == made


def test_an_interrupted_run_goes_on_after_the_gap(logbook):
    eight = datetime(2026, 5, 1, 8, tzinfo=UTC)
    run, session = begun(logbook, small_plan(limits=Ends(time_s=1200.0)), started=eight)
    for _ in range(2):
        session.order(Order.DONE)
    session.start()
    session.join(60)
    whole = discharging(run.head.setup.unit, small_plan())
    left = replace(logbook.run(run.id), state="interrupted", ended_by="interrupted", told=DISCHARGE.head(whole, run.head.origin))
    logbook.update_run(left)
    logbook._db.execute("UPDATE run SET head = ? WHERE id = ?", (json.dumps(head_to_json(left.head)), run.id))
    logbook._db.execute("DELETE FROM event WHERE kind = 'load_off'")
    assert account_of(logbook, logbook.run(run.id))[1].ended_by == "interrupted"
    goes_on, session = go_on(logbook, logbook.run(run.id), now=eight + timedelta(minutes=50))
    session.order(Order.DONE)
    session.start()
    session.join(60)
    record, account = account_of(logbook, logbook.run(goes_on.id))
    assert (logbook.run(goes_on.id).state, account.ended_by) == ("done", "cut-off")
    assert [e.kind for e in record.events].count("gap") == 1
    assert len(account.gaps) == 1
    charge = account.findings["charge"]
    gap = next(c for c in charge.contributions if c.source.kind == "gap")
    assert gap.amount == pytest.approx(charge.standard_uncertainty, rel=0.1)
    assert abs(charge.value - 0.5) < charge.expanded_uncertainty + 0.03


def test_an_interrupted_run_can_be_left_as_it_is(logbook):
    run, _ = begun(logbook, small_plan())
    logbook.update_run(replace(run, state="interrupted"))
    assert close_interrupted(logbook, logbook.run(run.id)).state == "done"
    with pytest.raises(ValueError, match="cannot go on"):
        go_on(logbook, logbook.run(run.id))


LINES = (
    (0, "13.34 V"),
    (120, "load on 13.1 V 10.0 A"),
    (3600, "13.05 V 10.0 A"),
    (7200, "12.98 V 10.0 A"),
    (10800, "12.90 V 10.0 A"),
    (14400, "12.75 V 10.0 A"),
    (16200, "12.4 V 10.0 A"),
    (16800, "11.9 V 10.0 A"),
    (17100, "10.9 V 10.0 A empty"),
    (18000, "12.3 V"),
)


CLAMP = Meter("Clamp", "0.5 % + 10 mV", "1 % + 20 mA")


def typed(logbook, lines=None, *, end=False, unit=None, meter=CLAMP, between="straight"):
    plan = replace(small_plan("50 Ah 12.8 V LiFePO4"), current_a=10.0, cutoff=Cutoff(11.0))
    made = discharging(unit or Unit("Dome pack", "battery", "50 Ah 12.8 V LiFePO4"), plan, meter, 20.0)
    return by_hand(logbook, "discharge", replace(made, between=between), dict(lines or {}), end=end)


def test_a_typed_run_and_its_jot_text_say_the_same(logbook, tmp_path):
    run, session = typed(logbook, LINES)
    assert session.progress.phase == "recovering"
    session.order(Order.STOP)
    record, account = account_of(logbook, logbook.run(run.id))
    assert account.ended_by == "cut-off"
    assert account.findings["charge"].value == pytest.approx(47.0, abs=0.3)
    assert account.findings["charge"].expanded_uncertainty > 0.5
    assert account.findings["rest_before"].value == 13.34
    assert account.findings["rest_after"].value == 12.3
    assert export_jots(logbook.kept(logbook.run(run.id)), tmp_path / "notes.txt", "Dome pack") == ""
    other = DISCHARGE.account(read_file(tmp_path / "notes.txt", LogOptions()).record())
    for key, finding in account.findings.items():
        assert other.findings[key].value == finding.value, key
        assert other.findings[key].expanded_uncertainty == finding.expanded_uncertainty, key
    assert other.verdict == account.verdict
    assert len(discharge_of(record).readings)


def test_a_correction_supersedes_and_can_be_taken_back(logbook):
    run, session = typed(logbook)
    take_down(logbook, run, Grammar().parse("13.34 V"), 0.0, session)
    taken = take_down(logbook, run, Grammar().parse("fix 13.43 V"), 5.0, session)
    assert [j.line for j in logbook.jots(run.id)] == ["13.43 V"]
    assert [row.line for _, row in session.live.jots()] == ["13.43 V"]
    assert logbook._db.execute("SELECT count(*) FROM jot").fetchone() == (2,)
    taken.take_back()
    assert [j.line for j in logbook.jots(run.id)] == ["13.34 V"]


def test_held_and_straight_differ_and_counters_agree(logbook):
    lines = ((0, "load on 13.0 V 10.0 A 0 Wh"), (3600, "12.9 V 2.0 A 78 Wh"), (7200, "12.9 V 2.0 A 104 Wh load off"))
    straight, held = (account_of(logbook, typed(logbook, lines, end=True, between=between)[0])[1] for between in ("straight", "held"))
    assert straight.findings["charge"].value == pytest.approx(8.0, abs=0.01)
    assert held.findings["charge"].value == pytest.approx(12.0, abs=0.02)
    assert straight.findings["counted_energy"].value == pytest.approx(104)
    assert held.findings["charge"].expanded_uncertainty > straight.findings["charge"].expanded_uncertainty


def test_only_a_counter_and_percent(logbook):
    lines = {0.0: "bank 100 % 0.0 Wh", 3600.0: "bank 71 % 21.4 Wh", 9000.0: "bank 44 % 41.6 Wh"}
    run, _ = typed(logbook, lines, end=True, unit=Unit("Bank", "bank", "24 000 mAh / 88.8 Wh"))
    found = account_of(logbook, run)[1].findings
    assert found["energy"].value == pytest.approx(41.6)
    assert found["points"].value == 56
    assert found["energy_per_point"].value == pytest.approx(41.6 / 56)


def test_parse_label_is_what_the_pack_says():
    assert parse_label(SMALL.label_text).charge_ah == 0.5


@pytest.mark.parametrize(
    "slip",
    [lambda t, line: (t, line.replace("10.0 A", "100 A") if t == 7200 else line), lambda t, line: (t + (36_000 if t > 9000 else 0), line)],
)
def test_more_than_any_battery_gives_is_no_capacity(logbook, slip):
    """A typo of a digit, and a break of ten hours in which the load was off: 1.5 times its label is asked about, not praised."""
    run, _ = typed(logbook, dict(slip(*row) for row in LINES), end=True)
    verdict = account_of(logbook, run)[1].verdict
    assert verdict.word == "cannot tell"
    assert "more than such batteries give" in verdict.sentence or "close to three times" in verdict.sentence
