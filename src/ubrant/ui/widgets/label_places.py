"""Where words on a drawing lie on no curve and on no other words."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from ubrant.core.quantities.readings import Array

Box = tuple[float, float, float, float]
"""From x, to x, from y, to y."""
Line = tuple[Array, Array]
"""(n,) x and y of a curve."""


def room_for(candidates: Sequence[Box], lines: Iterable[Line], taken: Sequence[Box]) -> int:
    """Which of the places is the freest: none of what is taken in it, and the curves as far from it as can be, in its own heights.

    The first that is free by half of its height does; where none is, the one with the most room.
    """
    best, most = 0, -np.inf
    known = list(lines)
    for number, box in enumerate(candidates):
        free = -1.0 if any(_overlap(box, other) for other in taken) else _clearance(box, known)
        if free >= _ENOUGH:
            return number
        if free > most:
            best, most = number, free
    return best


_ENOUGH = 0.5


def _overlap(one: Box, other: Box) -> bool:
    return one[0] < other[1] and other[0] < one[1] and one[2] < other[3] and other[2] < one[3]


def _clearance(box: Box, lines: Sequence[Line]) -> float:
    """How far the nearest curve is above or below, in heights of the box; negative where one goes through it."""
    x0, x1, y0, y1 = box
    high, least = max(y1 - y0, 1e-12), 10.0
    for x, y in lines:
        if len(x) < 2:
            continue
        at = np.linspace(x0, x1, _SAMPLES)
        at = at[(at >= x[0]) & (at <= x[-1])]
        inside = y[(x >= x0) & (x <= x1)]
        passing = np.concatenate([np.interp(at, x, y), inside])
        passing = passing[np.isfinite(passing)]
        if len(passing):
            above, below = passing.min() - y1, y0 - passing.max()
            least = min(least, float(max(above, below)) / high)
    return least


_SAMPLES = 24
