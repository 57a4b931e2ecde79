"""A series at many scales, so that drawing it costs what the screen shows and not what was recorded."""

from __future__ import annotations

import numpy as np

from ubrant.core.quantities.readings import Array, Series

_FACTOR = 8


def _of_each(values: Array, least_or_most: np.ufunc) -> Array:
    """Of every _FACTOR values the one, by halves: as whole columns, which is several times as fast as row by row."""
    rows = values.reshape(-1, _FACTOR)
    while rows.shape[1] > 1:
        half = rows.shape[1] // 2
        rows = least_or_most(rows[:, :half], rows[:, half:])
    return np.asarray(rows[:, 0])


class _Level:
    """Low and high of so many stretches, with room for more."""

    def __init__(self) -> None:
        self.n = 0
        self._low, self._high = np.empty(0), np.empty(0)

    @property
    def low(self) -> Array:
        return self._low[: self.n]

    @property
    def high(self) -> Array:
        return self._high[: self.n]

    def follow(self, low: Array, high: Array) -> None:
        """What the level below holds now; the last stretch may have been of fewer, and is looked at again."""
        kept, count = max(self.n - 1, 0), -(-len(low) // _FACTOR)
        if count > len(self._low):
            self._low, self._high = (np.concatenate((a[:kept], np.empty(2 * count - kept))) for a in (self._low, self._high))
        whole = len(low) // _FACTOR
        if whole > kept:
            self._low[kept:whole] = _of_each(low[kept * _FACTOR : whole * _FACTOR], np.minimum)
            self._high[kept:whole] = _of_each(high[kept * _FACTOR : whole * _FACTOR], np.maximum)
        if whole < count:
            self._low[whole], self._high[whole] = low[whole * _FACTOR :].min(), high[whole * _FACTOR :].max()
        self.n = count


class Pyramid:
    """Minimum and maximum of ever longer stretches of a series. Nothing that was recorded is hidden, however far one zooms out."""

    def __init__(self, series: Series) -> None:
        self._growing: list[_Level] = []
        self.extend(series)

    def goes_on(self, series: Series) -> bool:
        """Whether it is the same column, grown: a view of one buffer, which is only ever written behind what was handed out."""
        pairs = (self._series.value, series.value), (self._series.time_s, series.time_s)
        return len(series) >= len(self) > 0 and all(
            a.base is not None and a.base is b.base and a.ctypes.data == b.ctypes.data and a.strides == b.strides for a, b in pairs
        )

    def extend(self, series: Series) -> None:
        """The same column, grown: only what came since is looked at."""
        self._series = series
        low = high = series.value
        self._levels: list[tuple[Array, Array]] = []
        while len(low) > 4096:
            place = len(self._levels)
            if place == len(self._growing):
                self._growing.append(_Level())
            self._growing[place].follow(low, high)
            low, high = self._growing[place].low, self._growing[place].high
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
