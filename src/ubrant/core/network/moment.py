"""One moment held against itself: what was read, what follows, what is bounded, and which readings do not go with the rest."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cached_property, lru_cache

from scipy.special import chdtrc

from ubrant.core.network.bounds import Box, Interval, bounded
from ubrant.core.network.fit import AgainstRest, EdgeReading, Fitted, fit
from ubrant.core.network.graph import Graph, Key, Stage
from ubrant.core.quantities.accuracy import LINEARITY, Accuracy
from ubrant.core.uncertainty.contributions import COVERAGE
from ubrant.core.uncertainty.sources import ErrorKind, ErrorSource
from ubrant.core.uncertainty.value import Parts, Value, as_read, digit, is_drawing, within
from ubrant.core.wording import words

USUAL = {"V": (0.01, 0.02), "A": (0.02, 0.05), "W": (0.02, 1.0)}
"""A usual limit of a meter of nobody's accuracy (gain, zero), for the question whether it fits only; its answers have no ±. Common practice, no source."""
STANDS_STILL = 0.005
"""A load, a charger and a battery at rest stay so near to where they were while a person walks from one meter to the next. Common practice, no source."""
_STILL = words("it stood still meanwhile")
RIVALS = 9.0
"""By so much of χ² one explanation has to be better than every other before it is offered. Common practice, no source."""
_ANY_VOLTS = 0.5
"""Volts that are a quotient by amperes of about nothing are any volts."""


class How(StrEnum):
    """How something is known."""

    METERED = "metered"
    WORKED_OUT = "worked out"
    BOUNDED = "bounded"
    NOT_KNOWN = "not known"


@dataclass(frozen=True)
class Known:
    """One quantity at one moment.

    Attributes
    ----------
    value : None where it is not determined
    between : the least and the greatest value that it can have; without end where nothing bounds it
    """

    key: Key
    how: How
    value: Value | None
    between: Interval


@dataclass(frozen=True)
class Read:
    """What was read: at which moment and where, how wide it is to both sides by its digits, and its meter's accuracy, None where nobody said.

    Attributes
    ----------
    time_s : of its moment
    walked : it was read in another line than others of its moment, and may have wandered meanwhile
    over_h : of a mean over a span, how long that is; 0 of what was read at one moment
    correction : what was taken off of what its meter showed, and what the rest was multiplied by
    """

    moment: int
    key: Key
    shown: float
    half: float
    accuracy: Accuracy | None
    time_s: float = 0.0
    walked: bool = False
    over_h: float = 0.0
    correction: tuple[float, float] = (0.0, 1.0)

    @property
    def written(self) -> float:
        """As a person wrote it, before what its meter was judged to be off by was taken off."""
        zero, factor = self.correction
        return float(f"{self.shown / factor + zero:.9g}") if factor else self.shown

    def corrected(self, written: float) -> float:
        """What another figure in its place would count as."""
        zero, factor = self.correction
        return (written - zero) * factor

    def reading(self) -> EdgeReading:
        """For the fit."""
        edge, quantity = self.key
        when = f"{edge} {quantity} {self.moment + 1}"
        besides = digit(self.half, quantity, when=when)
        if self.walked:
            besides += within(STANDS_STILL * self.shown, _STILL, quantity, when=when)
        value = as_read(self.shown, self.accuracy, edge) + besides
        gain, zero = USUAL[quantity]
        by = self.accuracy if self.accuracy is not None else Accuracy(gain, zero, quantity)
        still = ErrorSource(ErrorKind.NOISE, _STILL, when=when)
        rounded = ErrorSource(ErrorKind.DIGIT, words("last digit"), quantity, when=when)

        def doubt(at: float) -> Parts:
            own = (LINEARITY * by.gain + STANDS_STILL) * abs(at) / math.sqrt(3)
            return {**(as_read(at, by, edge).parts or {}), rounded: self.half / math.sqrt(3), still: own}

        def stated(at: float) -> Parts:
            return {**(as_read(at, self.accuracy, edge).parts or {}), **(besides.parts or {})}

        return EdgeReading(self.moment, self.key, value, doubt, doubt if self.accuracy is None else stated)


