"""A trial as a list a person can read before it begins."""

from __future__ import annotations

from dataclasses import replace

from ubrant.core.quantity import plain
from ubrant.methods.summary import StepLine, summarise
from ubrant.methods.sweep import sweep
from ubrant.workshop.trials.sweep import SweepTrial, read_plan
from ubrant.workshop.trials.trial import Told, Trial

_MOST_CALLOUTS, _FEW = 12, 2


def trial_lines(trial: Trial, told: Told) -> list[StepLine]:
    """Every step with its cautions; the points of a sweep put together."""
    if not isinstance(trial, SweepTrial):
        return _once(summarise(trial.steps(told)))
    plan = read_plan(told.fields, told.unit)
    lines = summarise(sweep(replace(plan, loads_a=plan.loads_a[:1])))
    return [lines[0], StepLine(_all_points(told), lines[1].cautions, by_person=False, seconds=trial.length_s(told)), *lines[-2:]]


def _once(lines: list[StepLine]) -> list[StepLine]:
    """Each caution at the first step it matters for, and not again."""
    said: set[str] = set()
    found = []
    for line in lines:
        found.append(replace(line, cautions=tuple(c for c in line.cautions if c not in said)))
        said |= set(line.cautions)
    return found


def typed_lines(trial: Trial, told: Told) -> list[StepLine]:
    """What a person is told to set and type, by hand."""
    first = trial.first_ask(told)
    lines = [StepLine(first.text, first.cautions, by_person=True, seconds=None)]
    if isinstance(trial, SweepTrial):
        return [*lines, StepLine(_all_points(told), (), by_person=True, seconds=None)]
    count = len(trial.settings(told))
    if count > _FEW:
        texts = [
            trial.callout(told, 0),
            f"The same at the other {count - 1} points, in their order: each is called out.",
            trial.callout(told, count),
        ]
        return lines + [StepLine(text, (), by_person=True, seconds=None) for text in texts]
    for place in range(_MOST_CALLOUTS):
        text = trial.callout(told, place)
        if lines[-1].text == text:
            break
        lines.append(StepLine(text, (), by_person=True, seconds=None))
    return lines


def _all_points(told: Told) -> str:
    plan = read_plan(told.fields, told.unit)
    each = len(plan.points()) // max(len(plan.loads_a), 1)
    return (
        f"For each load ({told.fields['loads']}): input down from {plain(plan.highest_v)} to {plain(plan.lowest_v)} V until the output is off, "
        f"and up again, {each} points."
    )
