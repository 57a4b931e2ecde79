"""An idle draw by hand in the window."""

from __future__ import annotations

import pytest

from tests.window import begin, close, prepare, say_line
from ubrant.core.equipment.unit import Unit


def test_idle_draw_by_hand(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Hut", "inverter", "12 V to 230 V sine, 300 W"), "idle", battery_wh="640 Wh")
    begin(window, qtbot)
    assert "Nothing flows" in window.run.next_note.text()
    say_line(window, qtbot, "input 12.8 V 0.02 A")
    say_line(window, qtbot, "input 12.80 V 0.37 A")
    assert "economy setting" in window.run.next_note.text()
    say_line(window, qtbot, "skip")
    view = close(window, qtbot)
    assert view.findings["idle_power"].value == pytest.approx(12.8 * 0.35, rel=2e-4)
    assert "a day: alone it empties the battery in" in window.findings.verdict.text()
    assert "normal" in window.findings.drawn.plot("Power taken in").accessibleDescription()
