"""What a bench has to do, and with what: steps, tools, and the hours in which a person is there."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

FILL, REST, TEST, REFILL = "fill", "rest", "test", "refill"
BY_ITSELF, BY_HAND, WHEN_SEEN = "by itself", "by hand", "when seen"
"""How a step ends: it stops itself; a person has to stop it then; it goes on until a person comes."""


@dataclass(frozen=True)
class BenchStep:
    """One stretch of one test.

    Attributes
    ----------
    key, test, unit : its own; of its test; whose it is: a unit does one thing at a time
    kind : FILL, REST, TEST, REFILL
    what : in words, ``10 A, 5 h``
    seconds, spread_s : how long, and by how much it may be longer or shorter
    tools : of each group one is wanted: ``(("Pack charger", "Bench charger"), ("Electronic load",))``
    watts : that it takes from the bench's socket
    begins_s, ends_s : a person's time at its beginning and at its end
    ends : BY_ITSELF, BY_HAND, WHEN_SEEN
    alone : it may run while nobody is there
    after : keys that have to have ended
    soon_s : after those it begins within so long; inf for whenever
    due : moment by which it has to have ended; inf for none
    """

    key: str
    test: str
    unit: str
    kind: str
    what: str
    seconds: float
    spread_s: float = 0.0
    tools: tuple[tuple[str, ...], ...] = ()
    watts: float = 0.0
    begins_s: float = 0.0
    ends_s: float = 0.0
    ends: str = BY_ITSELF
    alone: bool = True
    after: tuple[str, ...] = ()
    soon_s: float = math.inf
    due: float = math.inf


@dataclass(frozen=True)
class Span:
    """From one moment to another, seconds since 1970."""

    start: float
    end: float

    @property
    def seconds(self) -> float:
        return self.end - self.start


@dataclass(frozen=True)
class BenchDays:
    """What is to be planned.

    Attributes
    ----------
    here : when a person is there and awake, in order, none touching another
    begins : nothing begins before
    socket_w : what the socket, its fuse and the table's heat allow at once; inf for no limit
    """

    steps: tuple[BenchStep, ...]
    here: tuple[Span, ...]
    begins: float
    socket_w: float = math.inf

    def step(self, key: str) -> BenchStep:
        return next(step for step in self.steps if step.key == key)

    def plan_of(self, placed: Mapping[str, Placed]) -> BenchPlan:
        """These hours as a plan, with what ends after it is due."""
        dues = {step.key: step.due for step in self.steps}
        return BenchPlan(placed, tuple((key, one.end - dues[key]) for key, one in placed.items() if one.end > dues[key] + 1))


@dataclass(frozen=True)
class Placed:
    """A step with its hours and its tools; ``begun`` cannot be moved any more, ``ended`` is over."""

    key: str
    start: float
    end: float
    tools: tuple[str, ...] = ()
    begun: bool = False
    ended: bool = False


@dataclass(frozen=True)
class BenchPlan:
    """Every step with its hours, and what could not be held, in words of :mod:`ubrant.runs.bench_days`.

    Attributes
    ----------
    late : (key, seconds) of what ends after it is due
    """

    placed: Mapping[str, Placed] = field(default_factory=dict)
    late: tuple[tuple[str, float], ...] = ()

    @property
    def ends(self) -> float:
        """When the last of it has ended."""
        return max((one.end for one in self.placed.values()), default=0.0)

    @property
    def begins(self) -> float:
        return min((one.start for one in self.placed.values()), default=0.0)


class PlanError(ValueError):
    """Hours or tools that no plan can be made with; its text says which, and what to do."""


def joined_spans(spans: Iterable[Span]) -> tuple[Span, ...]:
    """In order, those that touch or overlap as one."""
    found: list[Span] = []
    for span in sorted(spans, key=lambda s: s.start):
        if span.seconds <= 0:
            continue
        if found and span.start <= found[-1].end:
            found[-1] = Span(found[-1].start, max(found[-1].end, span.end))
        else:
            found.append(span)
    return tuple(found)


def spans_left(spans: Sequence[Span], away: Iterable[Span]) -> tuple[Span, ...]:
    """What is left of spans where others are taken out."""
    left = list(spans)
    for gone in away:
        left = [
            part
            for span in left
            for part in (Span(span.start, min(span.end, gone.start)), Span(max(span.start, gone.end), span.end))
            if part.seconds > 0 and part.start >= span.start and part.end <= span.end
        ]
    return joined_spans(left)
