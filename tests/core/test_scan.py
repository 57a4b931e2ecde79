"""Looked through once: the same sums, extremes, crossings and gaps as looking at every reading, wherever blocks begin and end."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ubrant.core.quantities.readings import Readings, ReadingsError
from ubrant.core.record import scan as module
from ubrant.core.record.integrals import totals
from ubrant.core.record.scan import scan


@pytest.fixture(autouse=True)
def small_blocks(monkeypatch):
    monkeypatch.setattr(module, "SPAN", 4)


@st.composite
def looked(draw):
    n = draw(st.integers(1, 30))
    seed = draw(st.integers(0, 2**20))
    rng = np.random.default_rng(seed)
    steps = np.full(n, 0.5) if draw(st.booleans()) else rng.uniform(0.1, 3.0, n)
    time = np.cumsum(steps) + rng.uniform(-5, 5)
    first = draw(st.integers(0, n - 1))
    last = draw(st.integers(first, n - 1))
    return Readings(time, rng.uniform(10, 14, n), rng.uniform(-1, 9, n)), first, last


@pytest.mark.filterwarnings("ignore::hypothesis.errors.HypothesisWarning")
def test_it_says_what_every_reading_says():
    @given(looked())
    def same(case):
        readings, first, last = case
        found, part = scan(readings), readings.between(first, last)
        expected = totals(part.time_s, part.voltage_v, part.current_a)
        for name in ("charge_ah", "energy_wh", "volt_hours", "hours"):
            assert getattr(found.totals(first, last), name) == pytest.approx(getattr(expected, name), rel=1e-9, abs=1e-12)
        assert found.least_amps(first, last) == part.current_a.min()
        assert found.most_amps(first, last) == part.current_a.max()
        for limit in (10.2, 12.0, 20.0, 0.0):
            below = np.flatnonzero(part.voltage_v <= limit)
            assert found.first_at_or_below(limit, first, last) == (first + below[0] if len(below) else last + 1)
        for limit in (0.2, 1.0, 2.9):
            assert found.longer_than(limit, first, last).tolist() == (first + np.flatnonzero(np.diff(part.time_s) > limit)).tolist()

    same()


@pytest.mark.parametrize("n", [9, 10, 17])
@pytest.mark.parametrize("column", [0, 1, 2])
def test_what_cannot_be_added_up_is_said_by_its_number(n, column):
    columns = [np.arange(float(n)), np.full(n, 12.0), np.full(n, 5.0)]
    columns[column][7] = np.nan
    with pytest.raises(ReadingsError, match="Reading 8 is not a finite number"):
        scan(Readings(*columns))


def test_time_that_goes_back_or_stands_still_across_blocks():
    time = np.array([0.0, 1, 2, 3, 4, 4, 5, 6, 7])
    with pytest.raises(ReadingsError, match="does not increase at reading 6"):
        scan(Readings(time, np.full(9, 12.0), np.full(9, 5.0)))
    with pytest.raises(ReadingsError, match="times but"):
        scan(Readings(time, np.full(8, 12.0), np.full(9, 5.0)))


def test_an_even_block_by_its_closed_form():
    """∫ of straight lines by scipy.integrate.quad, a general-purpose reference."""
    from scipy.integrate import quad

    time, volts, amps = np.arange(5.0) * 0.25, np.array([13.0, 12.5, 12.7, 12.1, 11.0]), np.array([1.0, 4.0, -2.0, 3.0, 8.0])
    found = scan(Readings(time, volts, amps)).totals(0, 4)
    pieces = [quad(lambda t: np.interp(t, time, volts) * np.interp(t, time, amps), a, b)[0] for a, b in pairwise(time)]
    assert found.energy_wh == pytest.approx(sum(pieces) / 3600, rel=1e-12)
    assert found.charge_ah == pytest.approx(np.trapezoid(amps, time) / 3600, rel=1e-12)
    assert found.volt_hours == pytest.approx(np.trapezoid(volts, time) / 3600, rel=1e-12)
