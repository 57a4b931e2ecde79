"""The best efficiency: by the fitted losses, or as it was measured."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ubrant.core.quantities.quantity import show
from ubrant.core.record.points import Points
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say

_FEW_LOADS = 5


def best_place(points: Points, shown: Sequence[int], fitted: float | None, scatter_w: float | None) -> int | None:
    """Which of the measured points is the best, where the fit's best, a share, lies below it; None where the fit is the better word.

    Over many points the highest is the luckiest, and the fit stands, unless it lies below by more than they scatter about it.
    """
    if fitted is None or not len(shown):
        return None
    share = _share(points, shown)
    best = int(np.argmax(share))
    scatter = (scatter_w or 0.0) / max(float(points.input_w.max()), 1e-9)
    if share[best] <= fitted or (len(shown) > _FEW_LOADS and share[best] - fitted < 2 * scatter):
        return None
    return int(shown[best])


def best_share(points: Points, shown: Sequence[int], fitted: float | None, scatter_w: float | None) -> float | None:
    """The best efficiency, a share: a maximum goes where the errors take it."""
    place = best_place(points, shown, fitted, scatter_w)
    return fitted if place is None else float(_share(points, [place])[0])


def _share(points: Points, places: Sequence[int]) -> np.ndarray:
    return np.asarray(points.output_w[list(places)] / np.maximum(points.input_w[list(places)], 1e-12))


def as_measured(findings: dict[str, Finding], points: Points, place: int | None, fitted: float | None) -> dict[str, Finding]:
    """What is said of the best efficiency and of where it is, where the best was measured at a place."""
    if place is None or fitted is None:
        return {}
    load = float(points.output_w[place])
    working = say(
        "{working}, as measured; the fit's best is {fit} %",
        working=f"{show(load)} W ÷ {show(float(points.input_w[place]))} W",
        fit=show(100 * fitted),
    )
    at = say("the best of the points measured")
    return {
        "peak_efficiency": replace(findings["peak_efficiency"], working=working, arithmetic=()),
        "peak_at": replace(findings["peak_at"], value=load, contributions=None, working=at, arithmetic=()),
    }
