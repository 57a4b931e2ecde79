"""Sweeps on the command line, good and bad."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.command_line import said, ubrant
from tests.methods.making import write
from ubrant.core.models.converter import Converter, ConverterParameters

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


def test_a_sweep(tmp_path):
    made = said(
        write(tmp_path, sweep_rows(), HEAD),
        "--method",
        "sweep",
        "--tolerance",
        "5 V 5%",
        "--rated",
        "15 W",
        "--voltage-accuracy",
        "0.1% + 2 mV",
        "--current-accuracy",
        "0.5% + 1 mA",
    )
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
    made = said(write(tmp_path, rows, HEAD), "--method", "sweep")
    assert any("One point without all four readings was left out" in w for w in made["warnings"])
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
        ([(12, 1)], "input voltage / V,input current / A\n", "The output's voltage is needed"),
        ([(1, 2)], "alpha,beta\n", "names a tap"),
    ],
)
def test_bad_sweeps_are_one_sentence(tmp_path, rows, head, says):
    done = ubrant("analyse", write(tmp_path, rows, head), "--method", "sweep", "--json")
    assert (done.returncode, says in done.stderr, len(done.stderr.strip().splitlines())) == (2, True, 1), done.stderr


def test_without_the_outputs_current_thresholds_are_left(tmp_path):
    rows = [(v, 1.0 if v > 9.6 else 0.0, 5.0 if v > 9.6 else 0.0, None, v) for v in (12.0, 11.0, 10.0, 9.5, 9.0, 9.5, 10.0)]
    told = said(write(tmp_path, rows, HEAD), "--method", "sweep")
    assert told["findings"]["shutoff_voltage"]["value"] == pytest.approx(9.75)
    assert told["findings"]["peak_efficiency"]["value"] is None
    assert any("nothing is said of its efficiency" in w for w in told["warnings"])


def test_over_a_hundred_percent_within_and_beyond(tmp_path):
    rows = [(12.0, 5 * a * 1.02 / 12 + 0.01, 5.0, a, 12.0) for a in (0.0, 1.0, 2.0, 3.0, 4.0)]
    rows[2] = (12.0, 5 * 2.0 * 0.995 / 12, 5.0, 2.0, 12.0)
    rows[3] = (12.0, 5 * 3.0 * 0.5 / 12, 5.0, 3.0, 12.0)
    warnings = " ".join(
        said(write(tmp_path, rows, HEAD), "--method", "sweep", "--voltage-accuracy", "0.5 %", "--current-accuracy", "1 %")["warnings"]
    )
    assert "One point is over 100 %, within the ±" in warnings
    assert "At one point more comes out than goes in, by more than the ±" in warnings


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


@pytest.mark.parametrize(
    ("option", "says"),
    [
        (["--method", "dance"], "--method: “dance” is no method that this Ubrant knows"),
        (["--method", "sweep", "--tolerance", "soft"], "is not a tolerance"),
        (["--method", "sweep", "--rated", "5 Ah"], "For a converter it is its rated output power"),
    ],
)
def test_options_that_are_not_understood(tmp_path, option, says):
    done = ubrant("analyse", write(tmp_path, sweep_rows(), HEAD), *option, "--json")
    assert (done.returncode, says in done.stderr) == (2, True), done.stderr


def test_columns_can_be_named(tmp_path):
    """Headings of another program: told which is which, it says what it says of its own."""
    rows = sweep_rows()
    own = said(write(tmp_path, rows, HEAD), "--method", "sweep", "--tolerance", "5 V 5%")
    columns = "input voltage=a,input current=b,output voltage=c,output current=d,source voltage=e"
    other = said(write(tmp_path, rows, "a,b,c,d,e\n"), "--method", "sweep", "--tolerance", "5 V 5%", "--columns", columns)
    assert other["findings"] == own["findings"]
    done = ubrant("analyse", write(tmp_path, rows, "a,b,c,d,e\n"), "--method", "sweep", "--columns", "input voltage=x")
    assert (done.returncode, "there is no column “x”" in done.stderr) == (2, True), done.stderr
