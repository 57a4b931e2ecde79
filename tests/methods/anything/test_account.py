"""What anything on a path says of counters, loads, leads, and of what hangs on what."""

from __future__ import annotations

import pytest

from tests.making import record_for
from tests.methods.samples import AC, DC, SAMPLES, Sample
from tests.window import needs
from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import method_of
from ubrant.runs.kept.accounts import whole_account

HUT = Unit("Hut", "inverter", "12 V to 230 V sine, 300 W")


@pytest.fixture(autouse=True)
def needed():
    needs("anything")


def told(lines, unit=HUT, meters=(DC, DC, AC), **typed):
    made = Sample(unit, typed, {}, meters).prepared("anything", by_hand=True)
    return whole_account(method_of("anything"), record_for("anything", made, lines=lines))


def test_counters_are_means_over_their_span():
    """16 Ah at about 12.5 V in two hours, and 170 Wh out: 200 Wh go in, 85 %."""
    found = told({0.0: "battery 0 Ah 12.6 V output 0 Wh", 3600.0: "battery 12.5 V", 7200.0: "battery 16.0 Ah 12.4 V output 170.0 Wh"})
    assert found.findings["battery_Ah"].value == pytest.approx(16.0)
    assert found.findings["output_Wh"].value == pytest.approx(170.0)
    assert found.findings["battery_Wh"].value == pytest.approx(200.0, rel=1e-3)
    assert found.findings["battery_Wh"].working == "worked out, over 2 h"
    low, high = found.findings["battery_Wh"].span
    assert low < 198.4 < 201.6 < high, "its volts were anywhere between the least and the most meanwhile"


def test_one_walk_is_one_moment_and_two_are_two():
    near = told({0.0: "battery 12.6 V 8.2 A", 290.0: "output 230 V 85 W"})
    assert near.findings["converter_efficiency"].value == pytest.approx(100 * 85 / (12.6 * 8.2))
    assert near.taken == 1
    assert near.findings["converter_efficiency"].working.endswith("if nothing else hangs between")
    at_once = told({0.0: "battery 12.6 V 8.2 A output 230 V 85 W"})
    wide, narrow = (found.findings["converter_efficiency"].expanded_uncertainty for found in (near, at_once))
    assert wide > narrow, "what was walked to may have wandered meanwhile"
    far = told({0.0: "battery 12.6 V 8.2 A", 310.0: "output 230 V 85 W"})
    assert far.taken == 2
    assert "bounded" in far.findings["converter_efficiency"].working


def test_a_load_hangs_where_its_volts_are_or_where_a_person_says():
    step_down = Unit("Step-down", "converter", "12 V to 5 V, 8 A")
    line = {0.0: "battery 12.6 V 4.0 A input 12.5 V output 5.02 V load 4.98 V 8.0 A"}
    behind = told(line, step_down, (DC, DC, DC))
    assert behind.findings["output_A"].value == pytest.approx(8.0), "of the output, as its volts are"
    assert behind.findings["input_A"].value == pytest.approx(4.0)
    assert behind.findings["drop_load"].value == pytest.approx(0.04)
    beside = told({0.0: "battery 12.6 V 4.0 A output 5.02 V load 12.4 V 1.0 A"}, step_down, (DC, DC, DC))
    assert beside.findings["input_A"].value == pytest.approx(3.0), "beside the battery"
    said = told(line, step_down, (DC, DC, DC), load_at="the battery's side")
    assert said.held_back, "8 A into a load beside a battery that gives 4"


def test_leads_between_two_voltmeters():
    found = told({0.0: "battery 12.60 V 8.00 A input 12.40 V output 230 V 85.0 W"})
    assert found.findings["drop_input"].value == pytest.approx(0.2)
    assert found.findings["leads_input"].value == pytest.approx(1.6)
    assert found.findings["converter_lost"].value == pytest.approx(12.4 * 8 - 85)


def test_what_is_lacking_is_named():
    found = told({0.0: "battery 12.6 V output 230 V 85.0 W"})
    assert any("the amperes of the battery would tell" in w for w in found.warnings)
    assert found.answers[0] == "converter_efficiency"


def test_without_readings_it_says_what_to_type():
    assert "type a line like" in told({0.0: "load on"}).trouble


def test_the_sample_rises_with_its_load():
    made = SAMPLES["anything"]
    account = whole_account(method_of("anything"), record_for("anything", made.prepared("anything", by_hand=True), lines=made.lines))
    assert account.findings["converter_efficiency"].value == pytest.approx(100 * 4.99 * 7.2 / (12.38 * 3.3))
    assert not account.questions


def test_watts_over_amperes_of_mains_are_no_volts():
    """85 W at 0.5 A without volts are 230 V with a power factor, and not 170 V."""
    found = told({0.0: "output 85 W 0.5 A"}, Unit("Plug", "load", "85 W"))
    assert "output_V" not in found.findings


def test_a_question_that_was_answered_is_not_another_row_s():
    """A mended or a further row is asked about by itself."""
    first = "battery 12.6 V 8.2 A input 12.5 V output 230 V 140 W"
    one = told({0.0: first}).questions[0].checked
    other = told({0.0: first.replace("140", "150")}).questions[0].checked
    later = told({0.0: "battery 12.6 V 8.2 A", 900.0: first}).questions[0].checked
    assert len({one, other, later}) == 3


def test_what_can_be_no_efficiency_is_none():
    found = told({0.0: "battery 12.6 V 8.2 A input 12.5 V output 230 V 140 W"})
    assert "converter_efficiency" not in found.findings
    assert found.findings["output_W"].value == 140.0


def test_what_is_read_at_each_look_is_held_against_what_was_counted():
    """A load of 400 W for an hour is 400 Wh; one that cycles says nothing at its looks."""
    found = told({0.0: "load 400 W 0 Wh", 3600.0: "load 400 W 200 Wh"})
    assert "Over 1 h: load 200 Wh and load 400 W at each look cannot all be" in found.sentence
    assert "did it run all the time" in found.sentence
    assert "Cannot tell" not in told({0.0: "load 400 W 0 Wh", 3600.0: "load 400 W 370 Wh"}).sentence
    assert "Cannot tell" not in told({0.0: "load 60 W 0 Wh", 1800.0: "load 1 W", 3600.0: "load 60 W 20 Wh"}).sentence
    assert "Cannot tell" not in told({0.0: "load 400 W 0 Wh", 600.0: "load 400 W", 3600.0: "load 200 Wh"}).sentence, (
        "of the first minutes alone"
    )


def test_percents_bound_what_a_battery_gave():
    """A tenth of 640 Wh, three points off at either end, 65 to 115 % of its label: 17 to 118 Wh."""
    battery = Unit("Pack", "battery", "12.8 V 50 Ah LiFePO4")
    fine = told({0.0: "battery 90 % 0 Wh", 7200.0: "battery 80 % 64 Wh"}, battery)
    assert fine.findings["battery_Wh"].value == pytest.approx(64)
    over = told({0.0: "battery 90 % 0 Wh", 7200.0: "battery 80 % 320 Wh"}, battery)
    assert "battery 320 Wh and battery 90 to 80 % of 640 Wh cannot all be" in over.sentence
    assert "was it charged or used otherwise meanwhile" in over.sentence
    charged = told({0.0: "battery 20 % 0 Wh", 7200.0: "battery 80 % 320 Wh"}, battery)
    assert "cannot all be" in charged.sentence, "a battery that is fuller has given nothing"
    known = told({0.0: "battery 90 %", 7200.0: "battery 80 % 12.9 V"}, battery)
    assert known.findings["battery_Wh"].value_text() == "17 to 118 Wh"
