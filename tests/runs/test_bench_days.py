"""Days at the bench by what is on the shelf: what a charger fits, what may run alone, what is refused, what moves; by the clock on the wall."""

from __future__ import annotations

import os
import time
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from icalendar import Calendar

from tests.making import falling
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.planning.steps import BY_HAND, PlanError
from ubrant.core.planning.visits import BEGIN, if_late, next_visit
from ubrant.core.record.head import SIMULATED, RunHeader, Setup, label_of
from ubrant.logbook.logs.log_file import LogFile
from ubrant.logbook.records import StoredDays, new_run
from ubrant.runs.bench_days.asked import DaysPart, TestPart, days_toml, moment_said, nights, parse_days, read_days, seconds_of
from ubrant.runs.bench_days.living import (
    Days,
    begun_visit,
    current_days,
    days_of,
    ended_step,
    going_on,
    lived,
    plan_days,
    runs_since,
    shelf_of,
    stored_of,
    without_test,
)
from ubrant.runs.bench_days.picked import Shelf, fits
from ubrant.runs.bench_days.words import days_calendar, days_json, days_page, if_late_told, lines_of_days, under_way, window_told
from ubrant.runs.coming_in.bringing_in import LogOptions, from_log, keep, under_options

NOW = datetime(2026, 12, 4, 17, 30).astimezone()
PACK = Unit("Pack A", "battery", "50 Ah 12.8 V LiFePO4", id=1)
BLOCK = Unit("Block", "battery", "12 V 45 Ah lead-acid, 20 h rate, to 10.5 V", id=2)
BANK = Unit("Bank", "bank", "24000 mAh 3.7 V, 5 V output", id=3)
FRIDGE = Unit("Fridge", "load", "230 V 60 W", id=4)
INVERTER = Unit("Hut 300", "inverter", "12 V to 230 V, 300 W", id=5)
LITHIUM = Unit("Lithium charger", "charger", "230 V to 14.6 V, 10 A LiFePO4", id=6)
LEAD = Unit("Lead charger", "charger", "230 V to 14.4 V, 6 A lead-acid", id=7)
LOAD = Meter("Electronic load", "0.1 % + 3 mV", "0.5 % + 5 mA", details=MeterDetails(role="load"))
EVERYTHING = (PACK, BLOCK, BANK, FRIDGE, INVERTER, LITHIUM, LEAD)


def shelf(*units: Unit, meters=(LOAD,), lasted=None) -> Shelf:
    return Shelf(units or EVERYTHING, meters, lambda unit, method: (lasted or {}).get(unit.name))


def asked(*tests: TestPart, **more) -> DaysPart:
    return DaysPart(begins="2026-12-04 18:00", test=list(tests), **more)


def discharge(name="Pack A", **more) -> TestPart:
    return TestPart(unit=name, method="discharge", **more)


def plan(*tests: TestPart, on: Shelf | None = None, **more) -> Days:
    return plan_days(asked(*tests, **more), on or shelf(), NOW)


def hour(moment: float) -> str:
    return f"{datetime.fromtimestamp(moment).astimezone():%a %H:%M}"


# what is made of a test


def test_a_battery_is_charged_rests_is_emptied_and_charged_again():
    found = plan(discharge(takes="5 h"))
    steps = {s.kind: s for s in found.bench.steps}
    assert [s.kind for s in found.bench.steps] == ["fill", "rest", "test", "refill"]
    assert steps["fill"].seconds == pytest.approx(1.2 * 5 * 3600)
    assert steps["rest"].seconds == 3600
    assert steps["test"].seconds == 5 * 3600
    assert steps["fill"].tools == (("Lithium charger",),)
    assert steps["fill"].watts == pytest.approx(14.6 * 10 / 0.85)
    assert hour(found.plan.placed["test 1 test"].start) == "Sat 07:30"  # it rests by 01:00, and somebody clips it on in the morning


def test_lead_acid_rests_four_hours_and_is_refilled_the_same_day():
    found = plan(discharge("Block", takes="4 h"))
    steps = {s.kind: s for s in found.bench.steps}
    assert steps["rest"].seconds == 4 * 3600
    assert steps["refill"].soon_s == 12 * 3600
    assert steps["fill"].tools == (("Lead charger",),)


