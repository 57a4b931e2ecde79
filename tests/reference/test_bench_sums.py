"""The other sums of a discharge against closed forms, standards and facts of the trade."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import curve_fit

from tests.making import part
from ubrant.core.battery.peukert import ConstantRun, fit_exponent, hours_at
from ubrant.core.battery.recharge import recharge_of, round_trip
from ubrant.core.battery.resistance import two_step
from ubrant.core.battery.temperature import capacity_at_reference
from ubrant.core.models.cell import Pack, PackParameters
from ubrant.core.models.circuit import Circuit
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.readings import Readings, Series
from ubrant.core.record.counters import counted, points_used
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import exactly


def test_two_step_resistance_in_closed_form():
    """R₀ and two RC pairs: U₁ − U₂ = (I₂−I₁)·R₀ + Σ Rᵢ·[(I₂−I₁)(1−e^(−1/τ)) + I₁(e^(−10/τ)(1 − e^(−1/τ)))], at 100 % of a pack whose
    open-circuit voltage hardly moves in 11 s. Physics of the circuit; the procedure is IEC 61960-3 (times and rates from memory).
    """
    pack = PackParameters("li-ion", 1, 5000.0, 0.02, 0.011, 0.017, tau1_s=4.0, tau2_s=60.0, heat_capacity_j_k=1e9)
    circuit = Circuit(Pack(pack, 0.5), 0.0)
    low, high = 1.0, 5.0
    rows = []
    for k in range(171):
        amps = 0.0 if k < 50 else low if k < 150 else high
        if k == 150:
            rows.append((k * 0.1, circuit.battery_v, circuit.current_a))  # the reading at 10 s, still at the first current
            circuit.draw(high)
            circuit.step(0.1)
            continue
        if circuit.current_a != amps:
            circuit.draw(amps)
        rows.append((k * 0.1, circuit.battery_v, circuit.current_a))
        circuit.step(0.1)
    time, volts, amps = np.array(rows).T
    found = two_step(Readings(time, volts, amps), 5.0, None, None, 50.0)
    fade = sum(
        r * ((high - low) * (1 - math.exp(-1 / tau)) + low * math.exp(-10 / tau) * (1 - math.exp(-1 / tau)))
        for r, tau in ((0.011, 4.0), (0.017, 60.0))
    )
    r0 = Pack(pack, 0.5).resistance_ohm()
    assert found.value == pytest.approx(r0 + fade / (high - low), rel=2e-3)


def test_peukert_worked_example():
    """100 Ah at the 20-hour rate, k = 1.2, 10 A: 8.706 h, not 10. Peukert 1897; the worked figure is common practice, no source."""
    assert hours_at(10, 100, 20, 1.2) == pytest.approx(8.706, abs=5e-4)
    assert hours_at(4, 100, 20, 1.2) == pytest.approx(25.0)  # slower than rated: never more than rated


@pytest.mark.parametrize("k", [1.0, 1.05, 1.2, 1.3])
def test_peukert_fit_finds_the_exponent_of_the_model(k):
    """Against scipy.optimize.curve_fit on the same runs."""
    amps = np.array([2.5, 5.0, 12.0, 20.0])
    hours = np.array([20 * (45 / (i * 20)) ** k for i in amps])
    found = fit_exponent([ConstantRun(exactly(i), exactly(h)) for i, h in zip(amps, hours, strict=True)])
    (slope, _), _ = curve_fit(lambda x, a, b: a * x + b, np.log(amps), np.log(hours))
    assert found.value == pytest.approx(k, rel=1e-9)
    assert found.value == pytest.approx(-slope, rel=1e-6)


def test_peukert_wants_two_currents():
    with pytest.raises(ValueError, match="clearly different currents"):
        fit_exponent([ConstantRun(exactly(5.0), exactly(9.0)), ConstantRun(exactly(5.1), exactly(8.8))])
    assert fit_exponent([ConstantRun(exactly(5.0), exactly(9.0)), ConstantRun(exactly(6.1), exactly(7.2))]).value == pytest.approx(
        np.log(9.0 / 7.2) / np.log(6.1 / 5.0)
    )


@pytest.mark.parametrize(
    ("hours", "celsius", "wanted"), [(20, 30, 100 / 1.06), (20, 10, 100 / 0.94), (1, 30, 100 / 1.10), (3, 25, 100 / 1.03), (10, 20, 100)]
)
def test_temperature_correction(hours, celsius, wanted):
    """IEC 60896-21: C_ref = C ÷ (1 + λ(θ − 20 °C)), λ 0.006 for 3 h and slower, 0.01 for faster. Coefficients from memory."""
    charge = Finding("charge", "Charge", 100.0, "Ah", (part("current gain", 0.5),), "")
    found = capacity_at_reference(charge, hours, celsius)
    assert found.value == pytest.approx(wanted)
    assert found.standard_uncertainty >= 0.5 * wanted / 100


def test_charge_efficiency_of_a_cycle():
    """What goes in and out of a model with 100 % coulombic efficiency; energy falls short by I²R in both directions. Physics."""
    circuit = Circuit(Pack(PackParameters("li-ion", 4, 10.0, 0.1, 1e-9, 1e-9, heat_capacity_j_k=1e9), 0.3), 0.0)
    rows = []
    for amps, count in ((-2.0, 5400), (0.0, 60), (2.0, 5400)):
        circuit.draw(amps)
        for _ in range(count):
            rows.append((len(rows) * 1.0, circuit.battery_v, circuit.current_a))
            circuit.step(1.0)
    time, volts, amps = np.array(rows).T
    put_in = recharge_of(
        Readings(time, volts, amps), *(Accuracy(g, 0.0, q, meter="one") for g, q in ((0.001, "V"), (0.005, "A"))), 0.0, 5399.0
    )
    out_q = Finding("charge", "", circuit.charge_ah, "Ah", (part("current gain", 0.005 / math.sqrt(3) * circuit.charge_ah),), "")
    out_e = Finding("energy", "", circuit.energy_wh, "Wh", (part("current gain", 0.005 / math.sqrt(3) * circuit.energy_wh),), "")
    coulombic, energy = round_trip(out_q, out_e, put_in)
    assert coulombic.value == pytest.approx(100.0, rel=5e-4)
    assert energy.value == pytest.approx(100 * circuit.energy_wh / circuit.charged_wh, rel=1e-3)
    assert coulombic.expanded_uncertainty < 0.01  # one meter for both: its gain cancels


def test_counter_rolls_over_and_is_reset():
    """A five-digit counter in 0.1 Wh runs over at 10 000.0; a reset is told from that by where it stood. Common practice, no source."""
    half = np.full(6, 0.05)
    rolled = counted(Series(np.arange(4.0), np.array([9990.0, 9998.0, 3.0, 9.0])), half, 10_000.0)
    assert (rolled.amount, rolled.rollovers, rolled.resets) == (pytest.approx(19.0), 1, 0)
    reset = counted(Series(np.arange(4.0), np.array([10.0, 25.0, 2.0, 9.0])), half, 10_000.0)
    assert (reset.amount, reset.rollovers, reset.resets) == (pytest.approx(24.0), 0, 1)
    assert "at least" in reset.sentence("Wh")


@pytest.mark.parametrize(("drop", "percent"), [(28, 2.9), (3, 27.0)])
def test_whole_percent_is_coarse(drop, percent):
    """A drop of 28 points is known to ±2.9 % of itself (k = 2), one of 3 points to ±27 %. Common practice, no source; JCGM 100, 4.3.7."""
    found = points_used(Series(np.arange(2.0), np.array([90.0, 90.0 - drop])))
    assert 100 * found.expanded_uncertainty / drop == pytest.approx(percent, abs=0.25)
