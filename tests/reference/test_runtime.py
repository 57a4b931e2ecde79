"""Runtime against facts of the trade and the uncertainties package."""

from __future__ import annotations

import math

import pytest
from uncertainties import ufloat

from ubrant.core.battery.outlook import Outlook, Width, runtime, to_buy


def test_a_station_and_a_fridge():
    """1 500 Wh running a fridge for 33 h is 45 W: common practice, no source."""
    assert runtime(Outlook(1500.0, 0.0, "", Width(45.0))).value == pytest.approx(33, abs=0.5)


def test_a_small_load_through_an_inverter_costs_more_than_twice():
    """A 6 W device through an inverter that idles at about 0.6 A × 12 V costs more than twice: common practice, no source."""
    direct, through = Outlook(500.0, 0.0, "", Width(6.0)), Outlook(500.0, 0.0, "", Width(6.0), Width(0.9), Width(7.2))
    assert runtime(direct).value / runtime(through).value > 2


def test_the_band_matches_the_uncertainties_package():
    root3 = math.sqrt(3)
    energy, load, eta, idle, coming = (
        ufloat(682, 1.7),
        ufloat(62, 2 / root3),
        ufloat(0.88, 0.02 / root3),
        ufloat(6, 1 / root3),
        ufloat(10, 3 / root3),
    )
    reference = energy * 0.9 / (load / eta + idle - coming)
    outlook = Outlook(682.0, 1.7, "", Width(62, 2), Width(0.88, 0.02), Width(6, 1), Width(10, 3), kept_back=0.1)
    answer = runtime(outlook)
    assert answer.value == pytest.approx(reference.nominal_value, rel=1e-12)
    assert answer.expanded_uncertainty == pytest.approx(2 * reference.std_dev, rel=1e-9)
    size = 5 * (load / eta + idle - coming) / 0.9
    assert to_buy(outlook, 5.0).value == pytest.approx(size.nominal_value, rel=1e-12)
