"""A breaker by hand in the window."""

from __future__ import annotations

import pytest

from tests.window import begin, close, jot, prepare, say_line
from ubrant.core.equipment.unit import Unit


def test_a_breaker_by_hand(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Breaker", "lead", "30 A breaker"), "trip", amps="31, 45 A", longest="10 min")
    begin(window, qtbot)
    say_line(window, qtbot, "31 A")
    jot(qtbot, window.run, "45 A", enters=2)
    assert "Type “tripped”" in window.run.jot_line.hint.text()
    window.run.jot_line.clear()
    say_line(window, qtbot, "held", 600)
    say_line(window, qtbot, "45 A", 300)
    say_line(window, qtbot, "tripped peak 80 A", 75)
    assert "last overload" in window.run.next_note.text()
    view = close(window, qtbot)
    assert view.findings["opens_2"].value == pytest.approx(75)
    assert view.findings["inrush"].value == 80
    assert "1.5 ×: 1 min 15 s" in window.findings.drawn.plot("Time to open").accessibleDescription()
    assert "Reset it only with the load off" in window.findings.notes.text()
