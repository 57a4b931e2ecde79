"""What was read on a power path, moment by moment: a typed line each, or lines that follow each other until a place is read again, a log's rows, and counters over a span."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ubrant.core.battery.label_doubt import LOW_SHARE
from ubrant.core.network.fit import is_told_of
from ubrant.core.network.graph import BATTERY, CHARGER, INPUT, LOAD, OUTPUT, PLACES, SOURCE, TITLES, Graph, GraphError, Key, graph_of
from ubrant.core.network.moment import Held, Read
from ubrant.core.network.whole import Whole
from ubrant.core.quantities.alternating import AC_FROM_V
from ubrant.core.quantities.jot import LEFT_OUT, TypedLine
from ubrant.core.quantities.quantity import plain, show_duration
from ubrant.core.quantities.readings import Series
from ubrant.core.record.counters import counted
from ubrant.core.record.record import Record
from ubrant.core.wording import say
from ubrant.methods.points_by_hand import points_at
from ubrant.methods.ratings import ratings_in

ONE_WALK_S = 300.0
"""A person with one meter has walked along a path in five minutes, and it stood still meanwhile. Common practice, no source."""
MOST_MOMENTS = 60
BY_VOLTS, BESIDE, BEHIND = "volts", "battery", "output"
"""What a load that is read hangs on: whichever its volts are those of, the battery's side, the converter's output."""
OTHER_NAMES = {"ac": OUTPUT, "dc": OUTPUT, "bank": BATTERY, "station": BATTERY, "device": LOAD, "": BATTERY}
LIKE = "battery 12.6 V 8.2 A output 230 V 85 W"
_ONE_VOLTS, _TO_MINUTE_S = 0.02, 600.0
"""Volts that were read once, or hardly moved, may have been so much more or less meanwhile. Common practice, no source."""
_COUNTED = {"Wh": "W", "Ah": "A"}
_PERCENT_OFF, _MOST_HELD, _MOST_OF_SPAN = 0.03, 1.15, 0.8
"""A display's percent is off by so much at either end; a new one holds at most so much of its label. Common practice, no source."""
_SAME_LOOK, _LOOKS_MISS = 1.2, 1.25
"""Looks that differ by less saw a steady load, and its mean is within so much of them. Common practice, no source."""
_KINDS = {"read", "about", "range"}


@dataclass(frozen=True, eq=False)
class Moments:
    """Readings by moment on their graph; the last of them are means over a span, from counters.

    Attributes
    ----------
    hours : of each span
    """

    whole: Whole
    hours: tuple[float, ...] = ()

    @property
    def single(self) -> range:
        return range(len(self.whole.names) - len(self.hours))

    @property
    def spans(self) -> range:
        return range(len(self.whole.names) - len(self.hours), len(self.whole.names))


@dataclass
class _Open:
    """A moment that lines are still added to."""

    began: float
    read: dict[Key, tuple[float, float]]
    lines: int = 1


def moments_on_path(record: Record, named: Mapping[str, str], *, load_at: str = BY_VOLTS) -> Moments:
    """Everything that was read on a path, with what counters counted: what is read within one walk is of one moment.

    Parameters
    ----------
    named : other names of its places
    load_at : what a load that is read hangs on

    Raises
    ------
    GraphError
        Nothing was read on a path, or it cannot be one.
    """
    walks = _typed(record, named) if record.is_typed else _logged(record, named)
    reads, names = _reads(record, walks)
    span = _span(record, named)
    if span is None:
        return Moments(Whole(_graph(record, reads, load_at), tuple(reads), tuple(names)))
    number, hours = len(walks), (span.ends_s - span.began_s) / 3600
    held = *_by_percent(record, named, span, number), *_by_looks(walks, span, number)
    for key, (value, half) in span.means.items():
        reads.append(Read(number, key, value, half, record.accuracy(*key), span.began_s, over_h=hours))
    names.append(say("over {span}", span=show_duration(3600 * hours)))
    graph = _graph(record, reads, load_at, {one.key[0] for one in held})
    return Moments(Whole(graph, tuple(reads), tuple(names), held), (hours,))


