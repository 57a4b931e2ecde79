"""A meter or display held against a better one at the same place: how far off it is, and the correction."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import plain
from ubrant.core.quantities.readings import Array, ReadingsError
from ubrant.core.uncertainty.value import rectangular
from ubrant.core.wording import say

_WIDE = 0.2
"""Values that lie within this share of the largest tell a gain and no zero."""


@dataclass(frozen=True, eq=False)
class DisplayCheck:
    """true = gain × shown + zero, after the reference.

    Attributes
    ----------
    gain, zero : of the correction
    zero_told : the values lie far enough apart to tell one
    accuracy : what it is good for once it is corrected, as limits of error
    fit_u : (n,) standard uncertainty of the corrected value at each pair, by scatter and digits
    left : (n,) what each pair is off the line
    """

    gain: float
    zero: float
    zero_told: bool
    accuracy: Accuracy
    fit_u: Array
    left: Array

    @property
    def shown_of_nothing(self) -> float:
        """What the display shows where there is nothing: a meter's zero, as it is kept."""
        return -self.zero / self.gain


def check_display(shown: Array, metered: Array, meter: Accuracy, digit: float) -> DisplayCheck:
    """Fit the correction.

    Parameters
    ----------
    shown, metered : (n,) the same moments, on the display and on the reference
    meter : the reference's accuracy
    digit : the display's last digit

    Raises
    ------
    ReadingsError
        Fewer than two pairs.
    """
    if len(shown) < 2:
        raise ReadingsError(say("Two pairs at least, one low and one high, tell how far a display is off: the same quantity read on both."))
    if not float(np.max(np.abs(shown))) > digit or not float(np.max(np.abs(metered))) > digit:
        raise ReadingsError(say("Nothing was there to be read: a value low and one high, well over the last digit."))
    digit_u = rectangular(digit / 2)
    two = float(np.ptp(shown)) > _WIDE * float(np.max(np.abs(shown)))
    design = np.column_stack([shown, np.ones_like(shown)]) if two else shown[:, None]  # all at one value: only a gain can be told
    found, *_ = np.linalg.lstsq(design, metered, rcond=None)
    inverse = np.linalg.inv(design.T @ design)
    residual = metered - design @ found
    scatter = max(math.sqrt(float(residual @ residual) / max(len(shown) - len(found), 1)), digit_u)
    gain, zero = float(found[0]), float(found[1]) if two else 0.0
    fit_u = scatter * np.sqrt(np.einsum("ij,jk,ik->i", design, inverse, design))  # of the corrected value at each pair
    limit = math.sqrt(3) * math.hypot(float(fit_u.max()), rectangular(meter.zero), digit_u)
    limits = Accuracy(meter.gain, limit, meter.unit, f"{plain(100 * meter.gain, 3)} % + {plain(1000 * limit, 3)} m{meter.unit}")
    return DisplayCheck(gain, zero, two, limits, fit_u, residual)
