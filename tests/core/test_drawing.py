"""What is handed to the drawing: pyramid, power path, course, jottings."""

import numpy as np
import pytest

from tests.making import AMPS, VOLTS, falling
from ubrant.core.conversion.efficiency_map import EfficiencyMap, levels
from ubrant.core.quantities.label import parse_label
from ubrant.core.quantities.readings import Readings, Series
from ubrant.core.record.power_path import PathNode, watt_hours, watts
from ubrant.core.record.pyramid import Pyramid
from ubrant.methods.discharge.forecast import forecast, forecast_sentence, running_charge

NODES = (PathNode("battery", "Pack"), PathNode("leads", "Leads"), PathNode("load", "Load"))


def test_a_spike_is_seen_however_far_one_zooms_out():
    value = np.zeros(1_000_003)
    value[765_432] = 9.0
    part = Pyramid(Series(np.arange(len(value), dtype=float), value)).view(0, len(value), 800)
    assert part.value.max() == 9.0
    assert len(part) < 60_000
    assert (np.diff(part.time_s) >= 0).all()


def test_close_up_the_readings_themselves_are_drawn():
    series = Series(np.arange(500_000.0), np.random.default_rng(1).normal(size=500_000))
    part = Pyramid(series).view(1000, 1200, 800)
    assert len(part) == pytest.approx(203, abs=2)
    assert np.array_equal(part.value, series.value[999:1202])


def test_loss_between_two_taps():
    path = watts(NODES, (13.0, 10.0), (12.8, 10.0), ("Meter", "Load"), 0.02, (None, None))
    assert [f.amount for f in path.flows] == [130.0, 128.0]
    assert path.losses == (None, "2.0 W lost", None)


def test_a_loss_within_the_meters_uncertainty_is_not_claimed():
    path = watts(NODES, (13.0, 10.0), (12.99, 10.0), ("Meter", "Load"), 0.02, (VOLTS, AMPS))
    assert path.losses[1].startswith("under")


def test_an_unmetered_tap_is_worked_out_and_says_so():
    path = watts(NODES, (13.0, 10.0), None, ("Meter", "Load"), 0.02, (None, None))
    assert (path.flows[1].amount, path.flows[1].meter) == (pytest.approx(128.0), "")


def test_watt_hours_over_a_run():
    body = falling()
    load = Readings(body.time_s, body.voltage_v - 0.15, body.current_a)
    path = watt_hours(NODES, 600.0, 1.0, load, (0.0, float(body.time_s[-1])), ("Meter", "Load"))
    assert path.unit == "Wh"
    assert path.flows[1].amount < 650
    assert watt_hours(NODES, 600.0, 1.0, None, (0.0, 1.0), ("log", "")).flows[0].amount == 600.0


def curve(capacity_ah: float, to_share: float):
    charge = np.linspace(0, capacity_ah * to_share, 300)
    return charge, 13.4 - 0.8 * (charge / capacity_ah) - 1.6 * (charge / capacity_ah) ** 12


def test_course_finds_a_smaller_pack_from_its_curve():
    expected = curve(50, 1.0)
    found = forecast(*curve(36, 0.9), *expected, 10.0)
    assert found.charge_ah == pytest.approx(36, rel=0.05)
    assert found.low_ah <= 36 <= found.high_ah
    assert found.left_s == pytest.approx((found.charge_ah - 32.4) * 360, rel=0.2)


def test_course_waits_until_something_has_flowed():
    assert forecast(*curve(50, 0.01), *curve(50, 1.0), 10.0) is None
    assert "Too early" in forecast_sentence(None, 0.1, parse_label("50 Ah 12.8 V"))


def test_course_sentence_does_not_judge_too_early():
    found = forecast(*curve(50, 0.3), *curve(50, 1.0), 10.0)
    assert "Too early to judge" in forecast_sentence(found, 15.0, parse_label("50 Ah 12.8 V"))


def test_running_charge_ends_at_the_total():
    body = falling()
    assert running_charge(body)[-1] == pytest.approx(50.0)


def test_a_map_with_nothing_on_it_has_no_lines():
    """A sweep that was stopped before two loads were taken at the same voltages."""
    assert levels(EfficiencyMap(np.array([1.0, 2.0]), np.array([11.0, 12.0]), np.full((2, 2), np.nan))) == []
