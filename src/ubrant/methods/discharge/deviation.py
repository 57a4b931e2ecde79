"""A discharge that leaves its expected curve: noticed while there is still something to look at."""

from __future__ import annotations

import numpy as np

from ubrant.core.quantities.quantity import show
from ubrant.core.quantities.readings import Array
from ubrant.core.wording import say

SHARE = 0.025
"""Off the expected voltage by more than this share of it, the level at the start taken out."""
_LASTS = 0.02
"""For as long as this share of the expected charge takes."""


def leaves_expected(charge_ah: Array, voltage_v: Array, expected_ah: Array, expected_v: Array) -> str:
    """A sentence where the last stretch of a discharge lies off the expected curve, by more than a wrongly guessed resistance explains.

    Parameters
    ----------
    charge_ah, voltage_v : (n,) so far, charge growing
    expected_ah, expected_v : (m,) from a rehearsal to the cut-off

    Returns
    -------
    Empty while it follows the curve, or while too little has flowed to tell.
    """
    if len(charge_ah) < 10 or len(expected_ah) < 5 or charge_ah[-1] < 0.06 * expected_ah[-1] or charge_ah[-1] > 0.97 * expected_ah[-1]:
        return ""
    off = voltage_v - np.interp(charge_ah, expected_ah, expected_v)
    settled = (charge_ah > 0.02 * expected_ah[-1]) & (charge_ah < 0.06 * expected_ah[-1])
    level = float(np.median(off[settled])) if settled.any() else float(np.median(off[: max(len(off) // 10, 3)]))
    late = charge_ah > charge_ah[-1] - _LASTS * expected_ah[-1]
    apart = float(np.median(off[late])) - level
    if abs(apart) < SHARE * float(np.median(voltage_v[late])):
        return ""
    side = "under" if apart < 0 else "over"
    why = "it may hold less than its label says, or a cell is failing" if apart < 0 else "it may hold more, or the meter has changed"
    return say("It leaves the expected curve: {show} V {side} it by now, and {why}.", show=show(abs(apart), 2), side=side, why=why)
