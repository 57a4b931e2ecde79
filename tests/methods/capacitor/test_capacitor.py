"""Farads over a window, resistance from the step, what that is good for; slips."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.integrate import quad, solve_ivp

from tests.command_line import said, ubrant
from tests.making import prepared, problems
from tests.trials import meters, shown, trial
from tests.window import begin, close, prepare, typed_row
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.sources.capacitor import Discharged, analyse_capacitor, fills_in, read_label, runs_for

V, A = Accuracy(0.005, 0.01, "V"), Accuracy(0.01, 0.005, "A")


def constant(farads=100.0, ohm=0.05, amps=1.0, start=5.4, seconds=360.0, every=30.0):
    """At rest for a while, then by a constant current; Q = C·V."""
    time = np.arange(0.0, seconds + every / 2, every)
    volts = start - ohm * amps - amps * time / farads
    return np.concatenate(([-10.0], time)), np.concatenate(([start], volts)), np.concatenate(([0.0], np.full(len(time), amps)))


def analysed(columns, window=None, **more):
    time, volts, amps = columns
    return analyse_capacitor(Discharged(time, volts, amps, V, A, {}, window, **more))


def test_by_a_constant_current_in_closed_form():
    """C = I·t ÷ ΔV; ½C(V₁² − V₂²); the step over the current."""
    found = analysed(constant())
    assert found["capacitance"].value == pytest.approx(100.0)
    assert found["resistance"].value == pytest.approx(0.05)
    assert found["energy_between"].value == pytest.approx(0.5 * 100 * (5.35**2 - 1.75**2) / 3600)
    zero = 0.005 * 360 / 3.6  # of the current, over the whole time
    gain = 100 * math.hypot(0.01, 0.005)
    assert found["capacitance"].standard_uncertainty == pytest.approx(math.hypot(zero, gain) / math.sqrt(3), rel=0.02)


def test_through_a_resistor_the_resistance_inside_does_no_harm():
    """Against scipy's solver of C·dV/dt = −V/(R + r)."""
    farads, load, inside = 50.0, 4.0, 0.4
    solved = solve_ivp(lambda t, v: -v / (load + inside) / farads, (0, 300), [5.0], dense_output=True, rtol=1e-9)
    time = np.linspace(0, 300, 301)
    plates = solved.sol(time)[0]
    amps = plates / (load + inside)
    columns = np.concatenate(([-1.0], time)), np.concatenate(([5.0], plates - inside * amps)), np.concatenate(([0.0], amps))
    found = analysed(columns)
    assert found["capacitance"].value == pytest.approx(farads, rel=2e-3)
    assert found["resistance"].value == pytest.approx(inside, rel=0.02)


def test_over_a_stated_window():
    """One whose farads grow with the voltage: the charge between two voltages over their difference, by scipy.integrate.quad."""

    def farads_at(volts):
        return 80 + 8 * volts

    levels = np.linspace(5.4, 1.0, 400)
    charge = np.array([quad(farads_at, v, 5.4)[0] for v in levels])
    columns = np.concatenate(([-5.0], charge / 2.0)), np.concatenate(([5.4], levels)), np.concatenate(([0.0], np.full(400, 2.0)))
    found = analysed(columns, (4.5, 2.0))
    assert found["capacitance"].value == pytest.approx(quad(farads_at, 2.0, 4.5)[0] / 2.5, rel=1e-3)
    assert "from 4.50 down to 2.00 V" in found["capacitance"].working


@pytest.mark.parametrize(
    ("text", "farads", "volts"),
    [("3000 F 2.7 V", 3000, 2.7), ("4700 µF 63 V", 4.7e-3, 63), ("220 mF, 5.5 V", 0.22, 5.5), ("12 V 7 Ah", None, 12)],
)
def test_labels(text, farads, volts):
    found = read_label(text)
    assert (found.farads, found.volts) == (farads if farads is None else pytest.approx(farads), volts)


def test_what_it_is_good_for():
    found = analysed(constant())["capacitance"]
    assert runs_for(found, 2.0, 5.4, 1.8).value == pytest.approx(0.5 * 100 * (5.4**2 - 1.8**2) / 2)
    assert fills_in(found, 0.5, 5.4).value == pytest.approx(100 * 5.4 / 0.5)


