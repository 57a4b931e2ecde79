"""What a bank burns by itself, by a second rate; what it wants to stay on; any two taps divided."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.command_line import said
from tests.making import part
from tests.methods.test_rehearsed import BANK, DC, rehearsed
from tests.trials import trial
from ubrant.core.battery.second_rate import Emptied, burnt_by_itself
from ubrant.core.equipment.unit import Unit
from ubrant.core.uncertainty.finding import Finding
from ubrant.logbook.logs.log_file import LogFile
from ubrant.runs.coming_in.bringing_in import LogOptions, from_log, keep, under_options
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.kept.shelf_order import newest_of

pytestmark = pytest.mark.needs("discharge")

GAIN, ZERO_A = 0.01, 0.004


def run(watts, *, cells=88.8, share=0.12, idle=0.3, gain=0.0, off=0.0, meter="one"):
    """Full to empty through a converter that takes P·(1 + a) + p₀; its meter reads so much too high."""
    hours = cells / (watts * (1 + share) + idle)
    read = watts * hours * (1 + gain) + off * 5.0 * hours
    parts = (
        part("current gain", GAIN / math.sqrt(3) * read, meter=meter),
        part("current zero", ZERO_A / math.sqrt(3) * 5.0 * hours, meter=meter),
    )
    return Emptied(Finding("energy_out", "", read, "Wh", parts, ""), hours)


def test_the_difference_is_what_was_burnt_meanwhile():
    """E₁ + p·t₁ = E₂ + p·t₂, so p = 0.3 W ÷ 1.12 as seen at the output."""
    found = burnt_by_itself(run(5.0), run(1.0))[0]
    assert found["idle_power"].value == pytest.approx(0.3 / 1.12)
    assert found["idle_day"].value == pytest.approx(24 * 0.3 / 1.12)
    assert found["without_idle"].value == pytest.approx(88.8 / 1.12)
    assert burnt_by_itself(run(1.0), run(5.0))[0]["idle_power"].value == pytest.approx(0.3 / 1.12), "whichever is looked at"


def test_hours_too_alike_say_nothing():
    assert burnt_by_itself(run(5.0), run(4.6)) == ({}, "")


def test_a_quarter_of_the_gain_is_each_runs_own():
    fast, slow = run(5.0), run(1.0)
    parts = {(c.source.kind, c.source.run): abs(c.amount) for c in burnt_by_itself(fast, slow)[0]["idle_power"].contributions}
    for name, one in (("shorter run", fast), ("longer run", slow)):
        own = 0.25 * GAIN / math.sqrt(3) * one.energy.value / (slow.hours - fast.hours)
        assert parts["linearity", f"of the {name}"] == pytest.approx(own)


def test_runs_that_contradict_each_other_say_nothing():
    """More in more hours; a longer run that was stopped early, so that far more would have to be in the cells than the label says."""
    found, why_not = burnt_by_itself(run(5.0), run(1.0, cells=120.0))
    assert found == {}
    assert "gave more in more hours" in why_not
    found, why_not = burnt_by_itself(run(5.0, cells=80.0), run(1.0, cells=40.0), 88.8)
    assert found == {}
    assert "One of the two was not whole" in why_not


def test_nothing_burnt_is_a_bound():
    found, _ = burnt_by_itself(run(5.0, idle=0.0), run(1.0, idle=0.0, cells=89.0))
    assert found["idle_power"].bound == "at most"
    assert "idle_day" not in found


def test_an_error_that_both_share_hardly_counts():
    """One meter's gain is wrong alike in both; two meters are not."""
    one, two = burnt_by_itself(run(5.0), run(1.0))[0], burnt_by_itself(run(5.0), run(1.0, meter="other"))[0]
    assert one["idle_power"].expanded_uncertainty < 0.8 * two["idle_power"].expanded_uncertainty


def test_the_truth_is_inside(share):
    """300 banks at two rates by one meter; what their cells give at another rate strays by as much as is said."""

    def draw(rng):
        cells, loss, idle = rng.uniform(20, 500), rng.uniform(0.05, 0.2), rng.uniform(0.05, 2.0)
        gain, off = rng.uniform(-GAIN, GAIN), rng.uniform(-ZERO_A, ZERO_A)
        fast = cells / rng.uniform(6, 15)
        stray = 1 + rng.uniform(-0.01, 0.01)
        one = run(fast, cells=cells * stray, share=loss, idle=idle, gain=gain + rng.uniform(-0.25, 0.25) * GAIN, off=off)
        other = run(fast * rng.uniform(0.1, 0.5), cells=cells, share=loss, idle=idle, gain=gain + rng.uniform(-0.25, 0.25) * GAIN, off=off)
        found = burnt_by_itself(one, other)[0]["idle_power"]
        truth = idle / (1 + loss)
        if found.bound:  # at most so much: it has no ± of which the truth could be inside
            bounded.append(truth <= found.value)
            return {}
        return {"idle_power": (found.value - truth, found)}

    bounded: list[bool] = []
    trial("second rate", draw, share)
    assert not bounded or sum(bounded) >= 0.92 * len(bounded) - 1