def test_what_is_full_already_is_not_charged_before():
    assert [s.kind for s in plan(discharge(full=True)).bench.steps] == ["test", "refill"]


def test_without_a_load_that_cuts_off_it_is_only_planned_while_somebody_is_there():
    found = plan(discharge(takes="5 h"), on=shelf(meters=()), loads=["lamp board"])
    test = found.bench.step("test 1 test")
    assert test.ends == BY_HAND
    assert not test.alone
    one = found.plan.placed["test 1 test"]
    assert hour(one.start) >= "Sat 07:30"
    assert "only planned while you are there" in " ".join(found.remarks)


def test_a_test_by_hand_that_is_longer_than_anybody_is_there_is_refused():
    with pytest.raises(PlanError, match=r"takes 20\.0 h while somebody is there"):
        plan(discharge("Block"), on=shelf(meters=()), loads=["lamp board"])


def test_how_long_it_took_before_is_how_long_it_takes():
    found = plan(discharge(), on=shelf(lasted={"Pack A": 4.5 * 3600}))
    assert found.bench.step("test 1 test").seconds == 4.5 * 3600
    assert found.bench.step("test 1 test").spread_s < 0.1 * 4.5 * 3600
    assert found.remarks == []


def test_a_day_by_plug_meter_goes_on_until_somebody_reads_it():
    found = plan(TestPart(unit="Fridge", method="plug-day"))
    one = found.plan.placed["test 1 test"]
    assert one.end - one.start >= 86_400
    assert found.bench.step("test 1 test").ends == "when seen"


def test_a_short_test_takes_the_person_for_as_long():
    found = plan(TestPart(unit="Hut 300", method="idle"))
    step = found.bench.step("test 1 test")
    assert step.begins_s == step.seconds
    assert not step.alone


def test_a_bank_charges_on_its_own_and_goes_off_by_itself():
    found = plan(TestPart(unit="Bank", method="output", takes="15 h"))
    assert found.bench.step("test 1 fill").tools == ()
    assert found.bench.step("test 1 test").alone
    assert any("is a guess" in text for text in found.remarks)


@pytest.mark.parametrize(
    ("label", "is_right"),
    [
        ("230 V to 14.6 V, 10 A", True),
        ("230 V to 14.2 V, 10 A", True),
        ("230 V to 14.8 V, 10 A", False),
        ("230 V to 29.2 V, 5 A", False),
        ("230 V to 12.6 V, 5 A", False),
        ("230 V to 14.6 V, 10 A lead-acid", False),
        ("230 V to 14.6 V, 10 A AGM and LiFePO4", True),
        ("some charger", False),
    ],
)
def test_a_charger_fits_by_its_end_volts_and_by_what_it_says_it_is_for(label, is_right):
    """Iron phosphate is charged to 3.55 to 3.66 V a cell (common practice, no source): 14.2 to 14.64 V for four."""
    of = label_of(PACK)
    assert of is not None
    assert of.kind_of_cell is not None
    assert fits(Unit("X", "charger", label), of, of.kind_of_cell) is is_right


def test_where_a_person_takes_the_load_off_one_may_not_be_late():
    found = plan(discharge(takes="5 h"), on=shelf(meters=()), loads=["lamp board"])
    visit = next(v for v in found.visits() if any(d.what == "stop" for d in v.deeds))
    assert visit.late_s == 0.0
    assert any("take the load off Pack A at its cut-off" in line and "not late" in line for line in lines_of_days(found))


def test_a_starter_battery_is_warned_of():
    van = Unit("Tow van battery", "battery", "12 V 70 Ah lead-acid", id=9)
    assert any("starter battery" in text for text in plan(discharge("Tow van battery", takes="5 h"), on=shelf(van, LEAD)).remarks)


@pytest.mark.parametrize(("unit", "method", "seconds"), [("Hut 300", "idle", 300.0), ("Hut 300", "steps", 1800.0)])
def test_a_test_by_eye_lasts_as_long_as_it_says(unit, method, seconds):
    found = plan(TestPart(unit=unit, method=method))
    assert found.bench.steps[0].seconds == seconds


