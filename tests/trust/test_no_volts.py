"""Amperes alone: the system's volts stand in, marked, with their span as doubt; nothing that needs volts is said."""

from __future__ import annotations

import math

import pytest

from tests.command_line import said, ubrant
from ubrant.core.quantities.chemistry import LI_ION, LIFEPO4
from ubrant.core.quantities.stand_in import stand_in

BLOCK = """method: discharge
unit: Block
kind: battery
label: {label}
meter: Clamp
amps: 1 % + 20 mA
full: yes
started: 2026-11-01 10:00

@10:00 load on
@10:00 4.0 A
@12:00 4.0 A
@14:00 4.0 A
@14:00 empty
"""
IDLE = """method: idle
unit: Hut
kind: inverter
label: 24 V to 230 V sine, 300 W
meter: Clamp
amps: 1 % + 20 mA
started: 2026-11-01 10:00

@10:00 skip
@10:01 input 0.37 A
"""


def written(folder, text: str) -> str:
    path = folder / "notes.jot"
    path.write_text(text, "utf-8")
    return str(path)


@pytest.mark.parametrize(("volts", "kind", "span"), [(24.0, None, (23.0, 29.0)), (12.8, LIFEPO4, (12.0, 14.2)), (3.7, LI_ION, (3.3, 4.2))])
def test_what_stands_in(volts, kind, span):
    """Common practice, no source."""
    found = stand_in(volts, kind)
    assert (found.low_v, found.high_v) == pytest.approx(span)


def test_a_discharge_by_clamp_alone(tmp_path):
    """4 A for 4 h are 16 Ah; × 26 V; ± 3 V rectangular, its half-width 3 ÷ √3 × 16 Ah beside the clamp's."""
    found = said(written(tmp_path, BLOCK.format(label="24 V 20 Ah lead-acid")))
    charge, energy = found["findings"]["charge"], found["findings"]["energy"]
    assert charge["value"] == pytest.approx(16.0, rel=1e-6)
    assert energy["value"] == pytest.approx(16.0 * 26.0, rel=1e-6)
    by_volts = 2 * 16.0 * 3.0 / math.sqrt(3)
    assert energy["expanded_uncertainty"] == pytest.approx(math.hypot(by_volts, 26.0 * charge["expanded_uncertainty"]), rel=0.05)
    assert "which stand in for volts that nobody read" in energy["working"] or "stand in" in energy["working"]
    assert not {"mean_voltage", "rest_before", "rest_after", "soc_before"} & {
        k for k, f in found["findings"].items() if f["value"] is not None
    }
    assert any("No volts were read: 24 V stand in, anywhere from 23 to 29 V." in said_of_it for said_of_it in found["warnings"])


def test_a_label_without_volts_is_asked_for_them(tmp_path):
    done = ubrant("analyse", written(tmp_path, BLOCK.format(label="20 Ah lead-acid")))
    assert done.returncode
    assert "or give the label its volts" in done.stderr


def test_volts_read_once_stand_for_themselves(tmp_path):
    found = said(written(tmp_path, BLOCK.format(label="24 V 20 Ah lead-acid").replace("@12:00 4.0 A", "@12:00 4.0 A 24.6 V")))
    assert not any("stand in" in text for text in found["warnings"])
    assert found["findings"]["energy"]["value"] == pytest.approx(16.0 * 24.6, rel=0.01)


def test_an_idle_draw_by_clamp_alone(tmp_path):
    """0.37 A × 26 V, ± 3 V rectangular × 0.37 A beside the clamp's 1 % + 20 mA."""
    power = said(written(tmp_path, IDLE))["findings"]["idle_power"]
    assert power["value"] == pytest.approx(0.37 * 26)
    clamp = 26 * math.hypot(0.0037, 0.02, 0.005) / math.sqrt(3)
    assert power["expanded_uncertainty"] == pytest.approx(2 * math.hypot(clamp, 0.37 * 3 / math.sqrt(3)), rel=0.05)
    read = said(written(tmp_path, IDLE.replace("input 0.37 A", "input 25.1 V 0.37 A").replace("amps:", "volts: 0.5 %\namps:")))
    assert read["findings"]["idle_power"]["value"] == pytest.approx(0.37 * 25.1)
    assert not any("stand in" in text for text in read["warnings"])
