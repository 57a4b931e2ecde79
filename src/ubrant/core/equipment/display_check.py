"""A built-in display judged against a meter once: how far off it is, and the correction that is kept."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import QuantityError, parse_quantity, plain, show
from ubrant.core.record.readings import Array, ReadingsError
from ubrant.core.uncertainty.contributions import COVERAGE, rectangular
from ubrant.core.wording import say


@dataclass(frozen=True)
class DisplayCheck:
    """true = gain × shown + zero, after the meter.

    Attributes
    ----------
    gain, zero : of the correction
    accuracy : what the corrected display is good for, as limits of error
    sentence : what a colleague would say
    """

    gain: float
    zero: float
    accuracy: Accuracy
    sentence: str

    @property
    def shown_of_nothing(self) -> float:
        """What the display shows where there is nothing: a meter's zero, as it is kept."""
        return -self.zero / self.gain


def read_pairs(text: str, unit: str) -> tuple[Array, Array]:
    """(shown by the display, read by the meter) from lines like ``12.3 V 12.41 V``.

    Raises
    ------
    QuantityError
        A line that does not hold two values; says which.
    """
    shown, metered = [], []
    for number, line in enumerate(text.splitlines(), start=1):
        if not line.strip():
            continue
        values = re.findall(r"[-+−]?\d+(?:[.,]\d+)?\s*[^\W\d_]{0,3}", line)
        if len(values) != 2:
            raise QuantityError(
                say(
                    "Line {number} holds {value} values: write the display's, then the meter's, like “12.3 {unit} 12.41 {unit}”.",
                    number=number,
                    value=len(values),
                    unit=unit,
                )
            )
        one, other = (parse_quantity(v if re.search(r"[^\W\d_]", v) else f"{v.strip()} {unit}", unit) for v in values)
        shown.append(one)
        metered.append(other)
    return np.array(shown), np.array(metered)


def check_display(shown: Array, metered: Array, meter: Accuracy | None, digit: float) -> DisplayCheck:
    """Fit the correction.

    Parameters
    ----------
    shown, metered : (n,) the same moments, on the display and on the meter
    meter : the meter's accuracy; None for unknown: it is then taken as exact, and the sentence says so
    digit : the display's last digit

    Raises
    ------
    ReadingsError
        Fewer than two pairs.
    """
    if len(shown) < 2:
        raise ReadingsError(say("Two pairs at least, one low and one high, tell how far a display is off."))
    digit_u = rectangular(digit / 2)
    two = float(np.ptp(shown)) > 0.2 * float(np.max(np.abs(shown)))
    design = np.column_stack([shown, np.ones_like(shown)]) if two else shown[:, None]  # all at one value: only a gain can be told
    found, *_ = np.linalg.lstsq(design, metered, rcond=None)
    inverse = np.linalg.inv(design.T @ design)
    residual = metered - design @ found
    scatter = max(math.sqrt(float(residual @ residual) / max(len(shown) - len(found), 1)), digit_u)
    gain, zero = float(found[0]), float(found[1]) if two else 0.0
    fit_u = scatter * np.sqrt(np.einsum("ij,jk,ik->i", design, inverse, design))  # of the corrected value at each pair
    unit = meter.unit if meter is not None else "V"
    meter_gain, meter_zero = (meter.gain, meter.zero) if meter is not None else (0.0, 0.0)
    limit = math.sqrt(3) * math.hypot(float(fit_u.max()), rectangular(meter_zero), digit_u)
    limits = Accuracy(meter_gain, limit, unit, f"{plain(100 * meter_gain, 2)} % + {plain(1000 * limit, 2)} m{unit}")
    k = int(np.argsort(shown)[len(shown) // 2])
    middle = float(shown[k])
    off = middle - (gain * middle + zero)
    off_u = COVERAGE * math.hypot(float(fit_u[k]), rectangular(meter_gain) * middle, rectangular(meter_zero))
    if abs(off) <= off_u:
        sentence = say(
            "The display agrees with the meter at {middle} {unit}, within ± {off_u} {unit}.",
            middle=show(middle),
            unit=unit,
            off_u=show(off_u, 2),
        )
    else:
        side = "more" if off > 0 else "less"
        sentence = say(
            "The display shows {show} {unit} {side} than there is at {middle} {unit} (± {off_u} {unit}).",
            show=show(abs(off), 2),
            unit=unit,
            side=side,
            middle=show(middle),
            off_u=show(off_u, 2),
        )
    if meter is None:
        sentence += say(" Nobody said how accurate the meter is: it was taken as exact.")
    return DisplayCheck(gain, zero, limits, sentence)
