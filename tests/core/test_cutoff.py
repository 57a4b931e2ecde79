"""When the cut-off was reached."""

import numpy as np
import pytest

from ubrant.core.quantities.readings import Readings
from ubrant.core.record.cutoff import Cutoff, find_crossing
from ubrant.core.record.scan import scan


def crossing(volts, amps=None, every_s=1.0, hold_s=1.0, tolerance_v=0.0):
    volts = np.array(volts, float)
    amps = np.full_like(volts, 10.0) if amps is None else np.array(amps, float)
    on = np.flatnonzero(amps > 0.5)
    readings = Readings(np.arange(len(volts)) * every_s, volts, amps)
    return find_crossing(scan(readings), Cutoff(11.0, hold_s), int(on[0]), int(on[-1]), 0.5, tolerance_v)


def test_found_between_two_readings():
    found = crossing([11.3, 11.1, 10.9, 10.7, 10.5])
    assert found.time_s == pytest.approx(1.5)
    assert found.how == "log ends below"


@pytest.mark.parametrize("every_s", [0.1, 1.0, 7.0])
def test_does_not_depend_on_the_sample_rate(every_s):
    time = np.arange(0, 1000, every_s)
    readings = Readings(time, 12.0 - 0.002 * time, np.full_like(time, 5.0))
    assert find_crossing(scan(readings), Cutoff(11.0), 0, len(time) - 1, 0.2).time_s == pytest.approx(500, abs=1e-6)


def test_a_dip_shorter_than_the_hold_is_not_the_end():
    dip = [11.5] * 5 + [10.9] + [11.4] * 5 + [11.2, 10.8, 10.6, 10.4, 10.2]
    assert crossing(dip, hold_s=3.0).time_s == pytest.approx(11.5)
    assert crossing(dip, hold_s=0.3).time_s == pytest.approx(4.8333, abs=1e-3)


def test_a_load_that_goes_off_and_lets_the_voltage_rebound_has_reached_it():
    found = crossing([11.4, 11.2, 10.95, 11.9, 12.0], [10, 10, 10, 0, 0], hold_s=5.0)
    assert (found.how, found.time_s) == ("load went off", pytest.approx(1.8))


def test_reached_between_the_last_reading_and_load_off():
    """The load cut off at 11 V between two readings, so none of them is below."""
    found = crossing([11.4, 11.3, 11.2, 11.1, 11.9], [10, 10, 10, 10, 0], tolerance_v=0.01)
    assert found.time_s == pytest.approx(4.0)
    assert crossing([11.4, 11.39, 11.38, 11.37, 11.9], [10, 10, 10, 10, 0]) is None


def test_never_reached():
    assert crossing([12.0, 11.9, 11.8]) is None


def test_a_watch_counts_the_hold_afresh_after_a_rebound():
    watch = Cutoff(11.0, 2.0).watch()
    seen = [watch.reached(t, v) for t, v in enumerate([11.2, 10.9, 11.1, 10.9, 10.8, 10.7])]
    assert seen == [False, False, False, False, False, True]
