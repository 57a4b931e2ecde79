"""Efficiency over load and input voltage, between the points that were measured: a grid to draw contours on."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ubrant.core.conversion.sweep import Sweep
from ubrant.core.quantities.readings import Array

_COLUMNS, _ROWS = 60, 40
_LEAST_SHARE = 0.01
"""Under this share of the largest load the efficiency falls to nothing, and contours would only crowd."""
_LEVELS = (10.0, 20.0, 30.0, 40.0, 50.0, 60.0, 70.0, 80.0, 85.0, 88.0, 90.0, 92.0, 94.0, 95.0, 96.0, 97.0, 98.0, 99.0)
_MOST_LEVELS, _FEWEST_LEVELS = 8, 3


@dataclass(frozen=True)
class EfficiencyMap:
    """``percent`` (rows, columns) over ``load_w`` (columns,), closer together at small loads, and ``input_v`` (rows,); NaN where nothing was measured around."""

    load_w: Array
    input_v: Array
    percent: Array


def efficiency_map(model: Sweep) -> EfficiencyMap | None:
    """Input power on straight lines between measured loads of one input voltage (losses bend little, efficiencies much), then between input voltages.

    None for fewer than two of either.
    """
    points = model.points
    good = np.isfinite(points.input_w) & (points.input_w > 0) & model.in_tolerance
    if good.sum() < 4 or not points.output_w[good].max() > 0:
        return None
    load, volts, taken = points.output_w[good].clip(0), points.input_v[good], points.input_w[good]
    rows = _rows(volts)
    rows = [r for r in rows if len(np.unique(np.round(load[r], 2))) >= 2]
    if len(rows) < 2:
        return None
    most = float(load.max())
    columns = np.linspace(math.sqrt(max(float(load.min()), _LEAST_SHARE * most)), math.sqrt(most), _COLUMNS) ** 2
    heights = np.array([float(np.mean(volts[r])) for r in rows])
    lines = np.full((len(rows), _COLUMNS), np.nan)
    for k, row in enumerate(rows):
        order = row[np.argsort(load[row])]
        lines[k] = 100 * columns / np.interp(columns, load[order], taken[order], left=np.nan, right=np.nan)
    grid_v = np.linspace(float(heights[0]), float(heights[-1]), _ROWS)
    grid = np.full((_ROWS, _COLUMNS), np.nan)
    for c in range(_COLUMNS):
        there = np.isfinite(lines[:, c])
        if there.sum() >= 2:
            grid[:, c] = np.interp(grid_v, heights[there], lines[there, c], left=np.nan, right=np.nan)
    return EfficiencyMap(columns, grid_v, grid)


def _rows(volts: Array) -> list[np.ndarray]:
    order = np.argsort(volts)
    width = 0.015 * float(volts.max())
    cuts = np.flatnonzero(np.diff(volts[order]) > width) + 1
    return [r for r in np.split(order, cuts) if len(r)]


def levels(efficiencies: EfficiencyMap) -> list[float]:
    """Percentages to draw contours at, closer together the higher they are: the same for every converter, so that maps can be compared, unless too few of them fall into it."""
    if not np.isfinite(efficiencies.percent).any():  # stopped before two loads were taken at the same voltages
        return []
    low, high = float(np.nanmin(efficiencies.percent)), float(np.nanmax(efficiencies.percent))
    usual = [level for level in _LEVELS if low < level < high][-_MOST_LEVELS:]
    if len(usual) >= _FEWEST_LEVELS:
        return usual
    for step in (2.0, 1.0, 0.5, 0.2):
        made = np.arange(math.floor(low / step) + 1, math.ceil(high / step)) * step
        if len(made) >= _FEWEST_LEVELS:
            return [round(float(level), 1) for level in made]
    return usual
