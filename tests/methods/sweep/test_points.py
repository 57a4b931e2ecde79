"""From what was recorded or typed to points, of a converter that is swept."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from tests.making import METER, STEP_DOWN, point, prepared, record_for, series
from ubrant.core.equipment.meter import MeterDetails
from ubrant.core.quantities.jot import Grammar
from ubrant.core.record.events import Zeroed
from ubrant.core.record.settled import mean_between, points_taken, row_of_line
from ubrant.methods.registry import method_of
from ubrant.methods.rows import Prompt
from ubrant.runs.typed.jotting import grammar_for


def made(*meters):
    return prepared("sweep", STEP_DOWN, meters or (METER, METER))


def test_a_point_is_the_mean_of_its_settled_stretch():
    volts = series([4, 4, 4, 4, 5, 5, 5, 5, 5])
    data = record_for(
        "sweep",
        made(),
        point(4.0, 2.0),
        input_V=series([10, 11, 12, 12, 12, 12, 12, 12, 12]),
        input_A=series([0.9] * 9),
        output_V=volts,
        output_A=series([1.0] * 9),
    )
    rows = points_taken(data, [])
    assert rows.asked == ((12.0, 1.0),)
    assert rows.column("output", "V")[0] == 5.0
    points = rows.points()
    assert points.output_w[0] == pytest.approx(5.0)
    assert math.isnan(points.source_v[0])


def test_a_point_without_its_readings_is_no_row():
    rows = points_taken(record_for("sweep", made(), point(4.0, 2.0), input_V=series([12] * 9), input_A=series([0.9] * 9)), [])
    assert len(rows) == 0
    assert rows.points() is None


def test_watts_that_were_read_stand_and_amperes_that_were_not_are_worked_out():
    columns = {"input_V": series([12] * 9), "input_A": series([6.0] * 9), "output_V": series([230] * 9), "output_W": series([65.0] * 9)}
    points = points_taken(record_for("sweep", made(), point(4.0, 2.0), **columns), []).points()
    assert points.output_w[0] == 65.0
    assert points.output_a[0] == pytest.approx(65 / 230)


def test_the_zero_of_the_run_and_what_a_display_was_judged_by_are_taken_into_account():
    into = replace(METER, details=MeterDetails(zero_a=0.5, reversed=True))
    out = replace(METER, details=MeterDetails(gain_v=1.02, zero_v=-0.05))
    data = record_for(
        "sweep",
        made(into, out),
        Zeroed(0.0, values={"A": 0.02}, tap="input"),
        input_A=series([-1.02, -1.02]),
        output_V=series([10.0, 10.0]),
    )
    assert data.corrected("input", "A").value[0] == pytest.approx(1.04)  # its own zero stands for the one on the shelf
    assert data.corrected("output", "V").value[0] == pytest.approx(10.05 * 1.02)
    assert data.corrected("source", "V") is None
    without = record_for("sweep", made(into, out), input_A=series([-1.02]))
    assert without.corrected("input", "A").value[0] == pytest.approx(1.52)


def test_means_are_of_what_lies_between():
    one = series([1.0, 2.0, 3.0, 4.0], every=1.0)
    assert mean_between(one, 1.0, 2.0) == 2.5
    assert math.isnan(mean_between(one, 8.0, 9.0))
    assert math.isnan(mean_between(None, 0.0, 1.0))


def test_typed_lines_take_the_settings_in_their_order():
    lines = {10.0: "in 12 V 0.9 A out 5.01 V 2 A", 30.0: "skip", 20.0: "in 10 V 1.1 A out 5.0 V 2 A", 40.0: "fan on"}
    rows = points_taken(record_for("sweep", made(), lines=lines), [(12.0, 2.0), (10.0, 2.0), (8.0, 2.0)])
    assert rows.asked == ((12.0, 2.0), (10.0, 2.0))
    assert rows.column("input", "A").tolist() == [0.9, 1.1]


def test_how_wide_a_typed_value_is():
    row, half = row_of_line(Grammar().parse("input 24 V 0.5 A output 12.05 V"))
    assert row[:3] == [24.0, 0.5, 12.05]
    assert half[:3] == pytest.approx([0.5, 0.05, 0.005])


def test_names_that_people_use_for_the_two_ends():
    row, _ = row_of_line(Grammar().parse("dc 12.4 V 9.2 A ac 229 V 100 W 50.0 Hz battery 12.6 V"))
    assert row[:3] == [12.4, 9.2, 229.0]
    assert (row[4], row[5], row[6]) == (100.0, 50.0, 12.6)
    assert math.isnan(row[3])
    needed = Prompt("", (("input", "V"), ("output", "W")), example="…")
    assert needed.lacks(Grammar().parse("dc 12.4 V")).startswith("This point still lacks: output W.")
    assert needed.lacks(Grammar().parse("skip")) == ""


@pytest.mark.parametrize("known", [True, False])
def test_a_second_meter_is_corrected_before_it_is_held_against_the_first(known):
    """It shows the wrong sign and 0.5 A too much, and is known to: no disagreement. Without that being known, one."""
    shunt = replace(
        METER,
        name="Shunt",
        current_accuracy="0.2 % + 2 mA",
        details=MeterDetails(tap="input", reversed=True, zero_a=0.5) if known else MeterDetails(),
    )
    beside = made()
    beside = replace(beside, setup=replace(beside.setup, meters={**beside.setup.meters, "input 2": shunt}))
    columns = {"input_V": series([12.0] * 20), "output_V": series([5.0] * 20), "output_A": series([np.nan] * 20)}
    points = point(4.0, 2.0), point(8.0, 6.0)
    record = record_for("sweep", beside, *points, input_A=series([1.0] * 20), **{"input 2_A": series([-0.5] * 20)}, **columns)
    from ubrant.methods.converting import disagreements

    assert any("Shunt at the input shows" in said for said in disagreements(record)) is not known
    assert method_of("sweep").account(record) is not None


def test_a_line_is_questioned_by_what_was_asked_for():
    """Not by the last point, which may have been another load: 3 A after 0.1 A is no slip, 12 mV for 12 V is one."""
    method = method_of("sweep")
    row = method.by_hand(prepared("sweep", STEP_DOWN, loads="0, 3 A")).rows[-1]
    grammar = grammar_for(None, {("output", "A"): 0.1}, None, 0.0, row)
    volts, amps = row.expected["input", "V"], row.expected["output", "A"]
    assert grammar.queries(grammar.parse(f"dc {volts:.2f} V 1.4 A output 5.0 V {amps:.2f} A")) == []
    assert "a factor of 1000 away" in grammar.queries(grammar.parse(f"dc {volts:.2f} mV 1.4 A output 5.0 V {amps:.2f} A"))[0]
    assert "a factor of 1000 away" in grammar.queries(grammar.parse(f"input {volts:.2f} V 1.4 A output 5.0 V {amps:.2f} mA"))[0]
