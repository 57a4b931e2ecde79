"""What of a kit is in doubt, and what a test of it would do to how long it lasts: the draws of one look are enough."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from ubrant.core.outlook.answers import DRAWS, OutlookAnswer
from ubrant.core.outlook.draws import Drawn, draws, losses_of
from ubrant.core.outlook.kit import WALKED_U, Kit
from ubrant.core.outlook.spread import Uncertain
from ubrant.core.quantities.readings import Array
from ubrant.core.uncertainty.contributions import COVERAGE
from ubrant.core.worth.narrowing import Narrowed, TestReading, narrowed, read_together

CAPACITY, RESISTANCE, RATE, CHARGE, DRAW, STANDBY, DUTY = "capacity", "ohm", "exponent", "full", "load", "standby", "share"
IDLE, LOSS, LOSS_SQUARED, COMING_IN = "fixed", "proportional", "resistive", "coming_in"
"""Fields of :class:`Drawn`: what may be in doubt of a piece."""
SOURCES, WAYS, LOADS, INPUTS = (CAPACITY, RESISTANCE, RATE, CHARGE), (IDLE, LOSS, LOSS_SQUARED), (DRAW, STANDBY, DUTY), (COMING_IN,)
SETTLED = 0.05
"""Chance that nothing one could learn would change a decision, from which on down there is no need to measure."""


@dataclass(frozen=True)
class KitDoubt:
    """One value of one piece that is not sure.

    Attributes
    ----------
    field : which value, as :class:`Drawn` calls it
    place : of the piece among its kind
    name : of the piece
    """

    field: str
    place: int
    name: str
    spread: Uncertain


@dataclass(frozen=True)
class TestInThought:
    """A test that might be made: what it would read of a kit, and how well.

    Attributes
    ----------
    key : whatever tells it apart from the others
    doubts : what it would read
    reaches : with how much of each value it would say it, as a share, 95 %
    """

    __test__ = False
    key: str
    doubts: tuple[KitDoubt, ...]
    reaches: tuple[float, ...]


def doubts_of(kit: Kit) -> list[KitDoubt]:
    """Every value of a kit that is not sure."""
    found = [
        KitDoubt(field, k, source.name, spread)
        for k, source in enumerate(kit.sources)
        for field, spread in (
            (CAPACITY, source.capacity),
            (RESISTANCE, source.curve.ohm if source.curve is not None else Uncertain(0.0)),
            (RATE, source.exponent if source.rate else Uncertain(1.0)),
            (CHARGE, source.full),
        )
    ]
    found += [
        KitDoubt(field, k, way.name, spread)
        for k, way in enumerate(kit.ways)
        for field, spread in zip((IDLE, LOSS, LOSS_SQUARED), losses_of(way), strict=True)
    ]
    found += [
        KitDoubt(field, k, load.name, spread)
        for k, load in enumerate(kit.loads)
        for field, spread in ((DRAW, load.drawn), (STANDBY, load.standby), (DUTY, load.duty.share))
    ]
    found += [KitDoubt(COMING_IN, k, one.name, one.watts) for k, one in enumerate(kit.inputs)]
    return [doubt for doubt in found if not doubt.spread.is_sure]


@dataclass(frozen=True, eq=False)
class Learning:
    """A kit's outlook with everything that could be learnt about it.

    Attributes
    ----------
    ends_s : (N,) how long it lasts, draw by draw
    wanted_s, confidence : how long it is to last, None where nobody said; one goes ahead where that is so likely
    """

    kit: Kit
    drawn: Drawn
    ends_s: Array
    wanted_s: float | None = None
    confidence: float = 0.9

    @property
    def enough(self) -> float | None:
        """Chance that it lasts as long as is wanted; None where nothing is wanted."""
        return None if self.wanted_s is None else float(np.mean(self.ends_s >= self.wanted_s))

    @property
    def may_change(self) -> float | None:
        """Chance that one would decide otherwise if everything were known; None where there is nothing to decide."""
        chance = self.enough
        if chance is None:
            return None
        return 1 - chance if chance >= self.confidence else chance

    @property
    def is_settled(self) -> bool:
        """Whether there is no need to measure."""
        change = self.may_change
        return change is not None and change < SETTLED

    def reading(self, test: TestInThought) -> TestReading:
        """What a test would read, draw by draw."""
        return read_together(self.ends_s, [self._of(d, reach) for d, reach in zip(test.doubts, test.reaches, strict=True)])

    def without(self, doubt: KitDoubt) -> Narrowed:
        """The answer if one value were known."""
        return narrowed(self.ends_s, self._of(doubt, 0.0), self.wanted_s, self.confidence)

    def by(self, *tests: TestInThought) -> Narrowed:
        """The answer after these tests."""
        readings = [self._of(d, r) for test in tests for d, r in zip(test.doubts, test.reaches, strict=True)]
        return narrowed(self.ends_s, read_together(self.ends_s, readings), self.wanted_s, self.confidence)

    def _of(self, doubt: KitDoubt, reach: float) -> TestReading:
        values = getattr(self.drawn, doubt.field)[doubt.place]
        u = reach / COVERAGE * abs(doubt.spread.value)
        if doubt.field == CAPACITY and self.kit.sources[doubt.place].curve is not None:
            u = _beside(float(np.std(values)), u, WALKED_U * doubt.spread.value)
        return TestReading(np.asarray(values), u)


def _beside(whole: float, u: float, walk: float) -> float:
    """The uncertainty that leaves as much of ``whole`` as a measurement to ``u`` does, beside what no measurement tells (``walk``)."""
    own = max(whole**2 - walk**2, 0.0)
    left = walk**2 + own * u**2 / max(own + u**2, 1e-300)
    return whole if left >= whole**2 else float(np.sqrt(whole**2 * left / (whole**2 - left)))


def learning_of(kit: Kit, looked: OutlookAnswer, wanted_s: float | None = None, confidence: float = 0.9) -> Learning | None:
    """What could be learnt of a kit that was looked at with its band; None where nothing is in doubt."""
    if len(looked.drawn_s) != DRAWS:
        return None
    ends = np.minimum(looked.drawn_s, looked.middle.horizon_s)
    return Learning(kit, draws(kit, DRAWS), ends, wanted_s, confidence) if float(np.std(ends)) > 0 else None


def ranked_tests(learning: Learning, tests: Iterable[TestInThought]) -> list[tuple[TestInThought, Narrowed]]:
    """Tests with what each would do, what narrows most first; those that tell nothing are left out."""
    found = [(test, learning.by(test)) for test in tests]
    return sorted(((t, n) for t, n in found if n.share < 1 - 1e-9), key=lambda pair: pair[1].after)


def best_pair(learning: Learning, tests: Sequence[TestInThought]) -> tuple[tuple[TestInThought, TestInThought], Narrowed] | None:
    """The two that together narrow most; None where there are not two."""
    pairs = [((a, b), learning.by(a, b)) for a, b in combinations(tests, 2) if not set(a.doubts) & set(b.doubts)]
    return min(pairs, key=lambda pair: pair[1].after, default=None)
