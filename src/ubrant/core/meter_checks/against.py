"""One meter held against another at the same place: how far apart they are, whether that is more than both may be off by, the correction on offer."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ubrant.core.equipment.certificates import MeterCheck, limits_u
from ubrant.core.meter_checks.checks import check_of, drifted, pair_history
from ubrant.core.meter_checks.display_check import DisplayCheck, check_display
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array, ReadingsError
from ubrant.core.uncertainty.contributions import COVERAGE
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.sources import ErrorKind
from ubrant.core.uncertainty.value import Value, as_read, rectangular, scattered, wrong_by
from ubrant.core.wording import say, words

_APART = 0.5
"""Two meters at one place that are this share apart do not read the same thing in the same unit."""
_ROUNDING = 1e-9
"""What is left of a straight line below this share is of the arithmetic."""
_OUTLIER, _FEW_TO_TELL = 5.0, 3
"""A point this many times as far off the line as the middle one was written down wrongly."""


@dataclass(frozen=True, eq=False)
class Pairs:
    """(n,) each: what the one showed, without any correction it has; what the reference read; how wide each is to both sides."""

    shown: Array
    read: Array
    half_shown: Array
    half_read: Array
    unit: str


@dataclass(frozen=True)
class Both:
    """Their names; the accuracy that the one was made for, None where nobody said; the reference's."""

    name: str
    own: Accuracy | None
    reference: str
    of_reference: Accuracy | None


@dataclass(frozen=True, eq=False)
class Against:
    """What comes of it.

    Attributes
    ----------
    check : the correction on offer; None where the reference is not good enough for one
    read, off, may_be : (n,) what there was by the reference; what the one showed more than there was; how far apart they may be, √(U₁² + U₂²), NaN where nobody said
    """

    findings: dict[str, Finding]
    sentence: str
    warnings: tuple[str, ...]
    check: MeterCheck | None
    read: Array
    off: Array
    may_be: Array


def analyse_pairs(pairs: Pairs, about: Both, history: Sequence[MeterCheck] = (), day: str = "", run: int = 0) -> Against:
    """Differences of two meters, and what corrects the one.

    They agree while |difference| ≤ √(U₁² + U₂²) at every point, JCGM 100: gain and zero of each independent and rectangular, k = 2,
    and the last digit of both.

    Raises
    ------
    ReadingsError
        Fewer than two pairs; two that cannot be the same thing.
    """
    whole = np.isfinite(pairs.shown) & np.isfinite(pairs.read)
    shown, read = pairs.shown[whole], pairs.read[whole]
    halves = pairs.half_shown[whole], pairs.half_read[whole]
    digit = 2 * float(np.median(halves[0])) if len(shown) else 0.0
    _same_thing(shown, read, halves, pairs.unit)
    found = check_display(
        shown, read, about.of_reference or Accuracy(0.0, 0.0, pairs.unit), max(digit, 1e-6 * float(np.max(np.abs(shown), initial=0.0)))
    )
    off, digits = shown - read, np.hypot(rectangular(1.0) * halves[0], rectangular(1.0) * halves[1])
    may_be = _may_be(about, read, digits)
    findings = _findings(pairs.unit, found, shown, read, digits, about.of_reference)
    odd = _odd_one(read + off, read, digit)
    warnings = _warnings(about, found, read, off, odd, pairs.unit)
    check = None
    if about.of_reference is not None and found.gain > 0:
        made = check_of(found, shown, read, about.of_reference.gain, pairs.unit, about.reference, day, run)
        if why := drifted(pair_history(history, pairs.unit, about.reference), made):
            warnings.insert(0, why)
        middle = float(np.median(np.abs(read)))
        better = about.own is None or found.accuracy.limit(middle) < about.own.limit(middle)
        if better and odd is None:
            check = made
        elif not better:
            warnings.append(_why_no_correction(about, about.of_reference, middle))
    return Against(findings, _sentence(about, read, off, may_be, findings, pairs.unit), tuple(warnings), check, read, off, may_be)


