"""What does not hold in a plan that somebody has moved by hand: of each step, the first reason."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ubrant.core.planning.steps import BY_ITSELF, WHEN_SEEN, BenchDays, BenchPlan, BenchStep, Placed, Span
from ubrant.core.wording import say


def troubles_of(days: BenchDays, plan: BenchPlan) -> dict[str, str]:
    """By step, why its hours cannot be; those that hold are not in it."""
    found: dict[str, str] = {}
    for key, one in plan.placed.items():
        if one.begun:
            continue
        reason = _trouble(days, plan, days.step(key), one)
        if reason:
            found[key] = reason
    return found


def _trouble(days: BenchDays, plan: BenchPlan, step: BenchStep, one: Placed) -> str:
    for before in step.after:
        other = plan.placed.get(before)
        if other is not None and one.start < other.end - 1:
            return say("{what} of {unit} has not ended by then.", what=days.step(before).what, unit=step.unit)
        if other is not None and one.start > other.end + step.soon_s + 1:
            return say("{unit} is refilled the day it was emptied: that would be too late.", unit=step.unit)
    for key, other in plan.placed.items():
        theirs = days.step(key)
        if key == step.key or other.end <= one.start + 1 or one.end <= other.start + 1:
            continue
        if theirs.unit == step.unit:
            return say("{unit} does something else then: {what}.", unit=step.unit, what=theirs.what)
        if shared := set(other.tools) & set(one.tools):
            return say("{tool} is taken by {unit} then.", tool=min(shared), unit=theirs.unit)
    if step.begins_s and not _is_here(days.here, one.start, one.start + step.begins_s):
        return say("Nobody is there to begin it.")
    if step.ends != BY_ITSELF and step.ends != WHEN_SEEN and not _is_here(days.here, one.end - step.ends_s, one.end):
        return say("Nobody is there to stop it, and it does not stop itself.")
    if not step.alone and not _is_here(days.here, one.start, one.end):
        return say("It may not run while nobody is there.")
    if step.watts and math.isfinite(days.socket_w):
        drawn = _most_drawn(days, plan, one)
        if drawn > days.socket_w + 1:
            return say("The socket would give {w} W, and {most} W is what it may.", w=round(drawn), most=round(days.socket_w))
    return say("It ends after it is due.") if one.end > step.due + 1 else ""


def _most_drawn(days: BenchDays, plan: BenchPlan, one: Placed) -> float:
    others = list(plan.placed.values())
    moments = [one.start, *(o.start for o in others if one.start < o.start < one.end)]
    return max(sum(days.step(o.key).watts for o in others if o.start <= at < o.end) for at in moments)


def _is_here(here: Sequence[Span], start: float, end: float) -> bool:
    return any(span.start - 1 <= start and end <= span.end + 1 for span in here)
