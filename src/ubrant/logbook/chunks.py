"""Readings as a logbook keeps them: a column as it is, as a straight line, or as the times of another channel of the same table."""

from __future__ import annotations

import sqlite3
import struct
from collections.abc import Callable, Iterable

import numpy as np

from ubrant.core.quantities.readings import Array, Series

PIECE = 65_536
_FEW = 3
"""From so many readings on the length of a blob tells what it is."""
_LINE, _ELSEWHERE = struct.Struct("<dd"), struct.Struct("<q")
_PIECES = "SELECT n, time_s, value, channel_id, seq FROM piece WHERE channel_id = ? ORDER BY seq"


def to_blob(column: Array) -> bytes:
    """(n,) little-endian float64; or where each is begin + k·step to the last bit, those two alone."""
    n, column = len(column), np.ascontiguousarray(column, dtype="<f8")
    if n >= _FEW:
        begin, step = float(column[0]), float(column[1]) - float(column[0])
        ends = column[-1] == begin + (n - 1) * step and column[n // 2] == begin + (n // 2) * step  # most that are none show here
        if ends and np.array_equal((begin + np.arange(n) * step).view(np.int64), column.view(np.int64)):
            return _LINE.pack(begin, step)
    return column.tobytes()


def from_blob(blob: bytes, n: int) -> Array:
    """The column again; one that is none of a piece of ``n`` readings is what stands there."""
    if len(blob) == _LINE.size and n >= _FEW:
        begin, step = _LINE.unpack(blob)
        return np.asarray(begin + np.arange(n) * step)
    return np.frombuffer(blob, dtype="<f8")


def insert_pieces(db: sqlite3.Connection, channel_id: int, series: Series, times_of: int = 0) -> None:
    """Write a whole channel in pieces of 65 536 readings; ``times_of`` is a channel of the same run that was read at the same moments."""
    for seq, start in enumerate(range(0, len(series), PIECE)):
        time, value = series.time_s[start : start + PIECE], series.value[start : start + PIECE]
        times = to_blob(time)
        if times_of and len(time) >= _FEW and len(times) > _LINE.size:
            times = _ELSEWHERE.pack(times_of)
        row = (channel_id, seq, len(time), times, to_blob(value))
        db.execute("INSERT INTO piece (channel_id, seq, n, time_s, value) VALUES (?,?,?,?,?)", row)


def readings_of_channel(db: sqlite3.Connection, channel_id: int) -> Series:
    """All readings of one channel; empty when there are none."""
    found: list[tuple[Array, Array]] = []
    for n, time_s, value, _, seq in db.execute(_PIECES, (channel_id,)).fetchall():
        times = _times(db, time_s, n, seq)
        if times is not None:
            found.append((times, from_blob(value, n)))
    return Series(_whole(t for t, _ in found), _whole(v for _, v in found)) if found else Series(np.empty(0), np.empty(0))


def _times(db: sqlite3.Connection, blob: bytes, n: int, seq: int) -> Array | None:
    """Its own, or those of the channel that it names; None where these are gone, which the seals of the run say."""
    if len(blob) != _ELSEWHERE.size or n < _FEW:
        return from_blob(blob, n)
    there = db.execute("SELECT n, time_s FROM piece WHERE channel_id = ? AND seq = ?", (*_ELSEWHERE.unpack(blob), seq)).fetchone()
    return from_blob(there[1], n) if there is not None and there[0] == n and len(there[1]) != _ELSEWHERE.size else None


def rewrite(db: sqlite3.Connection, run_id: int, keep: Callable[[Series], Series] = lambda series: series) -> None:
    """Every channel of a run anew, in whole pieces, with what ``keep`` leaves of it: all are read before any is written, for one may have the times of another."""
    channels = [int(row[0]) for row in db.execute("SELECT id FROM channel WHERE run_id = ? ORDER BY id", (run_id,))]
    whole = {channel: keep(readings_of_channel(db, channel)) for channel in channels}
    same = SameTimes()
    for channel, series in whole.items():
        db.execute("DELETE FROM piece WHERE channel_id = ?", (channel,))
        insert_pieces(db, channel, series, same.of(series, channel))


def _whole(parts: Iterable[Array]) -> Array:
    found = list(parts)
    return found[0].astype(np.float64, copy=True) if len(found) == 1 else np.concatenate(found)


class SameTimes:
    """Finds the channel of a run that was read at the same moments, while the run is written."""

    def __init__(self) -> None:
        self._known: list[tuple[Array, int]] = []

    def of(self, series: Series, channel_id: int) -> int:
        """The number of one written before with these times, or 0; this one is known from now on."""
        for times, known in self._known:
            if times is series.time_s or (len(times) == len(series) and np.array_equal(times, series.time_s)):
                return known
        self._known.append((series.time_s, channel_id))
        return 0
