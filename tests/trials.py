"""Many cases drawn by a generator of their own, and whether the truth is inside what is stated of them."""

from __future__ import annotations

import json
import math
import os
from pathlib import Path

import numpy as np
import pytest

from ubrant.core.quantities.accuracy import Accuracy

FEW_CASES, CASES, MORE_CASES = 30, 300, 2000


def meters(rng):
    voltage = Accuracy(rng.uniform(0.0005, 0.004), rng.uniform(0.001, 0.01), "V")
    current = Accuracy(rng.uniform(0.002, 0.02), rng.uniform(0.002, 0.03), "A")
    return voltage, current


def shown(rng, values, accuracy, noise):
    gain, zero = rng.uniform(-1, 1) * accuracy.gain, rng.uniform(-1, 1) * accuracy.zero
    return values * (1 + gain) + zero + rng.normal(0, noise, len(values))


def scores(pairs):
    """(share inside U, root mean square of z) of (error, finding)."""
    error = np.array([e for e, _ in pairs])
    stated = np.array([(f.expanded_uncertainty, f.standard_uncertainty) for _, f in pairs])
    return float(np.mean(np.abs(error) <= stated[:, 0])), float(np.sqrt(np.mean(np.square(error / np.maximum(stated[:, 1], 1e-300)))))


def kept(family: str, finding: str, cases: int, inside: float, z: float, width: float = math.nan, unit: str = "") -> None:
    """Written down for docs/calibration.md, where it is asked for: a family of cases, one finding of it, and how the truth lay in what was stated.

    Parameters
    ----------
    inside, z : share inside U, and root mean square of error ÷ u
    width : median U, in ``unit``; NaN where nobody kept it
    """
    if place := os.environ.get("UBRANT_CALIBRATION"):
        row = {"family": family, "finding": finding, "cases": cases, "inside": inside, "z": z, "width": width, "unit": unit}
        with Path(place).open("a", encoding="utf-8") as lines:
            lines.write(json.dumps(row) + "\n")


def trial(name, draw, share, *, low=0.85, high=1.15):
    """Draw the cases and hold them against what is wanted; a part of them is allowed a little more. A family that fails is run once more with 300, and with 2 000."""
    rng = np.random.default_rng(sum(map(ord, name)))
    cases = max(int(CASES * share), FEW_CASES)
    for count in sorted({cases, CASES, MORE_CASES}):
        room = 0.0 if count >= CASES else 0.25
        found = {}
        for _ in range(count):
            for key, pair in draw(rng).items():
                found.setdefault(key, []).append(pair)
        told = {key: (*scores(pairs), float(np.median([f.expanded_uncertainty for _, f in pairs]))) for key, pairs in found.items()}
        for key, (inside, z, width) in told.items():
            print(f"{name} {key}: {count} cases, {100 * inside:.1f} % inside, z {z:.2f}, median U {width:.3g} {found[key][0][1].unit}")
        if count >= CASES:
            for key, (inside, z, width) in told.items():
                kept(name, key, count, inside, z, width, found[key][0][1].unit)
        if all(inside >= 0.92 - room / 3 and low - room <= z <= high + room for inside, z, _ in told.values()):
            return
    pytest.fail(f"{name}: {told}")