def test_a_test_of_weeks_says_that_this_is_only_what_there_is_to_do_now():
    found = plan(TestPart(unit="Pack A", method="standing"))
    assert any("some weeks apart" in text for text in found.remarks)


# what is refused


@pytest.mark.parametrize(
    ("tests", "on", "more", "why"),
    [
        ([], shelf(), {}, "There is no test to plan yet"),
        ([discharge("Nobody's")], shelf(), {}, "There is no “Nobody's” on the shelf"),
        ([TestPart(unit="Pack A", method="wish")], shelf(), {}, "“wish” is no test"),
        ([TestPart(unit="Fridge", method="discharge")], shelf(), {}, "is not for Fridge"),
        ([discharge()], shelf(replace(PACK, note="Swollen on one side"), LITHIUM), {}, "its note says “Swollen”"),
        ([discharge()], shelf(PACK, LEAD), {}, "No charger on the shelf fits Pack A"),
        ([discharge()], shelf(PACK), {"chargers": ["lead-acid charger"]}, "No charger on the shelf fits Pack A"),
        ([discharge()], shelf(), {"chargers": ["charger"]}, "say for which kind of cell it is"),
        ([discharge(charger="lead-acid charger")], shelf(), {}, "lead-acid charger is not for Pack A"),
        ([discharge("Block", charger="Lithium charger")], shelf(), {}, "Lithium charger is not for Block"),
        ([discharge()], shelf(PACK, LITHIUM, meters=()), {}, "needs something to empty it into"),
        ([discharge(takes="soon")], shelf(), {}, "Pack A"),
        ([discharge(takes="-3 h")], shelf(), {}, "Pack A"),
        ([discharge(ends="somehow")], shelf(), {}, "“by itself” or “by hand”"),
        ([discharge(due="whenever")], shelf(), {}, "is no moment"),
        ([discharge()], shelf(), {"asleep": "at night"}, "is no stretch of a day"),
        ([discharge()], shelf(), {"out": ["Sat"]}, "is no stretch"),
        ([discharge()], shelf(), {"out": ["Sat 9:00 to 12:00", "Sat 11:00 to 13:00"]}, "overlap"),
        ([discharge()], shelf(), {"socket": "much"}, "Socket"),
        ([discharge()], shelf(), {"socket": "100 W"}, "the socket may give 100 W"),
        ([discharge()], shelf(), {"asleep": "00:00 to 00:00"}, "Nobody is ever there"),
    ],
)
def test_what_cannot_be_planned_says_what_is_lacking(tests, on, more, why):
    with pytest.raises(PlanError, match=why):
        plan(*tests, on=on, **more)


def test_a_due_time_that_cannot_be_held_says_what_must_give():
    found = plan(discharge(takes="5 h", due="2026-12-05 14:00"), discharge("Block", takes="10 h", due="2026-12-05 14:00"))
    assert found.plan.late
    assert "cannot be done in time" in found.gives[0]
    assert any(text == "Leave out Block, and the rest is in time." for text in found.gives)


# how it is lived


def test_what_is_done_is_begun_now_and_the_rest_follows():
    days = plan(discharge(takes="5 h"), discharge("Block", takes="4 h"))
    first = next_visit(days.visits())
    assert first is not None
    late = NOW + timedelta(hours=1)
    after = begun_visit(days, first, late)
    assert all(after.plan.placed[d.step.key].start == late.timestamp() for d in first.deeds if d.what == BEGIN)
    assert under_way(after) == "2 of 2 under way, 0 done"


def test_nobody_came_and_everything_moves_but_keeps_its_order():
    days = plan(discharge(takes="5 h"))
    after = lived(days, (), NOW + timedelta(hours=3))
    assert after.plan.placed["test 1 fill"].start >= (NOW + timedelta(hours=3)).timestamp()
    order = sorted(after.plan.placed.values(), key=lambda one: one.start)
    assert [one.key for one in order] == ["test 1 fill", "test 1 rest", "test 1 test", "test 1 refill"]


