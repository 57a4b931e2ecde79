"""From what was recorded or typed to points; what a form may say and what speaks against it."""

from __future__ import annotations

import json
import math
from dataclasses import replace

import numpy as np
import pytest

from ubrant.core.jot import Grammar
from ubrant.core.leads import Leads
from ubrant.core.meter import Meter, MeterDetails
from ubrant.core.quantity import QuantityError
from ubrant.core.readings import Series
from ubrant.core.unit import Unit
from ubrant.logbook.records import Run, StoredEvent
from ubrant.workshop.trials.beside import with_disagreements
from ubrant.workshop.trials.checklist import trial_lines, typed_lines
from ubrant.workshop.trials.registry import TRIALS, trial_of
from ubrant.workshop.trials.rows import corrected, lacks_of, mean_between, rows_of, typed_row
from ubrant.workshop.trials.trial import KeptTrial, Told, TrialView, plan_as_json, told_of
from ubrant.workshop.trials.unit_ratings import read_ratings

METER = Meter("Meter", "0.05 % + 2 mV", "0.2 % + 2 mA", max_v=60.0, max_a=20.0)
PLUG = Meter("Plug", "0.5 % + 0.5 V", "1 % + 10 mA", max_v=250.0, max_a=16.0, details=MeterDetails(power_accuracy="1 % + 0.3 W"))
STEP_DOWN = Unit("Step-down", "converter", "12 V to 5 V, 3 A")
HUT = Unit("Hut", "inverter", "12 V to 230 V sine, 300 W")
BLOCK = Unit("Block", "battery", "12 V 45 Ah lead-acid, 20 h rate, to 10.5 V")


def run_of(plan=None, source="simulated bench", method="sweep"):
    return Run(None, method, source, "2026-11-01T10:00:00+00:00", plan=plan or {}, label_text=STEP_DOWN.label_text)


def series(values, every=0.5):
    return Series(np.arange(len(values)) * every, np.array(values, dtype=float))


def point(time_s, from_s, input_v=12.0, load=1.0, **more):
    return StoredEvent(time_s, "point", json.dumps({"from_s": from_s, "input_v": input_v, "load_a": load, "settled": True, **more}))


def kept(events=(), jots=(), **columns):
    return KeptTrial({tuple(k.split("_")): v for k, v in columns.items()}, tuple(events), tuple(jots))


def test_a_point_is_the_mean_of_its_settled_stretch():
    data = kept([point(4.0, 2.0)], input_V=series([10, 11, 12, 12, 12, 12, 12, 12, 12]), input_A=series([0.9] * 9), output_V=series([4, 4, 4, 4, 5, 5, 5, 5, 5]),
                output_A=series([1.0] * 9))  # fmt: skip
    rows = rows_of(run_of(), data, typed=False, settings=[])
    assert rows.asked == ((12.0, 1.0),)
    assert rows.column("output", "V")[0] == 5.0
    points = rows.points()
    assert points.output_w[0] == pytest.approx(5.0)
    assert math.isnan(points.source_v[0])


def test_a_point_without_its_readings_is_no_row():
    data = kept([point(4.0, 2.0)], input_V=series([12] * 9), input_A=series([0.9] * 9))
    rows = rows_of(run_of(), data, typed=False, settings=[])
    assert len(rows) == 0
    assert rows.points() is None


def test_watts_that_were_read_stand_and_amperes_that_were_not_are_worked_out():
    data = kept(
        [point(4.0, 2.0)], input_V=series([12] * 9), input_A=series([6.0] * 9), output_V=series([230] * 9), output_W=series([65.0] * 9)
    )
    points = rows_of(run_of(), data, typed=False, settings=[]).points()
    assert points.output_w[0] == 65.0
    assert points.output_a[0] == pytest.approx(65 / 230)


def test_the_zero_of_the_run_and_what_a_display_was_judged_by_are_taken_into_account():
    plan = {"corrections": [{"zero_a": 0.5, "reversed": True}, {"gain_v": 1.02, "zero_v": -0.05}]}
    data = kept([StoredEvent(0.0, "zero", "0.020000 A")], input_A=series([-1.02, -1.02]), output_V=series([10.0, 10.0]))
    assert corrected(run_of(plan), data, "input", "A").value[0] == pytest.approx(1.04)  # its own zero stands for the one on the shelf
    assert corrected(run_of(plan), data, "output", "V").value[0] == pytest.approx(10.05 * 1.02)
    assert corrected(run_of(plan), data, "source", "V") is None
    without = kept(input_A=series([-1.02]))
    assert corrected(run_of(plan), without, "input", "A").value[0] == pytest.approx(1.52)


