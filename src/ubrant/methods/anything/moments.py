"""Which readings are of one moment: lines that follow each other until a place is read again, a log's rows, and counters over a span."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ubrant.core.network.graph import PLACES, Key
from ubrant.core.network.moment import Read
from ubrant.core.quantities.alternating import AC_FROM_V
from ubrant.core.quantities.quantity import show_duration
from ubrant.core.quantities.readings import Series
from ubrant.core.record.counters import counted
from ubrant.core.record.record import Record
from ubrant.core.wording import say
from ubrant.methods.points_by_hand import points_at

ONE_WALK_S = 300.0
"""A person with one meter has walked along a path in five minutes, and it stood still meanwhile. Common practice, no source."""
MOST_MOMENTS = 60
_ONE_VOLTS = 0.02
"""Volts that were read once, or hardly moved, may have been so much more or less meanwhile. Common practice, no source."""
_COUNTED = {"Wh": "W", "Ah": "A"}
_KINDS = {"read", "about", "range"}


@dataclass(frozen=True)
class Moments:
    """Readings by moment and what each moment is called; the last ``spans`` of them are means over a span, from counters.

    Attributes
    ----------
    hours : of each span
    """

    readings: tuple[Read, ...]
    names: tuple[str, ...]
    times: tuple[float, ...]
    hours: tuple[float, ...] = ()

    @property
    def single(self) -> range:
        return range(len(self.names) - len(self.hours))

    @property
    def spans(self) -> range:
        return range(len(self.names) - len(self.hours), len(self.names))


@dataclass
class _Open:
    """A moment that lines are still added to."""

    began: float
    read: dict[Key, tuple[float, float]]


def moments_on_path(record: Record, named: Mapping[str, str]) -> Moments:
    """The readings of a record on a path.

    Parameters
    ----------
    named : other names of its places
    """
    walks = _typed(record, named) if record.is_typed else _logged(record, named)
    counters = _spans(record, named)
    zero = walks[0].began if walks else 0.0
    names = [_name(walk.began - zero, len(walks)) for walk in walks]
    readings: list[Read] = []
    for k, walk in enumerate(walks):
        readings += [Read(k, key, value, half, record.accuracy(*key)) for key, (value, half) in walk.read.items()]
    hours = []
    if counters is not None:
        span_h, means = counters
        readings += [Read(len(walks), key, value, half, record.accuracy(*key)) for key, (value, half) in means.items()]
        names.append(say("over {span}", span=show_duration(3600 * span_h)))
        hours.append(span_h)
    return Moments(tuple(readings), tuple(names), tuple(walk.began for walk in walks), tuple(hours))


def _name(after_s: float, count: int) -> str:
    if count < 2:
        return ""
    return say("after {span}", span=show_duration(after_s)) if after_s > 0 else say("at first")


def _typed(record: Record, named: Mapping[str, str]) -> list[_Open]:
    walks: list[_Open] = []
    for moment, line in record.answers("load on", "load off", "skip"):
        if line.mark == "skip":
            continue
        read = {
            (named.get(r.tap, r.tap), r.quantity): (r.value, r.half_width)
            for r in line.readings
            if r.quantity in {"V", "A", "W"} and r.kind in _KINDS and named.get(r.tap, r.tap) in PLACES
        }
        now = walks[-1] if walks else None
        if now is None or line.mark or set(read) & set(now.read) or moment - now.began > ONE_WALK_S:
            walks.append(_Open(moment, {}))
        walks[-1].read.update(read)
    return [walk for walk in walks if walk.read]


def _logged(record: Record, named: Mapping[str, str]) -> list[_Open]:
    """Rows of a log, or points that were taken on instruments; of many a few, evenly over the run."""
    keys = tuple((place, quantity) for place in PLACES for quantity in "VAW")
    table = points_at(record, keys, dict(named))
    if not len(table):
        return []
    rows = np.unique(np.linspace(0, len(table) - 1, min(len(table), MOST_MOMENTS)).round().astype(int))
    walks = []
    for k in rows.tolist():
        read = {key: (float(column[k]), float(table.half[key][k])) for key, column in table.values.items() if math.isfinite(column[k])}
        if read:
            walks.append(_Open(float(table.time_s[k]), read))
    return walks


def _spans(record: Record, named: Mapping[str, str]) -> tuple[float, dict[Key, tuple[float, float]]] | None:
    """(hours, mean watts and amperes with what their digits leave open) between the first and the last reading that all counters have; None without any."""
    found: dict[Key, tuple[Series, np.ndarray]] = {}
    for (tap, quantity), series in record.typed.series.items():
        place = named.get(tap, tap)
        if quantity in _COUNTED and place in PLACES and len(series) > 1:
            found[place, quantity] = series, np.full(len(series), record.typed.half.get((tap, quantity), 0.0))
    if not found:
        return None
    begins, ends = max(float(s.time_s[0]) for s, _ in found.values()), min(float(s.time_s[-1]) for s, _ in found.values())
    hours = (ends - begins) / 3600
    means: dict[Key, tuple[float, float]] = {}
    for (place, quantity), (series, half) in found.items():
        inside = (series.time_s >= begins) & (series.time_s <= ends)
        if np.count_nonzero(inside) > 1 and hours > 0:
            count = counted(Series(series.time_s[inside], series.value[inside]), half[inside])
            means[place, _COUNTED[quantity]] = (
                count.amount / hours,
                math.sqrt(3) * count.standard_uncertainty / hours + count.cut_off / hours,
            )
    for place in {place for place, _ in means}:
        if (volts := _mean_volts(record, named, place, (begins, ends))) is not None:
            means[place, "V"] = volts
    return (hours, means) if means else None


def _mean_volts(record: Record, named: Mapping[str, str], place: str, between: tuple[float, float]) -> tuple[float, float] | None:
    """What the volts were meanwhile, anywhere between the least and the greatest that were read; None on AC, where charge and energy have no one voltage."""
    values = [
        float(v)
        for (tap, quantity), series in record.typed.series.items()
        if quantity == "V" and named.get(tap, tap) == place
        for t, v in zip(series.time_s.tolist(), series.value.tolist(), strict=True)
        if between[0] <= t <= between[1]
    ]
    if not values or max(values) > AC_FROM_V:
        return None
    low, high = min(values), max(values)
    return (low + high) / 2, max((high - low) / 2, _ONE_VOLTS * high)