def test_a_charge_that_ended_early_lets_it_rest_from_then():
    days = plan(discharge(takes="5 h"))
    days = begun_visit(days, days.visits()[0], NOW + timedelta(minutes=30))
    early = NOW + timedelta(hours=2)
    after = ended_step(days, "test 1 fill", early)
    assert after.plan.placed["test 1 rest"].start == early.timestamp()
    later = lived(after, (), NOW + timedelta(hours=4))
    assert later.plan.placed["test 1 rest"].ended


def test_a_pack_that_fails_is_left_out_and_the_others_go_on():
    days = plan(discharge(takes="5 h"), discharge("Block", takes="4 h"))
    after = without_test(days, "test 1", NOW)
    assert {s.test for s in after.bench.steps} == {"test 2"}
    assert {one.unit.name for one in after.picked} == {"Block"}
    again = days_of(stored_of(after, NOW), shelf(), NOW)
    assert again.plan.placed == after.plan.placed
    assert [test.left_out for test in again.part.test] == [True, False]
    anew = plan_days(again.part, shelf(), NOW, again)
    assert [test.unit for test in anew.part.test] == ["Block"]  # and comes back no more
    with pytest.raises(PlanError, match="It is the only one"):
        without_test(anew, "test 1", NOW)


def test_a_window_that_was_shut_for_two_months_goes_on_from_today():
    days = plan(discharge(takes="5 h"))
    days = begun_visit(days, days.visits()[0], NOW + timedelta(minutes=30))
    now = NOW + timedelta(days=61)
    after = lived(days, (), now)
    assert after.plan.placed["test 1 rest"].ended
    assert now.timestamp() <= after.plan.placed["test 1 test"].start <= now.timestamp() + 86_400


def test_nothing_moves_while_everything_is_as_planned():
    days = plan(discharge(takes="5 h"))
    assert lived(days, (), NOW).plan.placed == days.plan.placed


def made_run(logbook, unit: Unit, started: datetime):
    body = falling(every_s=60.0)
    told = LogOptions(
        said={"cutoff": "11 V"}, accuracies=("0.1 % + 3 mV", "0.5 % + 5 mA", "", ""), unit=unit, full=True, temperature_c=20.0
    )
    log = LogFile("pack.csv", body.time_s, body.voltage_v, body.current_a, started=started.astimezone(UTC))
    return keep(logbook, under_options(from_log(log), told), unit)


def test_a_run_fills_the_plan_and_a_window_that_was_shut_forgets_nothing(logbook):
    pack = logbook.keep_unit(replace(PACK, id=0))
    logbook.keep_unit(replace(LITHIUM, id=0))
    logbook.keep_meter(LOAD)
    days = plan_days(asked(discharge(takes="5 h")), shelf_of(logbook), NOW)
    days = begun_visit(days, days.visits()[0], NOW + timedelta(minutes=30))
    logbook.keep_bench_days(stored_of(days, NOW))
    started = datetime(2026, 12, 5, 7, 40).astimezone()
    made_run(logbook, pack, started)
    two_days_on = NOW + timedelta(days=2)
    found = current_days(logbook, two_days_on)
    assert found is not None
    test = found.plan.placed["test 1 test"]
    assert test.ended
    assert hour(test.start) == "Sat 07:40"
    again = lived(found, runs_since(logbook, found), two_days_on)
    assert again.plan.placed == found.plan.placed  # nothing is done twice
    visit = next_visit(found.visits())
    assert visit is not None
    assert [d.step.kind for d in visit.deeds] == ["refill"]


def test_only_a_run_that_came_to_its_end_says_how_long_it_takes(logbook):
    pack = logbook.keep_unit(replace(PACK, id=0))
    made_run(logbook, pack, datetime(2026, 8, 2, 9, 0).astimezone())
    whole = shelf_of(logbook).lasted_s(pack, "discharge")
    assert whole is not None
    body = falling(every_s=60.0)
    short = LogFile("pack.csv", body.time_s[:40], body.voltage_v[:40], body.current_a[:40], started=datetime(2026, 8, 3, 9, 0, tzinfo=UTC))
    keep(logbook, under_options(from_log(short), LogOptions(said={"cutoff": "11 V"}, unit=pack)), pack)
    assert shelf_of(logbook).lasted_s(pack, "discharge") == whole