@dataclass(frozen=True)
class Held:
    """Between what a quantity of a moment lies by a label, a display's share of it or what was read meanwhile: for questions and for intervals, never for a value.

    Attributes
    ----------
    told, asked : what it rests on, in a few words, and what a person is asked where that cannot be
    """

    moment: int
    key: Key
    between: Interval
    told: str
    asked: str


@dataclass(frozen=True, eq=False)
class Instant:
    """What was read at one moment on a graph, and what is held of it besides; made by :func:`instant_of`."""

    graph: Graph
    reads: tuple[Read, ...]
    held: tuple[Held, ...] = ()

    @cached_property
    def read(self) -> dict[Key, Read]:
        return {one.key: one for one in self.reads}

    @cached_property
    def readings(self) -> tuple[EdgeReading, ...]:
        return tuple(one.reading() for one in self.reads)

    def _value(self, key: Key) -> Value:
        return next(one.value for one in self.readings if one.key == key)

    @cached_property
    def fitted(self) -> Fitted:
        return fit(self.graph, self.readings)

    @cached_property
    def box(self) -> Box:
        """Between what each quantity lies, at all limits of error."""
        known: dict[Key, Interval] = {}
        for one, reading in zip(self.reads, self.readings, strict=True):
            parts = reading.value.parts if reading.value.parts is not None else reading.doubt(one.shown)
            half = math.sqrt(3) * sum(abs(part) for part in parts.values()) + STANDS_STILL * abs(one.shown)
            known[one.key] = one.shown - half, one.shown + half
        return bounded(self.graph, known, ((one.key, one.between) for one in self.held))

    def known(self, most: float) -> dict[Key, Known]:
        """All quantities; ``most`` standard uncertainties is what a reading may be off from the rest before it is doubted."""
        return {key: self._known(key, most) for key in self.graph.every_key()}

    def _known(self, key: Key, most: float) -> Known:
        between = self.box[key]
        if key in self.read:
            return Known(key, How.METERED, self._value(key), between)
        worked = self.fitted.worked_out(key)
        if worked is not None and not (key[1] == "V" and COVERAGE * (worked.u or 0.0) > _ANY_VOLTS * abs(worked.value)):
            if self.is_off(most):
                return _bounded(key, self._hull(key))
            return Known(key, How.WORKED_OUT, worked, between)
        return _bounded(key, between)

    def is_off(self, most: float) -> bool:
        """A reading is off from what the rest says by more than chance would have it."""
        return any(abs(one.z) > most for one in self.fitted.against)

    def chance(self) -> float:
        """How often as much or more would be left over by chance."""
        return float(chdtrc(self.fitted.conditions, self.fitted.chi2)) if self.fitted.conditions else 1.0

    @cached_property
    def suspects(self) -> tuple[AgainstRest, ...]:
        """The readings without which the others go together best, as far as they can be told apart."""
        left = [(self.less(one.reading.key).fitted.chi2, one) for one in self.fitted.against]
        best = min((chi2 for chi2, _ in left), default=0.0)
        return tuple(one for chi2, one in left if chi2 < best + RIVALS)

    def _hull(self, key: Key) -> Interval:
        """What contradicts itself is not averaged: what one makes of it and what the other does, and all between."""
        ends: list[float] = []
        for one in self.suspects:
            value = self.less(one.reading.key).fitted.worked_out(key)
            if value is not None:
                ends += [value.value - COVERAGE * (value.u or 0.0), value.value + COVERAGE * (value.u or 0.0)]
        return (min(ends), max(ends)) if ends else (-math.inf, math.inf)

    def rest_of(self, one: AgainstRest, most: float) -> Value:
        """What the rest says of a reading; of one that is far off without it, as no straight line leads so far."""
        if abs(one.z) <= most:
            return one.rest
        return self.less(one.reading.key).fitted.worked_out(one.reading.key) or one.rest

    def chi2_if(self, key: Key, slip: float) -> tuple[float, int]:
        """What would be left over, and of how many conditions, were one reading so many times what it is."""
        found = self.slipped(key, slip).fitted
        return found.chi2, found.conditions

    def slipped(self, key: Key, slip: float) -> Instant:
        """The same, were one reading so many times what it is."""
        reads = (replace(one, shown=one.shown * slip) if one.key == key else one for one in self.reads)
        return instant_of(self.graph, tuple(reads), self.held)

    def less(self, key: Key) -> Instant:
        """The same without one of its readings."""
        return instant_of(self.graph, tuple(one for one in self.reads if one.key != key), self.held)

    def without(self, held: Held) -> Instant:
        """The same without one thing that is held of it."""
        return instant_of(self.graph, self.reads, tuple(one for one in self.held if one is not held))

    @cached_property
    def _products(self) -> dict[tuple[Key, ...], Value | None]:
        return {}

    def watts(self, place: str) -> Value | None:
        """Where they were read or follow."""
        return self.product(((place, "W"),))

    @cached_property
    def lost(self) -> dict[str, tuple[float, Value]]:
        """Of each stage whose watts on both sides have a ±: what comes out, and what is lost in it."""
        found = {}
        for stage in self.graph.stages:
            into, out = self.watts(stage.into), self.watts(stage.out)
            if into is not None and out is not None and into.parts is not None and out.parts is not None:
                found[stage.name] = out.value, into - out
        return found

    @cached_property
    def weight(self) -> tuple[int, float]:
        """At how many ends of its stages the watts are known, and the most that flow anywhere: of several moments the largest says most."""
        watts = {place: value for place in self.graph.edges if (value := self.watts(place)) is not None}
        ends = [place for stage in self.graph.stages for place in (fed_at(self.graph, stage, watts), stage.out)]
        return sum(place in watts for place in ends), max((abs(value.value) for value in watts.values()), default=-1.0)

    def product(self, keys: tuple[Key, ...]) -> Value | None:
        """Of what was read or follows; None where one of them does not."""
        if keys not in self._products:
            self._products[keys] = self._product_of(keys)
        return self._products[keys]

    def _product_of(self, keys: tuple[Key, ...]) -> Value | None:
        found = Value(1.0)
        for key in keys:
            read = self.read.get(key)
            value = self._value(key) if read is not None else self.fitted.worked_out(key)
            if value is None:
                return None
            if read is not None and value.parts is not None:
                value += within(STANDS_STILL * value.value, _STILL, when=f"{key} {read.moment}")
            found = found * value
        return found


