"""A draw is steady only where that was tested; a wave's distortion is not its noise."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.command_line import said, ubrant
from tests.trust.making import METER, discharge, judged, notes, value, write
from ubrant.core.conversion.waveform import analyse_wave

HEAD = "time (s),input voltage (V),input current (A)"
N = 400


def course(amps, seed=1):
    rng = np.random.default_rng(seed)
    time = 5.0 * np.arange(N)
    return list(zip(time, 12.8 + rng.normal(0, 0.002, N), amps(time) + rng.normal(0, 0.002, N), strict=True))


def idle(folder, rows, *more):
    return said(write(folder, rows, HEAD), "--method", "idle", *METER, *more)


def refusal(folder, rows):
    done = ubrant("analyse", write(folder, rows, HEAD), "--method", "idle", *METER)
    assert done.returncode == 2
    return done.stderr


def test_one_level_is_its_draw(tmp_path):
    assert value(idle(tmp_path, course(lambda t: 0.2 + 0 * t)), "idle_power") == pytest.approx(2.56, abs=0.02)


@pytest.mark.parametrize("to", [0.3, 0.5, 2.0])
def test_a_ramp_is_called_one(tmp_path, to):
    assert "It is not steady: it goes from" in refusal(tmp_path, course(lambda t: 0.2 + (to - 0.2) * t / t[-1]))


@pytest.mark.parametrize(("period", "on"), [(300, 30), (200, 60), (100, 50)])
def test_bursts_are_called_that_with_the_mean_of_whole_periods(tmp_path, period, on):
    found = idle(tmp_path, course(lambda t: np.where((t + 40) % period < on, 5.0, 0.2)))
    true = 12.8 * (5.0 * on / period + 0.2 * (1 - on / period))
    assert value(found, "idle_power") == pytest.approx(true, rel=0.02)
    assert any("It draws in bursts" in w for w in found["warnings"])


def test_two_levels_one_after_the_other_are_no_one_draw(tmp_path):
    assert "two levels" in refusal(tmp_path, course(lambda t: np.where(t < 1500, 0.2, 8.0)))


def test_a_zero_on_either_side_of_nothing_is_below_what_the_meter_shows(tmp_path):
    found = idle(tmp_path, course(lambda t: -0.003 + 0 * t))
    assert "anywhere up to" in found["sentence"]


def test_a_clamp_that_was_turned_is_said(tmp_path):
    found = idle(tmp_path, course(lambda t: -0.2 + 0 * t))
    assert value(found, "idle_power") == pytest.approx(2.56, abs=0.02)
    assert any("the other way round" in w for w in found["warnings"])


@pytest.mark.parametrize(("amps", "volts", "says"), [(200.0, 12.8, "milliamperes"), (12.8, 0.2, "swapped")])
def test_what_cannot_be_a_draw_of_nothing(tmp_path, amps, volts, says):
    rows = [(t, volts, amps) for t, _, _ in course(lambda t: 0 * t)]
    assert says in refusal(tmp_path, rows)


@pytest.mark.parametrize("slip", ["0.62 mA", "6.2 A", "62 A"])
def test_a_typo_is_no_economy_setting(tmp_path, slip):
    path = notes(
        tmp_path, "@09:00 skip", "@09:05 input 12.8 V 0.62 A", f"@09:06 input 12.8 V {slip}", label="12 V to 230 V, 300 W", method="idle"
    )
    done = ubrant("analyse", path)
    assert done.returncode == 2
    assert (
        "one of them is a slip, or it has two settings" in done.stderr or "more than the 300 W" in done.stderr or "cannot be" in done.stderr
    )


def test_an_economy_setting_is_one_where_it_is_said(tmp_path):
    lines = ("@09:00 skip", "@09:05 input 12.8 V 0.62 A", "@09:06 input 12.8 V 0.06 A economy")
    found = said(notes(tmp_path, *lines, label="12 V to 230 V, 300 W", method="idle"))
    assert value(found, "idle_power_economy") == pytest.approx(0.768, abs=0.01)


def test_on_ac_volts_times_amperes_are_not_watts(tmp_path):
    done = ubrant("analyse", notes(tmp_path, "@09:00 230 V 2 A on", label="230 V", method="appliance"))
    assert "volts × amperes is not watts" in done.stderr


def wave(noise, harmonic=0.0, jitter=0.0, seed=3):
    rng = np.random.default_rng(seed)
    time = np.linspace(0, 0.1, 2500)
    phase = 2 * math.pi * 50 * time + jitter * np.cumsum(rng.normal(0, 1, len(time)))
    return time, 325 * (np.sin(phase) + harmonic * np.sin(3 * phase)) + rng.normal(0, 325 * noise, len(time))


def test_noise_is_no_distortion():
    found = analyse_wave(*wave(0.01)).findings
    assert found["thd"].value < 0.5
    assert "below the floor" in found["thd"].working
    assert found["thd_n"].value == pytest.approx(100 * 0.01 * math.sqrt(2), rel=0.25)


def test_distortion_is_found_beneath_noise():
    thd = analyse_wave(*wave(0.01, harmonic=0.03)).findings["thd"]
    assert abs(thd.value - 3.0) < thd.expanded_uncertainty < 0.3


def test_what_noise_adds_to_the_harmonics_is_taken_off():
    found = [analyse_wave(*wave(0.02, harmonic=0.01, seed=seed)).findings["thd_40"].value for seed in range(30)]
    assert np.mean(found) == pytest.approx(1.0, abs=0.035)


def test_an_unsteady_frequency_has_no_harmonics():
    found = analyse_wave(*wave(0.001, jitter=0.02)).findings
    assert found["thd"].value is None or found["thd"].expanded_uncertainty > 1.0


def test_a_log_written_on_change_is_held_and_not_joined(tmp_path):
    """A row where something changed: 10 A from 600 s, 5 A from 4200 s, 10 A again from 11 400 s."""
    rows = [(0, 13.5, 0), (600, 13.2, 10), (640, 13.15, 10), (700, 13.12, 10), (4200, 13.05, 5), (4230, 13.06, 5), (11_400, 12.95, 10)]
    rows += [(11_450, 12.94, 10), (14_000, 12.9, 10), (14_020, 12.89, 10), (16_000, 12.8, 10), (18_000, 13.1, 0)]
    found = judged(tmp_path, rows)
    assert value(found, "charge") == pytest.approx((10 * 3600 + 5 * 7200 + 10 * 6600) / 3600, rel=1e-3)
    assert any("written where something changed" in w for w in found["warnings"])


def test_a_log_at_a_fixed_pace_is_joined(tmp_path):
    found = judged(tmp_path, discharge())
    assert not any("written where something changed" in w for w in found["warnings"])


def test_two_readings_of_one_draw_that_differ_are_in_its_uncertainty(tmp_path):
    lines = ("@09:00 skip", "@09:05 input 12.80 V 0.620 A", "@09:06 input 12.80 V 0.580 A")
    found = said(notes(tmp_path, *lines, label="12 V to 230 V, 300 W", method="idle"))
    assert value(found, "idle_power") == pytest.approx(7.68, abs=0.01)
    assert found["findings"]["idle_power"]["expanded_uncertainty"] > 2 * 0.02 * 12.8 / 3**0.5
