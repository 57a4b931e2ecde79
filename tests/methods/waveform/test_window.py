"""A scope's record in the window."""

from __future__ import annotations

import numpy as np
import pytest

from tests.window import click, type_into
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.ui.findings.taps_dialog import TapsDialog


def wave_file(tmp_path, columns=1):
    time = np.arange(2000) / 2000 * 0.06
    half = (time * 50 % 1) % 0.5
    volts = 281 * np.where((half > 1 / 12) & (half < 5 / 12), np.where(time * 50 % 1 < 0.5, 1, -1), 0)
    path = tmp_path / "wave.csv"
    heads = "Time (s),Voltage (V)" + (",Voltage 2 (V)" if columns == 2 else "")
    rows = [f"{t:.6f},{v:.2f}" + (f",{2 * v:.2f}" if columns == 2 else "") for t, v in zip(time, volts, strict=True)]
    path.write_text("\n".join([heads, *rows]))
    return path


def taps_dialog(bench, path, parent):
    dialog = TapsDialog(bench, path, parent)
    dialog.method_box.setCurrentIndex(dialog.method_box.findData("waveform"))
    return dialog


def test_a_scopes_record_is_attached_to_its_load(bench_window, qtbot, tmp_path):
    window = bench_window
    unit = window.bench.keep_unit(Unit("Attic", "inverter", "12 V to 230 V, 150 W"))
    dialog = taps_dialog(window.bench, wave_file(tmp_path, 2), window)
    dialog.show()
    assert "2 traces" in dialog.note.text()
    assert not dialog.keep_button.isEnabled()
    type_into(qtbot, dialog.columns, "voltage=Voltage (V)")
    dialog.unit_box.setCurrentIndex(dialog.unit_box.findData(unit.id))
    type_into(qtbot, dialog.load, "65 W")
    click(qtbot, dialog, "Keep it")
    view = window.findings.account
    assert view.waves[0].load_w == 65
    assert "A stepped wave" in window.findings.verdict.text()
    assert "Keep off it: motors" in window.findings.notes.text()
    assert "number 5" in window.findings.drawn.plot("Harmonics").accessibleDescription()
    dc = tmp_path / "dip.csv"
    time = np.linspace(0, 0.01, 1000)
    volts = 5.0 + 0.01 * np.sin(2 * np.pi * 20_000 * time) - 0.6 * np.where(time > 0.003, np.exp(-(time - 0.003) / 0.0005), 0)
    dc.write_text("\n".join(["Time (s),Voltage (V)", *(f"{t:.7f},{v:.4f}" for t, v in zip(time, volts, strict=True))]))
    window.bench.logbook.keep_meter(Meter("Scope", "2 % + 10 mV", details=MeterDetails(role="scope")))
    dialog = taps_dialog(window.bench, dc, window)
    dialog.show()
    assert dialog.volts.text() == "2 % + 10 mV"
    type_into(qtbot, dialog.tolerance, "5 parsec")
    assert not dialog.keep_button.isEnabled()
    type_into(qtbot, dialog.tolerance, "4.75..5.25 V")
    click(qtbot, dialog, "Keep it")
    assert "4.75 to 5.25 V" in window.findings.verdict.text() + window.findings.notes.text()
    view = window.findings.account
    assert view.findings["dip"].value == pytest.approx(4.4, abs=0.03)
    assert view.findings["recovery"].value == pytest.approx(0.0005 * np.log(0.6 / 0.1), abs=0.0002)
    flat = tmp_path / "flat.csv"
    flat.write_text("\n".join(["Time (s),Voltage (V)", *(f"{k / 1e5},{100 * np.sin(k / 900):.3f}" for k in range(900))]))
    assert "no whole cycle" in taps_dialog(window.bench, flat, window).note.text()
