"""Two meters on one quantity at one place: whether they agree as their accuracies say they should."""

from __future__ import annotations

import math

import numpy as np

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import show, unit_in_words
from ubrant.core.quantities.readings import Array
from ubrant.core.wording import say


def disagreement(
    ours: Array,
    other: Array,
    unit: str,
    accuracy: Accuracy | None,
    other_accuracy: Accuracy | None = None,
    who: str = "Another meter at the same place",
) -> str:
    """A sentence where two meters are further apart than both together may be off; empty where they agree, or nobody said how good ours is.

    Parameters
    ----------
    ours, other : (n,) arrays, what both showed at the same moments, NaN where one did not, in ``unit``
    accuracy, other_accuracy : of each; one that is not known is taken to be as good as ours
    who : the other one, as the sentence begins

    Notes
    -----
    They agree while \\|difference\\| ≤ √(U₁² + U₂²), JCGM 100: gain and zero of each are independent and rectangular, k = 2.
    The middle one of all differences is judged, each against what it may be, so that single moments do not count.
    """
    both = np.isfinite(ours) & np.isfinite(other)
    if accuracy is None or np.count_nonzero(both) < 2:
        return ""
    ours, other = ours[both], other[both]
    may_be = np.hypot(_expanded(accuracy, ours), _expanded(other_accuracy or accuracy, other))
    apart = other - ours
    share = np.divide(apart, may_be, out=np.full_like(apart, math.inf), where=may_be > 0)
    share[apart == 0] = 0.0
    middle = int(np.argsort(share)[len(share) // 2])
    if abs(share[middle]) <= 1:
        return ""
    return say(
        "{who} shows {show} {unit} {value} at {show_2} {unit}, and by their accuracies they may be {show_3} {unit} apart: check the {unit_2} of both against a third.",
        who=who,
        show=show(abs(float(apart[middle])), 2),
        unit=unit,
        value="more" if apart[middle] > 0 else "less",
        show_2=show(float(ours[middle]), 3),
        show_3=show(float(may_be[middle]), 2),
        unit_2=unit_in_words(unit),
    )


def _expanded(accuracy: Accuracy, values: Array) -> Array:
    return np.asarray(2 * np.hypot(accuracy.gain * np.abs(values), accuracy.zero) / math.sqrt(3))
