"""A meter's checks against another over the years: kept, held against each other, and said when it drifted or is due."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import date, datetime

import numpy as np

from ubrant.core.drawings import DOTTED, SOLID, Curve, Dots, Plot, Rule
from ubrant.core.equipment.certificates import YEAR_DAYS, MeterCheck, since_adjusted
from ubrant.core.meter_checks.display_check import DisplayCheck
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array
from ubrant.core.uncertainty.contributions import COVERAGE
from ubrant.core.uncertainty.value import rectangular
from ubrant.core.wording import say

MANY = 20
"""From so many on the spread is taken as known."""
_COVERED = 0.954499736


def check_of(
    found: DisplayCheck, shown: Array, metered: Array, reference_gain: float, unit: str, against: str, made: str, run: int = 0
) -> MeterCheck:
    """A check as it is kept, from the pairs as they were read: the meter without any correction it had."""
    k = int(np.argsort(metered)[len(metered) // 2])
    at = float(metered[k])
    corrected_u = math.hypot(rectangular(found.accuracy.zero), rectangular(reference_gain) * at)
    return MeterCheck(
        made, against, unit, at, float(shown[k]) - at, COVERAGE * corrected_u, found.gain, found.zero, found.accuracy.text, run=run
    )


def control_limits(values: Sequence[float]) -> tuple[float, float] | None:
    """(centre, half-width) between which the next one lies, if nothing changed: s·t·√(1 + 1/n) with fewer than twenty, s·k from then on.

    None with fewer than two. JCGM 100, G.3: a single further observation of a normal variable.
    """
    n = len(values)
    if n < 2:
        return None
    from scipy.special import stdtrit

    spread = float(np.std(values, ddof=1))
    k = float(stdtrit(n - 1, 0.5 + _COVERED / 2)) if n < MANY else COVERAGE
    return float(np.mean(values)), spread * k * math.sqrt(1 + 1 / n)


def drifted(history: Sequence[MeterCheck], newest: MeterCheck) -> str:
    """Why the newest does not fit those before it, in a sentence; empty where it does, or too few were made.

    It is out where it lies outside the control limits, widened to what the newest check itself may be off by.
    """
    before = [one.percent for one in history if one.unit == newest.unit and one != newest and one.made <= newest.made]
    if not before:
        return ""
    own = 100 * newest.u / newest.at if newest.at else 0.0
    limits = control_limits(before)
    centre, half = limits if limits is not None else (before[0], 0.0)
    half = math.hypot(half, own)
    if abs(newest.percent - centre) <= half:
        return ""
    return say(
        "It has drifted: {now} % off, and by its {n} checks before it should lie within {half} of {centre} %.",
        now=show(newest.percent, 2),
        n=len(before),
        half=show(half, 2),
        centre=show(centre, 2),
    )


def drift_a_year(history: Sequence[MeterCheck], unit: str) -> tuple[float, float] | None:
    """(percent a year, its expanded uncertainty) by a straight line; None with fewer than three."""
    those = since_adjusted(history, unit)
    if len(those) < 3:
        return None
    days = np.array([(datetime.fromisoformat(one.made) - datetime.fromisoformat(those[0].made)).days for one in those], float)
    values = np.array([one.percent for one in those])
    years = days / YEAR_DAYS
    square = float(np.sum((years - years.mean()) ** 2))
    if not square > 0:
        return None
    from scipy.special import stdtrit

    slope, start = np.polyfit(years, values, 1)
    left = values - slope * years - start
    u = math.sqrt(float(left @ left) / (len(values) - 2) / square)
    return float(slope), float(stdtrit(len(values) - 2, 0.5 + _COVERED / 2)) * u


def remarks(name: str, history: Sequence[MeterCheck], due: str, today: date) -> list[str]:
    """What to know of a meter before it is used: it drifted the last time, or its check is due."""
    said = []
    for unit in "VAW":
        those = since_adjusted(history, unit)
        if those and (why := drifted(those[:-1], those[-1])):
            said.append(say("{name}, {unit}, checked on {day}: {why}", name=name, unit=unit, day=those[-1].made[:10], why=why))
    if due and date.fromisoformat(due) < today:
        said.append(say("{name}: its check was due on {day}.", name=name, day=due))
    return said


def pair_history(history: Sequence[MeterCheck], unit: str, against: str) -> list[MeterCheck]:
    """The checks against the same other one; all there are where it is the first against that."""
    those = since_adjusted(history, unit)
    return [one for one in those if one.against == against] or those


def control_chart(history: Sequence[MeterCheck], unit: str, newest: MeterCheck | None = None) -> Plot | None:
    """Percent off over the years, with the limits of those before the newest; None with fewer than two in all."""
    those = since_adjusted(history, unit)
    every = [*those, *([newest] if newest is not None else [])]
    if len(every) < 2:
        return None
    first = datetime.fromisoformat(every[0].made)
    years = np.array([(datetime.fromisoformat(one.made) - first).days / YEAR_DAYS for one in every])
    values = np.array([one.percent for one in every])
    layers: list[Curve | Dots | Rule] = [Curve(years, values, "voltage", DOTTED), Dots(years, values, ringed=len(every) - 1)]
    limits = control_limits(values[:-1].tolist())
    span = [float(values.min()), float(values.max())]
    if limits is not None:
        centre, half = limits
        span += [centre - half, centre + half]
        layers += [Rule(centre + half, say("upper limit")), Rule(centre - half, say("lower limit"), below=True)]
        layers.append(Curve(np.array([0.0, max(float(years[-1]), 0.1)]), np.full(2, centre), "quiet", SOLID))
    room = max(max(span) - min(span), 0.1) * 0.15
    told = say("{n} checks, the last {now} % off", n=len(every), now=plain(float(values[-1]), 2))
    right = 1.05 * max(float(years[-1]), 0.1)
    return Plot(
        say("Its checks"),
        say("years from {day}", day=every[0].made[:10]),
        say("% off"),
        (0.0, right),
        (min(span) - room, max(span) + room),
        tuple(layers),
        told,
    )
