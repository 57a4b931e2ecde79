"""An external supply by hand in the window."""

from __future__ import annotations

import numpy as np
import pytest

from tests.window import begin, close, prepare, say_line
from ubrant.core.equipment.unit import Unit


def test_an_external_supply(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Brick", "charger", "230 V to 19 V, 65 W"), "external-supply", rated="3.4 A")
    begin(window, qtbot)
    for line in (
        "input 73.0 W output 19.0 V 3.4 A",
        "input 54.0 W output 19.0 V 2.55 A",
        "input 36.3 W output 19.1 V 1.7 A",
        "input 18.6 W output 19.1 V 0.85 A",
        "input 0.21 W",
    ):
        say_line(window, qtbot, line)
    view = close(window, qtbot)
    expected = 100 * np.mean([19 * 3.4 / 73, 19 * 2.55 / 54, 19.1 * 1.7 / 36.3, 19.1 * 0.85 / 18.6])
    assert view.findings["average_efficiency"].value == pytest.approx(expected)
    assert view.findings["no_load_power"].value == pytest.approx(0.21)
