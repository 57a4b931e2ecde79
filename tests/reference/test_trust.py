"""Is the ± to be trusted? 400 simulated discharges whose meters are wrong somewhere inside what their manuals quote."""

from __future__ import annotations

import numpy as np
import pytest

from tests.trials import kept
from ubrant.core.battery.conditions import reference_c
from ubrant.core.models.cell import Pack, pack_from_label
from ubrant.core.models.circuit import Circuit
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.label import parse_label
from ubrant.core.quantities.readings import Readings
from ubrant.core.record.cutoff import Cutoff
from ubrant.methods.discharge.sums import DischargeRecord, analyse

RUNS = 400
KEYS = ("charge", "energy", "mean_voltage", "label_share")
LABELS = ("50 Ah 12.8 V LiFePO4", "12 V 45 Ah lead-acid", "2.5 Ah 9.6 V NiMH", "5 Ah 3.6 V li-ion")


def one_run(rng: np.random.Generator) -> dict[str, tuple[float, float]]:
    """(error, u) of each finding for a random battery, rate, cut-off and meter."""
    label = parse_label(str(rng.choice(LABELS)))
    kind = label.kind_of_cell
    circuit = Circuit(Pack(pack_from_label(label)), 0.0)
    cutoff_v = kind.usual_cutoff_v * label.series * rng.uniform(1.0, 1.05)
    circuit.draw(label.charge_ah * rng.uniform(0.1, 0.5))
    step_s = 3600 * label.charge_ah / circuit.current_a / 1500
    rows = []
    while circuit.battery_v > cutoff_v * 0.97:  # on below it, for meters that see the cut-off late
        rows.append((len(rows) * step_s, circuit.battery_v, circuit.current_a, circuit.charge_ah, circuit.energy_wh))
        circuit.step(step_s)
    time, volts, amps, charge, energy = np.array(rows).T
    below = int(np.argmax(volts <= cutoff_v))
    moment = np.interp(cutoff_v, volts[below : below - 2 : -1], time[below : below - 2 : -1])
    true_ah, true_wh = np.interp(moment, time, charge), np.interp(moment, time, energy)
    accuracy_v = Accuracy(rng.uniform(0, 0.005), rng.uniform(0, 0.001) * cutoff_v, "V")
    accuracy_a = Accuracy(rng.uniform(0, 0.01), rng.uniform(0, 0.01) * circuit.current_a, "A")
    shown_v = volts * (1 + rng.uniform(-1, 1) * accuracy_v.gain) + rng.uniform(-1, 1) * accuracy_v.zero + rng.normal(0, 1e-4, len(time))
    shown_a = amps * (1 + rng.uniform(-1, 1) * accuracy_a.gain) + rng.uniform(-1, 1) * accuracy_a.zero + rng.normal(0, 1e-4, len(time))
    found = analyse(
        DischargeRecord(
            Readings(time, shown_v, shown_a),
            accuracy_v,
            accuracy_a,
            label,
            Cutoff(cutoff_v, 0.0),
            temperature_c=20.0 + rng.uniform(-1, 1),
            load_on_s=0.0,
        )
    )
    factor = 1.0
    if kind.key == "lead-acid":
        reference, half = reference_c(label)
        per_degree = (0.006 if found.findings["duration"].value >= 3 * 3600 else 0.01) + rng.uniform(-0.002, 0.002)
        factor = 1 + per_degree * (20.0 - reference - rng.uniform(-half, half))
    truth = {
        "charge": true_ah,
        "energy": true_wh,
        "mean_voltage": true_wh / true_ah,
        "label_share": 100 * true_ah / label.charge_ah / factor,
    }
    return {key: (found.findings[key].value - truth[key], found.findings[key].standard_uncertainty) for key in KEYS}


@pytest.fixture(scope="module")
def runs(share) -> list[dict[str, tuple[float, float]]]:
    rng = np.random.default_rng(20261125)
    return [one_run(rng) for _ in range(round(share * RUNS))]


@pytest.mark.parametrize("key", KEYS)
def test_truth_lies_inside_the_stated_uncertainty(runs, key, room):
    """Inside ± U (k = 2) in at least 92 % of the runs, and the root mean square of error ÷ u between 0.9 and 1.1 (JCGM 100)."""
    ratio = np.array([run[key][0] / run[key][1] for run in runs])
    inside, spread = np.mean(np.abs(ratio) <= 2), np.sqrt(np.mean(ratio**2))
    print(f"{key}: {100 * inside:.1f} % inside, root mean square of error/u {spread:.3f}")
    kept("discharges of a pack", key, len(ratio), float(inside), float(spread))
    assert inside >= 0.92 - room
    assert 0.9 - 2 * room <= spread <= 1.1 + 2 * room