def test_means_are_of_what_lies_between():
    one = series([1.0, 2.0, 3.0, 4.0], every=1.0)
    assert mean_between(one, 1.0, 2.0) == 2.5
    assert math.isnan(mean_between(one, 8.0, 9.0))
    assert math.isnan(mean_between(None, 0.0, 1.0))


def test_typed_lines_take_the_settings_in_their_order():
    jots = ((10.0, "in 12 V 0.9 A out 5.01 V 2 A"), (30.0, "skip"), (20.0, "in 10 V 1.1 A out 5.0 V 2 A"), (40.0, "fan on"))
    rows = rows_of(run_of(source="typed"), kept(jots=jots), typed=True, settings=[(12.0, 2.0), (10.0, 2.0), (8.0, 2.0)])
    assert rows.asked == ((12.0, 2.0), (10.0, 2.0))
    assert rows.column("input", "A").tolist() == [0.9, 1.1]


def test_names_that_people_use_for_the_two_ends():
    row = typed_row(Grammar().parse("dc 12.4 V 9.2 A ac 229 V 100 W 50.0 Hz battery 12.6 V"))
    assert row[:3] == [12.4, 9.2, 229.0]
    assert (row[4], row[5], row[6]) == (100.0, 50.0, 12.6)
    assert math.isnan(row[3])
    needed = (("input", "V"), ("output", "W"))
    assert lacks_of(Grammar().parse("dc 12.4 V"), needed, "…").startswith("This point still lacks: output W.")
    assert lacks_of(Grammar().parse("skip"), needed, "…") == ""


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("12 V to 5 V, 3 A", (12.0, 5.0, 3.0, 15.0)),
        ("12 V → 19 V · 90 W", (12.0, 19.0, 90 / 19, 90.0)),
        ("24,5 V auf 12 V, 2,5 A", (24.5, 12.0, 2.5, 30.0)),
    ],
)
def test_what_a_label_says_goes_in_and_comes_out(text, expected):
    found = read_ratings(Unit("x", "converter", text))
    assert (found.input_v, found.output_v, found.amps, found.watts) == pytest.approx(expected)


@pytest.mark.parametrize(("text", "says"), [("5 V, 3 A", "what goes in and what comes out"), ("12 V to 5 V", "how much it gives")])
def test_a_label_that_does_not_say_enough(text, says):
    with pytest.raises(ValueError, match=says):
        read_ratings(Unit("x", "converter", text))
    with pytest.raises(ValueError, match=says):
        trial_of("sweep").usual(Unit("x", "converter", text))


def told(unit, method, meters=(METER, METER), battery=None, **fields):
    return Told(unit, {**trial_of(method).usual(unit), **fields}, meters, Leads(), battery)


@pytest.mark.parametrize(
    ("made", "method", "refused", "says"),
    [
        (told(STEP_DOWN, "sweep", highest="5 V", lowest="9 V"), "sweep", True, "from a higher voltage down"),
        (told(STEP_DOWN, "sweep", step="0 V"), "sweep", True, "in steps over 0 V"),
        (told(STEP_DOWN, "sweep", highest="20 V"), "sweep", True, "over its window is damage"),
        (told(STEP_DOWN, "sweep", loads="1 A"), "sweep", True, "At least two loads"),
        (told(STEP_DOWN, "sweep", loads="0, 4 A"), "sweep", False, "over its rating of 3 A"),
        (told(STEP_DOWN, "sweep", step="0.02 V"), "sweep", True, "points are too many"),
        (told(STEP_DOWN, "sweep", most="30 A"), "sweep", False, "reads up to 20 A"),
        (told(STEP_DOWN, "sweep", (Meter("Bare"), METER)), "sweep", False, "Nobody said how accurate Bare is"),
        (told(STEP_DOWN, "sweep", ratings="leads 2 A"), "sweep", False, "The leads will carry up to"),
        (told(HUT, "steps", (METER, PLUG)), "steps", True, "choose which one feeds it"),
        (told(HUT, "steps", (METER, METER), BLOCK), "steps", True, "reads up to 60 V, and 230 V"),
        (
            told(HUT, "steps", (METER, PLUG), Unit("Big", "battery", "25.6 V 50 Ah LiFePO4")),
            "steps",
            True,
            "has 25.6 V, and Hut takes 12 V",
        ),
        (
            told(HUT, "steps", (METER, PLUG), Unit("Weak", "battery", "12.8 V 5 Ah LiFePO4", max_current_a=10.0)),
            "steps",
            False,
            "may give 10 A",
        ),
        (told(HUT, "steps", (METER, PLUG), BLOCK, loads="0, 400 W"), "steps", False, "it should protect itself"),
        (told(HUT, "steps", (METER, PLUG), BLOCK, loads="0 W"), "steps", True, "At least two loads"),
        (told(HUT, "idle", minutes="0 min"), "idle", True, "have to be more than 0"),
        (told(HUT, "idle", input="18 V"), "idle", True, "over its window is damage"),
        (told(Unit("B", "lead", "30 A breaker"), "trip", amps="90 A"), "trip", True, "reads up to 20 A, and 90 A"),
        (told(Unit("B", "lead", "30 A breaker"), "trip", amps="9 A", curve=""), "trip", False, "Without its maker's curve"),
        (told(Unit("L", "load", "230 V, 52 W"), "appliance", modes=" , "), "appliance", True, "Name at least one mode"),
        (told(Unit("L", "load", "230 V, 52 W"), "appliance"), "appliance", False, "Nobody said how accurate the watts"),
        (told(Unit("P", "charger", "230 V to 19 V, 65 W"), "supply", rated="0 A"), "supply", True, "more than 0 A"),
    ],
)
def test_what_speaks_against_a_plan(made, method, refused, says):
    found = trial_of(method).problems(made)
    assert any(says in text and is_refused == refused for is_refused, text in found), found


