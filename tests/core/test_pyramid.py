"""A series at many scales: grown bit by bit it is as if made at once; only what truly is the same column is gone on with."""

from __future__ import annotations

import numpy as np
import pytest

from ubrant.core.quantities.readings import Series
from ubrant.core.record.pyramid import Pyramid


@pytest.mark.parametrize("steps", [(5000, 5001, 5007, 5008, 5009, 9000), (100, 4097, 40_000, 40_001), (33_000, 33_333, 70_000, 100_000)])
def test_grown_bit_by_bit_it_is_as_if_made_at_once(steps):
    time, value = np.arange(100_000.0), np.random.default_rng(2).normal(0, 1, 100_000)
    grown = Pyramid(Series(time[: steps[0]], value[: steps[0]]))
    for n in steps:
        longer = Series(time[:n], value[:n])
        assert grown.goes_on(longer)
        grown.extend(longer)
        fresh = Pyramid(longer)
        assert len(grown._levels) == len(fresh._levels)
        for (a, b), (c, d) in zip(grown._levels, fresh._levels, strict=True):
            assert np.array_equal(a, c)
            assert np.array_equal(b, d)
        for span in ((0, n), (n / 3, n / 2), (n - 50, n)):
            one, other = (p.view(*span, 300) for p in (grown, fresh))
            assert np.array_equal(one.value, other.value)


def test_another_column_is_not_taken_for_the_same_one():
    time, value = np.arange(9000.0), np.zeros(9000)
    known = Pyramid(Series(time[:5000], value[:5000]))
    assert not known.goes_on(Series(time[:6000].copy(), value[:6000]))
    assert not known.goes_on(Series(time[1:6001], value[1:6001]))
    assert not known.goes_on(Series(time[:4000], value[:4000]))
    assert not Pyramid(Series(time[:0], value[:0])).goes_on(Series(time[:10], value[:10]))
