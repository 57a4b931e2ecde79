"""A joint as a resistance, by the slope of what falls across it; checked against a straight line with NumPy and by what no joint does."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.window import begin, close, jot, prepare, say_line
from ubrant.core.equipment.unit import Unit
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.kept.accounts import account_of_stored

HEAD = "method: joint\nunit: Fuse holder\nkind: lead\nlabel: 30 A fuse\nvolts: 0.5 % + 0.1 mV\namps: 1 % + 10 mA\n\n"
LINES = ("1.4 mV 1.00 A", "6.1 mV 5.02 A", "12.3 mV 10.1 A", "25.2 mV 20.4 A warm")


@pytest.fixture
def told(tmp_path):
    def tell(*lines):
        path = tmp_path / "joint.jot"
        path.write_text(HEAD + "\n".join(lines) + "\n", "utf-8")
        return account_of_stored(read_file(path, LogOptions()).record())

    return tell


def test_it_is_the_slope_and_the_zero_of_the_voltmeter_cancels(told):
    found = told(*LINES)
    volts, amps = np.array([1.4, 6.1, 12.3, 25.2]), np.array([1.0, 5.02, 10.1, 20.4])
    slope = np.polyfit(amps, volts, 1)[0]
    assert found.findings["resistance"].value == pytest.approx(slope / 1000)
    assert found.findings["burnt"].value == pytest.approx(slope / 1000 * 20.4**2)
    shifted = told(*(f"{v + 0.5:.1f} mV {a} A" for v, a in zip(volts, amps, strict=True)))
    assert shifted.findings["resistance"].value == pytest.approx(slope / 1000, rel=1e-6)
    gains = slope / 1000 * math.hypot(0.005, 0.01) / math.sqrt(3)
    assert gains < found.findings["resistance"].standard_uncertainty < 2.5 * gains
    assert "It was warm to the hand." in found.warnings


def test_what_burns_over_a_watt_is_said(told):
    """(60 − 10) mV ÷ (20 − 5) A = 3.33 mΩ, 1.33 W at 20 A."""
    found = told("10 mV 5.0 A", "60 mV 20.0 A")
    assert found.findings["resistance"].value == pytest.approx(0.05 / 15)
    assert found.findings["burnt"].value == pytest.approx(0.05 / 15 * 400)
    assert any("It gets warm" in w for w in found.warnings)


@pytest.mark.parametrize(
    ("lines", "says"),
    [
        (("12.3 mV 10.1 A",), "Two currents"),
        (("12.3 mV 10.1 A", "12.4 mV 10.2 A"), "Two currents"),
        (("12.3 V 10.1 A", "25.2 V 20.4 A"), "No joint drops"),
        (("25.2 mV 1.0 A", "12.3 mV 10.1 A"), "less with more current"),
    ],
)
def test_what_is_no_drop_across_a_joint_is_refused(told, lines, says):
    assert says in told(*lines).trouble


def test_typed_through_the_window_it_is_the_same(bench_window, qtbot, told):
    window = bench_window
    prepare(window, Unit("Fuse holder", "lead", "30 A fuse"), "joint")
    begin(window, qtbot)
    for line in LINES:
        say_line(window, qtbot, line)
    account = close(window, qtbot)
    assert account.findings["resistance"].value == pytest.approx(told(*LINES).findings["resistance"].value)
    assert "mΩ across it" in window.findings.verdict.text()


def test_each_current_is_held_against_what_was_asked_for_and_not_against_the_one_before(bench_window, qtbot):
    """One Enter a row; 101 A where 10 A were asked for are questioned, and volts for millivolts are refused, before the run is closed."""
    window = bench_window
    prepare(window, Unit("Fuse holder", "lead", "30 A fuse"), "joint")
    begin(window, qtbot)
    for line in ("1.4 mV 1.00 A", "6.1 mV 5.02 A"):
        jot(qtbot, window.run, line)
        assert window.run.jot_line.text() == ""
    jot(qtbot, window.run, "12.3 mV 101 A")
    assert window.run.jot_line.text() == "12.3 mV 101 A"
    window.run.jot_line.clear()
    jot(qtbot, window.run, "12.3 V 10.1 A")
    assert any("millivolts written as volts" in w for w in close(window, qtbot).warnings), "and the rest is answered"
