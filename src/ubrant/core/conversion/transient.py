"""A scope's record of a DC output: its ripple, and how it dips and recovers when the load steps."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array, ReadingsError
from ubrant.core.quantities.tolerance import Tolerance
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import within, wrong_by
from ubrant.core.wording import say, words

_FEWEST = 50
_BAND = 0.02
_AC_SHARE = 0.2


@dataclass(frozen=True)
class Transient:
    """What a record says; ``dips`` says whether there is a load step in it."""

    findings: dict[str, Finding]
    dips: bool
    warnings: tuple[str, ...]
    sentence: str


def is_dc(voltage_v: Array) -> bool:
    """Whether a record is of a steady voltage with something on it, and not of an alternating one."""
    return bool(float(np.std(voltage_v)) < _AC_SHARE * abs(float(np.mean(voltage_v))))


def analyse_transient(time_s: Array, voltage_v: Array, tolerance: Tolerance | None = None, voltage: Accuracy | None = None) -> Transient:
    """Work a record out.

    Parameters
    ----------
    time_s, voltage_v : (n,)
    voltage : accuracy of the scope; None for unknown

    Raises
    ------
    ReadingsError
        Too few samples.
    """
    if len(voltage_v) < _FEWEST:
        raise ReadingsError(
            say(
                "{voltage_v} samples are too few for a ripple or a dip: record at least {FEWEST}.", voltage_v=len(voltage_v), FEWEST=_FEWEST
            )
        )
    tail, head = voltage_v[-len(voltage_v) // 4 :], voltage_v[: max(len(voltage_v) // 10, 5)]
    level, before = float(np.median(tail)), float(np.median(head))
    ripple = float(np.percentile(tail, 99.5) - np.percentile(tail, 0.5))
    band = max(_BAND * abs(level), 1.5 * ripple)
    outside = np.flatnonzero((np.abs(voltage_v - level) > band) & (np.abs(voltage_v - before) > band))
    findings = {
        "level": _finding("level", "Settles at", level, voltage, "median of the last quarter"),
        "ripple": _finding("ripple", "Ripple, peak to peak", ripple, voltage, "of the last quarter, the outermost 1 % of samples left out"),
    }
    dips = len(outside) > 2
    sentence = say("Settles at {level} V with {show} mV of ripple", level=show(level), show=show(1000 * ripple, 3))
    warnings = []
    if dips:
        low, high = float(voltage_v[outside].min()), float(voltage_v[outside].max())
        deepest = low if level - low > high - level else high
        recovery = float(time_s[outside[-1]] - time_s[outside[0]])
        step = float(np.median(np.diff(time_s)))
        findings["dip"] = _finding(
            "dip", "Dips to" if deepest < level else "Rises to", deepest, voltage, "the farthest sample from where it settles"
        )
        findings["recovery"] = Finding.made(
            "recovery",
            "Back after",
            recovery + within(step, words("sampling"), "s"),
            "s",
            say("from leaving {band} V around its level to staying there", band=show(band, 2)),
        )
        sentence += say(
            "; {value} to {deepest} V and is back after {show} ms",
            value="dips" if deepest < level else "rises",
            deepest=show(deepest),
            show=show(1000 * recovery, 3),
        )
        if tolerance is not None and not tolerance.holds(deepest):
            warnings.append(
                say(
                    "It leaves {show} as the load steps: {deepest} V. What is behind it may restart.",
                    show=tolerance.show(),
                    deepest=plain(deepest, 4),
                )
            )
    elif ripple > 0.02 * abs(level):
        warnings.append(say("The output is unsteady: {show} % from peak to peak.", show=show(100 * ripple / abs(level), 2)))
    return Transient(findings, dips, tuple(warnings), sentence + ".")


def _finding(key: str, name: str, volts: float, voltage: Accuracy | None, working: str) -> Finding:
    return Finding.made(key, name, volts + wrong_by(voltage, volts, 0.0, "scope"), "V", working)
