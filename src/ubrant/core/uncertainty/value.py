"""A number that carries where it came from: what it is off by for each error, through all that is made of it.

Nothing here is of bench tests: + − × ÷ keep signed sensitivities (JCGM 100, 5.1.2 and 5.2.2), so that an error that two figures share cancels as far as
it does in their difference or ratio, and no part of a ± is written beside its formula.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field, replace

from ubrant.core.quantities.accuracy import LINEARITY, Accuracy
from ubrant.core.uncertainty.sources import ErrorKind, ErrorSource, errors_of_meter
from ubrant.core.wording import words

Parts = Mapping[ErrorSource, float]
"""By source: its signed standard uncertainty in the number (sensitivity × standard uncertainty)."""


@dataclass(frozen=True, slots=True)
class Value:
    """A number with what it may be off by.

    Attributes
    ----------
    value : the number
    parts : by source, its signed standard uncertainty in the number; empty where it is exact, None where nobody said how good it is
    """

    value: float
    parts: Parts | None = field(default_factory=dict)

    @property
    def u(self) -> float | None:
        """Standard uncertainty; None where nobody said how good it is."""
        return None if self.parts is None else math.hypot(*self.parts.values())

    def _with(self, value: float, by: float, other: Value, by_other: float) -> Value:
        if self.parts is None or other.parts is None:
            return Value(value, None)
        if not other.parts:
            return Value(value, {s: by * a for s, a in self.parts.items()} if by != 1.0 else self.parts)
        parts = {s: by * a for s, a in self.parts.items()}
        for source, amount in other.parts.items():
            parts[source] = parts.get(source, 0.0) + by_other * amount
        return Value(value, parts)

    def __add__(self, other: Value | float) -> Value:
        other = exactly(other)
        return self._with(self.value + other.value, 1.0, other, 1.0)

    def __sub__(self, other: Value | float) -> Value:
        other = exactly(other)
        return self._with(self.value - other.value, 1.0, other, -1.0)

    def __mul__(self, other: Value | float) -> Value:
        other = exactly(other)
        return self._with(self.value * other.value, other.value, other, self.value)

    def __truediv__(self, other: Value | float) -> Value:
        other = exactly(other)
        return self._with(self.value / other.value, 1 / other.value, other, -self.value / (other.value * other.value))

    def __neg__(self) -> Value:
        return self * -1.0

    def __abs__(self) -> Value:
        return -self if self.value < 0 else self

    def __radd__(self, other: float) -> Value:
        return self + other

    def __rsub__(self, other: float) -> Value:
        return exactly(other) - self

    def __rmul__(self, other: float) -> Value:
        return self * other

    def __rtruediv__(self, other: float) -> Value:
        return exactly(other) / self

    def through(self, function: Callable[[float], float], slope: float) -> Value:
        """``function`` of it, whose derivative here is ``slope``."""
        return self._with(function(self.value), slope, exactly(0.0), 0.0)

    def root(self) -> Value:
        """Its square root."""
        root = math.sqrt(self.value)
        return self.through(math.sqrt, 0.5 / root if root else 0.0)

    def log(self) -> Value:
        """Its natural logarithm."""
        return self.through(math.log, 1 / self.value)

    def exp(self) -> Value:
        """e to its power."""
        return self.through(math.exp, math.exp(self.value))

    def error(self) -> Value:
        """What it may be off by alone: a value of 0, to be put where a slope is known and no formula."""
        return Value(0.0, self.parts)


def rectangular(half_width: float) -> float:
    """Standard uncertainty of a value anywhere within ± ``half_width``. JCGM 100, 4.3.7."""
    return half_width / math.sqrt(3)


def exactly(number: Value | float) -> Value:
    """A number without doubt; a value as it is."""
    return number if isinstance(number, Value) else Value(number)


def total_of(values: Iterable[Value]) -> Value:
    """The sum; 0 of none."""
    amount, parts = 0.0, dict[ErrorSource, float]()
    known = True
    for one in values:
        amount += one.value
        known &= one.parts is not None
        for source, part in (one.parts or {}).items():
            parts[source] = parts.get(source, 0.0) + part
    return Value(amount, parts if known else None)


def mean_of(values: Iterable[Value]) -> Value:
    """The mean of one or more."""
    several = list(values)
    return total_of(several) / len(several)


# where an error comes in


def within(half: float, of: str, unit: str = "", *, when: str = "", note: str = "", kind: ErrorKind = ErrorKind.LIMIT) -> Value:
    """An error anywhere within ± ``half``: rectangular, JCGM 100, 4.3.7. A value around 0, to be added where it comes in.

    Parameters
    ----------
    half : in ``unit``
    of, when : what it is, in words, and which of several of its kind; figures made from the same share it
    """
    return comes_in(ErrorSource(kind, of, unit, when=when, half=abs(half), note=note), abs(half) / math.sqrt(3))


def scattered(u: float, of: str, dof: float = math.inf, *, when: str = "", note: str = "", kind: ErrorKind = ErrorKind.NOISE) -> Value:
    """An error with this standard uncertainty, as found from repeats or put together from many small ones: normal. A value around 0."""
    return comes_in(ErrorSource(kind, of, when=when, dof=dof, note=note), abs(u))


def digit(half: float, unit: str, *, when: str = "", of: str = "last digit") -> Value:
    """What was rounded off where something was read or written down, anywhere within ± ``half``. A value around 0."""
    return within(half, of, unit, when=when, kind=ErrorKind.DIGIT)


def moment(half_s: float, when: str) -> Value:
    """What a moment that somebody noted may be off by, s. A value around 0."""
    return within(half_s, words("clock"), "s", when=when, kind=ErrorKind.MOMENT)


def wrong_by(accuracy: Accuracy | None, gain: float, zero: float, place: str = "") -> Value:
    """What a meter's errors do to a figure. A value around 0; None-known where nobody said how good the meter is.

    Parameters
    ----------
    gain : what the figure changes by for a gain error of 1: its own size, where all of it went through the meter
    zero : what it changes by for a zero error of one unit: the hours, for a charge from amperes
    place : where it was read, for a meter that is not told from others
    """
    if accuracy is None:
        return Value(0.0, None)
    of_gain, of_zero, of_linearity = errors_of_meter(accuracy, place)
    sizes = ((of_gain, gain * accuracy.gain), (of_zero, zero * accuracy.zero), (of_linearity, gain * accuracy.linearity))
    return Value(0.0, {source: size / math.sqrt(3) for source, size in sizes if size})


def as_read(shown: float, accuracy: Accuracy | None, place: str = "") -> Value:
    """A reading of a meter, with its gain and its zero."""
    return shown + wrong_by(accuracy, shown, 1.0, place)


def comes_in(source: ErrorSource, u: float) -> Value:
    """An error with this standard uncertainty in a figure. A value around 0; the others here go through it."""
    draw = _draw.get()
    if draw is not None:
        return Value(draw.size(source, u) * draw.of(source))
    return Value(0.0, {source: u}) if u else Value(0.0)


def as_of_run(value: Value, run: str, *, meters: bool = True, zeros: bool = True) -> Value:
    """A figure as that of one run among several: what only this run was wrong by is told from the same in another, and what a meter is wrong by stays.

    Parameters
    ----------
    run : what tells it from the others
    meters, zeros : gains and zeros are the same in all of them, but for a quarter of each gain (``LINEARITY``), which is each run's own
    """
    if value.parts is None:
        return value
    parts: dict[ErrorSource, float] = {}
    for source, amount in value.parts.items():
        stays = source.outlasts_runs and meters and (zeros or source.kind is not ErrorKind.ZERO)
        one = source if stays else source.in_run(run)
        parts[one] = parts.get(one, 0.0) + amount
        if stays and source.kind is ErrorKind.GAIN:
            bent = replace(source, kind=ErrorKind.LINEARITY, run=run, half=LINEARITY * source.half)
            parts[bent] = parts.get(bent, 0.0) + LINEARITY * amount
    return Value(value.value, parts)


# the same errors, drawn


class Draw:
    """One draw of every error that comes in while an account is made; those of meters are drawn in the record itself.

    Parameters
    ----------
    drawn : of an error, in standard uncertainties; the same for the same source
    sizes : what scatter came to in the record as it is, by its source in the order in which it came in: a drawn record's own would have the draws in it
    """

    def __init__(self, drawn: Callable[[ErrorSource], float], sizes: Mapping[ErrorSource, Sequence[float]]) -> None:
        self.of, self._sizes = drawn, sizes
        self.came_in: dict[ErrorSource, list[float]] = {}

    def size(self, source: ErrorSource, u: float) -> float:
        so_far = self.came_in.setdefault(source, [])
        so_far.append(u)
        known = self._sizes.get(source, ())
        return known[len(so_far) - 1] if source.kind is ErrorKind.NOISE and len(known) >= len(so_far) else u


_draw: ContextVar[Draw | None] = ContextVar("draw", default=None)


def is_drawing() -> bool:
    """Whether errors come true now, and nobody looks at sensitivities."""
    return _draw.get() is not None


def drawn_of(source: ErrorSource) -> float:
    """What an error is in this draw, in standard uncertainties; 0 of one that is in the record already, and where nothing is drawn."""
    draw = _draw.get()
    return 0.0 if draw is None or source.is_of_meter else draw.of(source)


@contextmanager
def come_true(draw: Draw) -> Iterator[None]:
    """Within, every error that comes in has come true by its draw. JCGM 101."""
    token = _draw.set(draw)
    try:
        yield
    finally:
        _draw.reset(token)
