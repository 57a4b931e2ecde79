"""A meter's checks: control limits, drift, what is due; pairs of meters corrected."""

from __future__ import annotations

import math
from datetime import date

import numpy as np
import pytest
from scipy.stats import t as student

from ubrant.core.equipment.certificates import MeterCheck, checks_from
from ubrant.core.equipment.meter import MeterDetails, details_from
from ubrant.core.meter_checks.checks import check_of, control_chart, control_limits, drift_a_year, drifted, remarks
from ubrant.core.meter_checks.display_check import check_display
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.uncertainty.value import rectangular


def check(year: int, percent: float, u: float = 0.02, unit: str = "A") -> MeterCheck:
    return MeterCheck(f"{year}-03-01T00:00:00+00:00", "Bench", unit, 10.0, percent / 10, u, 1.0, 0.0, "1 %")


def test_limits_of_a_control_chart():
    """Under twenty s·t·√(1 + 1/n), from then on k = 2: after JCGM 100 G.3, prediction of one more observation; SciPy's t."""
    values = [0.1, 0.3, 0.2, 0.15, 0.25]
    centre, half = control_limits(values)
    assert centre == pytest.approx(0.2)
    assert half == pytest.approx(np.std(values, ddof=1) * student.ppf(0.5 + 0.954499736 / 2, 4) * math.sqrt(1.2), rel=1e-6)
    many = list(np.linspace(-1, 1, 20))
    assert control_limits(many)[1] == pytest.approx(np.std(many, ddof=1) * 2 * math.sqrt(1 + 1 / 20))
    assert control_limits([0.1]) is None


def test_it_drifted_or_it_did_not():
    history = [check(2020 + k, p) for k, p in enumerate((0.10, 0.14, 0.08, 0.12))]
    assert drifted(history, check(2025, 0.13)) == ""
    assert "It has drifted: 1.0 % off" in drifted(history, check(2025, 1.0))
    assert drifted(history, check(2025, 0.3, u=0.5)) == ""  # the check itself may be off by as much
    assert drifted([], check(2025, 5.0)) == ""
    assert "1 checks before" in drifted(history[:1], check(2025, 5.0))


def test_drift_a_year_and_what_is_said_before_a_run():
    history = [check(2020 + k, 0.1 + 0.2 * k) for k in range(5)]
    slope, u = drift_a_year(history, "A")
    assert slope == pytest.approx(0.2, rel=0.01)
    assert u < 0.01
    assert drift_a_year(history, "V") is None
    jumped = [*(check(2020 + k, 0.1 + 0.01 * (k % 2)) for k in range(4)), check(2025, 2.0)]
    said = remarks("Clamp", jumped, "2025-06-01", date(2026, 1, 1))
    assert said[0].startswith("Clamp, A, checked on 2025-03-01: It has drifted")
    assert said[1] == "Clamp: its check was due on 2025-06-01."
    assert remarks("Clamp", history[:1], "2027-01-01", date(2026, 1, 1)) == []
    assert control_chart(jumped, "A").told == "5 checks, the last 2 % off"
    assert control_chart(jumped[:1], "A") is None


def test_checks_are_kept_with_the_meter():
    details = MeterDetails(checks=(check(2024, 0.1), check(2023, 0.2)), due="2027-01-01")
    again = details_from(details.to_json())
    assert [one.made[:4] for one in again.checks] == ["2023", "2024"]
    assert again.due == "2027-01-01"
    assert checks_from([{"made": "2024-01-01"}]) == ()


def test_pairs_of_meters_checked_and_corrected(share):
    """200 pairs: a later reading, corrected, lies inside what the correction says it is good for in 92 %."""
    rng = np.random.default_rng(12)
    inside = []
    for _ in range(200 if share == 1.0 else 100):
        reference = Accuracy(rng.uniform(0.0005, 0.005), rng.uniform(0.001, 0.02), "A")
        gain, zero = 1 + rng.uniform(-0.03, 0.03), rng.uniform(-0.05, 0.05)
        ref_gain, ref_zero = 1 + rng.uniform(-reference.gain, reference.gain), rng.uniform(-reference.zero, reference.zero)
        digit = 10.0 ** -int(rng.integers(1, 4))
        true = np.sort(rng.uniform(0.5, 15, int(rng.integers(2, 9))))
        shown = np.round((true * gain + zero) / digit) * digit
        found = check_display(shown, true * ref_gain + ref_zero, reference, digit)
        later = rng.uniform(true.min(), true.max())
        corrected = found.gain * round((later * gain + zero) / digit) * digit + found.zero
        u = math.hypot(rectangular(found.accuracy.gain) * later, rectangular(found.accuracy.zero), rectangular(digit / 2))
        inside.append(abs(corrected - later) <= 2 * u)
    print(f"{100 * np.mean(inside):.1f} % inside")
    assert np.mean(inside) >= 0.92


def test_a_check_is_of_the_meter_as_it_reads_without_its_correction():
    shown, metered = np.array([1.0, 5.15, 10.3]), np.array([1.0, 5.0, 10.0])
    found = check_display(shown, metered, Accuracy(0.002, 0.005, "A"), 0.01)
    made = check_of(found, shown, metered, 0.002, "A", "Bench", "2026-01-01")
    assert (made.at, made.off, made.percent) == (5.0, pytest.approx(0.15), pytest.approx(3.0))
    assert made.gain == found.gain
