"""A method as a list a person can read, without any bench."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ubrant.core.battery.ending import CUTOFF
from ubrant.methods.steps import STEP_DONE, Ask, ReadRest, ReadUntil, StartCharge, Step, Steps, Zero, carry_out_steps

_MOST_LINES = 24
_OPEN_S = 10 * 24 * 3600.0
"""A step that may last longer than this has no length of its own."""


@dataclass(frozen=True)
class StepLine:
    """One step: what is done, its cautions, whether a person does it, how long it takes (None for at once or unknown)."""

    text: str
    cautions: tuple[str, ...]
    by_person: bool
    seconds: float | None


def summarise(steps: Steps, until_s: Sequence[float] = ()) -> list[StepLine]:
    """Walk through a method. ``until_s`` gives the expected length of each open-ended ReadUntil in turn, from a rehearsal.

    A method that goes on for ever (pulses) is shown once through.
    """
    lengths = iter(until_s)
    lines: list[StepLine] = []
    charging = False

    def note(step: Step) -> str | None:
        nonlocal charging
        seconds: float | None = None
        if isinstance(step, ReadRest):
            seconds = step.seconds
        elif isinstance(step, ReadUntil):
            seconds = step.at_most_s if step.at_most_s < _OPEN_S else None if charging else next(lengths, None)
        charging = isinstance(step, StartCharge) or (charging and isinstance(step, ReadUntil))
        lines.append(StepLine(step.text, step.cautions, isinstance(step, Ask | Zero), seconds))
        if isinstance(step, ReadUntil):
            return STEP_DONE if step.at_most_s < _OPEN_S and len(lines) < _MOST_LINES else CUTOFF
        return None

    carry_out_steps(steps, note)
    return lines


def each_caution_once(lines: list[StepLine]) -> list[StepLine]:
    """Each caution at the first step it matters for, and not again."""
    known: set[str] = set()
    steps = []
    for line in lines:
        steps.append(replace(line, cautions=tuple(c for c in line.cautions if c not in known)))
        known |= set(line.cautions)
    return steps
