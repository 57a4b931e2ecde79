"""Peukert's law: how much less a battery gives the faster it is emptied.

W. Peukert, Elektrotechnische Zeitschrift 20 (1897): t = H·(C ÷ (I·H))^k, with C rated over H hours.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.quantity import plain, show
from ubrant.core.uncertainty.contributions import Contribution
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say


@dataclass(frozen=True)
class ConstantRun:
    """A constant-current run to one cut-off: amperes, hours, and their standard uncertainties (None where there is no ±).

    ``u_gain`` is the part of the relative uncertainty of the current that all runs share (one meter's gain): it cancels in the exponent.
    """

    current_a: float
    hours: float
    u_current_a: float | None = 0.0
    u_hours: float | None = 0.0


def hours_at(current_a: float, charge_ah: float, rated_hours: float, exponent: float) -> float:
    """Hours until empty at a constant current; never more than rated below I = C/H.

    Worked: 100 Ah at the 20-hour rate, k = 1.2, 10 A gives 8.706 h, not 10.
    """
    relative = charge_ah / (current_a * rated_hours)
    if relative > 1:
        return charge_ah / current_a
    return float(rated_hours * relative**exponent)


def fit_exponent(runs: list[ConstantRun]) -> Finding:
    """Peukert's exponent from two or more runs at different currents to the same cut-off.

    A straight line through ln t over ln I; its slope is −k. The ± is that of the runs' times and currents, carried through the fit.

    Raises
    ------
    ValueError
        Fewer than two different currents.
    """
    if len({round(r.current_a, 9) for r in runs}) < 2 or max(r.current_a for r in runs) / min(r.current_a for r in runs) < 1.2:
        raise ValueError(say("Two runs at clearly different currents, to the same cut-off, are needed: one at twice the other's, say."))
    x, y = np.log([r.current_a for r in runs]), np.log([r.hours for r in runs])
    centred = x - x.mean()
    leverage = centred / float(np.dot(centred, centred))
    k = -float(np.dot(leverage, y))
    parts: tuple[Contribution, ...] | None = None
    if all(r.u_hours is not None and r.u_current_a is not None for r in runs):
        parts = tuple(
            Contribution(
                f"run at {plain(r.current_a, 3)} A",
                float(w) * math.hypot((r.u_hours or 0.0) / r.hours, k * (r.u_current_a or 0.0) / r.current_a),
                f"{show(r.hours)} h ± {show(2 * (r.u_hours or 0.0), 2)}",
            )
            for w, r in zip(leverage, runs, strict=True)
        )
        # What the runs scatter about the line beyond what their own ± explains: the law does not hold exactly, or something else changed.
        residual = y - y.mean() + k * centred
        scatter = math.sqrt(float(np.dot(residual, residual)) / (len(runs) - 2) / float(np.dot(centred, centred))) if len(runs) > 2 else 0.0
        known = math.sqrt(sum(c.amount**2 for c in parts))
        if scatter > 2 * known:
            parts += (Contribution("scatter about the line", math.sqrt(scatter**2 - known**2)),)
    runs_text = ", ".join(f"{plain(r.current_a, 3)} A for {show(r.hours)} h" for r in sorted(runs, key=lambda r: r.current_a))
    return Finding(
        "peukert",
        "Peukert exponent",
        k,
        "",
        parts,
        runs_text,
        (say("ln t over ln I, slope with its sign turned: {told}", told=runs_text), f"k = {show(k)}"),
    )


def capacity_at_rated(run: ConstantRun, rated_hours: float, exponent: Finding, charge: Finding) -> Finding:
    """Capacity at the label's own rate, from a run at another: C = I·H·(t/H)^(1/k)."""
    k = exponent.value or 1.0
    value = run.current_a * rated_hours * (run.hours / rated_hours) ** (1 / k)
    parts: tuple[Contribution, ...] | None = None
    if charge.contributions is not None and exponent.standard_uncertainty is not None and charge.value:
        slope = -value * math.log(run.hours / rated_hours) / k**2
        parts = (
            *(c.times(value / charge.value) for c in charge.contributions),
            Contribution(
                "Peukert exponent", slope * exponent.standard_uncertainty, f"k = {show(k)} ± {show(2 * exponent.standard_uncertainty, 2)}"
            ),
        )
    sum_text = f"{show(run.current_a)} A × {plain(rated_hours)} h × ({show(run.hours)} h ÷ {plain(rated_hours)} h)^(1 ÷ {show(k)})"
    return Finding(
        "rated_capacity",
        say("At the label's own rate"),
        value,
        "Ah",
        parts,
        say("by Peukert's law, k = {k}", k=show(k)),
        (f"{sum_text} = {show(value)} Ah",),
    )
