"""Propagation against draws of every error (JCGM 101, the Supplement 1 to the GUM): standard uncertainties agree within 5 %."""

from __future__ import annotations

import numpy as np
import pytest

from tests.making import PACK, STEP_DOWN, falling, prepared, record_for
from ubrant.core.equipment.meter import Meter
from ubrant.core.quantities.readings import Readings, Series
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.head import LOG, Conditions, Criteria, Origin, RunHeader, Setup
from ubrant.core.record.record import Record, record_of
from ubrant.methods.registry import method_of

DISCHARGE = method_of("discharge")


def discharged(readings: Readings, volts: str = "0.1 % + 3 mV", amps: str = "0.5 % + 5 mA", cutoff: float = 11.0) -> Record:
    head = RunHeader(
        "discharge",
        Setup(PACK, {"battery": Meter("Meter", volts, amps)}),
        {},
        Criteria(Cutoff(cutoff)),
        Conditions(20.0, full=True, checked=("share",)),
        Origin(LOG),
    )
    return record_of(
        head, {("battery", "V"): Series(readings.time_s, readings.voltage_v), ("battery", "A"): Series(readings.time_s, readings.current_a)}
    )


@pytest.mark.parametrize(
    "changes",
    [{}, {"volts": "1 % + 50 mV"}, {"amps": "2 % + 50 mA"}, {"amps": "0.1 %", "volts": "0.5 %"}, {"cutoff": 9.0}],
    ids=["good", "volts", "clamp", "fine", "no end"],
)
def test_standard_uncertainties_agree(changes):
    made = discharged(falling(every_s=60.0), **changes)
    found = DISCHARGE.account(made)
    drawn = DISCHARGE.simulate(made, 256)
    assert {one.key for one in drawn} >= {"charge", "energy", "duration"}
    for one in drawn:
        assert one.agrees, one.sentence()
        assert one.low < found.findings[one.key].value < one.high


SWEPT = {
    0.0: "12.00 V 0.0310 A output 5.080 V 0 A",
    60.0: "12.00 V 0.2620 A output 5.061 V 0.500 A",
    120.0: "12.00 V 0.4790 A output 5.043 V 1.000 A",
    180.0: "12.00 V 0.9280 A output 5.004 V 2.000 A",
    240.0: "12.00 V 1.4050 A output 4.962 V 3.000 A",
}
CASES = {
    "sweep by two meters": (
        "sweep",
        STEP_DOWN,
        (Meter("One", "0.5 % + 10 mV", "1 % + 5 mA"), Meter("Two", "0.3 % + 5 mV", "0.8 % + 4 mA")),
        SWEPT,
    ),
    "sweep by one": ("sweep", STEP_DOWN, (Meter("One", "0.5 % + 10 mV", "1 % + 5 mA"),), SWEPT),
    "idle draw": ("idle", STEP_DOWN, (Meter("One", "0.5 % + 10 mV", "1 % + 2 mA"),), {0.0: "skip", 10.0: "input 12.81 V 0.182 A"}),
}


@pytest.mark.parametrize("name", [pytest.param(n, marks=pytest.mark.slow if n == "sweep by two meters" else ()) for n in CASES])
def test_they_agree_in_every_method(name):
    key, unit, meters, lines = CASES[name]
    method = method_of(key)
    changes = {"inputs": "12 V", "loads": "0, 0.5, 1, 2, 3 A"} if key == "sweep" else {}
    made = record_for(key, prepared(key, unit, meters, **changes), lines=lines)
    account = method.account(made)
    assert not account.trouble
    drawn = method.simulate(made)
    assert drawn
    folds = {"headroom"}  # to the nearer of two limits: in the middle every error makes it less
    assert [one.sentence() for one in drawn if not one.agrees and one.key not in folds] == []


def test_where_propagation_fails_the_interval_of_the_draws_is_said():
    """A curve that is flat on one side of the cut-off and steep on the other has no one slope."""
    time = np.arange(0.0, 18_000.0, 60.0)
    volts = np.where(time < 12_000, 11.06 - 0.05 * (time / 12_000), 11.01 - 2.0 * (time - 12_000) / 6_000)
    made = discharged(Readings(time, volts, np.full(len(time), 10.0)), volts="0.3 %")
    drawn = {one.key: one for one in DISCHARGE.simulate(made)}
    assert not drawn["charge"].agrees
    assert "it lies between" in drawn["charge"].sentence()


def test_without_a_meter_there_is_nothing_to_draw():
    assert DISCHARGE.simulate(discharged(falling(every_s=60.0), amps="")) == ()


def test_the_same_draws_each_time():
    made = discharged(falling(every_s=60.0))
    assert DISCHARGE.simulate(made, 16) == DISCHARGE.simulate(made, 16)