def test_two_runs_of_the_same_bank(logbook):
    """By a simulated person, at 1 A and at 0.25 A: the longer run gives less, and the account says what went."""
    unit = logbook.keep_unit(BANK)
    rehearsed(logbook, "output", unit, {"output": DC})
    rehearsed(logbook, "output", unit, {"output": DC}, typed={"amps": "0.25 A"})
    found = account_of(logbook, newest_of(logbook, unit.id))[1].findings
    idle = found["idle_power"]
    assert idle.value == pytest.approx(0.28 / 1.07, abs=1.5 * idle.expanded_uncertainty)
    assert found["idle_day"].value == pytest.approx(24 * idle.value)
    assert found["without_idle"].value > found["energy_out"].value


def test_a_bank_that_wants_more_load(logbook):
    bank = Unit("Bank", "bank", "24 000 mAh / 88.8 Wh", stand_in={"least_a": 0.06})
    _, account = rehearsed(logbook, "output", bank, {"output": DC}, typed={"amps": "0.05 A"})
    assert account.trouble.startswith("It switched itself off after 30 s at 0.0")
    assert "to stay on" in account.trouble


LINES = """method: discharge
unit: Pack
kind: battery
label: 12.8 V 50 Ah LiFePO4
meter: Clamp
volts: 0.5 % + 10 mV
amps: 1 % + 20 mA
started: 2026-11-01 10:00

@10:00 load on 13.20 V 40.0 A ac 450 W
@10:30 13.10 V 40.2 A ac 449 W
@11:00 13.00 V 40.4 A ac 451 W
@11:05 load off
"""


def test_any_two_taps_divided(tmp_path):
    """AC against DC in a discharge: watts by the plug meter over volts times amperes."""
    path = tmp_path / "taps.jot"
    path.write_text(LINES, "utf-8")
    found = said(str(path))["findings"]
    (key,) = [k for k in found if k.startswith("power_ratio")]
    dc = 13.20 * 40.0 + 13.10 * 40.2 + 13.00 * 40.4
    assert found[key]["value"] == pytest.approx(100 * (450 + 449 + 451) / dc, rel=1e-3)
    assert found[key]["expanded_uncertainty"] is None, "nobody said how good the plug meter is"


def ratios(folder, lines):
    path = folder / "some.jot"
    path.write_text(LINES.split("@")[0] + lines, "utf-8")
    return {k: f for k, f in said(str(path))["findings"].items() if "_ratio_" in k}


def test_the_smaller_over_the_larger_whichever_is_typed_first(tmp_path):
    one = ratios(tmp_path, "@10:00 load on 13.0 V 40 A ac 416 W\n@10:30 13.0 V 40 A ac 416 W\n@11:00 load off\n")
    other = ratios(tmp_path, "@10:00 load on ac 650 W battery 13.0 V 40 A\n@10:30 13.0 V 40 A ac 650 W\n@11:00 load off\n")
    third = ratios(tmp_path, "@10:00 load on 13.0 V 40 A ac 650 W\n@10:30 13.0 V 40 A ac 650 W\n@11:00 load off\n")
    assert [f["value"] for f in third.values()] == [pytest.approx(80.0)]
    assert [f["value"] for f in one.values()] == [pytest.approx(80.0)]
    assert [f["value"] for f in other.values()] == [pytest.approx(80.0)]


def test_volts_times_amperes_of_ac_are_no_watts(tmp_path):
    assert ratios(tmp_path, "@10:00 load on dc 13.0 V 40 A ac 230 V 2.2 A\n@10:30 dc 13.0 V 40 A ac 230 V 2.2 A\n@11:00 load off\n") == {}


def test_two_counters(tmp_path):
    """Over the time that both were read: 180 Wh of 200 Wh."""
    lines = "@10:00 load on 13 V 40 A source 10 Wh ac 5 Wh\n@10:30 13 V 40 A source 210 Wh ac 185 Wh\n@10:40 13 V 40 A source 290 Wh\n"
    found = ratios(tmp_path, lines)
    assert found["energy_ratio_ac_source"]["value"] == pytest.approx(90.0)


def logged(book, unit, volts: float, amps: float, hours: float):
    """A log of a bank from full until its output went."""
    time = np.arange(0.0, 3600 * hours + 600, 60.0)
    on = time < 3600 * hours
    made = from_log(LogFile(f"{volts} V {amps} A.csv", time, np.where(on, volts, 0.0), np.where(on, amps, 0.0)), "output")
    options = LogOptions(unit=unit, full=True, accuracies=("0.2 % + 2 mV", "0.5 % + 2 mA", "", ""))
    return keep(book, under_options(made, options), unit)


@pytest.mark.parametrize(("other_v", "is_told"), [(5.0, True), (9.0, False)])
def test_two_logs_tell_what_it_burns_where_both_are_of_one_output(logbook, other_v, is_told):
    unit = logbook.keep_unit(Unit("Ticket bank", "bank", "24 000 mAh / 88.8 Wh"))
    logged(logbook, unit, 5.0, 2.0, 7.4)
    slow = logged(logbook, unit, other_v, 1.0 / other_v, 66.0)
    found = account_of(logbook, slow)[1].findings
    assert ("idle_power" in found) is is_told