def lines_on_path(record: Record, named: Mapping[str, str]) -> Whole | None:
    """The typed lines in which one reading says something of another, each a moment; None where there is none, or they are on no path.

    A line of one or two quantities of one place never does: of a run of thousands of such rows none is looked at.
    """
    walks = []
    for entry in record.typed.further:
        line = entry.jotting
        if line.mark not in {"skip", LEFT_OUT} and len(line.readings) > 1 and (read := _of_line(line, named)):
            walks.append(_Open(entry.time_s, read))
    try:
        graph = _graph(record, _reads(record, walks)[0], BY_VOLTS)
    except GraphError:
        return None
    fed = bool({CHARGER, SOURCE} & set(graph.edges))
    telling = [
        walk
        for walk in walks
        if is_told_of(graph, frozenset(walk.read)) or _is_whole_on_ac(graph, walk.read) or (fed and (BATTERY, "V") in walk.read)
    ]
    reads, _ = _reads(record, telling)
    began = record.lines[0].time_s if record.lines else 0.0
    names = tuple(_name(walk.began - began, len(record.lines)) for walk in telling)
    return Whole(graph, tuple(reads), names) if telling else None


def _is_whole_on_ac(graph: Graph, read: Collection[Key]) -> bool:
    """Volts, amperes and watts of one place on AC: the watts are at most their product."""
    return any(all((place, quantity) in read for quantity in "VAW") for place in graph.alternating)


def _reads(record: Record, walks: Sequence[_Open]) -> tuple[list[Read], list[str]]:
    zero = walks[0].began if walks else 0.0
    names = [_name(walk.began - zero, len(walks)) for walk in walks]
    keys = {key for walk in walks for key in walk.read}
    accuracy = {key: record.accuracy(*key) for key in keys}
    correction = {key: record.meter(key[0]).details.correction(key[1]) for key in keys}
    reads = [
        Read(k, key, v, half, accuracy[key], walk.began, walk.lines > 1, correction=correction[key])
        for k, walk in enumerate(walks)
        for key, (v, half) in walk.read.items()
    ]
    return reads, names


def _graph(record: Record, reads: Sequence[Read], load_at: str, besides: Collection[str] = ()) -> Graph:
    """The path that these were read on, with places of which something is held besides; its converter by the label of what is tested."""
    places = {one.key[0] for one in reads} | set(besides)
    if not {one.key[0] for one in reads}:
        raise GraphError(say("Nothing was read on the path yet: type a line like “{example}”.", example=LIKE))
    alternating = {one.key[0] for one in reads if one.key[1] == "V" and abs(one.shown) > AC_FROM_V} | _by_watts(reads)
    ratings = ratings_in(record.head.setup.unit.printed)
    if OUTPUT in places and ratings is not None and ratings.gives_mains:
        alternating.add(OUTPUT)
    rating = ratings.watts or None if ratings is not None else None
    return graph_of(places, alternating, rating_w=rating, load_behind=_is_behind(reads, load_at))


def _by_watts(reads: Sequence[Read]) -> set[str]:
    """Places without volts whose watts over amperes are what no battery has: AC, where that is the volts times a power factor."""
    read = {(one.moment, one.key): one.shown for one in reads}
    with_volts = {place for _, (place, quantity) in read if quantity == "V"}
    found = set()
    for (moment, (place, quantity)), watts in read.items():
        amps = read.get((moment, (place, "A")), 0.0)
        if quantity == "W" and place not in with_volts and amps and abs(watts / amps) > AC_FROM_V / 2:
            found.add(place)
    return found


def _is_behind(reads: Sequence[Read], load_at: str) -> bool:
    """Whether a load hangs on the output; by its volts, where nobody said."""
    if load_at != BY_VOLTS:
        return load_at == BEHIND
    volts: dict[str, list[float]] = {}
    for one in reads:
        if one.key[1] == "V":
            volts.setdefault(one.key[0], []).append(one.shown)
    if LOAD not in volts or OUTPUT not in volts:
        return False
    mean = {place: sum(values) / len(values) for place, values in volts.items()}
    near = next((mean[place] for place in (BATTERY, CHARGER, INPUT) if place in mean), 0.0)
    return abs(mean[LOAD] - mean[OUTPUT]) < abs(mean[LOAD] - near)


def _name(after_s: float, count: int) -> str:
    if count < 2:
        return ""
    if after_s <= 0:
        return say("at first")
    return say("after {span}", span=show_duration(after_s if after_s < _TO_MINUTE_S else 60 * round(after_s / 60)))


def _of_line(line: TypedLine, named: Mapping[str, str]) -> dict[Key, tuple[float, float]]:
    """What one line reads on a path, and how wide each is."""
    return {
        (named.get(r.tap, r.tap), r.quantity): (r.value, r.half_width)
        for r in line.readings
        if r.quantity in {"V", "A", "W"} and r.kind in _KINDS and named.get(r.tap, r.tap) in PLACES
    }


def _typed(record: Record, named: Mapping[str, str]) -> list[_Open]:
    walks: list[_Open] = []
    for moment, line in record.answers("load on", "load off", "skip"):
        if line.mark == "skip":
            continue
        read = _of_line(line, named)
        now = walks[-1] if walks else None
        if now is None or line.mark or set(read) & set(now.read) or moment - now.began > ONE_WALK_S:
            walks.append(_Open(moment, {}, 0))
        walks[-1].read.update(read)
        walks[-1].lines += bool(read)
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


