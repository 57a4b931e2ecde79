"""The steps a method is made of. An engine carries them out; a rehearsal plays them; a summary lists them."""

from __future__ import annotations

from collections.abc import Callable, Generator
from dataclasses import dataclass

from ubrant.core.cutoff import CutoffWatch


@dataclass(frozen=True)
class Ask:
    """Have the person do something and say when it is done."""

    text: str
    cautions: tuple[str, ...] = ()


@dataclass(frozen=True)
class ReadRest:
    """Read with the load off for a while."""

    seconds: float
    every_s: float
    text: str
    cautions: tuple[str, ...] = ()


@dataclass(frozen=True)
class LoadOn:
    """Set the current and the load's own cut-off, read both back, then switch it on."""

    current_a: float
    own_cutoff_v: float
    text: str
    cautions: tuple[str, ...] = ()


@dataclass(frozen=True)
class ReadUntil:
    """Read until the watch says that the cut-off is reached, something else ends it, or it has lasted ``at_most_s``.

    The engine sends back what ended it: ``cut-off``, ``person``, ``protection``, ``load's own cut-off``, ``time``.
    """

    watch: CutoffWatch
    every_s: float
    at_most_s: float
    text: str
    cautions: tuple[str, ...] = ()


@dataclass(frozen=True)
class LoadOff:
    text: str
    cautions: tuple[str, ...] = ()


Step = Ask | ReadRest | LoadOn | ReadUntil | LoadOff
Steps = Generator[Step, str | None, None]


def walk(steps: Steps, carry_out: Callable[[Step], str | None], faults: tuple[type[Exception], ...] = ()) -> None:
    """Have every step of a method carried out, and its answer sent back, until the method is done.

    ``faults`` raised by ``carry_out`` are thrown into the method, which may yield further steps or let them pass; others just pass.
    """
    try:
        step = next(steps)
        while True:
            try:
                answer = carry_out(step)
            except faults as fault:
                step = steps.throw(fault)
            else:
                step = steps.send(answer)
    except StopIteration:
        return
