"""Is the ± of the other findings to be trusted? 200 simulated runs each of resistance, Peukert, state of charge and typed readings."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.trials import kept
from ubrant.core.battery.peukert import ConstantRun, fit_exponent, repeated
from ubrant.core.battery.resistance import two_step
from ubrant.core.battery.state_of_charge import from_resting_voltage
from ubrant.core.models.cell import Pack, pack_from_label
from ubrant.core.models.circuit import Circuit
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.chemistry import LEAD_ACID, LI_ION
from ubrant.core.quantities.jot import Grammar
from ubrant.core.quantities.label import parse_label
from ubrant.core.quantities.readings import Readings
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.jot_text import TimedLine
from ubrant.core.record.typed import columns_of_lines, on_one_base
from ubrant.core.uncertainty.value import scattered
from ubrant.methods.discharge.sums import DischargeRecord, analyse

RUNS = 200


def off(rng: np.random.Generator, values: np.ndarray, accuracy: Accuracy, noise: float, digit: float) -> np.ndarray:
    """What a meter somewhere inside its accuracy shows."""
    shown = values * (1 + rng.uniform(-1, 1) * accuracy.gain) + rng.uniform(-1, 1) * accuracy.zero + rng.normal(0, noise, len(values))
    return np.round(shown / digit) * digit


def resistance(rng: np.random.Generator) -> tuple[float, float]:
    """The two steps of the standard on a pack at full charge, read ten times a second by a meter in millivolts."""
    label = parse_label(str(rng.choice(["5 Ah 3.6 V li-ion", "50 Ah 12.8 V LiFePO4", "12 V 45 Ah lead-acid"])))
    circuit = Circuit(Pack(pack_from_label(label)), 0.0)
    rows = []
    for k in range(170):
        circuit.draw(0.0 if k < 50 else label.charge_ah * (0.2 if k <= 150 else 1.0))
        if k in (150, 160):
            circuit.draw(label.charge_ah * (0.2 if k == 150 else 1.0))
        rows.append((k * 0.1, circuit.battery_v, circuit.current_a))
        if k == 150:
            circuit.draw(label.charge_ah)
        circuit.step(0.1)
    time, volts, amps = np.array(rows).T
    truth = (volts[150] - volts[160]) / (amps[160] - amps[150])
    accuracy_v, accuracy_a = Accuracy(rng.uniform(0, 0.005), 0.003, "V"), Accuracy(rng.uniform(0.002, 0.02), 0.01, "A")
    shown = Readings(time, off(rng, volts, accuracy_v, rng.uniform(2e-4, 1e-3), 0.001), off(rng, amps, accuracy_a, 0.002, 0.001))
    found = two_step(shown, 5.0, accuracy_v, accuracy_a, 100.0)
    return found.value - truth, found.standard_uncertainty


def peukert(rng: np.random.Generator) -> tuple[float, float]:
    """Two to four constant-current runs of a battery that follows the law, each with a meter of its own."""
    k, charge = rng.uniform(1.0, 1.3), 45.0
    runs = []
    for amps in rng.uniform(2.25, 20.0, 1) * np.array([1.0, 2.1, 4.0, 5.5])[: rng.integers(2, 5)]:
        hours = 20 * (charge / (amps * 20)) ** k
        gain, late = 0.01, 0.01 * hours
        u_a, u_h = gain * amps / math.sqrt(3), late / math.sqrt(3)
        read_a, read_h = amps * (1 + rng.uniform(-gain, gain)), hours + rng.uniform(-late, late)
        read_h *= 1 + 0.01 * rng.standard_normal()  # what it gives from one run to the next
        runs.append(ConstantRun(read_a + scattered(u_a, f"current {amps}"), read_h + scattered(u_h, f"hours {amps}")))
    found = fit_exponent(repeated(runs))
    return found.value - k, found.standard_uncertainty


def state_of_charge(rng: np.random.Generator) -> tuple[float, float]:
    """A resting voltage whose battery's own chart lies up to ten points beside the one used."""
    kind, cells = (LEAD_ACID, 6) if rng.random() < 0.5 else (LI_ION, 3)
    percents = [p for _, p in kind.rest_chart]
    chart = rng.uniform(max(25, min(percents) + 10), 88)
    truth = chart + rng.uniform(-10, 10)
    volts = np.interp(chart, percents[::-1], [v for v, _ in kind.rest_chart][::-1]) * cells
    limit = rng.uniform(0.001, 0.03)
    found = from_resting_voltage(volts + rng.uniform(-limit, limit), cells, kind, limit / math.sqrt(3))
    return found.percent - truth, found.expanded_points / 2