@dataclass(frozen=True)
class _Span:
    """From when to when counters counted, s, and by key their means with what their digits leave open."""

    began_s: float
    ends_s: float
    means: Mapping[Key, tuple[float, float]]


def _span(record: Record, named: Mapping[str, str]) -> _Span | None:
    """Between the first and the last reading that all counters have, else between the first and the last percent; None without any."""
    found: dict[Key, tuple[Series, np.ndarray]] = {}
    for (tap, quantity), series in record.typed.series.items():
        place = named.get(tap, tap)
        if quantity in _COUNTED and place in PLACES and len(series) > 1:
            found[place, quantity] = series, np.full(len(series), record.typed.half.get((tap, quantity), 0.0))
    percent = _percent(record, named)
    over = [series for series, _ in found.values()] or ([percent] if percent is not None else [])
    if not over:
        return None
    began, ends = max(float(s.time_s[0]) for s in over), min(float(s.time_s[-1]) for s in over)
    hours = (ends - began) / 3600
    means: dict[Key, tuple[float, float]] = {}
    for (place, quantity), (series, half) in found.items():
        inside = (series.time_s >= began) & (series.time_s <= ends)
        if np.count_nonzero(inside) > 1 and hours > 0:
            count = counted(Series(series.time_s[inside], series.value[inside]), half[inside])
            means[place, _COUNTED[quantity]] = (
                count.amount / hours,
                math.sqrt(3) * count.standard_uncertainty / hours + count.cut_off / hours,
            )
    for place in {place for place, _ in means}:
        if (volts := _mean_volts(record, named, place, (began, ends))) is not None:
            means[place, "V"] = volts
    return _Span(began, ends, means) if hours > 0 and (means or not found) else None


def _percent(record: Record, named: Mapping[str, str]) -> Series | None:
    """The battery's percents, where they were read more than once."""
    return next((s for (tap, q), s in record.typed.series.items() if q == "%" and named.get(tap, tap) == BATTERY and len(s) > 1), None)


def _by_percent(record: Record, named: Mapping[str, str], span: _Span, number: int) -> Iterator[Held]:
    """What the battery gave meanwhile by its percents and its label, of which it holds anything from the least that works to the most that is made."""
    percent, label = _percent(record, named), record.head.setup.label
    if percent is None or label is None or not label.energy_wh:
        return
    inside = (percent.time_s >= span.began_s) & (percent.time_s <= span.ends_s)
    if np.count_nonzero(inside) < 2:
        return
    times, shown = percent.time_s[inside], percent.value[inside]
    share, hours = (float(shown[0]) - float(shown[-1])) / 100, float(times[-1] - times[0]) / 3600
    if hours < _MOST_OF_SPAN * (span.ends_s - span.began_s) / 3600:
        return
    ends = [(share + sign * 2 * _PERCENT_OFF) * held * label.energy_wh / hours for sign in (-1, 1) for held in (LOW_SHARE, _MOST_HELD)]
    told = say("battery {a} to {b} % of {wh} Wh", a=plain(float(shown[0])), b=plain(float(shown[-1])), wh=plain(label.energy_wh))
    asked = say("was it charged or used otherwise meanwhile, or is its label another?")
    yield Held(number, (BATTERY, "W"), (min(ends), max(ends)), told, asked)


def _by_looks(walks: Sequence[_Open], span: _Span, number: int) -> Iterator[Held]:
    """What flowed meanwhile by looks at the same place, where every look read about the same and they reach over most of the span."""
    looks: dict[Key, list[tuple[float, float]]] = {}
    for walk in walks:
        if span.began_s - ONE_WALK_S <= walk.began <= span.ends_s + ONE_WALK_S:
            for key, (value, _) in walk.read.items():
                looks.setdefault(key, []).append((walk.began, value))
    for (place, quantity), several in looks.items():
        values = [value for _, value in several]
        least, most = min(values), max(values)
        reach = several[-1][0] - several[0][0]
        if quantity == "V" or least <= 0 or most > _SAME_LOOK * least or reach < _MOST_OF_SPAN * (span.ends_s - span.began_s):
            continue
        told = say("{place} {least} {unit} at each look", place=say(TITLES[place]).lower(), least=plain(values[0], 4), unit=quantity)
        between = (least / _LOOKS_MISS, most * _LOOKS_MISS)
        yield Held(number, (place, quantity), between, told, say("did it run all the time, and so long?"))


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
