"""Waveforms on the command line, good and bad."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.command_line import said, ubrant


def wave(tmp_path, volts, time=None, head="Time (s),Voltage (V)\n"):
    time = np.arange(len(volts)) * 5e-5 if time is None else time
    path = tmp_path / "scope.csv"
    path.write_text(head + "\n".join(f"{t:.7f},{v:.4f}" for t, v in zip(time, volts, strict=True)) + "\n")
    return str(path)


PHASE = 2 * np.pi * 50 * np.arange(1600) * 5e-5 + 0.4


def test_a_waveform(tmp_path):
    found = said(wave(tmp_path, 325 * np.sign(np.sin(PHASE))), "--method", "waveform")["findings"]
    assert found["kind"]["value"] == "square"
    assert found["thd"]["value"] == pytest.approx(48.3, abs=0.3)
    assert found["thd_40"]["value"] == pytest.approx(47.0, abs=0.3)
    assert (found["rms"]["unit"], found["frequency"]["unit"], found["crest_factor"]["unit"]) == ("V", "Hz", "1")
    assert found["frequency"]["value"] == pytest.approx(50, rel=2e-3)


def test_a_clipped_record_is_said(tmp_path):
    made = said(wave(tmp_path, np.clip(400 * np.sin(PHASE), -325, 325)), "--method", "waveform")
    assert any("looks clipped" in w for w in made["warnings"])


@pytest.mark.parametrize(
    ("volts", "says"),
    [
        (325 * np.sin(PHASE[:300]), "no whole cycle"),
        (np.full(1600, 3.0), "no whole cycle"),
        (325 * np.sin(PHASE[::40] * 1.0), "samples in a cycle"),
    ],
)
def test_bad_records_are_one_sentence(tmp_path, volts, says):
    time = np.arange(len(volts)) * (5e-5 if len(volts) > 100 else 2e-3)
    done = ubrant("analyse", wave(tmp_path, volts, time), "--method", "waveform", "--json")
    assert (done.returncode, says in done.stderr) == (2, True), done.stderr


def test_two_traces_want_a_choice(tmp_path):
    path = tmp_path / "two.csv"
    path.write_text(
        "Time (s),CH1 (V),CH2 (V)\n" + "\n".join(f"{k * 5e-5:.7f},{325 * math.sin(p):.3f},{math.sin(p):.4f}" for k, p in enumerate(PHASE))
    )
    done = ubrant("analyse", str(path), "--method", "waveform", "--json")
    assert "there are 2 traces, “CH1 (V)” and “CH2 (V)”" in done.stderr
    assert said(str(path), "--method", "waveform", "--columns", "voltage=CH2 (V)")["findings"]["rms"]["value"] == pytest.approx(
        1 / math.sqrt(2), rel=1e-3
    )
