"""A source that was measured again on other days: how its largest power falls."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
import numpy.typing as npt

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array
from ubrant.core.sources.curve import peak_of
from ubrant.core.uncertainty.finding import AT_LEAST, Finding
from ubrant.core.uncertainty.perturbed import Columns, by_errors, errors_in
from ubrant.core.uncertainty.value import scattered
from ubrant.core.wording import say, words

APART_S = 4 * 3600.0
"""Points this far from the one before begin another round. Common practice, no source."""
_LEAST = 3
_DAY_S = 86400.0


def rounds_of(time_s: Array) -> list[npt.NDArray[np.intp]]:
    """Places of the points of each round, by their times (n,)."""
    order = np.argsort(time_s, kind="stable")
    breaks = np.flatnonzero(np.diff(time_s[order]) >= APART_S) + 1
    return [part.astype(np.intp) for part in np.split(order, breaks) if len(part)]


def decays(
    time_s: Array, volts: Array, amps: Array, voltage: Accuracy | None, current: Accuracy | None, half: Mapping[str, Array]
) -> dict[str, Finding]:
    """Share of its largest power that it loses a day, and until half of it is gone; empty with fewer than two whole rounds.

    Parameters
    ----------
    time_s, volts, amps : (n,) of the points
    half : ``V`` and ``A``: (n,) half-widths
    """
    good = np.isfinite(volts) & np.isfinite(amps)
    time_s, volts, amps = time_s[good], volts[good], amps[good]
    rounds = [r for r in rounds_of(time_s) if len(r) >= _LEAST]
    if len(rounds) < 2:
        return {}
    days = np.array([float(np.mean(time_s[r])) for r in rounds]) / _DAY_S
    known = voltage is not None and current is not None
    errors = (*errors_in(voltage, "V"), *errors_in(current, "A"))

    def powers(values: Columns) -> Array:
        return np.array([peak_of(values["V"][r], values["A"][r])[1] for r in rounds])

    def figures(values: Columns) -> dict[str, float | None]:
        watts = powers(values)
        if not (watts > 0).all():
            return {"rate": None}
        return {"rate": -float(np.polyfit(days, np.log(watts), 1)[0])}

    values = {"V": volts, "A": amps}
    rate = by_errors(figures, values, errors, {key: column[good] for key, column in half.items()}, known=known)["rate"]
    if rate is None:
        return {}
    if len(rounds) > 2:
        line = np.polyfit(days, np.log(powers(values)), 1)
        left = np.log(powers(values)) - np.polyval(line, days)
        spread = math.sqrt(float(left @ left) / (len(days) - 2) / float(np.sum((days - days.mean()) ** 2)))
        rate += scattered(spread, words("scatter of the rounds"), float(len(days) - 2))
    watts = powers(values)
    working = say(
        "{n} rounds in {d} days, largest power from {a} to {b} W",
        n=len(rounds),
        d=plain(float(days[-1] - days[0]), 2),
        a=show(float(watts[0]), 3),
        b=show(float(watts[-1]), 3),
    )
    lost = Finding.made("decay_a_day", say("Loses a day"), 100 * rate, "%", working)
    found = {lost.key: lost}
    u = lost.expanded_uncertainty
    if u is None or abs(lost.value or 0.0) <= u:
        if u is not None and (most := (lost.value or 0.0) + u) > 0:
            name = say("Half of its power is gone after")
            bound = 100 * math.log(2) / most * _DAY_S
            found["half_life"] = Finding("half_life", name, bound, "s", (), say("ln 2 ÷ what it loses at most"), bound=AT_LEAST)
    elif rate.value > 0:
        half_life = math.log(2) / rate * _DAY_S
        found["half_life"] = Finding.made(
            "half_life", say("Half of its power is gone after"), half_life, "s", say("ln 2 ÷ what it loses a day")
        )
    return found
