"""Resistance at a step: named by its time, free of the open-circuit slope, questioned where it is the leads'."""

from __future__ import annotations

import numpy as np
import pytest

from ubrant.core.battery.resistance import resistance_findings, sag_at_leads
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.readings import Readings

VOLTS, AMPS = Accuracy(0.0, 0.0, "V"), Accuracy(0.0, 0.0, "A")


def found(every, ohm=0.02, amps=10.0, slope=0.0, slow=0.0, levels=(0.0, 10.0)):
    """A step from one level to the other after 20 readings; ``slow`` Ω come in with 30 s, and its open-circuit voltage falls under load."""
    time = np.arange(0, 220) * every
    current = np.where(np.arange(220) < 20, levels[0], levels[1])
    since = np.maximum(time - time[19], 0.0)
    volts = 13.0 - ohm * current - slope * since - slow * (levels[1] - levels[0]) * (1 - np.exp(-since / 30.0))
    return {f.key: f for f in resistance_findings(Readings(time, volts, current), time[20], VOLTS, AMPS)}


def test_it_is_named_by_the_time_it_was_read_after_the_step():
    by_second = found(1.0, slow=0.01)
    assert by_second["resistance"].name == "Resistance R(1 s)"
    assert by_second["resistance_10s"].name == "Resistance R(10 s)"
    assert by_second["resistance"].value == pytest.approx(0.02 + 0.01 * (1 - np.exp(-1 / 30)), rel=0.01)
    assert by_second["resistance_10s"].value == pytest.approx(0.02 + 0.01 * (1 - np.exp(-10 / 30)), rel=0.01)
    by_minute = found(60.0)
    assert by_minute["resistance"].name == "Resistance R(60 s)"
    assert "resistance_10s" not in by_minute


def test_between_two_levels_there_is_one_too():
    assert found(1.0, levels=(2.0, 8.0))["resistance"].value == pytest.approx(0.02, rel=1e-6)


def test_what_the_open_circuit_voltage_falls_is_taken_off_and_stays_in_the_uncertainty():
    slope = 1e-4  # 6 mV from one reading to the next
    read = found(60.0, slope=slope)["resistance"]
    assert read.value == pytest.approx(0.02 + 0.5 * slope * 60 / 10, rel=1e-3)
    assert any("open-circuit" in c.source.of for c in read.contributions)
    assert read.expanded_uncertainty > 0.5 * slope * 60 / 10


@pytest.mark.parametrize(("ohm", "asked"), [(0.02, False), (0.2, True)])
def test_a_sag_of_many_times_the_usual_asks_for_the_leads(ohm, asked):
    sentence = sag_at_leads(found(1.0, ohm=ohm)["resistance"], 0.0144)
    assert bool(sentence) == asked
    if asked:
        assert "0.20 Ω" in sentence or "200 mΩ" in sentence
        assert "at the leads" in sentence
