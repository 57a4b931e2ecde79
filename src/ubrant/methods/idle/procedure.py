"""Idle draw: everything off and zeroed, on with nothing attached, wait until steady, read; again in its sleep or economy setting."""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import dataclass

from ubrant.core.quantities.quantity import plain
from ubrant.core.wording import say
from ubrant.methods import cautions
from ubrant.methods.steps import Ask, ReadRest, Step, SupplyOff, SwitchOn, Zero

_EMPTIES_S = 10.0
"""Capacitors at its input are filled after it was switched off. Common practice, no source."""
SETTINGS = ("normal", "economy")


@dataclass(frozen=True)
class IdlePlan:
    """What a person chose.

    Attributes
    ----------
    input : V at its input (0: a battery feeds it)
    seconds : read for so long
    economy : it has a sleep or economy setting to read as well
    mains : its output is mains
    """

    input: float
    seconds: float = 300.0
    economy: bool = False
    every_s: float = 1.0
    most_input_a: float = 10.0
    mains: bool = False


def idle_draw(plan: IdlePlan) -> Generator[Step, str | None, None]:
    """Zero, on, wait, read; and once more in the economy setting."""
    mains = (cautions.MAINS,) if plan.mains else ()
    yield Ask(
        say("Take everything off its output and every other load off the source. Leave it switched off, the meter in its input."), mains
    )
    yield Zero(say("Zero the meter now: nothing flows. What it shows is kept and taken off every reading."), quantities="A")
    if plan.input:
        yield SwitchOn(
            plan.input, plan.most_input_a, say("{input} V at the input, nothing attached.", input=plain(plan.input)), (cautions.WINDOW,)
        )
    for setting in SETTINGS if plan.economy else SETTINGS[:1]:
        instruction = (
            say("Switch it on, with nothing attached.")
            if setting == "normal"
            else say("Put it into its sleep or economy setting, nothing attached.")
        )
        yield Ask(instruction, mains, action="on" if setting == "normal" else "economy")
        yield ReadRest(plan.seconds, plan.every_s, say("Reading the idle draw ({setting} setting) until it is steady.", setting=setting))
    yield Ask(say("Switch it off."), action="off")
    yield ReadRest(_EMPTIES_S, plan.every_s, say("Waiting until nothing flows any more."))
    yield Zero(say("Read the meter's zero once more: nothing flows. What it moved by stays in the ±."), quantities="A")
    yield SupplyOff(say("Supply off."))