def typed(rng: np.random.Generator) -> tuple[float, float]:
    """Energy of a discharge looked at every quarter of an hour, and every few minutes near its end, off displays of two or three decimals."""
    label = parse_label(str(rng.choice(["50 Ah 12.8 V LiFePO4", "12 V 45 Ah lead-acid"])))
    circuit = Circuit(Pack(pack_from_label(label)), 0.0)
    cutoff_v = label.kind_of_cell.usual_cutoff_v * label.series
    circuit.draw(label.charge_ah * rng.uniform(0.1, 0.3))
    rows = []
    while circuit.battery_v > cutoff_v * 0.96:
        rows.append((len(rows) * 5.0, circuit.battery_v, circuit.current_a, circuit.energy_wh))
        circuit.step(5.0)
    time, volts, amps, energy = np.array(rows).T
    below = int(np.argmax(volts <= cutoff_v))
    truth = float(np.interp(np.interp(cutoff_v, volts[below : below - 2 : -1], time[below : below - 2 : -1]), time, energy))
    accuracy_v, accuracy_a = Accuracy(0.005, 0.02, "V"), Accuracy(rng.uniform(0.01, 0.02), 0.03, "A")
    shown_v, shown_a = off(rng, volts, accuracy_v, 0.0, 0.01), off(rng, amps, accuracy_a, 0.0, 0.01)
    entries, k = [], 0
    grammar = Grammar()
    while k < len(time):
        line = f"{shown_v[k]:.2f} V {shown_a[k]:.2f} A"
        entries.append(TimedLine(float(time[k]), grammar.parse(("load on " if k == 0 else "") + line)))
        near = shown_v[k] < cutoff_v * 1.06
        k += int(rng.integers(24, 48)) if near else int(rng.integers(120, 240))
    entries.append(TimedLine(float(time[-1]), grammar.parse(f"{shown_v[-1]:.2f} V {shown_a[-1]:.2f} A")))
    readings, widths = on_one_base(columns_of_lines(entries), "battery")
    found = analyse(DischargeRecord(readings, accuracy_v, accuracy_a, label, Cutoff(cutoff_v, 0.0), load_on_s=0.0, widths=widths))
    assert found.ended_by == "cut-off"
    return found.findings["energy"].value - truth, found.findings["energy"].standard_uncertainty


@pytest.mark.parametrize("one", [resistance, peukert, state_of_charge, typed], ids=lambda f: f.__name__)
def test_truth_lies_inside_the_stated_uncertainty(one, share, room):
    """Inside ± U (k = 2) in at least 91.5 % of 200 runs, and the root mean square of error ÷ u between 0.85 and 1.15 (JCGM 100)."""
    rng = np.random.default_rng(20261126)
    ratio = np.array([error / u for error, u in (one(rng) for _ in range(round(share * RUNS)))])
    inside, spread = np.mean(np.abs(ratio) <= 2), np.sqrt(np.mean(ratio**2))
    print(f"{one.__name__}: {100 * inside:.1f} % inside, root mean square of error/u {spread:.3f}")
    kept("a discharge, further", one.__name__, len(ratio), float(inside), float(spread))
    assert inside >= 0.915 - room
    assert 0.85 - 3 * room <= spread <= 1.15 + 3 * room