def test_it_comes_back_as_it_was_kept(logbook):
    logbook.keep_unit(replace(PACK, id=0))
    logbook.keep_unit(replace(LITHIUM, id=0))
    logbook.keep_meter(LOAD)
    days = plan_days(asked(discharge(takes="5 h"), name="Weekend"), shelf_of(logbook), NOW)
    kept = logbook.keep_bench_days(stored_of(days, NOW))
    assert kept.id
    again = days_of(logbook.bench_days()[0], shelf_of(logbook), NOW)
    assert again.plan.placed == days.plan.placed
    assert again.part == days.part
    assert again.id == kept.id
    logbook.keep_bench_days(replace(kept, name="Another"))
    assert [one.name for one in logbook.bench_days()] == ["Another"]
    logbook.remove_bench_days(kept.id)
    assert current_days(logbook, NOW) is None


def test_what_was_kept_and_cannot_be_read_says_so():
    with pytest.raises(PlanError, match="cannot be read any more"):
        days_of(StoredDays("Weekend", "", days_toml(asked(discharge())), "{"), shelf(), NOW)
    with pytest.raises(PlanError, match="cannot be read any more"):
        days_of(StoredDays("Weekend", "", days_toml(asked(discharge())), '{"placed": {"test 1 test": {"start": 1}}}'), shelf(), NOW)


def test_planned_anew_with_one_test_more_what_has_begun_stays():
    days = plan(discharge(takes="5 h"))
    days = begun_visit(days, days.visits()[0], NOW + timedelta(minutes=30))
    begun = days.plan.placed["test 1 fill"]
    later = NOW + timedelta(hours=2)
    part = days.part.model_copy(update={"test": [discharge("Block", takes="4 h"), *days.part.test]})
    again = plan_days(part, shelf(), later, days)
    assert again.plan.placed["test 2 fill"] == replace(begun, key="test 2 fill")
    assert again.plan.placed["test 1 fill"].start >= later.timestamp()
    assert again.plan.placed["test 2 rest"].start >= begun.end


def test_what_begins_has_not_passed():
    with pytest.raises(PlanError, match="has passed: say when it begins"):
        plan_days(asked(discharge()), shelf(), NOW + timedelta(days=2))


def test_two_tests_of_one_battery_charge_it_between_once():
    found = plan(discharge(takes="5 h"), discharge(takes="2 h"))
    assert [s.kind for s in found.bench.steps] == ["fill", "rest", "test", "refill", "rest", "test", "refill"]
    placed = found.plan.placed
    assert placed["test 2 rest"].start >= placed["test 1 refill"].end
    assert placed["test 2 test"].start >= placed["test 2 rest"].end


def test_a_pack_that_swells_meanwhile_is_left_out_and_the_others_go_on(logbook):
    for unit in (PACK, BLOCK, LITHIUM, LEAD):
        logbook.keep_unit(replace(unit, id=0))
    logbook.keep_meter(LOAD)
    days = plan_days(asked(discharge(takes="5 h"), discharge("Block", takes="4 h")), shelf_of(logbook), NOW)
    logbook.keep_bench_days(stored_of(begun_visit(days, days.visits()[0], NOW + timedelta(minutes=30)), NOW))
    pack = next(u for u in logbook.units() if u.name == "Pack A")
    logbook.keep_unit(replace(pack, note="swollen since this morning"))
    found = current_days(logbook, NOW + timedelta(hours=1))
    assert found is not None
    assert {one.unit.name for one in found.picked} == {"Block"}
    assert "its note says “swollen”" in found.gives[0]


def test_a_rehearsal_fills_no_plan(logbook):
    pack = logbook.keep_unit(replace(PACK, id=0))
    logbook.keep_unit(replace(LITHIUM, id=0))
    logbook.keep_meter(LOAD)
    days = plan_days(asked(discharge(takes="5 h")), shelf_of(logbook), NOW)
    run = made_run(logbook, pack, NOW + timedelta(hours=1))
    assert [one.id for one, _ in runs_since(logbook, days)] == [run.id]
    origin = replace(run.head.origin, road=SIMULATED)
    logbook.update_run(replace(run, told=replace(run.head, origin=origin)))
    assert runs_since(logbook, days) == []


