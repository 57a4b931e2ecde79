"""Efficiency over load and input voltage, between the points that were measured: a grid to draw contours on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ubrant.core.readings import Array
from ubrant.core.sweep import Sweep

_COLUMNS, _ROWS = 60, 40
_LEAST_SHARE = 0.04
"""Under this share of the largest load the efficiency falls to nothing, and contours would only crowd."""


@dataclass(frozen=True)
class EfficiencyMap:
    """``percent`` (rows, columns) over ``load_w`` (columns,) and ``input_v`` (rows,); NaN where nothing was measured around."""

    load_w: Array
    input_v: Array
    percent: Array


def efficiency_map(found: Sweep) -> EfficiencyMap | None:
    """Straight lines between measured loads of one input voltage, then between input voltages; None for fewer than two of either."""
    points, eta = found.points, found.efficiency
    good = np.isfinite(eta) & (points.output_w > 0) & found.in_tolerance
    if good.sum() < 4:
        return None
    load, volts, percent = points.output_w[good], points.input_v[good], eta[good]
    rows = _rows(volts)
    rows = [r for r in rows if len(np.unique(np.round(load[r], 2))) >= 2]
    if len(rows) < 2:
        return None
    columns = np.linspace(max(float(load.min()), _LEAST_SHARE * float(load.max())), float(load.max()), _COLUMNS)
    heights = np.array([float(np.mean(volts[r])) for r in rows])
    lines = np.full((len(rows), _COLUMNS), np.nan)
    for k, row in enumerate(rows):
        order = row[np.argsort(load[row])]
        lines[k] = np.interp(columns, load[order], percent[order], left=np.nan, right=np.nan)
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


def levels(found: EfficiencyMap) -> list[float]:
    """Round percentages to draw contours at: five to nine of them."""
    low, high = float(np.nanmin(found.percent)), float(np.nanmax(found.percent))
    for step in (1.0, 2.0, 5.0, 10.0):
        made = np.arange(np.ceil(low / step) * step, high, step)
        if len(made) <= 9:
            return [float(x) for x in made]
    return []
