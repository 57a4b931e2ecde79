"""Findings of a discharge."""

from dataclasses import replace

import numpy as np
import pytest

from tests.making import crossing_s, falling
from tests.methods.discharge.making import record
from ubrant.core.quantities.readings import Readings, ReadingsError
from ubrant.core.record.cutoff import Cutoff
from ubrant.methods.discharge.higher import charge_to, charges_to_higher
from ubrant.methods.discharge.sums import analyse


def figures(found):
    return {key: f.value for key, f in found.findings.items()}


def test_figures_of_a_constant_current_discharge():
    found = analyse(record())
    end = crossing_s(5, 10.5, 11.0)
    assert found.ended_by == "cut-off"
    assert figures(found)["duration"] == pytest.approx(end, abs=0.5)
    assert figures(found)["charge"] == pytest.approx(10 * end / 3600, rel=1e-4)
    assert figures(found)["label_share"] == pytest.approx(100 * 10 * end / 3600 / 50, rel=1e-4)
    assert figures(found)["mean_voltage"] == pytest.approx(figures(found)["energy"] / figures(found)["charge"])
    assert figures(found)["c_rate"] == pytest.approx(0.2, rel=1e-6)


def test_rest_before_and_after_is_not_charge_but_is_shown():
    body = falling()
    time = np.concatenate(([0.0, 30.0], body.time_s + 60.0, [body.time_s[-1] + 120.0, body.time_s[-1] + 600.0]))
    volts = np.concatenate(([13.6, 13.6], body.voltage_v, [12.1, 12.4]))
    amps = np.concatenate(([0.0, 0.0], body.current_a, [0.0, 0.0]))
    found = analyse(record(Readings(time, volts, amps)))
    assert found.load_on_s == 45.0  # half way between the last reading at rest and the first under load
    assert figures(found)["duration"] == pytest.approx(crossing_s(5, 10.5, 11.0) + 15.0, abs=0.5)
    assert figures(found)["c_rate"] == pytest.approx(0.2, rel=1e-6)
    assert (figures(found)["rest_before"], figures(found)["rest_after"]) == (13.6, 12.4)


def test_current_logged_the_other_way_round():
    body = falling()
    found = analyse(record(replace(body, current_a=-body.current_a)))
    assert figures(found)["charge"] == pytest.approx(figures(analyse(record()))["charge"])
    assert any("other way round" in w for w in found.warnings)


def test_known_moment_of_load_on_counts_no_ramp():
    """The engine knows when it switched: what lies between the last resting reading and that moment is nothing."""
    body = falling()
    time = np.concatenate(([0.0], body.time_s + 100.0))
    readings = Readings(time, np.concatenate(([13.6], body.voltage_v)), np.concatenate(([0.0], body.current_a)))
    exact = figures(analyse(record(readings, load_on_s=100.0, ended="cut-off")))["charge"]
    guessed = analyse(record(readings))
    assert exact == pytest.approx(figures(analyse(record()))["charge"])
    assert guessed.findings["charge"].value > exact
    assert abs(guessed.findings["charge"].value - exact) < guessed.findings["charge"].expanded_uncertainty


def test_a_pause_is_not_duration():
    body = falling()
    amps = np.where((body.time_s > 5000) & (body.time_s < 5600), 0.0, body.current_a)
    found = analyse(record(replace(body, current_a=amps)))
    assert figures(found)["duration"] == pytest.approx(crossing_s(5, 10.5, 11.0) - 600, abs=11)
    assert "with the load off" in found.findings["duration"].working


def test_higher_cutoffs_from_the_same_run():
    lower, higher = charge_to(record(), 11.0), charge_to(record(), 12.0)
    assert higher.value == pytest.approx(10 * crossing_s(5, 10.5, 12.0) / 3600, rel=1e-4)
    assert higher.value < lower.value
    assert charge_to(record(), 10.0) is None


def test_a_few_round_cutoffs_above_the_runs_own():
    found = charges_to_higher(record(), 12.97)
    assert [volts for volts, _ in found] == [11.5, 12.0, 12.5]
    charges = [charge.value for _, charge in found]
    assert charges == sorted(charges, reverse=True)
    assert charges[1] == pytest.approx(10 * crossing_s(5, 10.5, 12.0) / 3600, rel=1e-4)
    assert charges_to_higher(record(cutoff=None), 12.9) == []


def test_the_resting_voltage_says_how_full_it_started():
    body = falling()
    readings = Readings(
        np.concatenate(([0.0], body.time_s + 60)), np.concatenate(([13.4], body.voltage_v)), np.concatenate(([0.0], body.current_a))
    )
    lines = analyse(record(readings, load_on_s=60.0, ended="cut-off")).findings["rest_before"].arithmetic
    assert "If it had rested 1 h, by the iron phosphate chart: about 99 % by resting voltage" in lines[1]


