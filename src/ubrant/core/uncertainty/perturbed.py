"""What each error does to figures that no formula leads to, by working them out again with it put in. JCGM 100, 5.1.3, note 2."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import TypeVar

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.record.readings import Array
from ubrant.core.uncertainty.sources import ErrorSource, Kind, errors_of_meter
from ubrant.core.uncertainty.value import Value, made_of
from ubrant.core.wording import words

Columns = Mapping[str, Array]
Figures = Callable[[Columns], Mapping[str, float | None]]
_T = TypeVar("_T")


def digit_of(column: str, row: int) -> ErrorSource:
    """What one reading was rounded by as it was written down: each is wrong by itself."""
    return ErrorSource(Kind.DIGIT, words("digits as they were written down"), when=f"{column} {row + 1}")


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
            is_zero = self.source.kind is Kind.ZERO
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
    if not known:
        return {key: None if value is None else Value(value, None) for key, value in figures(values).items()}

    def moved(column: str, k: int, by: float) -> Columns:
        other = values[column].copy()
        other[k] += by
        return {**values, column: other}

    rows = ((c, k, float(w) / math.sqrt(3)) for c, widths in (half or {}).items() for k, w in enumerate(widths) if w > 0)
    return put_in(
        figures,
        values,
        ((e.source, lambda v, share, e=e: e.put_in(v, share)) for e in together(errors) if e.u),  # type: ignore[misc]
        ((digit_of(c, k), lambda v, c=c, k=k, by=by: moved(c, k, by)) for c, k, by in rows),  # type: ignore[misc]
    )


def put_in(
    figures: Callable[[_T], Mapping[str, float | None]],
    values: _T,
    errors: Iterable[tuple[ErrorSource, Callable[[_T, float], _T]]],
    digits: Iterable[tuple[ErrorSource, Callable[[_T], _T]]] = (),
) -> dict[str, Value | None]:
    """The figures with what they may be off by, each error put in and taken off: the larger of what that does counts.

    Parameters
    ----------
    errors : source, and what it makes of the values where it is there times so many standard uncertainties
    digits : source, and what one reading makes of the values that is a standard uncertainty off

    Notes
    -----
    JCGM 100, 5.1.3, note 2, takes the mean of both sides; where a zero error is as large as what is measured they differ much, and the mean is too small.
    """
    base = figures(values)
    parts: dict[str, dict[ErrorSource, float]] = {key: {} for key in base}
    for source, shifted in errors:
        above, below = figures(shifted(values, 1.0)), figures(shifted(values, -1.0))
        for key, usual in base.items():
            sides = [s * (v - usual) for s, v in ((1, above[key]), (-1, below[key])) if v is not None] if usual is not None else []
            if sides and (most := max(sides, key=abs)):
                parts[key][source] = parts[key].get(source, 0.0) + most
    for source, shifted_row in digits:
        found = figures(shifted_row(values))
        for key, usual in base.items():
            there = found[key]
            if usual is not None and there is not None and there != usual:
                parts[key][source] = there - usual
    return {key: None if usual is None else made_of(usual, parts[key]) for key, usual in base.items()}
