"""How a unit ages: a straight line through what it gave over time, whether that is sure, and when it will be down to a limit.

The test is spent over its looks: at the k-th it may be wrong in 6 ÷ (π²·k²) of 2 %, which adds up to 2 % over a life. When a line reaches a
limit is a quotient of two uncertain figures, so its interval is Fieller's (1954): it may be open, and then there is no date.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.readings import Array
from ubrant.core.uncertainty.decision import pooled

SPENT_LEVEL = 0.02
"""All false alarms of a life together."""
DATE_LEVEL = 0.90
BENDS = 2.0
"""After what was measured a life may go on at twice the pace, or at half of it: capacity falls off faster in the end, and slower after the first year.
Common practice, no source."""
_LEAST = 3
_SOON = 30 / 365.25
"""Years: what is measured again by then has not aged."""
TOLD_SLOPE = 4.0
"""Points a year: what a battery loses in use, about; a slope that is less sure than this says nothing. Common practice, no source."""


@dataclass(frozen=True)
class Trend:
    """A line through (years, values).

    Attributes
    ----------
    slope, slope_u : a year; the standard uncertainty of it
    dof : degrees of freedom of that
    level : at the last point
    ages : whether it surely falls
    limit_years : when it is down to the limit, from the first point; None where that is not sure
    between : its interval, about 90 % if it goes on as it did; what lies after the last point is widened, as a life may bend
    """

    slope: float
    slope_u: float
    dof: float
    level: float
    ages: bool
    limit_years: float | None
    between: tuple[float, float] | None
    intercept: float
    covariance: tuple[float, float, float]

    def band(self, years: Array, k: float = 2.0) -> tuple[Array, Array, Array]:
        """(n,) the line, and its band, at these years."""
        line = self.intercept + self.slope * years
        var_a, cov, var_b = self.covariance
        half = k * np.sqrt(np.maximum(var_a + 2 * cov * years + var_b * years**2, 0.0))
        return line, line - half, line + half


def trend_of(years: Array, values: Array, own_u: Array, limit: float | None = None) -> Trend | None:
    """The line and what is sure of it; None with fewer than three dates, or all of one day.

    Parameters
    ----------
    years : (n,) from the first
    values : (n,)
    own_u : (n,) standard uncertainty of each by itself: what all share, such as a meter's gain, moves none against another
    limit : value at which it is spent
    """
    from scipy.special import stdtr, stdtrit

    n = len(years)
    if n < _LEAST or float(np.ptp(years)) <= 0:
        return None
    weight = 1 / np.maximum(own_u, 1e-9) ** 2
    total = float(weight.sum())
    middle = float(weight @ years) / total
    centred = years - middle
    square = float(weight @ centred**2)
    slope = float(weight @ (centred * values)) / square
    mean = float(weight @ values) / total
    left = values - mean - slope * centred
    scatter = float(weight @ left**2) / (n - 2)
    dof = float(n - 2)
    factor = max(scatter, 1.0)
    if scatter < 1.0:
        dof = math.inf
    var_b, var_mean = factor / square, factor / total
    slope_u = math.sqrt(var_b)
    look = n - _LEAST + 1
    level = SPENT_LEVEL * 6 / (math.pi**2 * look**2)
    freedom = dof if math.isfinite(dof) else 1e6
    ages = slope < 0 and float(stdtr(freedom, slope / slope_u)) < level
    intercept = mean - slope * middle
    covariance = (var_mean + var_b * middle**2, -var_b * middle, var_b)
    found = None
    if ages and limit is not None:
        t = float(stdtrit(freedom, 0.5 + DATE_LEVEL / 2))
        found = fieller(limit - mean, slope, var_mean, var_b, t)
    last = float(years.max())
    between = None if found is None else (_bent(middle + found[1], last, 1 / BENDS), _bent(middle + found[2], last, BENDS))
    return Trend(
        slope,
        slope_u,
        dof,
        intercept + slope * float(years.max()),
        ages,
        None if found is None else middle + found[0],
        between,
        intercept,
        covariance,
    )


def _bent(limit: float, last: float, times: float) -> float:
    """When it is there where after its last point it goes ``times`` as long as the line; what lies before that stays."""
    return limit if limit <= last else last + (limit - last) * times


def fieller(top: float, bottom: float, var_top: float, var_bottom: float, t: float) -> tuple[float, float, float] | None:
    """(quotient, low, high) of top ÷ bottom, both uncertain and independent; None where the interval is open.

    Fieller, J. R. Stat. Soc. B 16 (1954): those ratios r for which (top − r·bottom)² ≤ t²·(var_top + r²·var_bottom).
    """
    g = t * t * var_bottom / bottom**2
    if g >= 1:
        return None
    ratio = top / bottom
    half = t / abs(bottom) * math.sqrt(max((1 - g) * var_top + ratio**2 * var_bottom, 0.0))
    centre = ratio / (1 - g)
    return ratio, centre - half / (1 - g), centre + half / (1 - g)


def repeatability(groups: list[Array]) -> float:
    """Relative standard deviation of a single one, pooled over groups that were measured again soon after, and with what is common.

    Type A evaluation of JCGM 100, 4.2.
    """
    squares, dof = 0.0, 0
    for values in groups:
        if len(values) > 1 and float(np.mean(values)) > 0:
            share = values / float(np.mean(values))
            squares += float(np.sum((share - 1) ** 2))
            dof += len(values) - 1
    return pooled(squares, dof)[0]


def repeated_soon(years: Array, values: Array) -> float:
    """Relative standard deviation of a single one, by those made within a month of each other; without any what is common.

    Parameters
    ----------
    years, values : (n,) in their order
    """
    groups, last = [], 0
    for k in range(1, len(years) + 1):
        if k == len(years) or years[k] - years[last] > _SOON:
            groups.append(values[last:k])
            last = k
    return repeatability(groups)


def worth_again(years: Array, own_u: Array) -> float:
    """When one more, as sure as those that are there, tells a slope to ± ``TOLD_SLOPE`` a year (k = 2); years from the first point.

    Parameters
    ----------
    years : (n,) from the first
    own_u : (n,) standard uncertainty of each by itself
    """
    single = float(np.mean(own_u)) * math.sqrt(1 + 1 / len(years))
    return float(np.mean(years)) + 2 * single / TOLD_SLOPE
