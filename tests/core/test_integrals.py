"""Charge and energy."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ubrant.core.quantities.readings import BLOCK, ReadingsError, Series, join
from ubrant.core.record.integrals import charge_ah, energy_wh, totals


def test_energy_of_two_straight_lines_in_closed_form():
    """V from 10 to 20 V and I from 0 to 6 A over an hour: ∫(10+10x)·6x dx = 30 + 20 = 50 Wh; the trapezium would say 60."""
    assert energy_wh(np.array([0.0, 3600.0]), np.array([10.0, 20.0]), np.array([0.0, 6.0])) == pytest.approx(50, rel=1e-12)


@given(st.integers(2, 40), st.integers(0, 2**32 - 1))
def test_cutting_an_interval_changes_nothing(n, seed):
    """Reading more often along the same straight lines gives the same sums."""
    rng = np.random.default_rng(seed)
    time = np.cumsum(rng.uniform(0.1, 100, n))
    volts, amps = rng.uniform(-5, 15, n), rng.uniform(-10, 10, n)
    finer = np.sort(np.concatenate([time, (time[1:] + time[:-1]) / 2]))
    fine = totals(finer, np.interp(finer, time, volts), np.interp(finer, time, amps))
    coarse = totals(time, volts, amps)
    assert fine.energy_wh == pytest.approx(coarse.energy_wh, rel=1e-9, abs=1e-12)
    assert fine.charge_ah == pytest.approx(coarse.charge_ah, rel=1e-9, abs=1e-12)


@pytest.mark.parametrize("n", [2, BLOCK, BLOCK + 1, BLOCK + 2, 2 * BLOCK + 1])
def test_blocks_neither_lose_nor_repeat_an_interval(n):
    time = np.arange(n, dtype=float)
    assert charge_ah(time, np.ones(n)) == pytest.approx((n - 1) / 3600, rel=1e-12)


@pytest.mark.parametrize(
    ("time", "volts", "says"),
    [
        ([0, 1, 1], [1, 1, 1], "does not increase at reading 3"),
        ([0, 2, 1], [1, 1, 1], "reading 3"),
        ([0, 1, 2], [1, np.nan, 1], "Reading 2 is not a finite"),
        ([0, 1, 2], [1, 1], "3 times but 2 values"),
    ],
)
def test_says_at_which_reading_it_fails(time, volts, says):
    with pytest.raises(ReadingsError, match=says):
        energy_wh(np.array(time, float), np.array(volts, float), np.ones(len(volts)))


def test_joining_two_series_makes_up_no_data():
    """Each keeps its own times; at the other's times it is the straight line, so both charges stay as they were."""
    volts = Series(np.array([0.0, 10.0, 20.0]), np.array([13.0, 12.0, 12.5]))
    amps = Series(np.array([1.0, 9.0, 19.0]), np.array([1.0, 3.0, 2.0]))
    both = join(volts, amps)
    assert (both.time_s[0], both.time_s[-1]) == (1.0, 19.0)
    assert charge_ah(both.time_s, both.current_a) == pytest.approx(charge_ah(amps.time_s, amps.value))


def test_joining_needs_an_overlap():
    with pytest.raises(ReadingsError, match="not read at the same time"):
        join(Series(np.array([0.0, 1.0]), np.ones(2)), Series(np.array([5.0, 6.0]), np.ones(2)))
