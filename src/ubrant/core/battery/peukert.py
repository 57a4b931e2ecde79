"""Peukert's law: how much less a battery gives the faster it is emptied.

W. Peukert, Elektrotechnische Zeitschrift 20 (1897): t = H·(C ÷ (I·H))^k, with C rated over H hours.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array
from ubrant.core.uncertainty.decision import pooled
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.sources import ErrorKind
from ubrant.core.uncertainty.value import Value, scattered, total_of
from ubrant.core.wording import say, words


@dataclass(frozen=True)
class ConstantRun:
    """A constant-current run to one cut-off: amperes and hours, each as that of one run among several."""

    amps: Value
    time_h: Value

    @property
    def current_a(self) -> float:
        return self.amps.value

    @property
    def hours(self) -> float:
        return self.time_h.value


LEAST_K, MOST_K = 0.97, 1.8
"""A battery that gives more the faster it is emptied is none in one state; lead-acid lies at 1.05 to 1.5. Common practice, no source."""


def why_no_exponent(exponent: Finding) -> str:
    """Why runs with this exponent are not of one battery in one state, in a sentence; empty where they may be."""
    k, u = exponent.value or 0.0, exponent.expanded_uncertainty or 0.0
    if k + u >= LEAST_K and k - u <= MOST_K:
        return ""
    more = say("it would give more the faster it is emptied") if k < 1 else say("it would give far less than any battery does")
    return say(
        "By its runs at other currents {more} (k = {k}; {runs}): they were not of the same battery in the same state, and no Peukert exponent is given.",
        more=more,
        k=show(k, 3),
        runs=exponent.working,
    )


def hours_at(current_a: float, charge_ah: float, rated_hours: float, exponent: float) -> float:
    """Hours until empty at a constant current; never more than rated below I = C/H.

    Worked: 100 Ah at the 20-hour rate, k = 1.2, 10 A gives 8.706 h, not 10.
    """
    relative = charge_ah / (current_a * rated_hours)
    if relative > 1:
        return charge_ah / current_a
    return float(rated_hours * relative**exponent)


def repeated(runs: Sequence[ConstantRun]) -> list[ConstantRun]:
    """The runs with how nearly the battery gives the same again in each one's hours: what they scatter about the law, pooled with what is common.

    Raises
    ------
    ValueError
        Fewer than two different currents.
    """
    leverage, _, residual = _line(runs)
    share, dof = pooled(float(np.dot(residual, residual)), len(leverage) - 2)
    return [
        replace(
            run,
            time_h=run.time_h
            + scattered(share * run.hours, words("what it gives from one run to the next"), dof, when=str(number), kind=ErrorKind.REPEAT),
        )
        for number, run in enumerate(runs)
    ]


def _line(runs: Sequence[ConstantRun]) -> tuple[Array, float, Array]:
    """(n,) leverages of ln t over ln I, the exponent, (n,) what each run lies off the line."""
    if len({round(r.current_a, 9) for r in runs}) < 2 or max(r.current_a for r in runs) / min(r.current_a for r in runs) < 1.2:
        raise ValueError(say("Two runs at clearly different currents, to the same cut-off, are needed: one at twice the other's, say."))
    x, y = np.log([r.current_a for r in runs]), np.log([r.hours for r in runs])
    centred = x - x.mean()
    leverage = centred / float(np.dot(centred, centred))
    k = -float(np.dot(leverage, y))
    return leverage, k, y - y.mean() + k * centred


def fit_exponent(runs: Sequence[ConstantRun]) -> Finding:
    """Peukert's exponent from two or more runs at different currents to the same cut-off.

    A straight line through ln t over ln I; its slope is −k. The ± is that of the runs' times and currents, carried through the fit with its
    sign, so that what all of them share cancels.

    Raises
    ------
    ValueError
        Fewer than two different currents.
    """
    leverage, k, residual = _line(runs)
    square = 1 / float(np.dot(leverage, leverage))
    by_amps = k * leverage + residual / square
    exponent = k - total_of(
        run.time_h.error() * by_time / run.hours + run.amps.error() * by_amp / run.current_a
        for run, by_time, by_amp in zip(runs, leverage.tolist(), by_amps.tolist(), strict=True)
    )
    if (known := exponent.u) is not None:
        # What the runs scatter about the line beyond what their own ± explains: the law does not hold exactly, or something else changed.
        scatter = math.sqrt(float(np.dot(residual, residual)) / (len(runs) - 2) / square) if len(runs) > 2 else 0.0
        if scatter > 2 * known:
            exponent += scattered(math.sqrt(scatter**2 - known**2), words("scatter about the line"), len(runs) - 2)
    runs_text = ", ".join(f"{plain(r.current_a, 3)} A for {show(r.hours)} h" for r in sorted(runs, key=lambda r: r.current_a))
    return Finding.made(
        "peukert",
        "Peukert exponent",
        exponent,
        "",
        runs_text,
        (say("ln t over ln I, slope with its sign turned: {told}", told=runs_text), f"k = {show(k)}"),
    )


def capacity_at_rated(run: ConstantRun, rated_hours: float, exponent: Finding) -> Finding:
    """Capacity at the label's own rate, from a run at another: C = I·H·(t/H)^(1/k).

    The run is one of those that the exponent was made of: errors of both keep their signs. A meter's gain cancels in the exponent, not here.
    """
    k = exponent.value or 1.0
    value = run.amps * rated_hours * ((run.time_h / rated_hours).log() / exponent.known).exp()
    sum_text = f"{show(run.current_a)} A × {plain(rated_hours)} h × ({show(run.hours)} h ÷ {plain(rated_hours)} h)^(1 ÷ {show(k)})"
    return Finding.made(
        "rated_capacity",
        say("At the label's own rate"),
        value,
        "Ah",
        say("by Peukert's law, k = {k}", k=show(k)),
        (f"{sum_text} = {show(value.value)} Ah",),
    )
