"""Whether a battery wears out, by what its runs say in short: loses so much a year, not that one could see it, or when it is worth another look."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

import numpy as np

from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.quantity import plain
from ubrant.core.record.head import label_of
from ubrant.core.wording import say
from ubrant.logbook.records import Run, Summary

_YEAR_S = 365.25 * 86400.0


def is_whole_capacity(summary: Summary) -> bool:
    """A capacity with its ±, from full to empty."""
    return summary.bar is not None and bool(summary.bar[1]) and summary.energy is not None and summary.energy[2]


def ageing_told(unit: Unit, measured: Sequence[tuple[Run, Summary]]) -> str:
    """In a few words; empty with fewer than two whole capacities whose ± is known.

    Their ± is taken as each one's own, which is wider than it is where one meter read them all: Compare takes off what they share.
    """
    found = sorted(
        (datetime.fromisoformat(run.started), *summary.bar)
        for run, summary in measured
        if summary.bar is not None and is_whole_capacity(summary)
    )
    if len(found) < 2:
        return ""
    from ubrant.core.compare.ageing import TOLD_SLOPE, repeated_soon, trend_of, worth_again  # loads SciPy, which few sheets need

    label = label_of(unit)
    whole = label.charge_ah if label is not None and label.charge_ah else found[0][1]
    years = np.array([(day - found[0][0]).total_seconds() / _YEAR_S for day, _, _ in found])
    percent = np.array([100 * charge / whole for _, charge, _ in found])
    repeat = repeated_soon(years, percent)
    own = np.hypot([50 * (expanded or 0.0) / whole for _, _, expanded in found], repeat * percent)
    trend = trend_of(years, percent, own)
    if trend is not None and trend.ages:
        return say("Loses {points} ± {u} points a year", points=plain(-trend.slope, 2), u=plain(2 * trend.slope_u, 2))
    if trend is not None and 2 * trend.slope_u <= TOLD_SLOPE:
        return say(
            "Not that one could see it: less than {points} points a year", points=plain(max(-trend.slope, 0.0) + 2 * trend.slope_u, 2)
        )
    return say(
        "Too soon to say: run it again in {month}", month=_month(found[0][0], max(worth_again(years, own), float(years[-1]) + 1 / 12))
    )


def _month(first: datetime, years: float) -> str:
    return f"{datetime.fromtimestamp(first.timestamp() + min(years, 50.0) * _YEAR_S).astimezone():%B %Y}"
