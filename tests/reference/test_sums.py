"""Charge, energy and uncertainty against general-purpose libraries and the GUM."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from scipy.integrate import quad
from uncertainties import ufloat

from tests.methods.discharge.making import record
from ubrant.core.quantities.accuracy import parse_accuracy
from ubrant.core.quantities.readings import Readings
from ubrant.core.record.integrals import charge_ah, energy_wh
from ubrant.core.uncertainty.value import rectangular, scattered
from ubrant.methods.discharge.sums import analyse


def test_charge_and_energy_match_scipy_quad():
    """scipy.integrate.quad on the interpolants, interval by interval: a general-purpose reference."""
    rng = np.random.default_rng(7)
    time = np.cumsum(rng.uniform(1, 60, 80))
    volts, amps = rng.uniform(10, 14, 80), rng.uniform(-3, 12, 80)

    def v(t: float) -> float:
        return float(np.interp(t, time, volts))

    def i(t: float) -> float:
        return float(np.interp(t, time, amps))

    joules = sum(quad(lambda t: v(t) * i(t), a, b)[0] for a, b in itertools.pairwise(time))
    coulombs = sum(quad(i, a, b)[0] for a, b in itertools.pairwise(time))
    assert energy_wh(time, volts, amps) == pytest.approx(joules / 3600, rel=1e-9)
    assert charge_ah(time, amps) == pytest.approx(coulombs / 3600, rel=1e-9)


def test_a_limit_becomes_a_standard_uncertainty_over_root_three():
    """JCGM 100:2008, 4.3.7, its example: limits of ± 0.40e-6 give u = 0.23e-6 (value from memory)."""
    assert rectangular(0.40e-6) == pytest.approx(0.23e-6, rel=0.01)


def test_a_budget_worked_on_paper():
    """After JCGM 100, clause 5: 48 Ah at 10 A for 4.8 h with a meter of ± (0.5 % + 10 mA).

    Gain: 0.5 % of 48 Ah ÷ √3 = 0.13856 Ah. Zero: 10 mA × 4.8 h ÷ √3 = 0.02771 Ah. u = 0.14131 Ah, U (k = 2) = 0.2826 Ah.
    """
    time = np.linspace(0.0, 4.8 * 3600, 1729)
    flat = Readings(time, np.full_like(time, 12.8), np.full_like(time, 10.0))
    found = analyse(record(flat, cutoff=None, current_accuracy=parse_accuracy("0.5 % + 10 mA", "A"), load_on_s=0.0))
    charge = found.findings["charge"]
    assert charge.value == pytest.approx(48.0)
    assert charge.expanded_uncertainty == pytest.approx(0.2826, abs=5e-4)


def test_correlated_errors_match_the_uncertainties_package():
    """The uncertainties package carries correlations by variable; charge, energy and mean voltage share the meter's errors."""
    time = np.linspace(0.0, 5 * 3600, 3601)
    volts, amps = 13.2 - 1.5 * (time / time[-1]) ** 2, 10 + 0.5 * np.sin(time / 400)
    found = analyse(record(Readings(time, volts, amps), cutoff=None, load_on_s=0.0)).findings
    gain_v, zero_v = ufloat(0, 0.001 / math.sqrt(3)), ufloat(0, 0.003 / math.sqrt(3))
    gain_a, zero_a = ufloat(0, 0.005 / math.sqrt(3)), ufloat(0, 0.005 / math.sqrt(3))
    charge_0, energy_0 = charge_ah(time, amps), energy_wh(time, volts, amps)
    volt_hours = charge_ah(time, volts)
    charge = charge_0 * (1 + gain_a) + zero_a * 5
    energy = energy_0 * (1 + gain_a + gain_v) + zero_a * volt_hours + zero_v * charge_0
    for key, reference in (("charge", charge), ("energy", energy), ("mean_voltage", energy / charge), ("label_share", charge / 50 * 100)):
        assert found[key].value == pytest.approx(reference.nominal_value, rel=1e-6)
        assert found[key].standard_uncertainty == pytest.approx(reference.std_dev, rel=0.005), key


def test_a_shared_error_cancels_in_a_ratio_as_in_the_uncertainties_package():
    shared, own = ufloat(0, 0.3), ufloat(0, 0.1)
    top, bottom = 40 + 2 * shared + own, 20 + shared
    of_both = scattered(0.3, "shared")
    found = (40 + 2 * of_both + scattered(0.1, "own")) / (20 + of_both)
    assert found.u == pytest.approx((top / bottom).std_dev, rel=1e-9)


def test_whether_a_cutoff_comes_late_is_in_the_uncertainty():
    """A voltmeter that reads 20 mV high sees the cut-off late; the extra charge lies inside the ± that its accuracy gives."""
    time = np.arange(0.0, 18000.0, 1.0)
    volts = 13.2 - 2.4 * (time / 18000) ** 3
    amps = np.full_like(time, 10.0)
    accuracy = parse_accuracy("20 mV", "V")
    true = analyse(record(Readings(time, volts, amps), load_on_s=0.0)).findings["charge"].value
    shown = analyse(
        record(
            Readings(time, volts + 0.02, amps), voltage_accuracy=accuracy, current_accuracy=parse_accuracy("0.001 %", "A"), load_on_s=0.0
        )
    )
    late = shown.findings["charge"].value - true
    assert late == pytest.approx(math.sqrt(3) * shown.findings["charge"].standard_uncertainty, rel=0.05)


def test_monotone_cubic_matches_scipy():
    """scipy.interpolate.PchipInterpolator: a general-purpose reference."""
    from scipy.interpolate import PchipInterpolator

    from ubrant.core.models.cell import monotone_cubic

    rng = np.random.default_rng(5)
    for _ in range(50):
        x, y = np.cumsum(rng.uniform(0.1, 2, 12)), rng.normal(size=12).cumsum()
        at = np.linspace(x[0], x[-1], 301)
        assert monotone_cubic(x, y, at) == pytest.approx(PchipInterpolator(x, y)(at), abs=1e-12)
