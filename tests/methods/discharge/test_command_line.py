"""Discharges on the command line."""

from __future__ import annotations

import json

import pytest

from tests.command_line import ubrant
from tests.making import crossing_s, falling

FULL = ["--rated", "52 Ah 12.8 V", "--cutoff", "11.0 V", "--voltage-accuracy", "0.1% + 3 mV", "--current-accuracy", "0.5% + 5 mA", "--full"]


@pytest.fixture
def log(tmp_path):
    body = falling()
    path = tmp_path / "pack.csv"
    rows = (f"{t:.0f},{v:.5f},{a:.2f}" for t, v, a in zip(body.time_s, body.voltage_v, body.current_a, strict=True) if not 6000 < t < 6600)
    path.write_text("Time (s),Voltage (V),Current (A)\n" + "\n".join(rows) + "\n")
    return path


def test_json_has_the_promised_shape(log):
    done = ubrant("analyse", str(log), *FULL, "--json")
    assert done.returncode == 0, done.stderr
    said = json.loads(done.stdout)
    assert said["schema"] == 1
    units = {key: said["findings"][key]["unit"] for key in ("charge", "energy", "duration", "mean_voltage", "label_share")}
    assert units == {"charge": "Ah", "energy": "Wh", "duration": "s", "mean_voltage": "V", "label_share": "%"}
    charge = said["findings"]["charge"]
    assert set(charge) == {"value", "unit", "expanded_uncertainty", "working"}
    assert charge["value"] == pytest.approx(10 * crossing_s(5, 10.5, 11.0) / 3600, rel=1e-4)
    assert charge["expanded_uncertainty"] == pytest.approx(2 * 0.005 / 3**0.5 * charge["value"], rel=0.05)
    assert said["verdict"]["word"] == "below"
    assert said["ended_by"] == "cut-off"
    assert said["gaps"] == [{"from_s": 6000.0, "to_s": 6600.0}]
    assert any("A gap of 10 min" in w for w in said["warnings"])


def test_without_accuracy_and_cutoff(log):
    said = json.loads(ubrant("analyse", str(log), "--rated", "50 Ah 12.8 V", "--json").stdout)
    assert said["findings"]["charge"]["expanded_uncertainty"] is None
    assert (said["ended_by"], said["verdict"]["word"]) == ("cut-off", "cannot tell")
    assert any("11 V is taken" in w for w in said["warnings"])


def test_without_a_label_the_share_is_null(log):
    said = json.loads(ubrant("analyse", str(log), "--cutoff", "11 V", "--json").stdout)
    assert said["findings"]["label_share"]["value"] is None
    assert "no label" in said["verdict"]["sentence"]


def test_a_table_for_people(log):
    done = ubrant("analyse", str(log), *FULL)
    assert "Charge delivered" in done.stdout
    assert "Below its label" in done.stdout


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["nothing.csv"], "nothing.csv does not exist"),
        (["LOG", "--rated", "hello"], "no capacity stands in “hello”"),
        (["LOG", "--cutoff", "11 A"], "--cutoff: “11 A” is in A"),
        (["LOG", "--cutoff", "0"], "would never be reached"),
        (["LOG", "--chemistry", "gold"], "--chemistry “gold” is not known"),
        (["LOG", "--current-accuracy", "fine"], "“fine” is not understood"),
        (["LOG", "--columns", "current=nope"], "pack.csv, line 1: there is no column “nope”"),
        (["BROKEN"], "broken.csv, line 3, column 2 (Voltage (V)): “x” is not a number"),
    ],
)
def test_bad_input_is_one_sentence_and_exit_2(log, arguments, says):
    broken = log.with_name("broken.csv")
    broken.write_text("Time (s),Voltage (V),Current (A)\n0,12.8,1\n1,x,1\n")
    names = {"LOG": str(log), "BROKEN": str(broken)}
    done = ubrant("analyse", *(names.get(a, a) for a in arguments), "--json")
    assert done.returncode == 2
    assert says in done.stderr
    assert "Traceback" not in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1
    assert done.stdout == ""


def test_the_uncertainty_once_more_by_draws(log):
    done = ubrant("analyse", str(log), *FULL, "--check")
    assert "by 512 draws" in done.stdout.replace("\n", " ")
    assert "they agree" in done.stdout.replace("\n", " ")
