"""What each error does to figures that no formula leads to, by working them out again with it put in. JCGM 100, 5.1.3, note 2."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Generic, TypeVar

import numpy as np

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.readings import Array
from ubrant.core.uncertainty.sources import ErrorKind, ErrorSource, errors_of_meter
from ubrant.core.uncertainty.value import Value, drawn_of, is_drawing
from ubrant.core.wording import words

Columns = Mapping[str, Array]
Figures = Callable[[Columns], Mapping[str, float | None]]
_T = TypeVar("_T")


def digit_of(column: str, row: int) -> ErrorSource:
    """What one reading was rounded by as it was written down: each is wrong by itself."""
    return ErrorSource(ErrorKind.DIGIT, words("digits as they were written down"), when=f"{column} {row + 1}")


@dataclass(frozen=True)
class ErrorOf:
    """An error of one meter, and which columns it moves: a gain by a share of them, a zero by an amount."""

    source: ErrorSource
    columns: tuple[str, ...]

    @property
    def u(self) -> float:
        return self.source.half / math.sqrt(3)

    def put_in(self, values: Columns, share: float) -> Columns:
        moved = dict(values)
        for column in self.columns:
            is_zero = self.source.kind is ErrorKind.ZERO
            moved[column] = values[column] + share * self.u if is_zero else values[column] * (1 + share * self.u)
        return moved


def errors_in(accuracy: Accuracy | None, *columns: str, place: str = "") -> tuple[ErrorOf, ...]:
    """The errors of a meter that read these columns; none where nobody said how good it is.

    Parameters
    ----------
    place : where it was read, for a meter that is not told from others
    """
    if accuracy is None:
        return ()
    return tuple(ErrorOf(source, columns) for source in errors_of_meter(accuracy, place) if source.half)


def together(errors: Iterable[ErrorOf]) -> tuple[ErrorOf, ...]:
    """What one error moves in several columns, moved at once."""
    columns: dict[ErrorSource, tuple[str, ...]] = {}
    for error in errors:
        columns[error.source] = (*columns.get(error.source, ()), *error.columns)
    return tuple(ErrorOf(source, moved) for source, moved in columns.items())


def by_errors(
    figures: Figures, values: Columns, errors: Iterable[ErrorOf], half: Mapping[str, Array] | None = None, *, known: bool = True
) -> dict[str, Value | None]:
    """The figures with what they may be off by; None where there is none.

    Parameters
    ----------
    values : (n,) columns
    errors : the same in every row
    half : by column, (n,) half-widths of what was written down, each row wrong by itself
    known : somebody said how good every meter is
    """
    wide = {column: np.flatnonzero(widths > 0) for column, widths in (half or {}).items()}

    def rounded(shown: Columns, shares: Array) -> Columns:
        moved, at = dict(shown), 0
        for column, rows in wide.items():
            moved[column] = shown[column].copy()
            moved[column][rows] += shares[at : at + len(rows)] * (half or {})[column][rows] / math.sqrt(3)
            at += len(rows)
        return moved

    sources = tuple(digit_of(column, k) for column, rows in wide.items() for k in rows.tolist())
    moves = [(e.source, lambda v, share, e=e: e.put_in(v, share)) for e in together(errors) if e.u]
    return put_in(figures, values, moves, Rounded(sources, rounded), known=known)


_FEW, _FIRST, _WORK = 100, 12, 2000
_STRAIGHT, _ROUNDING = 0.1, 1e-18
"""What digits do together is said where it is over this share of the squares of what they do alone, or of the figure's."""
_TOGETHER = ErrorSource(ErrorKind.DIGIT, words("digits together"), note=words("all of them at once do more than each alone"))
Move = Callable[[_T, float], _T]
"""What an error makes of values where it is there times so many standard uncertainties."""


@dataclass(frozen=True)
class Rounded(Generic[_T]):
    """What readings were rounded by, each by itself: their sources, and what (n,) shares of their standard uncertainties make of the values."""

    sources: tuple[ErrorSource, ...]
    move: Callable[[_T, Array], _T]

    def __len__(self) -> int:
        return len(self.sources)


