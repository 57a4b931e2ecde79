"""Two meters at one place. Criterion: JCGM 100, the difference against the expanded uncertainty of both; values from memory."""

from __future__ import annotations

import numpy as np
import pytest

from ubrant.core.quantities.accuracy import parse_accuracy
from ubrant.core.uncertainty.second_meter import disagreement

GOOD, ROUGH = parse_accuracy("0.1 % + 2 mV", "V"), parse_accuracy("1 % + 20 mV", "V")
VOLTS = np.linspace(13.0, 11.0, 50)


def test_two_that_are_further_apart_than_both_may_be():
    said = disagreement(VOLTS, VOLTS + 0.12, "V", GOOD, GOOD, "Panel meter at the input")
    assert said.startswith("Panel meter at the input shows 0.12 V more at ")
    assert "check the volts of both against a third" in said
    assert "less" in disagreement(VOLTS, VOLTS - 0.1, "V", GOOD, GOOD)


@pytest.mark.parametrize("shift, apart", [(0.9, False), (1.1, True)])
def test_the_limit_is_both_in_quadrature(shift, apart):
    """u = √((0.001·12)² + 0.002²)/√3 and √((0.01·12)² + 0.02²)/√3: U of the difference 0.14114 V, worked by hand."""
    twelve = np.full(5, 12.0)
    assert bool(disagreement(twelve, twelve + shift * 0.14114, "V", GOOD, ROUGH)) is apart


def test_one_that_is_not_known_is_taken_as_good_as_ours():
    assert disagreement(VOLTS, VOLTS + 0.015, "V", GOOD) == ""
    assert disagreement(VOLTS, VOLTS + 0.05, "V", GOOD) != ""
    assert disagreement(VOLTS, VOLTS + 5.0, "V", None) == ""


def test_single_moments_and_missing_readings_do_not_count():
    other = VOLTS.copy()
    other[::5] += 3.0
    other[1::5] = np.nan
    assert disagreement(VOLTS, other, "V", GOOD, GOOD) == ""
    assert disagreement(VOLTS[:1], VOLTS[:1] + 1, "V", GOOD, GOOD) == ""
