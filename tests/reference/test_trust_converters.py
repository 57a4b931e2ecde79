"""Is the ± of a sweep to be trusted? 400 random converters whose meters are wrong somewhere inside what their manuals quote."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.trials import kept
from ubrant.core.conversion.loss_model import CALIFORNIAN, EUROPEAN, LossModel
from ubrant.core.conversion.sweep import analyse_sweep
from ubrant.core.models.converter import Converter, ConverterParameters
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.tolerance import Tolerance
from ubrant.core.record.points import SweepMeters, points_of

CONVERTERS, SMALL_ONES = 400, 150
KEYS = (
    "idle_power",
    "loss_fixed",
    "loss_proportional",
    "loss_resistive",
    "peak_efficiency",
    "weighted_efficiency_european",
    "weighted_efficiency_californian",
    "line_regulation",
    "load_regulation",
    "dropout_voltage",
    "shutoff_voltage",
    "restart_voltage",
    "lead_resistance",
)


def one(rng: np.random.Generator, *, coarse: bool = False) -> dict[str, tuple[float, float]]:
    """(error, u) of each finding of one converter, swept down and up over its input and over its load.

    ``coarse``: a small one, with meters whose zero of 10 mA is as large as its idle current.
    """
    rated_w, out_v = rng.uniform(3, 10) if coarse else rng.uniform(20, 200), float(rng.choice([5.0, 19.0, 12.0]))
    p = ConverterParameters(
        out_v,
        rated_w * rng.uniform(0.005, 0.03),
        rng.uniform(0.02, 0.08),
        rng.uniform(0.02, 0.10) / rated_w,
        output_ohm=rng.uniform(0.002, 0.01) * out_v**2 / rated_w,
        line_per_v=rng.uniform(-2e-3, 2e-3) * out_v,
        sags_below_v=rng.uniform(9.4, 10.4),
        shutoff_v=rng.uniform(8.0, 8.8),
        restart_v=rng.uniform(9.0, 9.3),
    )
    lead_ohm = rng.uniform(0.005, 0.05)
    tolerance = Tolerance(out_v * 0.95, out_v * 1.05)
    down = np.concatenate((np.arange(15.0, 11.0, -1.0), np.arange(11.0, 7.4, -0.25)))
    rows = []
    for share in (0.0, 0.05, 0.1, 0.2, 0.3, 0.5, 0.75, 1.0):
        converter = Converter(p)
        for volts in np.concatenate((down, down[::-1])):
            amps = share * rated_w / out_v
            out, into = converter.output(volts, amps)
            rows.append((volts, into, out, amps if out > 0 else 0.0, volts + into * lead_ohm))
    vin, iin, vout, iout, source = np.array(rows).T
    accuracy = {
        "v": Accuracy(rng.uniform(0.0005, 0.003), 0.002, "V"),
        "a": Accuracy(rng.uniform(0.001, 0.006), 0.001 * rated_w / out_v, "A"),
        "ov": Accuracy(rng.uniform(0.0005, 0.003), 0.001, "V"),
        "oa": Accuracy(rng.uniform(0.001, 0.006), 0.0005 * rated_w / out_v, "A"),
    }
    if coarse:
        accuracy |= {k: Accuracy(accuracy[k].gain, 0.01, "A") for k in ("a", "oa")}
    error = {k: (rng.uniform(-1, 1) * a.gain, rng.uniform(-1, 1) * a.zero) for k, a in accuracy.items()}
    source_error = rng.uniform(-1, 1) * accuracy["v"].gain, rng.uniform(-1, 1) * accuracy["v"].zero

    def shown(values, gain, zero, noise):
        return values * (1 + gain) + zero + rng.normal(0, noise, len(values))

    points = points_of(
        shown(vin, *error["v"], 5e-4),
        shown(iin, *error["a"], 3e-4 * rated_w / 12),
        shown(vout, *error["ov"], 3e-4),
        shown(iout, *error["oa"], 2e-4),
        source_v=shown(source, *source_error, 5e-4),
    )
    meters = SweepMeters(accuracy["v"], accuracy["a"], accuracy["ov"], accuracy["oa"])
    found = analyse_sweep(points, meters, tolerance, rated_w)
    truth_model = LossModel(p.fixed_w, p.proportional, p.resistive_per_w, 0.0, rated_w)
    leaves = max(
        p.sags_below_v * tolerance.low / (out_v - p.output_ohm * i + p.line_per_v * (v - 12.8))
        for i in (rated_w / out_v,)
        for v in (p.sags_below_v,)
    )
    truth = {
        "idle_power": p.fixed_w,
        "loss_fixed": p.fixed_w,
        "loss_proportional": p.proportional,
        "loss_resistive": p.resistive_per_w,
        "peak_efficiency": 100 * truth_model.peak()[1],
        "weighted_efficiency_european": 100 * sum(w * truth_model.efficiency(s * rated_w) for s, w in EUROPEAN),
        "weighted_efficiency_californian": 100 * sum(w * truth_model.efficiency(s * rated_w) for s, w in CALIFORNIAN),
        "line_regulation": 1000 * p.line_per_v,
        "load_regulation": -1000 * p.output_ohm,
        "dropout_voltage": leaves,
        "shutoff_voltage": p.shutoff_v,
        "restart_voltage": p.restart_v,
        "lead_resistance": lead_ohm,
    }
    known = [key for key in KEYS if found.findings[key].value is not None]
    return {key: (found.findings[key].value - truth[key], found.findings[key].standard_uncertainty) for key in known}


@pytest.fixture(scope="module")
def converters(share) -> list[dict[str, tuple[float, float]]]:
    rng = np.random.default_rng(20261127)
    return [one(rng) for _ in range(round(share * CONVERTERS))]


@pytest.mark.parametrize("key", KEYS)
def test_truth_lies_inside_the_stated_uncertainty(converters, key, room):
    """Inside ± U (k = 2) for at least 92 % of the converters, root mean square of error ÷ u between 0.85 and 1.15 (JCGM 100)."""
    ratio = np.array([c[key][0] / c[key][1] for c in converters])
    inside, spread = np.mean(np.abs(ratio) <= 2), math.sqrt(np.mean(ratio**2))
    print(f"{key}: {100 * inside:.1f} % inside, root mean square of error/u {spread:.3f}")
    kept("sweeps of a converter", key, len(ratio), float(inside), float(spread))
    assert inside >= 0.92 - room
    assert 0.85 - room <= spread <= 1.15 + room


@pytest.fixture(scope="module")
def small_ones(share) -> list[dict[str, tuple[float, float]]]:
    rng = np.random.default_rng(20261128)
    return [one(rng, coarse=True) for _ in range(round(share * SMALL_ONES))]


@pytest.mark.parametrize("key", KEYS)
def test_it_does_where_the_meters_zero_is_as_large_as_what_is_measured(small_ones, key, room):
    """Then the sums are far from straight: the stated doubt may be too wide (down to half: b by a coarse meter), never too narrow."""
    ratio = np.array([c[key][0] / c[key][1] for c in small_ones if key in c])
    assert len(ratio) > 0.9 * len(small_ones)
    assert np.mean(np.abs(ratio) <= 2) >= 0.92 - room
    assert 0.5 <= math.sqrt(np.mean(ratio**2)) <= 1.15 + room
