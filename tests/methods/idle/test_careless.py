"""An idle draw as it is typed in a hurry: refused with a reason, never answered wrongly."""

from __future__ import annotations

import pytest

from tests.making import HUT, METER, STEP_DOWN, prepared, record_for, series
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.events import HandDid
from ubrant.methods.registry import method_of
from ubrant.runs.kept.accounts import account_of_stored


def account(unit, *lines, meters=(METER,)):
    return method_of("idle").account(
        record_for("idle", prepared("idle", unit, meters), lines={60.0 * k: line for k, line in enumerate(lines)})
    )


@pytest.mark.parametrize(
    ("unit", "lines", "says"),
    [
        (HUT, ("input 12.8 V 0.35 A", "input 12.8 V 0.35 A", "skip"), "is no zero"),
        (STEP_DOWN, ("input 12.8 V 0.00 A", "input 12.8 V 31 A"), "more than the 15 W on its label"),
        (STEP_DOWN, ("input 12.8 V 0.00 A", "input 0.031 V 12.8 A"), "seem to be swapped"),
        (STEP_DOWN, ("input 12.8 V 0.00 A", "input 12.8 V 0.031 A output 5 V 2 A"), "at its output: that is no idle draw"),
    ],
)
def test_what_cannot_be_an_idle_draw_is_refused(unit, lines, says):
    found = account(unit, *lines)
    assert says in found.trouble
    assert found.findings == {}


def test_a_zero_that_was_left_out():
    assert account(HUT, "skip", "input 12.8 V 0.35 A").findings["idle_power"].value == pytest.approx(12.8 * 0.35, rel=2e-4)


def test_a_zero_as_large_as_the_meter_may_be_wrong_is_one():
    """A clamp within its manual: its zero is taken off, and the ± says how little that settles."""
    clamp = Meter("Clamp", "0.8 % + 20 mV", "2 % + 100 mA")
    found = account(HUT, "input 12.8 V 0.15 A", "input 12.8 V 0.17 A", meters=(clamp,)).findings["idle_power"]
    assert found.value == pytest.approx(12.8 * 0.02, rel=1e-4)
    assert found.expanded_uncertainty > found.value


def test_without_an_economy_setting_every_further_line_is_of_the_one_there_is():
    found = account(STEP_DOWN, "input 12.8 V 0.00 A", "input 12.8 V 0.032 A", "input 12.8 V 0.030 A")
    assert found.findings["idle_power"].value == pytest.approx(12.8 * 0.031, rel=2e-4)
    assert "idle_power_economy" not in found.findings


def test_a_zero_read_coarsely_is_in_the_uncertainty():
    """Its last digit is as uncertain as that of the reading it is taken off: half of it to both sides."""
    meter = Meter("Fine", "0.01 %", "0.01 %")
    fine, coarse = (
        account(HUT, f"input 12.800 V {zero} A", "input 12.800 V 0.3500 A", meters=(meter,)).findings["idle_power"]
        for zero in ("0.0000", "0.0")
    )
    assert coarse.value == fine.value
    assert coarse.expanded_uncertainty > 20 * fine.expanded_uncertainty


MAINS_FED = Unit("Brick", "converter", "230 V to 12 V 5 A")
PLUG = Meter("Plug", "0.5 % + 0.5 V", "1 % + 10 mA", details=MeterDetails(power_accuracy="1 % + 0.2 W"))


@pytest.mark.parametrize("line", ["input 0 V 3.1 W", "input 0 V 0 A 0 W"])
def test_watts_at_no_volts_are_a_sentence_and_no_fault(line):
    assert account(MAINS_FED, "skip", line, meters=(PLUG,)).trouble.endswith(".")


def test_on_instruments_ac_is_by_watts_as_well():
    """231 V and 0.052 A beside 3.1 W: the point of a bench is that of a hand."""
    made = prepared("idle", MAINS_FED, (PLUG,))
    columns = {"input_V": series([231.0] * 40), "input_A": series([0.052] * 40), "input_W": series([3.1] * 40)}
    found = method_of("idle").account(record_for("idle", made, HandDid(0.0, action="on"), HandDid(20.0, action="off"), **columns))
    assert found.findings["idle_power"].value == pytest.approx(3.1)
    del columns["input_W"]
    assert (
        "volts × amperes are VA"
        in method_of("idle").account(record_for("idle", made, HandDid(0.0, action="on"), HandDid(20.0, action="off"), **columns)).trouble
    )


def test_the_draws_go_by_the_same_order_as_the_account():
    """Rows that were told which they are: ``--check`` makes the account of them anew."""
    made = prepared("idle", HUT, (METER,))
    lines = {0.0: 'input 12.8 V 0.06 A "economy"', 60.0: 'input 12.80 V 0.37 A "switched on"', 120.0: 'input 12.8 V 0.02 A "zero"'}
    record = record_for("idle", made, lines=lines)
    said = account_of_stored(record).findings["idle_power"]
    assert said.value == pytest.approx(12.8 * 0.35, rel=1e-3)
    again = next(s for s in method_of("idle").simulate(record) if s.key == "idle_power")
    assert (again.low + again.high) / 2 == pytest.approx(said.value, rel=0.02)


def test_watts_alone_count_beside_a_line_that_has_volts():
    """The volts were read once; then only the watts, twice: they were refused for want of volts."""
    found = account(MAINS_FED, "skip", "input 231 V 0.052 A 3.0 W", "input 3.1 W", "input 3.2 W", meters=(PLUG,))
    assert found.findings["idle_power"].value == pytest.approx(3.1)
    assert not any("without watts" in w for w in found.warnings)
    slip = account(MAINS_FED, "skip", "input 231 V 0.052 A 31 W", "input 3.1 W", meters=(PLUG,))
    assert slip.findings["idle_power"].value == pytest.approx(3.1)
    assert any("volts × amperes do not allow" in w for w in slip.warnings)
