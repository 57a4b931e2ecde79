"""A load of some seconds: the slope, the zero of the voltmeter that cancels, a bad one that shows, and a good one that is not proved."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.trials import trial
from tests.window import begin, close, prepare, say_line
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.chemistry import CHEMISTRIES
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.kept.accounts import account_of_stored

HEAD = (
    "method: short-load\nunit: Gate block\nkind: battery\nlabel: {label}\nvolts: 0.5 % + 10 mV\namps: 1 % + 10 mA\n"
    "plan amps: {amps}\nplan lowest: {lowest}\n\n"
)
LINES = ("@10:00 12.71 V 0.00 A", "@10:00:15 12.55 V 10.0 A", "@10:00:40 12.39 V 20.0 A")


@pytest.fixture
def told(tmp_path):
    def tell(*lines, label="12 V 45 Ah lead-acid", amps="20 A", lowest="11 V"):
        path = tmp_path / "short.jot"
        path.write_text(HEAD.format(label=label, amps=amps, lowest=lowest) + "\n".join(lines) + "\n", "utf-8")
        return account_of_stored(read_file(path, LogOptions()).record())

    return tell


def test_it_is_the_slope_and_the_zero_of_the_voltmeter_cancels(told):
    found = told(*LINES)
    volts, amps = np.array([12.71, 12.55, 12.39]), np.array([0.0, 10.0, 20.0])
    slope = -np.polyfit(amps, volts, 1)[0]
    assert found.findings["resistance"].value == pytest.approx(slope)
    assert found.findings["left_at"].value == pytest.approx(12.39, abs=0.001)
    shifted = told(*(f"@10:00:{20 * k:02d} {v + 0.2:.2f} V {a} A" for k, (v, a) in enumerate(zip(volts, amps, strict=True))))
    assert shifted.findings["resistance"].value == pytest.approx(slope, rel=1e-6)
    gains = slope * math.hypot(0.005, 0.01) / math.sqrt(3)
    assert gains < found.findings["resistance"].standard_uncertainty < 3 * gains


def test_a_good_one_is_not_proved_and_a_bad_one_shows(told):
    """Cells of 45 Ah and 12 V have 0.08 Ω·Ah × 6 ÷ 45 Ah, 10.7 mΩ; up to twice that and 10 mΩ of terminals is usual."""
    most = 2 * CHEMISTRIES["lead-acid"].resistance_ohm_ah * 6 / 45 + 0.010
    good, bad = told(*LINES), told("@10:00 12.71 V 0.00 A", "@10:00:15 11.31 V 10.0 A")
    assert good.findings["times_usual"].value == pytest.approx(0.016 / most)
    assert good.sentence.endswith("nothing wrong seen; not proved.")
    assert bad.findings["times_usual"].value == pytest.approx(0.14 / most)
    assert "4.5 times the most that is usual: a bad cell, or a bad clip between" in bad.sentence
    between = told("@10:00 12.71 V 0.00 A", "@10:00:15 12.26 V 10.0 A")
    assert "not by enough to call it bad" in between.sentence


def test_loads_that_tell_it_differently_widen_it(told):
    """16 mΩ by 10 A and 24 mΩ by 20 A: anywhere between counts, ± 4 mΩ, rectangular."""
    bent = told("@10:00 12.71 V 0.00 A", "@10:00:15 12.55 V 10.0 A", "@10:00:40 12.23 V 20.0 A").findings["resistance"]
    straight = told(*LINES).findings["resistance"]
    more = math.sqrt(bent.standard_uncertainty**2 - (straight.standard_uncertainty * bent.value / straight.value) ** 2)
    assert more == pytest.approx(0.004 / math.sqrt(3), rel=0.05)


def test_it_is_bad_only_beyond_what_it_may_be_off_by(told):
    """Twice 31.3 mΩ is the border: 70 ± 9 mΩ by digits of 10 mV under 1 A does not tell."""
    assert "not by enough to call it bad" in told("@10:00 12.71 V 0.00 A", "@10:00:15 12.64 V 1.0 A", amps="1 A").sentence


@pytest.mark.parametrize(
    ("lowest", "says"), [("11 V", "above 11 V"), ("12.6 V", "under 12.6 V"), ("12.4 V", "too close to 12.4 V to tell")]
)
def test_the_wish_is_held_against_what_is_left(told, lowest, says):
    assert says in told(*LINES, lowest=lowest).sentence


def test_what_was_not_tried_is_not_told(told):
    found = told("@10:00 12.71 V 0.00 A", "@10:00:15 12.63 V 5.0 A")
    assert "left_at" not in found.findings
    assert any("20 A were not tried" in w for w in found.warnings)
    assert "left_at" in told("@10:00 12.71 V 0.00 A", "@10:00:15 12.49 V 14.0 A").findings, "half as much again is on the same line"


def test_typed_through_the_window_it_is_the_same(bench_window, qtbot, told):
    window = bench_window
    prepare(window, Unit("Gate block", "battery", "12 V 45 Ah lead-acid"), "short-load", amps="20 A", lowest="11 V")
    begin(window, qtbot)
    for line in LINES:
        say_line(window, qtbot, line.partition(" ")[2])
    account = close(window, qtbot)
    assert account.findings["resistance"].value == pytest.approx(told(*LINES).findings["resistance"].value)
    assert "not proved" in window.findings.verdict.text()


def test_the_truth_is_inside(told, share):
    """A battery of an open voltage and a resistance; meters anywhere inside their accuracy, displays of 10 mV and 0.1 A."""

    def draw(rng):
        ohm, rest = rng.uniform(0.005, 0.04), rng.uniform(12.3, 12.8)
        gain_v, zero_v, gain_a = rng.uniform(-1, 1) * 0.005, rng.uniform(-1, 1) * 0.010, rng.uniform(-1, 1) * 0.01
        zero_a = rng.uniform(-1, 1) * 0.010
        lines = []
        for k, amps in enumerate((0.0, 10.0, 20.0)):
            volts = (rest - ohm * amps) * (1 + gain_v) + zero_v
            lines.append(f"@10:00:{20 * k:02d} {volts:.2f} V {amps * (1 + gain_a) + (zero_a if amps else 0.0):.1f} A")
        found = told(*lines).findings
        return {
            "resistance": (found["resistance"].value - ohm, found["resistance"]),
            "left_at": (found["left_at"].value - (rest - 20 * ohm), found["left_at"]),
        }

    trial("short load", draw, share, low=0.75)


def test_a_look_more_than_was_asked_for_is_no_look_of_two(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Gate block", "battery", "12 V 45 Ah lead-acid"), "short-load", amps="20 A")
    begin(window, qtbot)
    for place, line in enumerate(LINES, start=1):
        say_line(window, qtbot, line.partition(" ")[2])
        assert window.run.aside.text() == (f"{place} of 2 points" if place < 3 else "3 points")
