"""Comparisons against worked examples and reference libraries."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.stats import linregress
from scipy.stats import t as student
from uncertainties import ufloat

from tests.making import part
from ubrant.core.compare.ageing import trend_of
from ubrant.core.compare.difference import Shared, difference_of
from ubrant.core.uncertainty.finding import Finding


def test_correlated_quantities_as_the_uncertainties_package_has_them():
    """Two figures read by one instrument, after the pattern of JCGM 100 example H.2: what is common cancels in a difference and in a ratio.

    The reference is the uncertainties package, which carries the one gain through both.
    """
    gain, noise_a, noise_b = ufloat(1.0, 0.003), ufloat(0.0, 0.02), ufloat(0.0, 0.03)
    quarter_a, quarter_b = ufloat(0.0, 0.25 * 0.003 * 40), ufloat(0.0, 0.25 * 0.003 * 31)
    a, b = 40 * gain + noise_a + quarter_a, 31 * gain + noise_b + quarter_b
    one, other = (
        Finding("q", "Q", v, "Ah", (part("current gain", 0.003 * v), part("noise", u)), "") for v, u in ((40.0, 0.02), (31.0, 0.03))
    )
    found = difference_of(one, other, Shared(meters=True))
    assert found.difference.standard_uncertainty == pytest.approx((b - a).std_dev, rel=1e-9)
    assert found.share.standard_uncertainty == pytest.approx((100 * b / a).std_dev, rel=1e-6)


def test_a_regression_and_its_band_as_scipy_has_them():
    """Equal weights that understate the scatter: slope, its standard error and the band of the mean are those of scipy.stats.linregress."""
    rng = np.random.default_rng(4)
    years = np.sort(rng.uniform(0, 3, 9))
    values = 100 - 3 * years + rng.normal(0, 1.0, 9)
    found, reference = trend_of(years, values, np.full(9, 1e-3)), linregress(years, values)
    assert found.slope == pytest.approx(reference.slope)
    assert found.slope_u == pytest.approx(reference.stderr)
    assert found.dof == 7
    line, low, high = found.band(np.array([1.0]), float(student.ppf(0.975, 7)))
    left = values - reference.intercept - reference.slope * years
    s = math.sqrt(float(left @ left) / 7)
    spread = s * math.sqrt(1 / 9 + (1.0 - years.mean()) ** 2 / float(np.sum((years - years.mean()) ** 2)))
    assert line[0] == pytest.approx(reference.intercept + reference.slope)
    assert high[0] - low[0] == pytest.approx(2 * student.ppf(0.975, 7) * spread)
