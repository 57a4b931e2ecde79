"""The best efficiency: by the fitted losses, or as it was measured."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ubrant.core.conversion.points import Points
from ubrant.core.quantities.quantity import show
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say

_FEW_LOADS = 5


def best_as_measured(findings: dict[str, Finding], points: Points) -> dict[str, Finding]:
    """The best of the measured points, where the fit's best lies below it.

    Over many points the highest is the luckiest, and the fit the better word, unless it lies below by more than they scatter about it.
    """
    fitted = findings["peak_efficiency"]
    each = [f for key, f in findings.items() if key.startswith("efficiency_") and f.value is not None]
    best = max(each, key=lambda f: f.value or 0.0, default=None)
    if fitted.value is None or best is None or best.value is None or best.value <= fitted.value:
        return {}
    scatter = (findings["loss_scatter"].value or 0.0) / max(float(points.input_w.max()), 1e-9)
    if len(each) > _FEW_LOADS and best.value - fitted.value < 2 * 100 * scatter:
        return {}
    by_point = np.abs(100 * points.output_w / np.where(points.input_w > 0, points.input_w, np.inf) - best.value)
    load = float(points.output_w[int(np.argmin(by_point))])
    working = say("{working}, as measured; the fit's best is {fit} %", working=best.working, fit=show(fitted.value))
    return {
        "peak_efficiency": replace(fitted, value=best.value, contributions=best.contributions, working=working, arithmetic=()),
        "peak_at": replace(
            findings["peak_at"], value=load, contributions=None, working=say("the best of the points measured"), arithmetic=()
        ),
    }