def _same_thing(shown: Array, read: Array, halves: tuple[Array, Array], unit: str) -> None:
    """A slip of unit, a sign, a lead that fell off: nothing to correct by."""
    far = np.abs(shown - read) > _APART * np.maximum(np.abs(shown), np.abs(read)) + 4 * (halves[0] + halves[1])
    if far.any() and len(shown) > 1:
        k = int(np.argmax(far))
        raise ReadingsError(
            say(
                "At point {n} the one shows {shown} {unit} and the other {read} {unit}: was the same thing read, in the same unit and sign? Mend that line, or leave it out.",
                n=k + 1,
                shown=plain(float(shown[k]), 5),
                read=plain(float(read[k]), 5),
                unit=unit,
            )
        )


def _may_be(about: Both, read: Array, digits: Array) -> Array:
    """√(U₁² + U₂²) at each point."""
    if about.own is None or about.of_reference is None:
        return np.full(len(read), math.nan)
    return np.asarray(COVERAGE * np.sqrt(limits_u(about.own, read) ** 2 + limits_u(about.of_reference, read) ** 2 + digits**2))


def _findings(unit: str, found: DisplayCheck, shown: Array, read: Array, digits: Array, reference: Accuracy | None) -> dict[str, Finding]:
    """How far off in the middle, its gain, its zero, what is left of it, and point by point."""

    def less(shown: float, there: float, own: Value) -> Value:
        """What is shown less what the reference says there is."""
        return shown - as_read(there, reference) + own

    pairs = words("scatter of the pairs")
    k = int(np.argsort(read)[len(read) // 2])
    at = float(read[k])
    line = at - (at - found.zero) / found.gain  # what there is less what is shown of it, on the line
    made = [
        Finding.made(
            "off",
            say("Off at {at} {unit}", at=plain(at, 4), unit=unit),
            less(at - line, at, scattered(float(found.fit_u[k]), pairs)),
            unit,
            say("by a straight line through {n} pairs", n=len(read)),
            (f"({plain(at, 5)} − {plain(found.zero, 4)}) ÷ {plain(found.gain, 6)} − {plain(at, 5)} = {plain(-line, 4)} {unit}",),
        ),
        Finding.made(
            "gain_error",
            say("Off, of what there is"),
            _of_gain(found, shown, reference),
            "%",
            say("of the slope"),
            (f"100 × (1 ÷ {plain(found.gain, 6)} − 1) = {plain(100 * (1 / found.gain - 1), 4)} %",),
        ),
    ]
    if found.zero_told:
        nothing = found.shown_of_nothing
        low = int(np.argmin(np.abs(shown)))
        made.append(
            Finding.made(
                "of_nothing",
                say("Shows of nothing"),
                less(nothing, 0.0, scattered(float(found.fit_u[low]), pairs, when=say("near nothing"))),
                unit,
                say("where the line through the pairs begins"),
                (f"−({plain(found.zero, 4)}) ÷ {plain(found.gain, 6)} = {plain(nothing, 4)} {unit}",),
            )
        )
    largest = float(np.max(np.abs(found.left)))
    largest = largest if largest > _ROUNDING * float(np.max(np.abs(read))) else 0.0
    made.append(Finding("left_over", say("Off the line at most"), largest, unit, (), say("what no gain and no zero corrects")))
    for n, (one, other, width) in enumerate(zip(shown.tolist(), read.tolist(), digits.tolist(), strict=True), start=1):
        made.append(
            Finding.made(
                f"point_{n}",
                say("Off at {at} {unit}", at=plain(other, 5), unit=unit),
                less(one, other, scattered(width, words("last digits"), when=str(n), kind=ErrorKind.DIGIT)),
                unit,
                f"{plain(one, 6)} − {plain(other, 6)}",
            )
        )
    return {finding.key: finding for finding in made}


def _of_gain(found: DisplayCheck, shown: Array, reference: Accuracy | None) -> Value:
    """Of the slope, in percent."""
    span = float(np.ptp(shown)) if found.zero_told else float(np.max(np.abs(shown)))
    scatter = float(found.fit_u.max()) * math.sqrt(2 if found.zero_told else 1) / span
    slope = found.gain + wrong_by(reference, found.gain, 0.0 if found.zero_told else 1 / span)
    return 100 / (slope + found.gain * scattered(scatter, words("scatter of the pairs"), when=say("at both ends"))) - 100


def _warnings(about: Both, found: DisplayCheck, read: Array, off: Array, odd: tuple[int, float] | None, unit: str) -> list[str]:
    said = []
    if about.of_reference is None:
        said.append(
            say(
                "Nobody said how accurate {reference} is: how far apart they are is known, and not which of them is off. Nothing is corrected by it.",
                reference=about.reference or say("the reference"),
            )
        )
    if not found.zero_told:
        said.append(
            say(
                "All of it was read near {at} {unit}: a low and a high value tell a zero from a gain.",
                at=plain(float(np.median(read)), 3),
                unit=unit,
            )
        )
    if odd is not None:
        k, apart = odd
        said.append(
            say(
                "Point {n}, at {at} {unit}, lies {left} {unit} off the line of the others: mend it, or leave it out. Nothing is corrected by these points before.",
                n=k + 1,
                at=plain(float(read[k]), 4),
                left=show(apart, 2),
                unit=unit,
            )
        )
    return said


def _why_no_correction(about: Both, reference: Accuracy, at: float) -> str:
    """The reference, or points that are no straight line: which of the two makes a correction no better than the meter by itself."""
    if about.own is not None and reference.limit(at) < about.own.limit(at):
        return say("These points scatter too much about a straight line to correct {name} by them: read them again.", name=about.name)
    return say(
        "{reference} is no better than {name}: whether they agree is all that this tells, and nothing is corrected by it.",
        reference=about.reference,
        name=about.name,
    )


def _odd_one(shown: Array, read: Array, digit: float) -> tuple[int, float] | None:
    """(place, how far) of one that lies far off the line of the others, of the median slope (Theil and Sen), which one wrong point hardly moves."""
    if len(shown) <= _FEW_TO_TELL:
        return None
    one, other = np.triu_indices(len(shown), 1)
    run = shown[other] - shown[one]
    steep = run != 0
    slope = float(np.median((read[other] - read[one])[steep] / run[steep])) if steep.any() else 1.0
    left = read - slope * shown
    left = np.abs(left - np.median(left))
    k = int(np.argmax(left))
    return (k, float(left[k])) if float(left[k]) > _OUTLIER * max(float(np.median(left)), digit) else None


def _sentence(about: Both, read: Array, off: Array, may_be: Array, findings: dict[str, Finding], unit: str) -> str:
    """Whether they agree, and which way the one is off where they do not."""
    middle, name = findings["off"], about.name or say("The meter")
    amount = middle.value or 0.0
    share = np.abs(off) / may_be
    known = bool(np.all(np.isfinite(may_be)))
    if known and float(share.max()) <= 1:
        k = int(np.argmax(share))
        return say(
            "{name} agrees with {reference} at all {n} points: at most {off} {unit} apart where they may be {may} {unit} apart.",
            name=name,
            reference=about.reference or say("the reference"),
            n=len(off),
            off=show(abs(float(off[k])), 2),
            may=show(float(may_be[k]), 2),
            unit=unit,
        )
    if known and abs(amount) <= (middle.expanded_uncertainty or 0.0):
        k = int(np.argmax(share))
        return say(
            "{name} and {reference} do not agree at point {n}, at {at} {unit}: {times} times as far apart as both may be by their accuracies. How far off it is in all cannot be told from these points.",
            name=name,
            reference=about.reference or say("the reference"),
            n=k + 1,
            at=plain(float(read[k]), 4),
            unit=unit,
            times=show(float(share[k]), 2),
        )
    told = say(
        "{name} shows {off} {side} than there is",
        name=name,
        off=Finding("off", "", abs(amount), unit, middle.contributions, "").with_uncertainty(),
        side=say("more") if amount >= 0 else say("less"),
    )
    told += say(" at {at} {unit}", at=plain(float(np.sort(read)[len(read) // 2]), 4), unit=unit)
    if known:
        k = int(np.argmax(share))
        told += say(": {times} times as far apart as both may be by their accuracies", times=show(float(share[k]), 2))
    return told + "."