def put_in(
    figures: Callable[[_T], Mapping[str, float | None]],
    values: _T,
    errors: Sequence[tuple[ErrorSource, Move[_T]]],
    digits: Rounded[_T],
    *,
    known: bool = True,
) -> dict[str, Value | None]:
    """The figures with what they may be off by, each error put in and taken off: the larger of what that does counts.

    Parameters
    ----------
    errors : source, and what it makes of the values
    digits : so small that one side tells
    known : somebody said how good every meter is

    Notes
    -----
    JCGM 100, 5.1.3, note 2, takes the mean of both sides; where a zero error is as large as what is measured they differ much, and the mean is too small.
    """
    values = as_drawn(values, errors, digits)
    base = figures(values)
    if is_drawing() or not known:
        nothing: dict[ErrorSource, float] | None = {} if known else None
        return {key: None if usual is None else Value(usual, nothing) for key, usual in base.items()}
    parts: dict[str, dict[ErrorSource, float]] = {key: {} for key in base}
    for source, shifted in errors:
        above, below = figures(shifted(values, 1.0)), figures(shifted(values, -1.0))
        for key, usual in base.items():
            sides = [s * (v - usual) for s, v in ((1, above[key]), (-1, below[key])) if v is not None] if usual is not None else []
            if sides and (most := max(sides, key=abs)):
                parts[key][source] = most
    for source, row in zip(digits.sources, np.eye(len(digits)), strict=True):
        found = figures(digits.move(values, row))
        for key, usual in base.items():
            if usual is not None and (there := found[key]) is not None and there != usual:
                parts[key][source] = there - usual
    for key, u in _more_together(figures, values, digits, base, parts).items():
        parts[key][replace(_TOGETHER, when=key)] = u
    return {key: None if usual is None else Value(usual, parts[key]) for key, usual in base.items()}


def _more_together(
    figures: Callable[[_T], Mapping[str, float | None]],
    values: _T,
    digits: Rounded[_T],
    base: Mapping[str, float | None],
    parts: Mapping[str, Mapping[ErrorSource, float]],
) -> dict[str, float]:
    """What digits do together beyond what each does alone: a median does not move with any one of them, a maximum goes where the largest is.

    All of them are drawn at once, a few times, and what comes out is held against what the single parts make of the same draws: of a straight sum nothing
    is left.
    """
    if not 1 < len(digits) <= _FEW:
        return {}
    drawn = _evenly(len(digits))
    alone = {key: np.array([parts[key].get(source, 0.0) for source in digits.sources]) for key, usual in base.items() if usual is not None}
    least = {key: _STRAIGHT * float(a @ a) + _ROUNDING * (base[key] or 0.0) ** 2 for key, a in alone.items()}
    more: dict[str, list[float]] = {key: [] for key in alone}
    for k, row in enumerate(drawn):
        found = figures(digits.move(values, row))
        for key, so_far in more.items():
            if (there := found[key]) is not None:
                so_far.append((there - (base[key] or 0.0)) ** 2 - float(alone[key] @ row) ** 2)
        if k + 1 == _FIRST and all(math.fsum(map(abs, so_far)) < _FIRST * least[key] / 4 for key, so_far in more.items()):
            return {}
    means = {key: math.fsum(so_far) / len(so_far) for key, so_far in more.items() if len(so_far) == len(drawn)}
    return {key: math.sqrt(m) for key, m in means.items() if m > least[key]}


@lru_cache(_FEW)
def _evenly(count: int) -> Array:
    """(m, count) draws in standard uncertainties, rectangular, each column evenly spread, the fewer the more there are: the same every time."""
    rng, sets = np.random.default_rng(count), min(max(_WORK // count, 32), 128)
    even = (2 * (np.arange(sets) + 0.5) / sets - 1) * math.sqrt(3)
    return np.column_stack([rng.permutation(even) for _ in range(count)])


def as_drawn(values: _T, errors: Sequence[tuple[ErrorSource, Move[_T]]], digits: Rounded[_T]) -> _T:
    """While errors are drawn, the values with those that are not in the record already; else the values as they are."""
    if not is_drawing():
        return values
    for source, shifted in errors:
        values = shifted(values, drawn_of(source))
    return digits.move(values, np.array([drawn_of(source) for source in digits.sources]))
