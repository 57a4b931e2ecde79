"""Several discharges in one log, told apart by the charges between them."""

from __future__ import annotations

import numpy as np

from ubrant.core.quantities.readings import Array

_ON_SHARE = 0.05
_COUNTS = 0.02
_SAMPLE = 20_000


def discharges_in(time_s: Array, voltage_v: Array, current_a: Array) -> list[tuple[int, int]]:
    """(first, last) reading of every discharge with the charge and the rest before it; one where nothing was put in between.

    While it is charged its voltage is the higher one: that tells the two directions apart. What is put in counts as a charge from
    2 % of the largest discharge on, and what is taken out as a discharge of its own likewise.

    Parameters
    ----------
    time_s, voltage_v, current_a : (n,) arrays of one log, the sign of the current as it was logged
    """
    whole = [(0, len(time_s) - 1)]
    sample = np.abs(current_a[:: max(1, len(current_a) // _SAMPLE)])
    if len(time_s) < 4 or not np.isfinite(sample).all():
        return whole
    idle = _ON_SHARE * float(np.quantile(sample, 0.99))
    plus, minus = current_a > idle, current_a < -idle
    if not plus.any() or not minus.any():
        return whole
    sign = 1.0 if float(np.median(voltage_v[plus])) < float(np.median(voltage_v[minus])) else -1.0
    state = np.where(plus, sign, np.where(minus, -sign, 0.0))
    hours = np.diff(time_s, append=time_s[-1]) / 3600
    moved = hours * np.abs(current_a)
    flowing = np.flatnonzero(state)
    edges = np.flatnonzero(np.diff(state[flowing])) + 1
    stretches = [
        (int(part[0]), int(part[-1]), float(state[part[0]]), float(moved[part].sum())) for part in np.split(flowing, edges) if len(part)
    ]
    least = _COUNTS * max((ah for _, _, way, ah in stretches if way > 0), default=0.0)
    stretches = [s for s in stretches if s[3] > least]
    starts, given = [0], False
    put_in_from: int | None = None
    for first, _, way, _ in stretches:
        if way < 0:
            put_in_from = first if put_in_from is None else put_in_from
            continue
        if given and put_in_from is not None:
            starts.append(put_in_from)
        given, put_in_from = True, None
    return list(zip(starts, [*(s - 1 for s in starts[1:]), len(time_s) - 1], strict=True))