def fed_at(graph: Graph, stage: Stage, known: Collection[str]) -> str:
    """Where the watts that a stage takes are known: at its input, or where what feeds it through leads begins."""
    joint = graph.joint_of(stage.into)
    if stage.into not in known and joint is not None and len(joint.edges) == 2 and joint.inward and joint.inward[0] in known:
        return joint.inward[0]
    return stage.into


def _bounded(key: Key, between: Interval) -> Known:
    return Known(key, How.BOUNDED if all(map(math.isfinite, between)) else How.NOT_KNOWN, None, between)


def instant_of(graph: Graph, reads: tuple[Read, ...], held: tuple[Held, ...] = ()) -> Instant:
    """A moment; one that was looked at before costs nothing again, as where a run grows row by row. While errors are drawn each is another."""
    return Instant(graph, reads, held) if is_drawing() else _kept(graph, reads, held)


_kept = lru_cache(maxsize=4096)(Instant)


def moments_of_reads(graph: Graph, reads: Sequence[Read], held: Sequence[Held] = ()) -> dict[int, Instant]:
    """By their numbers."""
    by: dict[int, tuple[list[Read], list[Held]]] = {}
    for read in reads:
        by.setdefault(read.moment, ([], []))[0].append(read)
    for one in held:
        by.setdefault(one.moment, ([], []))[1].append(one)
    return {number: instant_of(graph, tuple(here), tuple(besides)) for number, (here, besides) in sorted(by.items())}
