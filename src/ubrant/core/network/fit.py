"""The fit: readings adjusted as little as their doubt allows until every exact law holds.

Conditions only (VDI 2048; Narasimhan & Jordache, *Data Reconciliation and Gross Error Detection*, 2000, chapters 3 and 7): what was not read is
eliminated moment by moment, what is left are conditions between readings. What one reading should be by the rest follows without another
factorisation, and so does how far it is from that. Errors that readings share, such as a meter's gain, are one error in all of them.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
from scipy.special import chdtrc, ndtri

from ubrant.core.network.graph import Graph, Key
from ubrant.core.network.laws import Law, exact_laws
from ubrant.core.quantities.readings import Array
from ubrant.core.uncertainty.sources import ErrorSource
from ubrant.core.uncertainty.value import Parts, Value, total_of

_ROUNDS = 6
_RANK, _NOTHING = 1e-9, 1e-6
FALSE_ALARMS = 0.005
"""Over all readings of a run together, while nothing is wrong; as many again by the sum over all."""


@dataclass(frozen=True)
class EdgeReading:
    """One reading: which moment, which key, its value with its parts, and what it may be off by where it should be another value.

    Attributes
    ----------
    value : as it was read; without parts where nobody said how good its meter is
    doubt : its parts, were it so much (a reading a thousand times too small has a doubt a thousand times too small)
    """

    moment: int
    key: Key
    value: Value
    doubt: Callable[[float], Parts]


@dataclass(frozen=True)
class AgainstRest:
    """What the rest says of one reading.

    Attributes
    ----------
    reading : as it was read
    z : how far apart they are, in standard uncertainties of the difference
    """

    reading: EdgeReading
    z: float
    _rest: Callable[[], Value]
    _fitted: Callable[[], Value]

    @cached_property
    def rest(self) -> Value:
        """What all others say it should be; without parts where one of them has none."""
        return self._rest()

    @cached_property
    def fitted(self) -> Value:
        """What it is by all of them."""
        return self._fitted()


@dataclass(frozen=True)
class Fitted:
    """A run that was fitted.

    Attributes
    ----------
    beside : for each reading that the rest says something of, in their order
    follows : by moment and key what was not read and follows, to be made when it is wanted
    chi2, conditions : what is left over, and how many conditions there are
    """

    against: tuple[AgainstRest, ...]
    follows: Mapping[tuple[int, Key], Callable[[], Value]]
    chi2: float
    conditions: int

    def worked_out(self, moment: int, key: Key) -> Value | None:
        """What was not read and follows from the rest; None where it does not."""
        make = self.follows.get((moment, key))
        return None if make is None else make()

    @property
    def most(self) -> float:
        """How far a reading may be off from the rest before it is asked about, in standard uncertainties."""
        return -float(ndtri(FALSE_ALARMS / 2 / max(len(self.against), 1)))

    @property
    def fits(self) -> bool:
        """Neither a reading nor all of them together are off by more than chance would have it."""
        if any(abs(one.z) > self.most for one in self.against):
            return False
        return not self.conditions or float(chdtrc(self.conditions, self.chi2)) >= FALSE_ALARMS


@dataclass(frozen=True)
class _Moment:
    """One moment: which readings, and its conditions once what was not read is eliminated.

    Attributes
    ----------
    rows : (n,) their places among all readings
    of_read : (c, n) of the conditions, by readings
    missed : (c,) what they miss by
    to_unread : (u, n) what a change of the readings does to what was not read
    follows : (u,) whether that is determined
    """

    rows: Array
    of_read: Array
    missed: Array
    unread: tuple[Key, ...]
    at_unread: Array
    to_unread: Array
    follows: Array


def fit(graph: Graph, readings: Sequence[EdgeReading]) -> Fitted:
    """Fit a run.

    Parameters
    ----------
    readings : of all moments, in any order

    Returns
    -------
    Values with signed sensitivities to the sources of the readings' errors.
    """
    laws = exact_laws(graph)
    keys = graph.every_key()
    shown = np.array([reading.value.value for reading in readings])
    by_moment: dict[int, list[int]] = {}
    for k, reading in enumerate(readings):
        by_moment.setdefault(reading.moment, []).append(k)
    points = {m: _start(keys, laws, {readings[k].key: float(shown[k]) for k in rows}) for m, rows in by_moment.items()}
    fitted = shown.copy()
    moments: list[_Moment] = []
    for _ in range(_ROUNDS):
        spread = _spread([reading.doubt(float(at)) for reading, at in zip(readings, fitted, strict=True)], shown)
        moments = [_eliminated(graph, laws, keys, points[m], {readings[k].key: k for k in rows}, shown) for m, rows in by_moment.items()]
        before, fitted = fitted, shown + _adjusted(moments, spread, len(readings))[0]
        for (m, rows), moment in zip(by_moment.items(), moments, strict=True):
            for k in rows:
                points[m][readings[k].key] = float(fitted[k])
            for key, value in zip(moment.unread, _unread(moment, fitted - shown), strict=True):
                points[m][key] = value
        if np.allclose(before, fitted, rtol=1e-9, atol=1e-12):
            break
    return _told(readings, moments, list(by_moment), spread, shown)


@lru_cache(maxsize=4096)
def determined(graph: Graph, unread: frozenset[Key]) -> frozenset[Key]:
    """Which of what was not read follows from the rest by the laws, at a point where nothing is nothing: no amperes with any volts are no watts, and say nothing of the volts."""
    laws, order = exact_laws(graph), sorted(unread)
    rng = np.random.default_rng(1)
    at = {key: float(rng.uniform(1, 2)) for key in graph.every_key()}
    slopes = np.zeros((len(laws), len(order)))
    for k, law in enumerate(laws):
        for key, slope in zip(law.keys, law.slopes(at), strict=True):
            if key in unread:
                slopes[k, order.index(key)] = slope
    _, stretch, right = np.linalg.svd(slopes)
    rank = int(np.sum(stretch > _RANK))
    return frozenset(key for k, key in enumerate(order) if np.all(np.abs(right[rank:, k]) < _NOTHING))


def _start(keys: Sequence[Key], laws: Sequence[Law], read: Mapping[Key, float]) -> dict[Key, float]:
    """A point to linearise at: as read, and what follows from that at once; a unit of what nothing says, for at nothing a product has no slope."""
    at = dict(read)
    for _ in range(len(laws)):
        for law in laws:
            lacking = [key for key in law.keys if key not in at]
            if len(lacking) != 1:
                continue
            (key,) = lacking
            trial = {**at, key: 0.0}
            slope = law.slopes({**at, key: 1.0})[law.keys.index(key)]
            if abs(slope) > _NOTHING:
                at[key] = -law.residual(trial) / slope
    return {key: at.get(key, 1.0) for key in keys}


def _spread(doubts: Sequence[Parts], shown: Array) -> Array:
    """(n, s) standard uncertainties by reading and source; a grain of its own for each, so that no two are one."""
    sources: dict[ErrorSource, int] = {}
    for parts in doubts:
        for source in parts:
            sources.setdefault(source, len(sources))
    found = np.zeros((len(doubts), len(sources) + len(doubts)))
    for k, parts in enumerate(doubts):
        for source, u in parts.items():
            found[k, sources[source]] = u
        found[k, len(sources) + k] = 1e-7 * max(abs(shown[k]), 1e-3)
    return found


def _eliminated(
    graph: Graph, laws: Sequence[Law], keys: Sequence[Key], at: Mapping[Key, float], rows: Mapping[Key, int], shown: Array
) -> _Moment:
    """The conditions of one moment without what was not read."""
    read = [key for key in keys if key in rows]
    unread = tuple(key for key in keys if key not in rows)
    place = {key: k for k, key in enumerate((*read, *unread))}
    slopes, misses = np.zeros((len(laws), len(place))), np.zeros(len(laws))
    for k, law in enumerate(laws):
        misses[k] = law.residual(at)
        for key, slope in zip(law.keys, law.slopes(at), strict=True):
            slopes[k, place[key]] += slope
    size = np.maximum(np.abs(slopes).max(axis=1, initial=0.0), _NOTHING)
    slopes, misses = slopes / size[:, None], misses / size
    of_read, of_unread = slopes[:, : len(read)], slopes[:, len(read) :]
    places = np.array([rows[key] for key in read], dtype=int)
    misses = misses + of_read @ (shown[places] - np.array([at[key] for key in read]))
    left, stretch, right = np.linalg.svd(of_unread)
    rank = int(np.sum(stretch > _RANK * max(float(stretch.max(initial=0.0)), 1.0)))
    without = left[:, rank:].T
    by_structure = determined(graph, frozenset(unread))
    here = np.all(np.abs(right[rank:]) < _NOTHING, axis=0) if len(unread) else np.zeros(0, dtype=bool)
    follows = here & np.array([key in by_structure for key in unread], dtype=bool)  # no watts over no amperes are any volts
    back = -(right[:rank].T / stretch[:rank]) @ left[:, :rank].T
    at_unread = np.array([at[key] for key in unread]) + back @ misses
    return _Moment(places, without @ of_read, without @ misses, unread, at_unread, back @ of_read, np.asarray(follows))


def _adjusted(moments: Sequence[_Moment], spread: Array, count: int) -> tuple[Array, Array, Array, Array]:
    """(n,) adjustments; (c, n) conditions, (c,) what they miss by, and the inverse of its covariance."""
    conditions = np.zeros((sum(len(m.missed) for m in moments), count))
    missed, at = np.zeros(len(conditions)), 0
    for moment in moments:
        part = slice(at, at + len(moment.missed))
        conditions[part, moment.rows], missed[part] = moment.of_read, moment.missed
        at += len(moment.missed)
    spoken = np.abs(conditions).max(axis=1, initial=0.0) > _RANK  # a condition between no readings is none
    conditions, missed = conditions[spoken], missed[spoken]
    through = conditions @ spread
    inverse = np.linalg.pinv(through @ through.T, hermitian=True)
    return -spread @ (through.T @ (inverse @ missed)), conditions, missed, inverse


def _unread(moment: _Moment, moved: Array) -> list[float]:
    return [float(v) for v in moment.at_unread + moment.to_unread @ moved[moment.rows]]


def _told(readings: Sequence[EdgeReading], moments: Sequence[_Moment], names: Sequence[int], spread: Array, shown: Array) -> Fitted:
    adjusted, conditions, missed, inverse = _adjusted(moments, spread, len(readings))
    gain = conditions.T @ inverse  # (n, c)
    weight = gain @ conditions
    push = gain @ missed
    strength = np.diag(weight)
    covered = spread @ spread.T
    told = np.abs(conditions).max(axis=0, initial=0.0) > _RANK  # what the rest says nothing of has no say in any condition
    moves = -covered @ weight  # of the adjustments, by readings
    made = _Made(tuple(reading.value for reading in readings))
    against, kept = [], np.flatnonzero(told)
    for k in kept.tolist():
        of_rest, of_all = -weight[k] / strength[k], moves[k].copy()
        of_rest[k] += 1.0
        of_all[k] += 1.0
        rest = made.of(of_rest, float(shown[k] - push[k] / strength[k]))
        against.append(
            AgainstRest(readings[k], float(push[k] / math.sqrt(strength[k])), rest, made.of(of_all, float(shown[k] + adjusted[k])))
        )
    worked: dict[tuple[int, Key], Callable[[], Value]] = {}
    for name, moment in zip(names, moments, strict=True):
        found = _unread(moment, adjusted)
        for k in np.flatnonzero(moment.follows).tolist():
            row = moment.to_unread[k] @ moves[moment.rows]
            row[moment.rows] += moment.to_unread[k]
            worked[name, moment.unread[k]] = made.of(row, found[k])
    return Fitted(tuple(against), worked, float(missed @ inverse @ missed), len(missed))


@dataclass(frozen=True)
class _Made:
    """Values that are made of readings, when they are wanted."""

    values: tuple[Value, ...]

    def of(self, row: Array, value: float) -> Callable[[], Value]:
        """So much, with what each reading's error does to it: (n,) ``row``."""

        def make() -> Value:
            near = np.flatnonzero(np.abs(row) > 1e-12).tolist()
            return value + total_of(Value(0.0, self.values[j].parts) * float(row[j]) for j in near)

        return make
