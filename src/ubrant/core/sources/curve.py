"""A source loaded more and more: open-circuit voltage, internal resistance, how straight it is, and the largest power that was measured."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array, ReadingsError
from ubrant.core.uncertainty.finding import AT_LEAST, Finding
from ubrant.core.uncertainty.perturbed import Columns, by_errors, errors_in
from ubrant.core.uncertainty.value import Value, exactly, scattered, within
from ubrant.core.wording import say, words

OPEN_SHARE = 0.01
"""Under this share of the largest current nothing flows."""
BENT_SHARE = 0.02
"""Points that stray from a straight line by more than this share of the voltage it loses, and by more than the digits, are bent."""
_NO_LINE = 0.1
"""Points that stray by more than this share have no one resistance: a panel's knee."""
_LEAST = 3


@dataclass(frozen=True)
class CurveFindings:
    """What V against I says.

    Attributes
    ----------
    findings : by key
    is_bent : a straight line does not fit
    volts, amps : (n,) in the order of the current
    warnings : sentences
    """

    findings: Mapping[str, Finding]
    is_bent: bool
    volts: Array
    amps: Array
    warnings: tuple[str, ...]


def analyse_curve(
    volts: Array, amps: Array, voltage: Accuracy | None, current: Accuracy | None, half: Mapping[str, Array] | None = None
) -> CurveFindings:
    """Findings of a source.

    Parameters
    ----------
    volts, amps : (n,) at its terminals; current positive out of it
    half : ``V`` and ``A``: (n,) how wide each is to both sides

    Raises
    ------
    ReadingsError
        Too few points, or all at one current.
    """
    good = np.isfinite(volts) & np.isfinite(amps)
    order = np.flatnonzero(good)[np.argsort(amps[good], kind="stable")]
    volts, amps = volts[order], amps[order]
    half = {key: column[order] for key, column in (half or {}).items()}
    warnings: list[str] = []
    if len(amps) and float(np.median(amps)) < 0:
        amps = -amps[::-1]
        volts = volts[::-1]
        half = {key: column[::-1] for key, column in half.items()}
        warnings.append(say("The current was read as negative; it is taken the other way round here."))
    if len(amps) < _LEAST or not float(np.ptp(amps)) > 0.05 * float(np.max(np.abs(amps), initial=0.0)):
        raise ReadingsError(
            say(
                "{count} points at about one current: read volts and amperes with nothing attached, and with at least two loads.",
                count=len(amps),
            )
        )
    if float(volts[-1]) <= 0.05 * float(volts.max()) and float(amps[0]) > 0.2 * float(amps[-1]):
        raise ReadingsError(
            say(
                "It was never read with next to nothing attached, and gives no volts at {a} A: are volts and amperes swapped?",
                a=show(float(amps[-1])),
            )
        )
    slope = float(np.polyfit(amps, volts, 1)[0])
    if slope > 0:
        raise ReadingsError(
            say("Its voltage rises with the current: volts and amperes are swapped, the clamp is on backwards, or it is being charged.")
        )
    values = {"V": volts, "A": amps}
    known = voltage is not None and current is not None
    bent = _is_bent(amps, volts, half.get("V"))
    base = by_errors(_Figures(_unloaded(amps), bent), values, (*errors_in(voltage, "V"), *errors_in(current, "A")), half, known=known)
    scatter = _scatter(amps, volts)
    if bent:  # what a line misses is its shape there, and no doubt of what was read with nothing attached
        scatter.pop("open_circuit_voltage", None)
        scatter |= _between(volts, amps) if known else {}
    findings = {}
    for key, (name, unit, working) in _NAMES.items():
        value = base[key]
        findings[key] = Finding.made(key, say(name), None if value is None else value + scatter.get(key, exactly(0.0)), unit, say(working))
    findings = _bounded(findings, volts, amps, bent, warnings)
    if bent and _stray(amps, volts) > _NO_LINE * float(np.ptp(volts)):
        resistance = findings["internal_resistance"]
        why = say("its volts bend too much for one resistance")
        findings["internal_resistance"] = Finding("internal_resistance", resistance.name, None, "Ω", None, why)
        warnings.append(say("It is bent, as at a panel's knee: it has no one internal resistance."))
    elif bent:
        warnings.append(
            say(
                "It is bent: a straight line misses it by {mv} mV. Its resistance is a mean over {low} to {high} A.",
                mv=show(1000 * _stray(amps, volts), 2),
                low=plain(float(amps[0]), 3),
                high=plain(float(amps[-1]), 3),
            )
        )
    if not known:
        warnings.append(say("No accuracy was given for the meter: the figures have no ±."))
    return CurveFindings(findings, bent, volts, amps, tuple(warnings))


