"""A plan as the person lives it: when to be there, what to do, how late one may be; and what comes of being late."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ubrant.core.planning.schedule import replanned
from ubrant.core.planning.steps import BY_HAND, BY_ITSELF, BenchDays, BenchPlan, BenchStep, Placed

BEGIN, STOP, CLEAR = "begin", "stop", "clear"
_TOGETHER_S = 600.0
_LATE_S = (900.0, 1800.0, 3600.0, 7200.0, 10_800.0, 21_600.0, 43_200.0)
ANY_TIME = math.inf
_CLEARS_S = 120.0


@dataclass(frozen=True)
class Deed:
    """One thing to do: BEGIN or STOP a step, or CLEAR the bench after the last."""

    what: str
    step: BenchStep
    at: float
    tools: tuple[str, ...] = ()


@dataclass(frozen=True)
class Visit:
    """Some minutes at the bench.

    Attributes
    ----------
    at, seconds : when, and how long it takes
    deeds : in their order
    late_s : how late one may be without anything coming to harm or past what is due; ANY_TIME for as late as one likes
    done : all of it has happened
    """

    at: float
    seconds: float
    deeds: tuple[Deed, ...]
    late_s: float = ANY_TIME
    done: bool = False


def visits_of(days: BenchDays, plan: BenchPlan, *, how_late: bool = True) -> list[Visit]:
    """Every visit of a plan, in order, the last one to clear the bench."""
    deeds: list[tuple[float, float, Deed, bool]] = []
    for key, one in plan.placed.items():
        step = days.step(key)
        if step.begins_s > 0:
            deeds.append((one.start, step.begins_s, Deed(BEGIN, step, one.start, one.tools), one.begun))
        if step.ends != BY_ITSELF:
            at = one.end - step.ends_s
            deeds.append((at, step.ends_s, Deed(STOP, step, at, one.tools), one.ended))
    deeds.sort(key=lambda d: (d[0], d[2].what != STOP))
    found: list[Visit] = []
    for at, seconds, deed, done in deeds:
        last = found[-1] if found else None
        if last is not None and at - (last.at + last.seconds) <= _TOGETHER_S and last.done == done:
            found[-1] = Visit(last.at, max(at + seconds - last.at, last.seconds), (*last.deeds, deed), done=done)
        else:
            found.append(Visit(at, seconds, (deed,), done=done))
    if how_late:
        found = [visit if visit.done else Visit(visit.at, visit.seconds, visit.deeds, lateness(days, plan, visit)) for visit in found]
    clear = _clearing(days, plan)
    return [*found, clear] if clear is not None else found


def _clearing(days: BenchDays, plan: BenchPlan) -> Visit | None:
    """The first moment after the end of it all at which somebody is there."""
    last = max(plan.placed.values(), key=lambda one: one.end, default=None)
    if last is None:
        return None
    at = next((max(span.start, last.end) for span in days.here if span.end - _CLEARS_S > last.end), last.end)
    return Visit(at, _CLEARS_S, (Deed(CLEAR, days.step(last.key), at),), done=False)


def begun_of(plan: BenchPlan) -> list[Placed]:
    """What cannot be moved any more."""
    return [one for one in plan.placed.values() if one.begun]


def if_late(days: BenchDays, plan: BenchPlan, visit: Visit, seconds: float) -> BenchPlan | None:
    """The plan where one comes so much later to a visit; None where it cannot be made then."""
    keys = {deed.step.key for deed in visit.deeds if deed.what == BEGIN and not plan.placed[deed.step.key].begun}
    return replanned(days, plan, begun_of(plan), {key: plan.placed[key].start + seconds for key in keys})


def lateness(days: BenchDays, plan: BenchPlan, visit: Visit) -> float:
    """How late one may be to a visit: nothing comes past what is due, or too long after what it has to follow soon."""
    if any(deed.what == STOP and deed.step.ends == BY_HAND for deed in visit.deeds):
        return 0.0  # nothing else takes its load off
    if not any(deed.what == BEGIN for deed in visit.deeds):
        return ANY_TIME
    soon = [
        deed.step.soon_s - (deed.at - plan.placed[before].end)
        for deed in visit.deeds
        if deed.what == BEGIN and math.isfinite(deed.step.soon_s)
        for before in deed.step.after
        if before in plan.placed
    ]
    most = min(soon, default=ANY_TIME)
    fits = 0.0
    for seconds in _LATE_S:
        if seconds > most:
            return max(fits, math.floor(most / 900) * 900.0 if most >= 900 else 0.0)
        later = if_late(days, plan, visit, seconds)
        if later is None or sum(s for _, s in later.late) > sum(s for _, s in plan.late) + 1:
            return fits
        fits = seconds
    return min(ANY_TIME, most)


def moved_ends(before: BenchPlan, after: BenchPlan, keys: Iterable[str]) -> list[tuple[str, float, float]]:
    """(key, end before, end after) of what ends at another time, the largest change first."""
    found = [
        (key, before.placed[key].end, after.placed[key].end)
        for key in keys
        if key in before.placed and key in after.placed and abs(before.placed[key].end - after.placed[key].end) > 60
    ]
    return sorted(found, key=lambda one: -abs(one[2] - one[1]))


def next_visit(visits: Sequence[Visit]) -> Visit | None:
    """The first that has not happened."""
    return next((visit for visit in visits if not visit.done), None)
