"""State of charge from the resting voltage, with an honest band. Common practice, no source: charts disagree by ten points."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.chemistry import Chemistry
from ubrant.core.quantities.readings import Array
from ubrant.core.uncertainty.value import Value, within
from ubrant.core.wording import say, words

CHART_DOUBT_POINTS = 10.0
"""Half-width (rectangular) of what charts differ by."""
OWN_CHART_POINTS = 5.0
"""The same of a person's own chart of this battery. Common practice, no source."""


def chart_name(chemistry: Chemistry) -> str:
    """Which chart was read, for people."""
    return say("its own chart") if chemistry.own_chart else say("the {name} chart", name=chemistry.name)


@dataclass(frozen=True)
class RestingCharge:
    """State of charge read off a chart: percent, expanded uncertainty in points, and a sentence."""

    percent: float | None
    expanded_points: float | None
    sentence: str


def from_resting_voltage(voltage_v: float, cells: int, chemistry: Chemistry, voltage_u: float = 0.0) -> RestingCharge:
    """State of charge of a rested battery.

    Parameters
    ----------
    voltage_v : volts at the terminals, everything off, rested ``chemistry.rest_hours``
    cells : number in series
    voltage_u : standard uncertainty of the voltage, volts

    Returns
    -------
    Percent with U (k = 2), or None with the reason where voltage cannot tell.
    """
    if not chemistry.rest_chart:
        return RestingCharge(None, None, say("For NiMH the resting voltage cannot tell the charge: count ampere-hours."))
    volts, percents = (np.array(column) for column in zip(*reversed(chemistry.rest_chart), strict=True))
    cell_v = voltage_v / cells
    if cell_v < volts[0]:
        return RestingCharge(0.0, None, say("Below the last row of the chart: under {value:.0f} %.", value=percents[0]))
    if chemistry.is_flat_at(cell_v):
        return RestingCharge(
            None, None, say("Between 13.0 and 13.3 V (for 4 cells) iron phosphate is too flat for voltage to tell: count ampere-hours.")
        )
    percent = float(np.interp(cell_v, volts, percents))
    by_volts = _by_volts(volts, percents, cell_v, voltage_u / cells)
    doubt = OWN_CHART_POINTS if chemistry.own_chart else CHART_DOUBT_POINTS
    u = math.hypot(by_volts, doubt / math.sqrt(3))
    return RestingCharge(
        percent, 2 * u, say("About {percent:.0f} % by resting voltage (± {value:.0f} points).", percent=percent, value=2 * u)
    )


def _by_volts(volts: Array, percents: Array, cell_v: float, u_v: float) -> float:
    """What a standard uncertainty of a cell's volts does to its percent, the larger of both sides."""
    percent = float(np.interp(cell_v, volts, percents))
    return max(abs(float(np.interp(cell_v + side * u_v, volts, percents)) - percent) for side in (1, -1))


def charge_by(rest: Value, cells: int, chemistry: Chemistry) -> Value | None:
    """Percent by a resting voltage with what that may be off by, and what charts differ by; None where voltage cannot tell."""
    read = from_resting_voltage(rest.value, cells, chemistry, rest.u or 0.0)
    if read.percent is None or read.expanded_points is None:
        return None
    volts, percents = (np.array(column) for column in zip(*reversed(chemistry.rest_chart), strict=True))
    slope = _by_volts(volts, percents, rest.value / cells, (rest.u or 0.0) / cells) / rest.u if rest.u else 0.0
    doubt = OWN_CHART_POINTS if chemistry.own_chart else CHART_DOUBT_POINTS
    percent = read.percent
    known = rest.through(lambda _: percent, slope) if rest.parts is not None else Value(percent)
    return known + within(doubt, words("chart"), "%", note=say("what charts differ by"))
