"""The fit of one moment: readings adjusted as little as their doubt allows until every exact law holds.

Conditions only (VDI 2048; Narasimhan & Jordache, *Data Reconciliation and Gross Error Detection*, 2000, chapters 3 and 7): what was not read is
eliminated, what is left are conditions between readings. What one reading should be by the rest follows without another
factorisation, and so does how far it is from that. Errors that readings share, such as a meter's gain, are one error in all of them.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from ubrant.core.network.graph import Graph, Key
from ubrant.core.network.laws import Law, exact_laws
from ubrant.core.quantities.readings import Array
from ubrant.core.uncertainty.sources import ErrorSource
from ubrant.core.uncertainty.value import Parts, Value, total_of

_ROUNDS = 6
_RANK, _NOTHING, _GRAIN = 1e-9, 1e-6, 1e-14


@dataclass(frozen=True)
class EdgeReading:
    """One reading: which moment, which key, its value with its parts, and what it may be off by where it should be another value.

    Attributes
    ----------
    value : as it was read; without parts where nobody said how good its meter is
    doubt : what it may be off by for the question whether it fits, were it so much (a reading a thousand times too small has a doubt a thousand
        times too small)
    stated : its parts, were it so much: by these it weighs, so that one reading more never makes an answer less sure
    """

    moment: int
    key: Key
    value: Value
    doubt: Callable[[float], Parts]
    stated: Callable[[float], Parts]


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
    """A moment that was fitted.

    Attributes
    ----------
    against : for each reading that the rest says something of, in their order
    follows : by key what was not read and follows, to be made when it is wanted
    chi2, conditions : what is left over, and how many conditions there are
    """

    against: tuple[AgainstRest, ...]
    follows: Mapping[Key, Callable[[], Value]]
    chi2: float
    conditions: int

    def worked_out(self, key: Key) -> Value | None:
        """What was not read and follows from the rest; None where it does not."""
        make = self.follows.get(key)
        return None if make is None else make()


@dataclass(frozen=True)
class _Eliminated:
    """The conditions of a moment once what was not read is eliminated.

    Attributes
    ----------
    of_read, missed : (c, n) of the conditions by readings, and (c,) what they miss by
    to_unread, at_unread : (u, n) what a change of the readings does to what was not read, and (u,) where that is
    follows : (u,) whether that is determined
    """

    of_read: Array
    missed: Array
    to_unread: Array
    at_unread: Array
    follows: NDArray[np.bool_]


def fit(graph: Graph, readings: Sequence[EdgeReading]) -> Fitted:
    """Fit the readings of one moment, each of another key.

    Returns
    -------
    Values with signed sensitivities to the sources of the readings' errors.
    """
    laws, every = exact_laws(graph), graph.every_key()
    read = tuple(reading.key for reading in readings)
    unread = tuple(key for key in every if key not in read)
    shown = np.array([reading.value.value for reading in readings])
    at, fitted = _start(every, laws, dict(zip(read, shown.tolist(), strict=True))), shown
    for _ in range(_ROUNDS):
        spread = _spread([reading.stated(float(value)) for reading, value in zip(readings, fitted, strict=True)], shown)
        left = _eliminated(graph, laws, read, unread, at, shown)
        inverse = _inverse(left, spread)
        before, fitted = fitted, shown - spread @ (spread.T @ (left.of_read.T @ (inverse @ left.missed)))
        at = dict(zip(read, fitted.tolist(), strict=True)) | dict(zip(unread, _unread(left, fitted - shown), strict=True))
        if np.all(np.abs(before - fitted) <= 1e-9 * np.abs(fitted) + 1e-12):
            break
    else:
        left = _eliminated(graph, laws, read, unread, at, shown)
    asked = _spread([reading.doubt(float(value)) for reading, value in zip(readings, fitted, strict=True)], shown)
    return _told(readings, unread, left, spread, asked, shown)


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


@lru_cache(maxsize=4096)
def is_told_of(graph: Graph, read: frozenset[Key]) -> bool:
    """Whether the others say something of one that was read."""
    unread = frozenset(graph.every_key()) - read
    return any(key in determined(graph, unread | {key}) for key in read)


def _start(keys: Sequence[Key], laws: Sequence[Law], read: Mapping[Key, float]) -> dict[Key, float]:
    """A point to linearise at: as read, and what follows from that at once; a unit of what nothing says, for at nothing a product has no slope."""
    at = dict(read)
    for _ in range(len(laws)):
        for law in laws:
            lacking = [key for key in law.keys if key not in at]
            if len(lacking) != 1:
                continue
            (key,) = lacking
            slope = law.slopes({**at, key: 1.0})[law.keys.index(key)]
            if abs(slope) > _NOTHING:
                at[key] = -law.residual({**at, key: 0.0}) / slope
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
    graph: Graph, laws: Sequence[Law], read: Sequence[Key], unread: Sequence[Key], at: Mapping[Key, float], shown: Array
) -> _Eliminated:
    """The conditions between readings, by the laws linearised at a point."""
    place = {key: k for k, key in enumerate((*read, *unread))}
    slopes, misses = np.zeros((len(laws), len(place))), np.zeros(len(laws))
    for k, law in enumerate(laws):
        misses[k] = law.residual(at)
        for key, slope in zip(law.keys, law.slopes(at), strict=True):
            slopes[k, place[key]] += slope
    size = np.maximum(np.abs(slopes).max(axis=1, initial=0.0), _NOTHING)
    slopes, misses = slopes / size[:, None], misses / size
    of_read, of_unread = slopes[:, : len(read)], slopes[:, len(read) :]
    misses = misses + of_read @ (shown - np.array([at[key] for key in read]))
    left, stretch, right = np.linalg.svd(of_unread)
    rank = int(np.sum(stretch > _RANK * max(float(stretch.max(initial=0.0)), 1.0)))
    by_structure = determined(graph, frozenset(unread))
    here = np.all(np.abs(right[rank:]) < _NOTHING, axis=0) if unread else np.zeros(0, dtype=bool)
    follows = here & np.array([key in by_structure for key in unread], dtype=bool)  # no watts over no amperes are any volts
    back = -(right[:rank].T / stretch[:rank]) @ left[:, :rank].T
    conditions, missed = left[:, rank:].T @ of_read, left[:, rank:].T @ misses
    spoken = np.abs(conditions).max(axis=1, initial=0.0) > _RANK  # a condition between no readings is none
    at_unread = np.array([at[key] for key in unread]) + back @ misses
    return _Eliminated(conditions[spoken], missed[spoken], back @ of_read, at_unread, np.asarray(follows))


def _inverse(left: _Eliminated, spread: Array) -> Array:
    """(c, c) of the covariance of what the conditions miss by."""
    through = left.of_read @ spread
    stretch, along = np.linalg.eigh(through @ through.T)
    there = stretch > _GRAIN * float(stretch.max(initial=0.0))
    return np.asarray((along[:, there] / stretch[there]) @ along[:, there].T)


def _unread(left: _Eliminated, moved: Array) -> list[float]:
    return [float(v) for v in left.at_unread + left.to_unread @ moved]


def _told(readings: Sequence[EdgeReading], unread: Sequence[Key], left: _Eliminated, spread: Array, asked: Array, shown: Array) -> Fitted:
    """By ``spread`` each reading weighs, by ``asked`` it is asked whether it fits."""
    inverse, testing = _inverse(left, spread), _inverse(left, asked)
    pull = left.of_read.T @ testing
    tested = np.einsum("ij,ji->i", pull, left.of_read)
    off = pull @ left.missed
    gain = left.of_read.T @ inverse  # (n, c)
    weight, push = gain @ left.of_read, gain @ left.missed
    strength, covered = np.diag(weight), spread @ spread.T
    moves, adjusted = -covered @ weight, -covered @ push  # what each reading does to the adjustments, and these
    made = _Made(tuple(reading.value for reading in readings))
    against = []
    spoken_of = (np.abs(left.of_read).max(axis=0, initial=0.0) > _RANK) & (strength > 0) & (tested > 0)
    for k in np.flatnonzero(spoken_of).tolist():  # of others the rest says nothing
        of_rest, of_all = -weight[k] / strength[k], moves[k].copy()
        of_rest[k] += 1.0
        of_all[k] += 1.0
        rest = made.of(of_rest, float(shown[k] - push[k] / strength[k]))
        fitted = made.of(of_all, float(shown[k] + adjusted[k]))
        against.append(AgainstRest(readings[k], float(off[k] / math.sqrt(tested[k])), rest, fitted))
    found = _unread(left, adjusted)
    whole = left.to_unread + left.to_unread @ moves
    follows = {unread[k]: made.of(whole[k], found[k]) for k in np.flatnonzero(left.follows).tolist()}
    return Fitted(tuple(against), follows, float(left.missed @ testing @ left.missed), len(left.missed))


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