_NAMES = {
    "open_circuit_voltage": ("Open-circuit voltage", "V", "read with nothing attached, or where the line meets no current"),
    "internal_resistance": ("Internal resistance", "Ω", "slope of a straight line through all points"),
    "maximum_power": ("Largest power measured", "W", "largest V × I, a parabola over the volts through it and its neighbours"),
    "maximum_power_current": ("At a current of", "A", "where the largest power is"),
    "maximum_power_voltage": ("At a voltage of", "V", "where the largest power is"),
    "matched_power": ("Largest power of a straight line", "W", "OCV² ÷ 4R"),
}


def _unloaded(amps: Array) -> NDArray[np.bool_]:
    return np.asarray(amps <= OPEN_SHARE * float(amps.max()))


@dataclass(frozen=True)
class _Figures:
    """An error moves values, not which points were read with nothing attached."""

    unloaded: NDArray[np.bool_]
    bent: bool

    def __call__(self, values: Columns) -> dict[str, float | None]:
        volts, amps = values["V"], values["A"]
        slope, ocv = (float(x) for x in np.polyfit(amps, volts, 1))
        at_a, at_w, at_v = peak_of(volts, amps, bent=self.bent)
        return {
            "open_circuit_voltage": float(np.mean(volts[self.unloaded])) if self.unloaded.any() else ocv,
            "internal_resistance": -slope,
            "maximum_power": at_w,
            "maximum_power_current": at_a,
            "maximum_power_voltage": at_v,
            "matched_power": ocv**2 / (4 * -slope) if slope < 0 else None,
        }


def peak_of(volts: Array, amps: Array, *, bent: bool = False) -> tuple[float, float, float]:
    """(A, W, V) of the largest power, by a parabola over the volts through the largest point and its neighbours; at an end, that point.

    Over the volts, and not over the amperes: a straight source's is one over either, and past a panel's knee its amperes hardly change. Of a ``bent``
    one it is no more than may lie between the points.
    """
    watts = volts * amps
    k = int(np.argmax(watts))
    near = [j for j in (k - 1, k, k + 1) if 0 <= j < len(amps)]
    if len(near) == 3 and len({float(volts[j]) for j in near}) == 3:
        x, y = volts[near] - volts[k], watts[near]
        a, b, c = (float(v) for v in np.polyfit(x, y, 2))
        if a < 0 and x.min() <= (at := -b / (2 * a)) <= x.max():
            top, volt = c - b * b / (4 * a), float(volts[k]) + at
            if bent:
                at_v, most = between_points(volts, amps, k)
                top, volt = min(top, float(most.max())), min(max(volt, float(at_v[0])), float(at_v[-1]))
            return top / volt, top, volt
    return float(amps[k]), float(watts[k]), float(volts[k])


_LOOKS = 65


def between_points(volts: Array, amps: Array, k: int) -> tuple[Array, Array]:
    """(m,) V round point k at which more than its power may lie, rising, and (m,) W that may lie there at most.

    The amperes of a source fall the faster the more its volts rise: between two points they lie under the lines on through the two points before and behind.
    """
    order = np.argsort(volts, kind="stable")
    v, a = volts[order], amps[order]
    here = int(np.flatnonzero(order == k)[0])
    looks: list[Array] = []
    under: list[Array] = []
    for left in (here - 1, here):
        if not 0 <= left < len(v) - 1 or not v[left + 1] > v[left]:
            continue
        at = np.linspace(v[left], v[left + 1], _LOOKS)
        most = np.full(_LOOKS, float(max(a[left], a[left + 1])))
        for one, other in ((left - 1, left), (left + 1, left + 2)):
            if one >= 0 and other < len(v) and v[other] > v[one]:
                most = np.minimum(most, a[one] + (a[other] - a[one]) / (v[other] - v[one]) * (at - v[one]))
        looks.append(at)
        under.append(at * most)
    at, most = np.concatenate(looks), np.concatenate(under)
    largest = float(volts[k] * amps[k])
    may = most >= largest
    return (at[may], most[may]) if may.any() else (np.array([volts[k]]), np.array([largest]))