@pytest.mark.parametrize(
    ("unit", "method", "fields", "says"),
    [
        (STEP_DOWN, "sweep", {"highest": "13 A"}, "is in A"), (STEP_DOWN, "sweep", {"tolerance": "about five"}, "is not a tolerance"),
        (STEP_DOWN, "sweep", {"ratings": "wire 3 A"}, "is no rating"), (HUT, "steps", {"loads": "0, x W"}, "is not a value"),
        (HUT, "idle", {"minutes": "5 V"}, "is in V"), (Unit("B", "lead", "30 A breaker"), "trip", {"curve": "2 fast"}, "no point of a curve"),
    ],
)  # fmt: skip
def test_a_field_that_cannot_be_read_is_named(unit, method, fields, says):
    with pytest.raises(QuantityError, match=says):
        trial_of(method).problems(told(unit, method, **fields))


@pytest.mark.parametrize("trial", [t for t in TRIALS if t.is_started], ids=lambda t: t.method)
def test_a_trial_reads_back_from_what_its_run_keeps(trial):
    unit = {"sweep": STEP_DOWN, "steps": HUT, "idle": HUT, "trip": Unit("B", "lead", "30 A breaker"), "appliance": Unit("L", "load", "230 V, 52 W"),
            "supply": Unit("P", "charger", "230 V to 19 V, 65 W")}[trial.method]  # fmt: skip
    made = told(unit, trial.method, (METER, PLUG), BLOCK if trial.on_battery else None)
    run = Run(None, trial.method, "typed", "2026-11-01T10:00:00+00:00", plan=json.loads(json.dumps(plan_as_json(made))), label_text=unit.label_text,
              voltage_accuracy=METER.voltage_accuracy, current_accuracy=METER.current_accuracy, meter=METER.name)  # fmt: skip
    again = told_of(run)
    assert dict(again.fields) == dict(made.fields)
    assert (again.unit.name, again.unit.kind, again.leads) == (unit.name, unit.kind, made.leads)
    assert [m.name for m in again.meters] == ["Meter", "Plug"]
    assert (again.battery.label_text if again.battery else None) == (BLOCK.label_text if trial.on_battery else None)
    assert trial.settings(again) == trial.settings(made)
    empty = trial.view(run, kept())
    assert empty.trouble
    assert empty.findings == {}
    assert trial.callout(made, 0) != trial.callout(made, 99)
    lines = typed_lines(trial, made)
    assert lines[0].by_person
    assert len(lines) >= 2
    if not trial.by_hand_only:
        said = [c for line in trial_lines(trial, made) for c in line.cautions]
        assert len(said) == len(set(said)), "each caution once"
        length = trial.length_s(made)
        assert length is None or length > 0


def test_a_second_meter_is_corrected_before_it_is_held_against_the_first():
    """It shows the wrong sign and 0.5 A too much, and is known to: no disagreement. Without that being known, one."""
    details = MeterDetails(tap="input", reversed=True, zero_a=0.5).to_json()
    beside = {"name": "Shunt", "voltage_accuracy": "", "current_accuracy": "0.2 % + 2 mA"}
    data = kept([point(4.0, 2.0), point(8.0, 6.0)], input_A=series([1.0] * 20), **{"input 2_A": series([-0.5] * 20)})
    for known, apart in ((details, False), ({}, True)):
        run = run_of(plan_as_json(told(STEP_DOWN, "sweep")) | {"beside": {"input 2": {**beside, "details": known}}})
        view = with_disagreements(TrialView(replace(run, current_accuracy=METER.current_accuracy)), data)
        assert any("Shunt at the input shows" in said for said in view.warnings) is apart
