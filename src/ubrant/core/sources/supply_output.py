"""A supply or brick loaded more and more: how its volts hold, and where it folds back, sags or trips; no mains meter is needed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.jot import FALTERS, OFF
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array, ReadingsError
from ubrant.core.quantities.tolerance import Tolerance
from ubrant.core.uncertainty.finding import AT_LEAST, Finding
from ubrant.core.uncertainty.perturbed import Columns, by_errors, errors_in
from ubrant.core.uncertainty.value import as_read, within
from ubrant.core.wording import say, words

_OFF_SHARE = 0.3
_NOTHING = 0.02
_ABSURD = 4.0
"""So many times its rating nobody draws. Common practice, no source."""


@dataclass(frozen=True)
class Loaded:
    """(n,) points in their order; what a person said became of the load at each, empty for nothing; half widths by ``V`` and ``A``."""

    volts: Array
    amps: Array
    fates: Sequence[str]
    voltage: Accuracy | None
    current: Accuracy | None
    half: Mapping[str, Array]


def analyse_supply(read: Loaded, tolerance: Tolerance | None, rated_a: float | None) -> tuple[dict[str, Finding], list[str]]:
    """Findings and what has to be said.

    Raises
    ------
    ReadingsError
        Fewer than two points with volts and amperes.
    """
    there = np.flatnonzero(np.isfinite(read.volts) & np.isfinite(read.amps))
    gone = [k for k, fate in enumerate(read.fates) if fate == OFF]
    if len(there) < 2:
        raise ReadingsError(
            say(
                "At least two points are needed: nothing attached, and a load. Type volts and amperes at its output, like “12.05 V 1.00 A”."
            )
        )
    volts, amps = read.volts[there], read.amps[there]
    if rated_a and float(np.abs(amps).max()) > _ABSURD * rated_a:
        raise ReadingsError(
            say(
                "{a} A out of a supply of {r} A: amperes for milliamperes, or a digit that slipped.",
                a=show(float(np.abs(amps).max())),
                r=plain(rated_a, 3),
            )
        )
    if float(amps.min()) < -0.05 * float(np.abs(amps).max()):
        raise ReadingsError(say("Less than nothing is drawn from it: the clamp is on backwards."))
    usual = float(np.max(volts))
    on = np.array([volts[k] > _OFF_SHARE * usual and read.fates[p] != OFF for k, p in enumerate(there.tolist())])
    good = on & np.array([read.fates[p] != FALTERS for p in there.tolist()])
    if tolerance is not None:
        good &= np.array([tolerance.holds(float(v)) for v in volts])
    if not good.any():
        raise ReadingsError(say("Its output was never where it should be: is the tolerance the right one?"))
    most = float(amps[good].max())
    chosen = good & (amps <= most)
    figures = _Sums(chosen, chosen & (amps <= _NOTHING * max(most, 1e-9)))
    errors = (*errors_in(read.voltage, "V"), *errors_in(read.current, "A"))
    known = read.voltage is not None and read.current is not None
    half = {key: column[there] for key, column in read.half.items()}
    made = by_errors(figures, {"V": volts, "A": amps}, errors, half, known=known)
    found: dict[str, Finding] = {}
    for key, (name, unit, working, factor) in _NAMES.items():
        if (value := made[key]) is not None:
            found[key] = Finding.made(key, say(name), value * factor, unit, say(working))
    said: list[str] = []
    bad = [float(amps[k]) for k in range(len(amps)) if not good[k] and amps[k] > _NOTHING * most]
    beyond = [a for a in bad if a > most]
    found["holds_to"] = _holds(most, min(beyond) if beyond else None, read.current, tripped=bool(gone) or bool(bad))
    said += _what_becomes_of_it(volts, amps, good, on, gone=bool(gone))
    if rated_a is not None:
        said.append(_against_rating(found["holds_to"], most, rated_a))
    if not known:
        said.append(say("No accuracy was given for the meter: the figures have no ±."))
    return found, said


_NAMES = {
    "no_load_voltage": ("With nothing attached", "V", "mean of what was read so", 1.0),
    "load_regulation": ("Load regulation", "mV/A", "slope of a straight line through the points that hold", 1000.0),
    "full_load_voltage": ("At its heaviest load that holds", "V", "as it was read", 1.0),
}


@dataclass(frozen=True)
class _Sums:
    chosen: Array
    open: Array

    def __call__(self, values: Columns) -> dict[str, float | None]:
        volts, amps = values["V"][self.chosen], values["A"][self.chosen]
        slope = float(np.polyfit(amps, volts, 1)[0]) if len(amps) > 1 and float(np.ptp(amps)) > 0 else None
        return {
            "no_load_voltage": float(np.mean(values["V"][self.open])) if self.open.any() else None,
            "load_regulation": slope,
            "full_load_voltage": float(volts[int(np.argmax(amps))]),
        }


def _holds(most: float, beyond: float | None, current: Accuracy | None, *, tripped: bool) -> Finding:
    """The largest current at which it held: between the last that did and the first that did not."""
    key, name = "holds_to", say("Holds up to")
    if beyond is None:
        if tripped:
            return Finding(key, name, most, "A", (), say("it gave up at a heavier load, whose amperes were not read"), bound=AT_LEAST)
        return Finding(key, name, most, "A", (), say("it held at every load that was tried"), bound=AT_LEAST)
    middle = (most + beyond) / 2
    value = as_read(middle, current) + within((beyond - most) / 2, words("bracket"), "A", note=say("half of the way between them"))
    working = say("middle between {a} A, where it held, and {b} A, where it did not", a=show(most), b=show(beyond))
    return Finding.made(key, name, value, "A", working)


def _what_becomes_of_it(volts: Array, amps: Array, good: Array, on: Array, *, gone: bool) -> list[str]:
    """Whether it trips, folds back or sags once it is loaded too far."""
    most = float(amps[good].max())
    after = [k for k in range(len(amps)) if not good[k] and k > int(np.flatnonzero(good)[0])]
    if not after:
        return [say("Then it switched off.")] if gone else []
    k = after[0]
    if not on[k]:
        return [say("Then it switched off: it trips, or starts over and over.")]
    if amps[k] < 0.97 * most:
        return [
            say(
                "It folds back: loaded further it gives {a} A at {v} V, less than before.",
                a=show(float(amps[k]), 3),
                v=show(float(volts[k]), 3),
            )
        ]
    if amps[k] <= 1.03 * most:
        return [say("It holds its current, and its volts give way: {v} V at {a} A.", v=show(float(volts[k]), 3), a=show(float(amps[k]), 3))]
    return [say("It sags: {v} V at {a} A.", v=show(float(volts[k]), 3), a=show(float(amps[k]), 3))]


def _against_rating(holds: Finding, most: float, rated_a: float) -> str:
    if holds.bound == AT_LEAST and most < rated_a:
        return say("It was tried up to {a} A of the {r} A on its label: nothing is known beyond.", a=show(most, 3), r=plain(rated_a))
    if holds.bound == AT_LEAST or most >= rated_a or (holds.value or 0.0) - (holds.expanded_uncertainty or 0.0) >= rated_a:
        return say("It gives the {r} A on its label.", r=plain(rated_a))
    if (holds.value or 0.0) + (holds.expanded_uncertainty or 0.0) < rated_a:
        return say("It does not give the {r} A on its label.", r=plain(rated_a))
    return say("Whether it gives the {r} A on its label cannot be told: try a load between.", r=plain(rated_a))
