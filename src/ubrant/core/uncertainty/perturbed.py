"""What each error of a meter does to figures, by working them out again with it put in. JCGM 100, 5.1.3, note 2."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.record.readings import Array
from ubrant.core.uncertainty.contributions import Contribution, Contributions, merged, rectangular

Columns = Mapping[str, Array]
Figures = Callable[[Columns], Mapping[str, float | None]]


@dataclass(frozen=True)
class ErrorOf:
    """An error of one meter: its name, which columns it moves, by a share of them or by an amount, and its standard uncertainty."""

    name: str
    columns: tuple[str, ...]
    u: float
    is_gain: bool

    def put_in(self, values: Columns, share: float) -> Columns:
        moved = dict(values)
        for column in self.columns:
            moved[column] = values[column] * (1 + share * self.u) if self.is_gain else values[column] + share * self.u
        return moved


def errors_of_meter(name: str, accuracy: Accuracy, *columns: str) -> tuple[ErrorOf, ErrorOf]:
    """Gain and zero of one quantity of a meter that read these columns."""
    return (
        ErrorOf(f"{name} gain", columns, rectangular(accuracy.gain), is_gain=True),
        ErrorOf(f"{name} zero", columns, rectangular(accuracy.zero), is_gain=False),
    )


def by_errors(
    figures: Figures, values: Columns, errors: tuple[ErrorOf, ...], half: Mapping[str, Array] | None = None
) -> tuple[Mapping[str, float | None], dict[str, Contributions]]:
    """The figures, and where their ± comes from.

    Parameters
    ----------
    values : (n,) columns
    errors : the same in every row; the larger of what it does put in and taken off counts
    half : by column, (n,) half-widths of what was written down, each row wrong by itself
    """
    base = figures(values)
    parts: dict[str, list[Contribution]] = {key: [] for key in base}
    for error in errors:
        if not error.u:
            continue
        sides = figures(error.put_in(values, 1.0)), figures(error.put_in(values, -1.0))
        for key, usual in base.items():
            moved = [
                sign * (found - usual)
                for sign, side in zip((1, -1), sides, strict=True)
                if usual is not None and (found := side[key]) is not None
            ]
            if moved:
                parts[key].append(Contribution(error.name, max(moved, key=abs)))
    squares = dict.fromkeys(base, 0.0)
    for column, widths in (half or {}).items():
        for k, width in enumerate(widths.tolist()):
            if not width > 0:
                continue
            moved_column = values[column].copy()
            moved_column[k] += rectangular(width)
            found_there = figures({**values, column: moved_column})
            for key, usual in base.items():
                there = found_there[key]
                squares[key] += (there - usual) ** 2 if there is not None and usual is not None else 0.0
    for key, square in squares.items():
        if square:
            parts[key].append(Contribution("digits as they were written down", math.sqrt(square)))
    return base, {key: merged(found) for key, found in parts.items()}