def _between(volts: Array, amps: Array) -> dict[str, Value]:
    """What may lie between the points of a bent curve, for its largest power and where that is."""
    watts = volts * amps
    k = int(np.argmax(watts))
    if not 0 < k < len(watts) - 1:
        return {}
    at_v, most = between_points(volts, amps, k)
    at, top, volt = peak_of(volts, amps, bent=True)
    name = words("what may lie between the points")
    off_v = max(volt - float(at_v[0]), float(at_v[-1]) - volt, 0.0)
    off_a = max(abs(at - most[j] / at_v[j]) for j in (0, -1))
    off_w = max(top - float(watts[k]), float(most.max()) - top)
    return {
        "maximum_power": within(off_w, name),
        "maximum_power_current": within(float(off_a), name),
        "maximum_power_voltage": within(off_v, name),
    }


def _stray(amps: Array, volts: Array) -> float:
    """Root mean square of what a straight line leaves."""
    left = volts - np.polyval(np.polyfit(amps, volts, 1), amps)
    return float(np.sqrt(np.mean(left**2)))


def _is_bent(amps: Array, volts: Array, half_v: Array | None) -> bool:
    """Whether a curve of the second degree fits far better than a line, by more than the digits explain."""
    if len(amps) < _LEAST + 1:
        return False
    lost = float(np.ptp(volts))
    digit = float(np.median(half_v)) if half_v is not None and len(half_v) else 0.0
    return _stray(amps, volts) > max(BENT_SHARE * lost, 2 * digit)


def _scatter(amps: Array, volts: Array) -> dict[str, Value]:
    """What the points stray by, in the figures of the straight line."""
    n = len(amps)
    if n < _LEAST + 1:
        return {}
    left = volts - np.polyval(np.polyfit(amps, volts, 1), amps)
    var = float(np.dot(left, left)) / (n - 2)
    centred = amps - amps.mean()
    square = float(np.dot(centred, centred))
    name, dof = words("scatter of the points"), float(n - 2)
    unloaded = int(_unloaded(amps).sum())
    u_ocv = math.sqrt(var / unloaded) if unloaded else math.sqrt(var * (1 / n + float(amps.mean()) ** 2 / square))
    return {
        "internal_resistance": scattered(math.sqrt(var / square), name, dof),
        "open_circuit_voltage": scattered(u_ocv, name, dof, when=say("with nothing attached")),
    }


def _bounded(findings: dict[str, Finding], volts: Array, amps: Array, bent: bool, warnings: list[str]) -> dict[str, Finding]:
    """The largest power at the end of what was measured is a bound; that of a straight line is said where it lies beyond."""
    watts = volts * amps
    made = dict(findings)
    matched = made.pop("matched_power")
    if int(np.argmax(watts)) == len(watts) - 1:
        largest = made["maximum_power"]
        u = largest.expanded_uncertainty or 0.0
        least = (largest.value or 0.0) - u
        working = say("the heaviest load was the largest power: more may be there; less its ±")
        made["maximum_power"] = Finding("maximum_power", largest.name, least, "W", (), working, bound=AT_LEAST)
        if matched.value is not None and not bent:
            name = say("Of a straight line it would be")
            beyond = say("OCV² ÷ 4R, beyond what was measured")
            made["matched_power"] = Finding("matched_power", name, matched.value, "W", matched.contributions, beyond)
            warnings.append(say("Its largest power lies beyond what was measured: load it more, if it may be."))
    return made


def cells_for(watts: float, volts: float, power: Finding, at_v: Finding) -> tuple[int, int]:
    """How many in series and side by side for a load of so many W at so many V, each at its largest power: no loss by stacking is in it."""
    assert power.value and at_v.value
    series = max(math.ceil(volts / at_v.value - 1e-9), 1)
    return series, max(math.ceil(watts / (power.value * series) - 1e-9), 1)
