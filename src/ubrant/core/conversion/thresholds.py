"""Where a converter gives up and comes back: the two points that bracket each threshold."""

from __future__ import annotations

import itertools

import numpy as np
from numpy.typing import NDArray

from ubrant.core.quantities.readings import Array
from ubrant.core.quantities.tolerance import Tolerance
from ubrant.core.record.points import Mask, Points

Brackets = dict[str, tuple[int, int]]
THRESHOLDS = ("dropout_voltage", "shutoff_voltage", "restart_voltage")
SAME_LOAD = 0.06


def group_of(values: Array, width: float) -> NDArray[np.int64]:
    """A number for every value, the same for those that lie together."""
    order = np.argsort(values)
    number = np.empty(len(values), np.int64)
    sorted_ = values[order]
    number[order[:1]] = 0
    number[order[1:]] = (sorted_[1:] - sorted_[:-1] > width / 2).cumsum()
    return number


def brackets_of(points: Points, running: Mask, within: Mask, tolerance: Tolerance | None) -> Brackets:
    """The two points that bracket each threshold, by key; one that was not met is missing."""
    found = {
        "dropout_voltage": _bracket(points, within, falling=True) if tolerance else None,
        "shutoff_voltage": _bracket(points, running, falling=True),
        "restart_voltage": _bracket(points, running, falling=False),
    }
    return {key: pair for key, pair in found.items() if pair is not None}


def _bracket(points: Points, good: Mask, *, falling: bool) -> tuple[int, int] | None:
    """Between which two points they stop being good with the input falling, or become good with it rising.

    The narrowest of each load, the highest over the loads. Points of one load are taken in their order.
    """
    if not good.any():
        return None
    asked = points.output_a.copy()
    usual = max(float(asked.max()), 1e-9)
    low = 0.9 * float(np.median(points.output_v[good]))
    for off in np.flatnonzero(~good & (points.output_v < low)):  # a load that is off draws nothing: it is asked for what it drew before
        if off:
            asked[off] = asked[off - 1]
    volts, fine = points.input_v.tolist(), good.tolist()
    best: tuple[float, int, int] | None = None
    together = group_of(asked, SAME_LOAD * usual)
    for number in range(int(together.max()) + 1):
        of_load = []
        for k, j in itertools.pairwise(np.flatnonzero(together == number).tolist()):
            down = volts[j] < volts[k]
            if fine[k] and not fine[j] and down if falling else not fine[k] and fine[j] and not down:
                of_load.append((abs(volts[k] - volts[j]), (volts[k] + volts[j]) / 2, k, j))
        if of_load and (best is None or min(of_load)[1] > best[0]):
            best = min(of_load)[1:]
    return best[1:] if best is not None else None


def middle_of_bracket(points: Points, brackets: Brackets, key: str) -> float | None:
    if key not in brackets:
        return None
    k, j = brackets[key]
    return float(points.input_v[k] + points.input_v[j]) / 2
