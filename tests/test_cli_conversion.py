"""The command line on sweeps, idle draws and waveforms, good and bad."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest

from tests.test_cli import ubrant
from ubrant.core.converter import Converter, ConverterParameters

P = ConverterParameters(5.0, 0.4, 0.06, 0.004, output_ohm=0.02, sags_below_v=7.0, shutoff_v=6.2, restart_v=7.5)


def sweep_rows(lead_ohm: float = 0.05) -> list[tuple[float, ...]]:
    rows = []
    for amps in (0.0, 0.5, 1.0, 2.0, 3.0):
        converter = Converter(P)
        for volts in [*np.arange(14.0, 5.9, -0.5), *np.arange(6.0, 14.1, 1.0)]:
            out, into = converter.output(volts, amps)
            rows.append((volts, into, out, amps if out else 0.0, volts + into * lead_ohm))
    return rows


HEAD = "input voltage / V,input current / A,output voltage / V,output current / A,source voltage / V\n"


def write(tmp_path, rows, head=HEAD):
    path = tmp_path / "sweep.csv"
    path.write_text(head + "\n".join(",".join("" if x is None else f"{x:.6g}" for x in row) for row in rows) + "\n")
    return str(path)


def said(*arguments: str) -> dict:
    done = ubrant("analyse", *arguments, "--json")
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout)


def test_a_sweep(tmp_path):
    made = said(write(tmp_path, sweep_rows()), "--method", "sweep", "--tolerance", "5 V 5%", "--rated", "15 W",
                "--voltage-accuracy", "0.1% + 2 mV", "--current-accuracy", "0.5% + 1 mA")  # fmt: skip
    found = {key: f["value"] for key, f in made["findings"].items()}
    assert found["loss_fixed"] == pytest.approx(0.4, rel=0.02)
    assert found["loss_proportional"] == pytest.approx(0.06, rel=0.05)
    assert found["loss_resistive"] == pytest.approx(0.004, rel=0.05)
    assert found["idle_power"] == pytest.approx(0.4, rel=0.01)
    assert found["peak_at"] == pytest.approx(math.sqrt(0.4 / 0.004), rel=0.05)
    assert found["load_regulation"] == pytest.approx(-20.0, rel=0.01)
    assert found["line_regulation"] == pytest.approx(0.0, abs=0.05)
    assert found["lead_resistance"] == pytest.approx(0.05, rel=0.01)
    assert found["dropout_voltage"] == pytest.approx(6.75, abs=0.01)
    assert found["shutoff_voltage"] == pytest.approx(6.25, abs=0.01)
    assert found["restart_voltage"] == pytest.approx(7.5, abs=0.51)
    assert 70 < found["weighted_efficiency_european"] < 95
    units = {
        key: made["findings"][key]["unit"]
        for key in ("loss_fixed", "loss_proportional", "loss_resistive", "line_regulation", "load_regulation", "peak_efficiency")
    }
    assert units == {
        "loss_fixed": "W",
        "loss_proportional": "1",
        "loss_resistive": "1/W",
        "line_regulation": "mV/V",
        "load_regulation": "mV/A",
        "peak_efficiency": "%",
    }
    assert all(made["findings"][k]["expanded_uncertainty"] > 0 for k in ("loss_fixed", "dropout_voltage", "lead_resistance"))


def test_points_that_are_missing_are_left_out(tmp_path):
    rows = sweep_rows()
    rows[3] = (rows[3][0], None, None, None, None)
    made = said(write(tmp_path, rows), "--method", "sweep")
    assert any("1 point without all four readings was left out" in w for w in made["warnings"])
    assert made["findings"]["loss_fixed"]["value"] == pytest.approx(0.4, rel=0.02)
    assert made["findings"]["loss_fixed"]["expanded_uncertainty"] is None


def test_power_stands_in_for_current(tmp_path):
    head = "input voltage / V,input current / A,output voltage / V,output power / W\n"
    rows = [(v, i, o, o * a) for v, i, o, a, _ in sweep_rows()]
    assert said(write(tmp_path, rows, head), "--method", "sweep")["findings"]["loss_proportional"]["value"] == pytest.approx(0.06, rel=0.05)


@pytest.mark.parametrize(
    ("rows", "head", "says"),
    [
        ([(o, a, v, i, 0) for v, i, o, a, _ in sweep_rows()], HEAD, "input and output look swapped"),
        ([(12, 1, 5, None, 12)] * 3, HEAD, "points with volts and amperes at input and output"),
        ([(12, 1)], "input voltage / V,input current / A\n", "The output's voltage is needed"),
        ([(1, 2)], "alpha,beta\n", "names a tap"),
    ],
)  # fmt: skip
def test_bad_sweeps_are_one_sentence(tmp_path, rows, head, says):
    done = ubrant("analyse", write(tmp_path, rows, head), "--method", "sweep", "--json")
    assert (done.returncode, says in done.stderr, len(done.stderr.strip().splitlines())) == (2, True, 1), done.stderr


def test_over_a_hundred_percent_within_and_beyond(tmp_path):
    rows = [(12.0, 5 * a * 1.02 / 12 + 0.01, 5.0, a, 12.0) for a in (0.0, 1.0, 2.0, 3.0, 4.0)]
    rows[2] = (12.0, 5 * 2.0 * 0.995 / 12, 5.0, 2.0, 12.0)
    rows[3] = (12.0, 5 * 3.0 * 0.5 / 12, 5.0, 3.0, 12.0)
    warnings = " ".join(
        said(write(tmp_path, rows), "--method", "sweep", "--voltage-accuracy", "0.5 %", "--current-accuracy", "1 %")["warnings"]
    )
    assert "1 point is over 100 %, within the ±" in warnings
    assert "At 1 point more comes out than goes in, by more than the ±" in warnings


def test_settings_that_never_settle_are_left_out(tmp_path):
    head = "time / s," + HEAD
    rows, moment = [], 0.0
    for amps in (0.0, 1.0, 2.0, 3.0):
        converter = Converter(P)
        for k in range(12):
            volts = 12.0 + (0.15 * (k % 3) if amps == 2.0 else 0.0)
            out, into = converter.output(volts, amps)
            rows.append((moment, volts, into, out, amps, volts))
            moment += 1.0
    made = said(write(tmp_path, rows, head), "--method", "sweep")
    assert made["findings"]["idle_power"]["value"] == pytest.approx(0.4, rel=0.01)


def test_idle(tmp_path):
    head = "time / s,input voltage / V,input current / A\n"
    rows = [(float(k), 12.8, 2.0 * math.exp(-k) + 0.17) for k in range(60)]
    made = said(write(tmp_path, rows, head), "--method", "idle", "--voltage-accuracy", "0.1 %", "--current-accuracy", "0.5 % + 2 mA")
    assert made["findings"]["idle_power"]["value"] == pytest.approx(12.8 * 0.17, rel=0.01)
    assert made["findings"]["idle_power"]["expanded_uncertainty"] > 0.01
    assert any("not steady yet" in w for w in made["warnings"])


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
    [(325 * np.sin(PHASE[:300]), "no whole cycle"), (np.full(1600, 3.0), "no whole cycle"), (325 * np.sin(PHASE[::40] * 1.0), "samples in a cycle")],
)  # fmt: skip
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


@pytest.mark.parametrize(
    ("option", "says"),
    [
        (["--method", "dance"], "--method “dance” is not known"),
        (["--method", "sweep", "--tolerance", "soft"], "is not a tolerance"),
        (["--method", "sweep", "--rated", "5 Ah"], "For a converter it is its rated output power"),
    ],
)
def test_options_that_are_not_understood(tmp_path, option, says):
    done = ubrant("analyse", write(tmp_path, sweep_rows()), *option, "--json")
    assert (done.returncode, says in done.stderr) == (2, True), done.stderr


STEPS = "time / s,source voltage / V,input voltage / V,input current / A,ac voltage / V,ac power / W,ac frequency / Hz\n"


def steps_rows(lead_ohm: float, ends_off: bool = True) -> list[tuple[float, ...]]:
    """A 200 W inverter on a battery of 12.7 V and 15 mΩ, ten readings a step; what is over 10.5 V at its terminals keeps it on."""
    rows, time = [], 0.0
    for watts in (0.0, 20.0, 60.0, 120.0, 190.0):
        need = 6.0 + 1.06 * watts + 0.0004 * watts**2
        amps = need / 12.0
        for _ in range(40):
            amps = need / (12.7 - amps * (0.015 + lead_ohm))
        source = 12.7 - 0.015 * amps
        for _ in range(10):
            rows.append((time, source, source - lead_ohm * amps, amps, 230.0 - 0.02 * watts, watts, 50.0))
            time += 2.0
    if ends_off:
        for rest in (12.6, 12.65, 12.68):
            rows.append((time, rest, rest, 0.0, 0.0, 0.0, 0.0))
            time += 30.0
    return rows


@pytest.mark.parametrize(
    "lead_ohm, battery, ended_by, says",
    [
        (0.08, "12 V 45 Ah lead-acid", "leads", "shorter or thicker ones keep it running longer"),
        (0.005, "12 V 45 Ah lead-acid", "inverter", "its own low-voltage cut-off, on the loaded voltage"),
        (0.005, "", "inverter", "its own low-voltage cut-off"),
    ],
)
def test_what_ended_load_steps(tmp_path, lead_ohm, battery, ended_by, says):
    log = write(tmp_path, steps_rows(lead_ohm), STEPS)
    made = said(log, "--method", "steps", "--rated", "200 W", "--tolerance", "230 V 10%", *(("--battery", battery) if battery else ()))
    assert made["ended_by"] == ended_by
    assert says in made["verdict"]["sentence"]
    found = {key: f["value"] for key, f in made["findings"].items()}
    assert found["lead_resistance"] == pytest.approx(lead_ohm, rel=0.02)
    assert found["idle_power"] == pytest.approx(6.0, rel=0.01)
    assert found["output_sag"] == pytest.approx(3.8, abs=0.05)
    assert found["frequency"] == pytest.approx(50.0)
    assert found["recovered"] == pytest.approx(12.68)


def test_load_steps_that_all_were_carried(tmp_path):
    made = said(write(tmp_path, steps_rows(0.01, ends_off=False), STEPS), "--method", "steps", "--rated", "200 W")
    assert made["ended_by"] == "end of log"
    assert "It carried every step." in made["verdict"]["sentence"]


def test_a_battery_that_is_not_understood(tmp_path):
    done = ubrant("analyse", write(tmp_path, steps_rows(0.01), STEPS), "--method", "steps", "--battery", "big")
    assert done.returncode != 0
    assert done.stderr.startswith("--battery:") or "--battery:" in done.stderr
    assert "Traceback" not in done.stderr
