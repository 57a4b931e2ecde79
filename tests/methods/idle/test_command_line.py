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