def test_a_run_that_began_without_its_charge_leaves_nothing_to_charge_before(logbook):
    """The pack was full, and somebody went straight to its test."""
    days = plan(discharge(takes="5 h"))
    run = new_run(RunHeader("discharge", Setup(PACK)), "typed", NOW + timedelta(hours=1))
    after = lived(days, [(run, None)], NOW + timedelta(hours=2))
    assert after.plan.placed["test 1 fill"].ended
    assert after.plan.placed["test 1 rest"].ended
    assert [d.step.kind for v in after.visits() if not v.done for d in v.deeds][:1] == ["refill"]
    over = lived(after, [(run, 5 * 3600.0)], NOW + timedelta(hours=7))
    assert over.plan.placed["test 1 test"].end == (NOW + timedelta(hours=6)).timestamp()


def test_what_goes_on_its_charger_is_off_the_load():
    """Nobody said that the test had ended: beginning what comes after it says so."""
    days = plan(discharge(takes="5 h", full=True))
    days = begun_visit(days, days.visits()[0], NOW + timedelta(minutes=30))
    assert going_on(days) == ["test 1 test"]
    visit = next_visit(days.visits())
    assert visit is not None
    after = begun_visit(days, visit, NOW + timedelta(hours=4))
    assert after.plan.placed["test 1 test"].ended
    assert after.plan.placed["test 1 test"].end == (NOW + timedelta(hours=4)).timestamp()
    assert lived(after, (), NOW + timedelta(days=2)).is_over


def test_a_visit_may_be_missed_by_a_quarter_of_an_hour_before_anything_moves():
    days = plan(discharge(takes="5 h"))
    assert lived(days, (), NOW + timedelta(minutes=44)).plan.placed == days.plan.placed
    assert lived(days, (), NOW + timedelta(minutes=46)).plan.placed != days.plan.placed


def test_a_unit_that_has_left_the_shelf_is_said_and_nothing_is_lost(logbook):
    pack = logbook.keep_unit(replace(PACK, id=0))
    logbook.keep_unit(replace(LITHIUM, id=0))
    logbook.keep_meter(LOAD)
    logbook.keep_bench_days(stored_of(plan_days(asked(discharge(takes="5 h")), shelf_of(logbook), NOW), NOW))
    logbook.remove_unit(pack.id)
    with pytest.raises(PlanError, match="There is no “Pack A” on the shelf"):
        current_days(logbook, NOW)


# in words


def test_in_words_as_json_as_a_page_and_as_a_calendar():
    days = plan(discharge(takes="5 h"), TestPart(unit="Bank", method="output", takes="6 h"), name="Weekend")
    lines = lines_of_days(days)
    assert lines[0].startswith("2 tests · Fri 18:00 to ")
    assert any("Pack A on Lithium charger" in line and "Bank on its own charger" in line for line in lines)
    assert any("all off and put away" in line for line in lines)
    assert "Lead-acid is refilled" not in " ".join(lines)
    told = days_json(days)
    assert [s["kind"] for s in told["hours"] if s["unit"] == "Pack A"] == ["fill", "rest", "test", "refill"]
    assert len(told["visits"]) == len(days.visits())
    page = days_page(days)
    assert page.count("<tr>") == len(days.visits())
    entries = list(Calendar.from_ical(days_calendar(days, NOW)).walk("VEVENT"))
    assert [e.start.timestamp() for e in entries] == [pytest.approx(v.at, abs=1) for v in days.visits()]
    assert all(e.walk("VALARM") for e in entries)
    assert len({str(e["uid"]) for e in entries}) == len(entries)


def test_what_comes_of_being_late_is_said():
    days = plan(discharge(takes="5 h", due="2026-12-05 13:00"))
    days = begun_visit(days, days.visits()[0], NOW + timedelta(minutes=30))
    visit = next_visit(days.visits())
    assert visit is not None
    assert if_late_told(days, visit, 1800.0).startswith("If you come 30 min late: ")
    assert "past what is due" in if_late_told(days, visit, 5 * 3600.0)
    assert window_told(days, visit) == ""  # a rest is as long as it is


