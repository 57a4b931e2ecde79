"""The steps a method is made of. An engine carries them out; a rehearsal plays them; a summary lists them."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Generator, Sequence
from dataclasses import dataclass
from typing import Protocol

from ubrant.core.battery.ending import EndWatch
from ubrant.core.models.circuit import CURRENT

STEP_DONE = "step done"
"""What a ReadUntil answers that lasted as long as it may."""


@dataclass(frozen=True)
class Ask:
    """Have the person do something and say when it is done. ``action`` is what it is, for a simulated bench whose hands do it."""

    text: str
    cautions: tuple[str, ...] = ()
    action: str = ""


@dataclass(frozen=True)
class Zero:
    """Read what the meter shows with nothing connected (or nothing flowing: ``quantities``); it is kept, and taken off every later reading."""

    text: str
    cautions: tuple[str, ...] = ()
    quantities: str = "VA"


Nothing = tuple[tuple[str, str], ...]
"""Taps and quantities at which nothing may flow while everything is off; none where current is meant."""


@dataclass(frozen=True)
class ReadRest:
    """Read with the load off for a while. ``nothing``: which readings have to be nothing from now on, whenever everything is off."""

    seconds: float
    every_s: float
    text: str
    cautions: tuple[str, ...] = ()
    nothing: Nothing = ()


@dataclass(frozen=True)
class SwitchLoadOn:
    """Set the load and its own cut-off, read both back, then switch it on. ``mode`` says what ``amount`` is: A, W or Ω.

    ``at_most_s``: it may be on so long at most, by a time limit of its own where it has one; 0 for nobody knows.
    """

    amount: float
    own_cutoff_v: float
    text: str
    cautions: tuple[str, ...] = ()
    mode: str = CURRENT
    at_most_s: float = 0.0


@dataclass(frozen=True)
class SetLoad:
    """Another amount, the load staying on; 0 A for a pulse's pause."""

    amount: float
    text: str
    cautions: tuple[str, ...] = ()
    mode: str = CURRENT


@dataclass(frozen=True)
class ReadUntil:
    """Read until the watch says what ends it, something else does, or it has lasted ``at_most_s``.

    The engine sends back what ended it: what the watch said, ``person``, ``protection``, ``load's own cut-off``, or ``step done``.
    ``nothing`` as for :class:`ReadRest`: it holds in a pause, and at the end.
    """

    watch: EndWatch
    every_s: float
    at_most_s: float
    text: str
    cautions: tuple[str, ...] = ()
    nothing: Nothing = ()


@dataclass(frozen=True)
class SwitchLoadOff:
    text: str
    cautions: tuple[str, ...] = ()


@dataclass(frozen=True)
class StartCharge:
    """Charge at ``current_a`` up to ``limit_v``, then at that voltage."""

    current_a: float
    limit_v: float
    text: str
    cautions: tuple[str, ...] = ()


@dataclass(frozen=True)
class StopCharge:
    text: str
    cautions: tuple[str, ...] = ()


@dataclass(frozen=True)
class Point:
    """One point of a test: supply (0 V: a battery feeds it) and load set, then read until it has settled.

    The engine sends back ``on`` with the input power in watts and the output's volts behind it, or ``off``. ``mode`` says what ``load`` is: A or W. ``own_cutoff_v``:
    the load's own, where a battery stands behind it; 0 for none, where a supply does and a start under load is to be seen.
    """

    input_v: float
    load: float
    every_s: float
    settle_s: float
    at_most_s: float
    text: str
    most_input_a: float
    cautions: tuple[str, ...] = ()
    mode: str = CURRENT
    own_cutoff_v: float = 0.0


@dataclass(frozen=True)
class SwitchOn:
    """Set the supply and switch it on, no load: what follows is read from then."""

    input_v: float
    most_input_a: float
    text: str
    cautions: tuple[str, ...] = ()


@dataclass(frozen=True)
class Hold:
    """Hold a load and read on until the current stops or the output goes off, or for ``at_most_s``.

    ``tap`` says where it is seen: ``output`` by its voltage, ``input`` by its current. The engine sends back ``off`` with the seconds behind it, or
    ``held``. The load is switched off then, unless ``keep``.
    """

    load: float
    every_s: float
    at_most_s: float
    text: str
    tap: str = "output"
    cautions: tuple[str, ...] = ()
    mode: str = CURRENT
    keep: bool = False
    own_cutoff_v: float = 0.0


@dataclass(frozen=True)
class Take:
    """Read all meters a few times as it stands now: one point, of what a person has set."""

    text: str
    cautions: tuple[str, ...] = ()
    readings: int = 3
    every_s: float = 0.5


@dataclass(frozen=True)
class SupplyOff:
    """The test is over; ``nothing`` as for :class:`ReadRest`."""

    text: str
    cautions: tuple[str, ...] = ()
    nothing: Nothing = ()


class Step(Protocol):
    """Any of these, or one of a method's own that the engine was taught."""

    @property
    def text(self) -> str: ...

    @property
    def cautions(self) -> tuple[str, ...]: ...


Steps = Generator[Step, str | None, None]


def carry_out_steps(steps: Steps, carry_out: Callable[[Step], str | None], faults: tuple[type[Exception], ...] = ()) -> None:
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


def rest_of(steps: Steps, answers: Sequence[str]) -> Steps:
    """What is left of a method of which the first points were taken and answered so; whatever it asked the person before them is asked anew."""
    left = deque(answers)
    asked: list[Ask] = []
    try:
        step = next(steps)
        while left:
            if isinstance(step, Ask):
                asked.append(step)
            step = steps.send(left.popleft() if isinstance(step, Point) else None)
        yield from asked
        while True:
            try:
                answer = yield step
            except Exception as fault:  # what goes wrong from here on is the method's own to answer
                step = steps.throw(fault)
            else:
                step = steps.send(answer)
    except StopIteration:
        return
    finally:
        steps.close()
