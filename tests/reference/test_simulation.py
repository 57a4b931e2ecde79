"""Propagation against draws of every error (JCGM 101, the Supplement 1 to the GUM): standard uncertainties agree within 5 %."""

from __future__ import annotations

import numpy as np
import pytest

from tests.making import falling
from tests.methods.discharge.making import record
from ubrant.core.quantities.accuracy import parse_accuracy
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.readings import Readings
from ubrant.methods.discharge.simulation import simulate
from ubrant.methods.discharge.sums import analyse


@pytest.mark.parametrize(
    "changes",
    [
        {},
        {"voltage_accuracy": parse_accuracy("1 % + 50 mV", "V")},
        {"current_accuracy": parse_accuracy("2 % + 50 mA", "A")},
        {"current_accuracy": parse_accuracy("0.1 %", "A"), "voltage_accuracy": parse_accuracy("0.5 %", "V")},
        {"cutoff": Cutoff(9.0)},
    ],
    ids=["good", "volts", "clamp", "fine", "no end"],
)
def test_standard_uncertainties_agree(changes):
    data = record(falling(every_s=60.0), **changes)
    found = analyse(data)
    drawn = simulate(data, found)
    assert [one.key for one in drawn] == ["charge", "energy", "duration"]
    for one in drawn:
        assert one.agrees, one.sentence()
        assert one.low < found.findings[one.key].value < one.high


def test_where_propagation_fails_the_interval_of_the_draws_is_said():
    """A curve that is flat on one side of the cut-off and steep on the other has no one slope."""
    time = np.arange(0.0, 18_000.0, 60.0)
    volts = np.where(time < 12_000, 11.06 - 0.05 * (time / 12_000), 11.01 - 2.0 * (time - 12_000) / 6_000)
    data = record(Readings(time, volts, np.full(len(time), 10.0)), voltage_accuracy=parse_accuracy("0.3 %", "V"), checked=("share",))
    drawn = {one.key: one for one in simulate(data, analyse(data))}
    assert not drawn["charge"].agrees
    assert "it lies between" in drawn["charge"].sentence()


def test_without_a_meter_there_is_nothing_to_draw():
    data = record(current_accuracy=None)
    assert simulate(data, analyse(data)) == ()


def test_the_same_draws_each_time():
    data = record(falling(every_s=60.0))
    assert simulate(data, analyse(data)) == simulate(data, analyse(data))
