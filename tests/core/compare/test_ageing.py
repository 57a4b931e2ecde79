"""Trends: the line, whether it is sure, when it is down to a limit, repeats."""

from __future__ import annotations

import numpy as np
import pytest

from ubrant.core.compare.ageing import fieller, repeatability, trend_of

YEARS = np.array([0.0, 0.5, 1.0, 1.5, 2.0, 2.5])


def test_a_clear_fall_has_a_date_and_a_flat_life_has_none():
    """4 points a year from 100: 80 after five years."""
    falls = trend_of(YEARS, 100 - 4 * YEARS, np.full(6, 0.2), 80.0)
    assert falls.ages
    assert falls.slope == pytest.approx(-4.0)
    assert falls.limit_years == pytest.approx(5.0)
    assert falls.between[0] < 5.0 < falls.between[1]
    assert falls.level == pytest.approx(90.0)
    flat = trend_of(YEARS, np.array([100, 99.9, 100.2, 99.8, 100.1, 99.9]), np.full(6, 0.2), 80.0)
    assert (flat.ages, flat.limit_years) == (False, None)
    assert trend_of(YEARS, 100 + 4 * YEARS, np.full(6, 0.2), 80.0).ages is False


def test_too_few_dates_or_all_of_one_day_say_nothing():
    assert trend_of(YEARS[:2], 100 - 4 * YEARS[:2], np.full(2, 0.2)) is None
    assert trend_of(np.zeros(5), np.full(5, 100.0), np.full(5, 0.2)) is None


def test_each_look_is_stricter_than_the_one_before():
    """At the same slope over its own ±, a later look needs more of it."""
    rng = np.random.default_rng(2)
    noise = rng.normal(0, 0.5, 40)
    years = np.linspace(0, 4, 40)
    sure = [trend_of(years[:n], 100 - 0.2 * years[:n] + noise[:n], np.full(n, 0.5)).ages for n in range(4, 41)]
    assert sum(sure) < len(sure)


def test_weights_and_scatter():
    """A date that is known badly hardly moves the line; points that stray by more than their ± widen it."""
    values, u = 100 - 2 * YEARS, np.full(6, 0.1)
    values[2], u[2] = 120.0, 50.0
    assert trend_of(YEARS, values, u).slope == pytest.approx(-2.0, abs=0.05)
    strays = trend_of(YEARS, 100 - 2 * YEARS + np.array([3, -3, 3, -3, 3, -3.0]), np.full(6, 0.1))
    assert strays.slope_u > 10 * trend_of(YEARS, 100 - 2 * YEARS, np.full(6, 0.1)).slope_u


def test_an_interval_may_be_open():
    assert fieller(-20.0, -4.0, 1.0, 4.1, 2.0) is None
    ratio, low, high = fieller(-20.0, -4.0, 0.04, 0.01, 2.0)
    assert (ratio, low < 5 < high) == (5.0, True)
    for edge in (low, high):
        assert (-20 + 4 * edge) ** 2 == pytest.approx(4.0 * (0.04 + edge**2 * 0.01))


def test_repeats_are_pooled():
    found = repeatability([np.array([99.0, 101.0]), np.array([50.0]), np.array([49.5, 50.5])])
    assert found == pytest.approx(((4 * 0.01**2 + 5 * 0.01**2) / (2 + 5)) ** 0.5)
    assert repeatability([np.array([1.0])]) == 0.01, "what is common, where nothing was measured again"