@pytest.mark.parametrize(
    ("columns", "window", "words"),
    [
        ((np.arange(5.0), np.full(5, 5.0), np.zeros(5)), None, "No current flowed"),
        ((np.arange(5.0), np.array([5, 4.9, 4.8, 4.8, 4.8]), np.array([0, 1, 1, 0, 0.0])), None, "at least three"),
        ((np.arange(5.0), np.array([4, 4.1, 4.2, 4.3, 4.4]), np.ones(5)), None, "does not fall"),
        (constant(), (5.39, 1.0), "are asked for"),
    ],
)
def test_what_cannot_be_is_refused(columns, window, words):
    with pytest.raises(ReadingsError, match=words):
        analysed(columns, window)


def test_a_log_the_other_way_round(tmp_path):
    path = tmp_path / "cap.csv"
    path.write_text("Time (s),Voltage (V),Current (A)\n" + "".join(f"{t},{v:.4f},{-a}\n" for t, v, a in zip(*constant(), strict=True)))
    found = said(str(path), "--method", "capacitor", "--voltage-accuracy", "0.5 %", "--current-accuracy", "1 %")
    assert found["findings"]["capacitance"]["value"] == pytest.approx(100.0)
    assert any("the other way round" in text for text in found["warnings"])
    empty = tmp_path / "none.jot"
    empty.write_text("method: capacitor\nunit: Buffer\n\n+0s 5.40 V 0 A\n+10s 5.40 V 0 A\n")
    done = ubrant("analyse", str(empty))
    assert "No current flowed" in done.stdout + done.stderr


def test_over_its_rated_voltage_is_refused():
    made = prepared("capacitor", Unit("Buffer", "source", "100 F 5.4 V"), high="6 V", low="2 V")
    assert any(refused and "over its rated 5.4 V" in text for refused, text in problems("capacitor", made))


def test_the_truth_is_inside(share):
    """300 capacitors by meters of their own, discharged by a current or through a resistor; generator apart from the sums."""

    def draw(rng):
        farads, start, ohm = 10 ** rng.uniform(0, 3), rng.uniform(2.5, 48), rng.uniform(0.0, 0.1)
        load = rng.uniform(2, 20)
        tau = farads * (load + ohm)
        time = np.linspace(0, rng.uniform(0.6, 1.5) * tau, 60)
        plates = start * np.exp(-time / tau)
        amps = plates / (load + ohm)
        time, volts, amps = (
            np.concatenate(([-0.02 * tau], time)),
            np.concatenate(([start], plates - ohm * amps)),
            np.concatenate(([0.0], amps)),
        )
        of_v, of_a = meters(rng)
        of_a = Accuracy(of_a.gain, 0.002 * float(amps.max()), "A")
        made = Discharged(time, shown(rng, volts, of_v, 0.0), shown(rng, amps, of_a, 0.0), of_v, of_a, {})
        found = analyse_capacitor(made)["capacitance"]
        return {"capacitance": (found.value - farads, found)}

    trial("capacitor", draw, share)


def test_through_the_window(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Exit buffer", "source", "100 F 5.4 V"), "capacitor", load_w="2 W")
    begin(window, qtbot)
    for text, after in (("5.40 0", 10), ("5.35 1.00", 120), ("4.15 1.00", 120), ("2.95 1.00", 120), ("1.75 1.00", 30)):
        typed_row(qtbot, window, text)
        window.clock.time_s += after
    account = close(window, qtbot)
    assert account.findings["capacitance"].value == pytest.approx(100.0)
    assert account.findings["resistance"].value == pytest.approx(0.05)
    assert account.sentence.startswith("100.00 ± 0.86 F from 5.35 to 1.75 V, 50.0 ± 8.2 mΩ inside")


def test_one_reading_without_current_ends_the_discharge():
    """What comes after a break is another one."""
    time, volts, amps = constant()
    later = (
        np.concatenate((time, time[-1] + np.array([30.0, 60.0, 90.0]))),
        np.concatenate((volts, [2.4, 1.0, 0.5])),
        np.concatenate((amps, [0.0, 1.0, 1.0])),
    )
    assert analysed(later)["capacitance"].value == pytest.approx(100.0)


def test_without_a_rest_before_nothing_is_said_of_its_resistance():
    time, volts, amps = constant()
    assert "resistance" not in analysed((time[1:], volts[1:], amps[1:]))
