"""Figures of the trade: what people who do this work have read off their meters. *Common practice, no source* unless one is named."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy import optimize

from ubrant.core.conversion.appliance import Mode, appliance_findings
from ubrant.core.conversion.idle import idle_findings
from ubrant.core.conversion.load_steps import analyse_steps
from ubrant.core.conversion.loss_model import LossModel, fit_loss
from ubrant.core.conversion.protection import Overload, band_at, parse_curve, trip_findings
from ubrant.core.quantities.accuracy import parse_accuracy
from ubrant.core.quantities.readings import Array
from ubrant.core.quantities.tolerance import MAINS_120, parse_tolerance
from ubrant.core.record.points import points_of


def test_standing_by_all_day():
    """5.6 W standing by is 0.134 kWh a day. Common practice, no source."""
    findings, _ = appliance_findings([Mode("standby", 230, 0.05, 5.6)])
    assert findings["standby_day"].value / 1000 == pytest.approx(0.134, abs=0.0005)


def test_a_days_energy_by_a_plug_meter():
    """6.051 kWh in 24 h 16 min is 249 W. Common practice, no source."""
    assert pytest.approx(249, abs=0.5) == 6051 / (24 + 16 / 60)
    findings, _ = appliance_findings([Mode("on", watts=6051 / (24 + 16 / 60))])
    assert findings["power_1"].value_text().startswith("249")


@pytest.mark.parametrize(("amps", "low_wh", "high_wh"), [(0.16, 45, 50), (0.18, 51, 57), (0.25, 71, 79), (0.7, 200, 220)])
def test_idle_draw_of_small_inverters(amps, low_wh, high_wh):
    """0.16 to 0.18 A for sine ones, 0.25 and 0.7 A for stepped ones, at 12 to 13 V. Common practice, no source."""
    findings, _ = idle_findings(np.full(30, 12.6), np.full(30, amps), None, None)
    assert low_wh < findings["idle_energy_day"].value < high_wh


def test_half_an_ampere_at_24_v():
    """0.5 A × 24 V = 12 W, × 24 h = 288 Wh a day. Common practice, no source."""
    findings, _ = idle_findings(np.full(10, 24.0), np.full(10, 0.5), None, None)
    assert findings["idle_power"].value == pytest.approx(12.0)
    assert findings["idle_energy_day"].value == pytest.approx(288.0)


def test_a_small_load_through_an_inverter_costs_more_than_twice():
    """A 6 W device behind an inverter that idles at 7 W takes over twice its own energy. Common practice, no source."""
    model = LossModel(7.0, 0.06, 0.0002, 0.0, 300.0)
    assert (6 + model.loss_w(6)) / 6 > 2
    half = model.half_arrives_w()
    assert half is not None
    assert 6 < half < 8
    assert model.efficiency(half) == pytest.approx(0.5)


def test_a_breaker_that_held_and_one_that_opened():
    """A 100 A breaker held 137 A for a while; a 30 A one opened at 50 A after a few minutes. Common practice, no source."""
    findings, said, warnings = trip_findings([Overload(137, 120)], 100.0)
    assert findings["opens_1"].name == "At 137 A (1.37 ×): held"
    assert said.startswith("It held 137 A")
    assert warnings == []
    findings, said, _ = trip_findings([Overload(50, 180, 180)], 30.0, parse_curve("1.05: over 1 h; 1.35: 1 min..1 h; 2: 10 s..4 min"))
    assert said == "Opens at 50.0 A (1.67 ×) after 3 min; within its curve."


def test_an_inverters_output_sags_on_a_starter_battery():
    """AC 109 V loaded with 1 kW against 118 V not: outside range A of ANSI C84.1 (120 V ± 5 %, from memory). Common practice, no source."""
    points = points_of(
        np.array([12.6, 11.2]), np.array([0.6, 105.0]), np.array([118.0, 109.0]), np.array([0.0, 9.17]), np.array([0.0, 1000.0])
    )
    found = analyse_steps(points, _no_meters(), parse_tolerance(MAINS_120), 1500.0)
    assert found.findings["output_sag"].value == pytest.approx(9.0)
    assert any("leaves 114 to 126 V at 1" in w for w in found.warnings)


def _no_meters():
    from ubrant.core.record.points import SweepMeters

    return SweepMeters()


def test_the_best_load_is_where_scipy_finds_it():
    """P = √(p₀/b) maximises P ÷ (P + p₀ + aP + bP²): against SciPy's bounded minimiser."""
    rng = np.random.default_rng(4)
    for _ in range(50):
        model = LossModel(rng.uniform(0.1, 10), rng.uniform(0.01, 0.1), rng.uniform(1e-4, 1e-3), 0.0, 1000.0)
        best = optimize.minimize_scalar(lambda p, m=model: -m.efficiency(p), bounds=(0.1, 1000.0), method="bounded")
        at, efficiency = model.peak()
        assert at == pytest.approx(best.x, rel=1e-3)
        assert efficiency == pytest.approx(-best.fun, rel=1e-9)


def test_the_loss_fit_is_scipys_weighted_least_squares():
    """Weighted 1/P_in, against scipy.optimize.curve_fit with sigma = P_in."""
    rng = np.random.default_rng(5)
    load = np.tile(np.array([0.0, 5, 10, 20, 40, 80]), 4)
    into = load + 1.2 + 0.05 * load + 0.0006 * load**2 + rng.normal(0, 0.02, len(load))
    found, _, _ = fit_loss(into, load)

    def losses(p: Array, fixed: float, proportional: float, resistive: float) -> Array:
        return fixed + proportional * p + resistive * p**2

    expected, _ = optimize.curve_fit(losses, load, into - load, sigma=into)
    assert (found.fixed_w, found.proportional, found.resistive_per_w) == pytest.approx(tuple(expected), rel=1e-6)


def test_between_two_points_of_a_curve():
    """Straight on double-logarithmic paper, as makers print their curves: against NumPy's interpolation of the logarithms."""
    curve = parse_curve("1.2: 100 s..1000 s; 4: 2 s..20 s")
    for multiple in (1.5, 2.0, 3.3):
        low, high = band_at(curve, multiple)
        wanted = [math.exp(np.interp(math.log(multiple), np.log([1.2, 4.0]), np.log(ends))) for ends in ((100, 2), (1000, 20))]
        assert (low, high) == pytest.approx(tuple(wanted))


def test_a_first_answer_for_runtime_from_what_was_measured():
    """P_source = P_load ÷ η + p_idle with the loss model of a converter agrees with the outlook's own sum. Physics."""
    model = LossModel(2.0, 0.08, 0.0, 0.0, 200.0)
    taken = 65 + model.loss_w(65)
    assert 640 * 0.9 / taken == pytest.approx(640 * 0.9 / (65 * 1.08 + 2.0))


def test_a_fridge_on_a_big_battery():
    """1 500 Wh running a fridge for 33 h is 45 W. Common practice, no source."""
    assert pytest.approx(45, abs=0.6) == 1500 / 33


def test_accuracies_in_watts_are_read_as_a_manual_words_them():
    found = parse_accuracy("1 % + 3 digits of 0.1 W", "W")
    assert (found.gain, found.zero) == (0.01, pytest.approx(0.3))
