"""Gaps: found, bridged, paid for."""

import numpy as np
import pytest

from tests.making import falling
from ubrant.core.quantities.readings import Readings
from ubrant.core.record.gaps import find_gaps
from ubrant.core.record.scan import scan


def without(readings: Readings, start: float, end: float) -> Readings:
    keep = (readings.time_s <= start) | (readings.time_s >= end)
    return Readings(readings.time_s[keep], readings.voltage_v[keep], readings.current_a[keep])


def gaps_of(readings: Readings):
    return find_gaps(scan(readings), 0, len(readings) - 1, 0.5)


def test_an_interval_over_five_typical_ones_is_a_gap():
    whole = falling()
    assert gaps_of(without(whole, 6000, 6050)) == ()
    (gap,) = gaps_of(without(whole, 6000, 6060))
    assert (gap.from_s, gap.to_s, gap.charge_ah) == (6000, 6060, pytest.approx(10 * 60 / 3600))


def test_uncertainty_is_what_the_current_did_on_both_sides():
    """Current between 9 and 11 A near a 600 s gap: 600 s × 2 A ÷ 2, rectangular."""
    whole = falling()
    amps = 10 + np.sin(whole.time_s / 40.0)
    swinging = without(Readings(whole.time_s, whole.voltage_v, amps), 6000, 6600)
    (gap,) = gaps_of(swinging)
    assert gap.charge_half_ah == pytest.approx(600 / 3600 * 2 / 2, rel=0.02)
    assert not gap.may_have_stopped


def test_a_voltage_that_came_back_higher_means_the_load_may_have_stopped():
    whole = falling()
    volts = whole.voltage_v + np.where(whole.time_s >= 6600, 0.2, 0.0)
    (gap,) = gaps_of(without(Readings(whole.time_s, volts, whole.current_a), 6000, 6600))
    assert gap.may_have_stopped
    assert gap.charge_half_ah == pytest.approx(600 / 3600 * 10 / 2)
