"""An idle draw on the command line."""

from __future__ import annotations

import math

import pytest

from tests.command_line import said
from tests.methods.making import write


def test_idle(tmp_path):
    head = "time / s,input voltage / V,input current / A\n"
    rows = [(float(k), 12.8, 2.0 * math.exp(-k) + 0.17) for k in range(60)]
    made = said(write(tmp_path, rows, head), "--method", "idle", "--voltage-accuracy", "0.1 %", "--current-accuracy", "0.5 % + 2 mA")
    assert made["findings"]["idle_power"]["value"] == pytest.approx(12.8 * 0.17, rel=0.01)
    assert made["findings"]["idle_power"]["expanded_uncertainty"] > 0.01
    assert any("not steady yet" in w for w in made["warnings"])


JOTS = """unit: Hut
kind: inverter
label: 12 V to 230 V sine, 300 W
start: 2026-11-01 10:00 +00:00
{method}volts: 0.1 %
amps: 0.5 % + 2 mA

+0:00 input 12.80 V 0.02 A
+0:02 input 12.80 V 0.37 A
"""


@pytest.mark.parametrize("where", ["head", "option"])
def test_a_jot_text_of_an_idle_draw(tmp_path, where):
    """The method stands in its head, or is said on the command line."""
    path = tmp_path / "idle.jot"
    path.write_text(JOTS.format(method="method: idle\n" if where == "head" else ""))
    found = said(str(path), *(["--method", "idle"] if where == "option" else []))["findings"]
    assert found["idle_power"]["value"] == pytest.approx(12.8 * 0.35)
    assert found["idle_power"]["expanded_uncertainty"] > 0.05, "half a digit of 10 mA at 12.8 V is in it"


def test_columns_can_be_named(tmp_path):
    rows = [(float(k), 12.8, 0.17) for k in range(60)]
    path = write(tmp_path, rows, "t,u,i\n")
    found = said(path, "--method", "idle", "--columns", "time=t,input voltage=u,input current=i")["findings"]
    assert found["idle_power"]["value"] == pytest.approx(12.8 * 0.17)
