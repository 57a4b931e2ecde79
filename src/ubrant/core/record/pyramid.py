"""A series at many scales, so that drawing it costs what the screen shows and not what was recorded."""

from __future__ import annotations

import numpy as np

from ubrant.core.record.readings import Array, Series

_FACTOR = 8


def _of_each(values: Array, least_or_most: np.ufunc) -> Array:
    """Of every _FACTOR values the one, by halves: as whole columns, which is several times as fast as row by row."""
    rows = values.reshape(-1, _FACTOR)
    while rows.shape[1] > 1:
        half = rows.shape[1] // 2
        rows = least_or_most(rows[:, :half], rows[:, half:])
    return np.asarray(rows[:, 0])


class Pyramid:
    """Minimum and maximum of ever longer stretches of a series. Nothing that was recorded is hidden, however far one zooms out."""

    def __init__(self, series: Series) -> None:
        self._series = series
        self._levels: list[tuple[Array, Array]] = []
        low = high = series.value
        while len(low) > 4096:
            whole = len(low) // _FACTOR * _FACTOR
            tail_low, tail_high = low[whole:], high[whole:]
            low, high = _of_each(low[:whole], np.minimum), _of_each(high[:whole], np.maximum)
            if len(tail_low):
                low, high = np.append(low, tail_low.min()), np.append(high, tail_high.max())
            self._levels.append((low, high))

    def __len__(self) -> int:
        return len(self._series)

    def view(self, from_s: float, to_s: float, pixels: int) -> Series:
        """What to draw between two times on so many pixels: the readings themselves when there are few, otherwise low and high of each stretch."""
        time = self._series.time_s
        first = max(0, int(np.searchsorted(time, from_s)) - 1)
        last = min(len(time), int(np.searchsorted(time, to_s, side="right")) + 1)
        size, level = 1, -1
        while (last - first) / size > 0.8 * max(pixels, 50) and level + 1 < len(self._levels):
            size, level = size * _FACTOR, level + 1
        if level < 0:
            return Series(time[first:last], self._series.value[first:last])
        low, high = self._levels[level]
        begin, end = first // size, min(len(low), -(-last // size))
        starts = time[np.arange(begin, end) * size]
        return Series(np.repeat(starts, 2), np.column_stack((low[begin:end], high[begin:end])).ravel())
