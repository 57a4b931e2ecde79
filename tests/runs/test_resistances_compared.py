"""Resistances are held against each other only where they were read alike: as soon after the step, equally warm, equally charged."""

from __future__ import annotations

import numpy as np
import pytest

from tests.making import falling
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.logbook.logs.log_file import LogFile
from ubrant.runs.coming_in.bringing_in import LogOptions, from_log, keep, under_options
from ubrant.runs.studies.compare import compared_runs, pair_of


def run_of(logbook, name: str, ohm: float, celsius: float | None = 20.0, every_s: float = 10.0, full: bool | None = True) -> int:
    """A discharge that begins with a minute at rest, and sags at load-on by its resistance."""
    unit = logbook.keep_unit(Unit(name, "battery", "50 Ah 12.8 V LiFePO4"))
    body = falling(every_s=every_s)
    rest = np.arange(0.0, 60.0, every_s)
    time = np.concatenate((rest, body.time_s + 60.0))
    volts = np.concatenate((np.full(len(rest), 13.2 + 10.0 * ohm), body.voltage_v))
    amps = np.concatenate((np.zeros(len(rest)), body.current_a))
    options = LogOptions(
        said={"cutoff": "11 V"}, meters={"battery": Meter("M", "0.1 %", "0.5 % + 5 mA")}, unit=unit, full=full, temperature_c=celsius
    )
    return keep(logbook, under_options(from_log(LogFile(f"{name}.csv", time, volts, amps)), options), unit).id


def compared(logbook, **other):
    one, two = compared_runs(logbook, [run_of(logbook, "Pack A", 0.020), run_of(logbook, "Pack B", 0.030, **other)])
    return pair_of(one, two)


def test_read_alike_they_are_held_against_each_other(logbook):
    pair = compared(logbook, celsius=22.5)
    assert pair.differences["resistance"].difference.value == pytest.approx(0.010, abs=2e-4)
    assert "not held against" not in pair.settle


@pytest.mark.parametrize(
    ("other", "why"),
    [
        ({"celsius": 26.0}, "their temperatures are 6 °C apart"),
        ({"celsius": None}, "the battery's temperature is not known of both"),
        ({"every_s": 20.0}, "one is Resistance R(10 s), the other Resistance R(20 s)"),
        ({"full": None}, "that both were fully charged at the step is not known"),
    ],
)
def test_else_they_are_not_and_it_is_said_why(logbook, other, why):
    pair = compared(logbook, **other)
    assert not [key for key in pair.differences if key.startswith("resistance")]
    assert f"Their resistances are not held against each other: {why}." in pair.settle
    assert "charge" in pair.differences