def test_a_run_to_a_higher_cutoff_is_at_least_so_much_to_a_lower_one():
    short = falling(hours=4.7, end_v=11.2)
    found = analyse(record(short, cutoff=Cutoff(11.0), ended="cut-off", load_on_s=0.0))
    assert (found.ended_by, found.verdict.word) == ("a higher cut-off", "cannot tell")
    assert "at least" in found.verdict.sentence
    reached = analyse(record(short, cutoff=Cutoff(11.3), ended="protection", load_on_s=0.0))
    assert reached.ended_by == "cut-off"


def test_gaps_are_reported_and_widen_the_uncertainty():
    body = falling()
    keep = (body.time_s < 8000) | (body.time_s > 9000)
    amps = 10 + 0.5 * np.sin(body.time_s / 50)
    whole, holed = Readings(body.time_s, body.voltage_v, amps), Readings(body.time_s[keep], body.voltage_v[keep], amps[keep])
    found, complete = analyse(record(holed)), analyse(record(whole))
    assert [(g.from_s, g.to_s) for g in found.gaps] == [(7990.0, 9010.0)]
    assert any("% of the charge lies there" in w for w in found.warnings)
    assert found.findings["charge"].expanded_uncertainty > complete.findings["charge"].expanded_uncertainty
    assert "one gap bridged" in found.findings["charge"].working


def test_without_accuracy_there_is_no_doubt_shown():
    found = analyse(record(current_accuracy=None))
    assert found.findings["charge"].expanded_uncertainty is None
    assert found.findings["charge"].uncertainty_text() == "no ±"


def test_working_can_be_checked_on_paper():
    charge = analyse(record()).findings["charge"]
    amps, hours, result = (float(x) for x in (charge.arithmetic[1].split()[k] for k in (1, 4, 7)))
    assert amps * hours == pytest.approx(result, rel=1e-4)
    assert any("÷ √3" in line for line in charge.budget())
    assert charge.budget()[-1].startswith("U = 2 ×")


@pytest.mark.parametrize(
    ("readings", "says"),
    [
        (Readings(np.array([0.0]), np.array([12.0]), np.array([1.0])), "Fewer than two"),
        (Readings(np.arange(3.0), np.full(3, 12.0), np.zeros(3)), "No current flows"),
        (Readings(np.array([0.0, 2.0, 1.0]), np.full(3, 12.0), np.ones(3)), "does not increase at reading 3"),
    ],
)
def test_says_why_nothing_can_be_said(readings, says):
    with pytest.raises(ReadingsError, match=says):
        analyse(record(readings))


def test_a_charge_is_not_taken_for_a_discharge():
    body = falling()
    with pytest.raises(ReadingsError, match="this is a charge, not a discharge"):
        analyse(record(replace(body, voltage_v=body.voltage_v[::-1].copy()), cutoff=Cutoff(9.0)))


def test_a_meter_that_shows_current_at_rest_does_not_move_load_on():
    """A clamp meter with a zero error over 5 % of a small load: the engine's own moments count, not the current."""
    body = falling(hours=20, amps=0.36, every_s=60.0)
    time = np.concatenate(([0.0, 60.0], body.time_s + 120.0, [body.time_s[-1] + 240.0, body.time_s[-1] + 900.0]))
    volts = np.concatenate(([12.8, 12.8], body.voltage_v, [11.6, 11.8]))
    amps = np.concatenate(([0.0, 0.0], body.current_a, [0.0, 0.0])) + 0.04
    off = 120.0 + crossing_s(20, 10.5, 11.0) + 60.0
    found = analyse(record(Readings(time, volts, amps), load_on_s=120.0, load_off_s=off, ended="cut-off"))
    assert (found.load_on_s, figures(found)["rest_before"], figures(found)["rest_after"]) == (120.0, 12.8, 11.8)
    assert figures(found)["duration"] == pytest.approx(crossing_s(20, 10.5, 11.0), abs=1)


def test_current_that_was_logged_negative_counts_whole_also_where_the_switching_was_recorded():
    body = falling(every_s=60.0)
    turned = Readings(body.time_s, body.voltage_v, -body.current_a)
    known = {"load_on_s": 600.0, "load_off_s": 15_000.0, "cutoff": None}
    one, other = analyse(record(body, **known)), analyse(record(turned, **known))
    assert other.findings["charge"].value == pytest.approx(one.findings["charge"].value)
    assert any("negative" in said for said in other.warnings)
