"""Modes of an appliance by hand in the window."""

from __future__ import annotations

import pytest

from tests.window import begin, close, jot, prepare, say_line
from ubrant.core.equipment.unit import Unit


def test_modes(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Lamp", "load", "230 V, 52 W"), "appliance", modes="standby, on")
    window.prepare.form.meters["input"].setCurrentIndex(window.prepare.form.meters["input"].findText("Plug"))
    window.prepare.look()
    begin(window, qtbot)
    jot(qtbot, window.run, "230 V 0.31 A", enters=2)
    assert "volts × amperes is not watts" in window.run.jot_line.hint.text()
    window.run.jot_line.clear()
    say_line(window, qtbot, "231 V 0.01 A 0.5 W")
    say_line(window, qtbot, "231 V 0.39 A 51 W peak 70 W")
    view = close(window, qtbot)
    assert view.findings["standby_day"].value == pytest.approx(12.0)
    assert view.findings["factor_2"].value == pytest.approx(51 / 231 / 0.39)
    assert "on: 51.0" in window.findings.drawn.bars.accessibleDescription()
