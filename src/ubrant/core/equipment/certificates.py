"""What a meter was found to be on a day, by a check against another or by a certificate, and what that still says on another day."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, fields, replace
from datetime import date
from typing import Any

import numpy as np

from ubrant.core.quantities.accuracy import Accuracy, parse_accuracy
from ubrant.core.quantities.quantity import QuantityError, parse_quantity, plain
from ubrant.core.quantities.readings import Array
from ubrant.core.uncertainty.contributions import COVERAGE
from ubrant.core.uncertainty.value import rectangular
from ubrant.core.wording import say

CHECK, CERTIFICATE = "check", "certificate"
YEAR_DAYS = 365.25
_LARGE_U = 0.2
"""An uncertainty over this share of what it is of is a slip of unit."""
_FAR = 0.5
"""What a meter shows is no further from what there was than this share of it."""


@dataclass(frozen=True)
class MeterCheck:
    """What was found on one day, of one quantity.

    Attributes
    ----------
    made : the moment or the day, ISO; against : the other meter, or who issued the certificate
    unit : V, A or W; at : what there was, in the middle of what was looked at
    off, u : what it showed more than there was, and the expanded uncertainty of that, in ``unit``
    gain, zero, accuracy : true = gain × shown + zero, and what that is good for on that day
    kind : CHECK or CERTIFICATE; number : of the certificate, as it stands on it
    adjusted : the meter was put right afterwards, so that this holds for what it read before, and no longer
    run : the run in which it was found; 0 for none
    """

    made: str
    against: str
    unit: str
    at: float
    off: float
    u: float
    gain: float
    zero: float
    accuracy: str
    kind: str = CHECK
    number: str = ""
    adjusted: bool = False
    run: int = 0

    @property
    def percent(self) -> float:
        """What it showed more than there was, of that."""
        return 100 * self.off / self.at if self.at else 0.0

    def to_json(self) -> dict[str, Any]:
        usual = {f.name: f.default for f in fields(MeterCheck)}
        return {k: v for k, v in asdict(self).items() if v != usual[k]}

    def years_to(self, day: str) -> float:
        """How far a day is from it, to either side."""
        return abs((date.fromisoformat(day[:10]) - date.fromisoformat(self.made[:10])).days) / YEAR_DAYS

    def held(self, moved: float) -> Accuracy:
        """What it is good for where the gain may have moved by so much since, or until then."""
        then = parse_accuracy(self.accuracy, self.unit)
        return replace(then, gain=then.gain + moved, text="")


_NEEDED = {"made", "against", "unit", "at", "off", "u", "gain", "zero", "accuracy"}


def checks_from(told: Sequence[Mapping[str, Any]]) -> tuple[MeterCheck, ...]:
    """From what a logbook keeps, in order of time; what this version does not know is left aside."""
    known = {f.name for f in fields(MeterCheck)}
    made = [MeterCheck(**{k: v for k, v in one.items() if k in known}) for one in told if set(one) >= _NEEDED]
    return in_order(made)


def in_order(checks: Iterable[MeterCheck]) -> tuple[MeterCheck, ...]:
    """By their day; of one day what was found before the meter was put right, then what it was left as."""
    return tuple(sorted(checks, key=lambda one: (one.made, not one.adjusted)))


def in_force(checks: Sequence[MeterCheck], unit: str, day: str) -> MeterCheck | None:
    """The last one up to a day; None where there is none."""
    return next((one for one in reversed(checks) if one.unit == unit and one.made <= day), None)


def first_after(checks: Sequence[MeterCheck], unit: str, day: str) -> MeterCheck | None:
    """The nearest one after a day says most of what the meter was on it; None where there is none."""
    return next((one for one in checks if one.unit == unit and one.made > day), None)


def since_adjusted(checks: Sequence[MeterCheck], unit: str) -> list[MeterCheck]:
    """Those that say how it moves: what came before it was put right is of another meter, as it were."""
    those = [one for one in checks if one.unit == unit]
    last = max((k for k, one in enumerate(those) if one.adjusted), default=-1)
    return those[last + 1 :]


@dataclass(frozen=True, eq=False)
class Found:
    """Points of a certificate: (n,) what there was, what was shown, the expanded uncertainty of each."""

    was: Array
    shown: Array
    u: Array


def read_found(text: str, unit: str) -> Found:
    """From lines like ``10.000 V 10.023 V ± 4 mV``: what there was, what it showed, how sure that is.

    Raises
    ------
    QuantityError
        A line that does not hold the three, or that cannot be; says which.
    """
    rows = []
    for number, line in enumerate(text.splitlines(), start=1):
        if not line.strip():
            continue
        values = re.findall(r"[-+−]?\d+(?:[.,]\d+)?\s*(?:[^\W\d_]|µ|μ){0,3}", line.replace("±", " "))
        if len(values) != 3:
            raise QuantityError(
                say(
                    "Line {number}: write what there was, what it showed, and the certificate's ±, like “10.000 {unit} 10.023 {unit} ± 4 m{unit}”.",
                    number=number,
                    unit=unit,
                )
            )
        was, shown, u = (parse_quantity(v if re.search(r"[^\W\d_]", v) else f"{v.strip()} {unit}", unit) for v in values)
        if u <= 0 or u > _LARGE_U * max(abs(was), abs(shown)):
            raise QuantityError(
                say(
                    "Line {number}: ± {u} {unit} at {was} {unit}? Give it with its unit, like “4 m{unit}”.",
                    number=number,
                    u=plain(u, 4),
                    was=plain(was, 5),
                    unit=unit,
                )
            )
        if abs(shown - was) > _FAR * abs(was) + u:
            raise QuantityError(
                say(
                    "Line {number}: {shown} {unit} shown where {was} {unit} were? Are both units right?",
                    number=number,
                    shown=plain(shown, 5),
                    was=plain(was, 5),
                    unit=unit,
                )
            )
        rows.append((was, shown, abs(u)))
    if not rows:
        raise QuantityError(say("Nothing of what was found stands here yet."))
    was_, shown_, u_ = np.array(rows).T
    return Found(was_, shown_, u_)


def certified(found: Found, unit: str, day: str, by: str, number: str = "", *, adjusted: bool = False) -> MeterCheck:
    """A certificate as it is kept: a straight line through its points, and limits that hold what the points are off it and their own ±.

    One point, or several at about one value, tell a gain only. The uncertainties of a certificate are mostly of one standard, so they are
    not taken to average over its points.
    """
    wide = len(found.was) > 1 and float(np.ptp(found.shown)) > 0.2 * float(np.max(np.abs(found.shown)))
    if wide:
        gain, zero = (float(c) for c in np.polyfit(found.shown, found.was, 1, w=1 / found.u))
    else:
        gain, zero = float(np.sum(found.was * found.shown) / np.sum(found.shown**2)), 0.0
    left = np.abs(found.was - gain * found.shown - zero)
    limit = math.sqrt(3) * np.hypot(found.u / COVERAGE, left)
    least = float(limit.min()) if wide else 0.0
    largest = float(np.max((limit - least) / np.abs(found.was)))
    text = f"{plain(100 * largest, 3)} % + {plain(1000 * least, 3)} m{unit}"
    k = int(np.argsort(found.was)[len(found.was) // 2])
    at = float(found.was[k])
    return MeterCheck(day, by, unit, at, float(found.shown[k]) - at, float(found.u[k]), gain, zero, text, CERTIFICATE, number, adjusted)


def limits_u(accuracy: Accuracy, value: Array | float) -> Array:
    """Standard uncertainty of readings by limits of error, its two terms rectangular."""
    return np.asarray(np.hypot(rectangular(accuracy.gain) * np.abs(value), rectangular(accuracy.zero)))
