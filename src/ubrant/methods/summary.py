"""A method as a list a person can read, without any bench."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ubrant.methods.steps import Ask, ReadRest, ReadUntil, Step, Steps, walk


@dataclass(frozen=True)
class StepLine:
    """One step: what is done, its cautions, whether a person does it, how long it takes (None for at once or unknown)."""

    text: str
    cautions: tuple[str, ...]
    by_person: bool
    seconds: float | None


def summarise(steps: Steps, until_s: Sequence[float] = ()) -> list[StepLine]:
    """Walk through a method. ``until_s`` gives the expected length of each ReadUntil in turn, from a rehearsal."""
    lengths = iter(until_s)
    lines: list[StepLine] = []

    def note(step: Step) -> str | None:
        seconds = step.seconds if isinstance(step, ReadRest) else next(lengths, None) if isinstance(step, ReadUntil) else None
        lines.append(StepLine(step.text, step.cautions, isinstance(step, Ask), seconds))
        return "cut-off" if isinstance(step, ReadUntil) else None

    walk(steps, note)
    return lines