def test_between_when_what_a_visit_waits_for_may_end_is_said():
    days = plan(discharge(takes="5 h", full=True))
    visit = next(v for v in days.visits() if any(d.step.kind == "refill" for d in v.deeds))
    test = days.plan.placed["test 1 test"]
    low, high = (f"{datetime.fromtimestamp(test.end + sign * 0.25 * 5 * 3600).astimezone():%H:%M}" for sign in (-1, 1))
    told = window_told(days, visit)
    assert told.startswith("what it waits for ends between ")
    assert low in told
    assert high in told


def test_being_late_puts_nothing_into_the_past():
    days = plan(discharge(takes="5 h"), discharge("Block", takes="4 h"))
    days = begun_visit(days, days.visits()[0], NOW + timedelta(minutes=30))
    now = NOW + timedelta(days=2)
    days = lived(days, (), now)
    visit = next_visit(days.visits())
    assert visit is not None
    later = if_late(days.bench, days.plan, visit, 3600.0)
    assert later is not None
    assert all(one.start >= now.timestamp() for one in later.placed.values() if not one.begun)


# as people write it


def test_a_file_is_read_as_it_was_written(tmp_path):
    part = asked(
        discharge(takes="5 h", due="Sun 20:00", ends="by itself"),
        name="Weekend",
        out=["Sat 9:00 to 12:00"],
        loads=["lamp “board”"],
        socket="1500 W",
    )
    path = tmp_path / "days.toml"
    path.write_text(days_toml(part), encoding="utf-8")
    assert read_days(path) == part


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("[[test]\n", "days: "),
        ('wish = "much"\n', "“wish” is not known here"),
        ('[[test]]\nunit = "Pack A"\nwish = "much"\n', "there are unit, method"),
        ("asleep = 23\n", "write it in quotes"),
    ],
)
def test_a_file_that_cannot_be_read_says_where(text, why):
    with pytest.raises(PlanError, match=why):
        parse_days(text)


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("18:00", "Fri 18:00"),
        ("17:00", "Sat 17:00"),
        ("Sat 9:00", "Sat 09:00"),
        ("fri 17:00", "Fri 17:00"),
        ("2026-12-06 20:15", "Sun 20:15"),
    ],
)
def test_moments_as_people_write_them(text, found):
    moment = moment_said(text, NOW, "Begins")
    assert f"{moment:%a %H:%M}" == found
    assert moment >= NOW


@pytest.mark.parametrize("text", ["", "25:00", "Some 9:00", "2026-02-30 9:00", "S 9:00", "9"])
def test_what_is_no_moment(text):
    with pytest.raises(PlanError, match="is no moment"):
        moment_said(text, NOW, "Begins")


@pytest.mark.parametrize(("text", "seconds"), [("5 h", 18_000), ("1 h 30 min", 5400), ("45 min", 2700), ("", None)])
def test_lengths_as_people_write_them(text, seconds):
    assert seconds_of(text, "Pack A") == seconds


@pytest.fixture
def in_a_zone_with_summer_time(monkeypatch):
    monkeypatch.setenv("TZ", "CET-1CEST,M3.5.0,M10.5.0/3")
    time.tzset()
    yield
    os.environ.pop("TZ", None)
    time.tzset()


def test_nights_over_the_end_of_summer_time_are_by_the_clock_on_the_wall(in_a_zone_with_summer_time):
    """The night of 24 to 25 October 2026 has an hour more."""
    begins = datetime(2026, 10, 24, 12, 0).astimezone()
    found = [n for n in nights("23:00 to 07:30", begins, 3) if n.start > begins.timestamp()]
    assert [n.seconds / 3600 for n in found[:2]] == [9.5, 8.5]
    part = DaysPart(begins="2026-10-24 12:00", test=[discharge(takes="5 h")])
    days = plan_days(part, shelf(), begins)
    assert hour(days.plan.placed["test 1 test"].start) in {"Sat 19:00", "Sun 07:30"}
    entries = list(Calendar.from_ical(days_calendar(days, begins)).walk("VEVENT"))
    assert [e.start.timestamp() for e in entries] == [pytest.approx(v.at, abs=1) for v in days.visits()]
