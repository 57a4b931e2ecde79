"""Degrees of freedom and guard bands, against worked examples outside the project."""

from __future__ import annotations

import math

import pytest
from scipy.stats import t as student

from tests.making import part
from ubrant.core.uncertainty.contributions import COVERAGE, combined, coverage, effective_dof
from ubrant.core.uncertainty.finding import Finding

H1 = (("standard", 25.0, 18), ("difference", 9.7, 25.6), ("expansion", 2.9, 50), ("temperatures", 16.6, 2))
"""JCGM 100 (the GUM), example H.1, end-gauge calibration: standard uncertainties in nm with their degrees of freedom. Values from memory."""


def test_the_end_gauge_of_the_gum():
    parts = tuple(part(name, u, nu) for name, u, nu in H1)
    assert combined(parts) == pytest.approx(32, abs=0.5)
    assert math.floor(effective_dof(parts)) == 16
    assert student.ppf(0.995, 16) * combined(parts) == pytest.approx(93, abs=1)  # U99 as printed there
    assert coverage(parts) == pytest.approx(student.ppf(0.977249868, 16), rel=1e-6)


def test_k_is_two_where_nothing_rests_on_repeats():
    assert coverage((part("limits", 1.0),)) == COVERAGE
    assert coverage((part("limits", 1.0), part("repeats", 0.01, 2))) == COVERAGE


@pytest.mark.parametrize(("nu", "k"), [(1, 13.97), (2, 4.53), (5, 2.65), (10, 2.28), (50, 2.05)])
def test_student_at_95_45_percent(nu, k):
    """JCGM 100, table G.2, column 95.45 %. Values from memory."""
    found = Finding("x", "X", 10.0, "V", (part("repeats", 1.0, nu),), "")
    assert found.expanded_uncertainty == pytest.approx(k, abs=0.01)
    assert "degrees of freedom" in found.budget()[-1]


@pytest.mark.parametrize("size", [1e-200, 1e200])
def test_size_alone_changes_nothing(size):
    """A spoilt reading may be of any size, and none ends in an overflow."""
    parts = tuple(part(name, u, nu) for name, u, nu in H1)
    scaled = tuple(part(name, u * size, nu) for name, u, nu in H1)
    assert combined(scaled) == pytest.approx(combined(parts) * size)
    assert effective_dof(scaled) == pytest.approx(effective_dof(parts))


def test_a_whole_number_of_degrees_is_not_rounded_down_by_the_last_digit():
    parts = tuple(part(f"{k}", u, 2) for k, u in enumerate((0.05, 0.0)))
    assert coverage(parts) == pytest.approx(4.53, abs=0.005)
    assert coverage((part("one", 0.0868, 2 - 1e-12),)) == pytest.approx(4.53, abs=0.005)


def test_less_than_one_degree_is_one():
    assert coverage((part("half", 1.0, 0.5),)) == coverage((part("one", 1.0, 1.0),)) < 20
