"""Load steps on an inverter or converter, from a battery: no load up to past its rating, then a load held until it gives up."""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import dataclass

from ubrant.core.models.circuit import POWER
from ubrant.core.quantities.quantity import plain
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.steps import Ask, Hold, Point, ReadRest, Step, SupplyOff, SwitchLoadOff

CONNECT = words(
    "Connect the battery through its fuse, a meter at the input terminals of what is tested and, if you have one, another at the battery's; at the output the meter "
    "and the load, switched off."
)


@dataclass(frozen=True)
class StepsPlan:
    """What a person chose.

    Attributes
    ----------
    loads : at the output in their order, W, 0 for none
    hold : then this many watts (None or 0 for not) until the output goes off, for ``hold_h`` at most, then ``rest_s`` of rest
    mains : the output is mains
    own_cutoff_v : the load's own, at the output: once that has gone it stays off, also with nobody there
    """

    loads: tuple[float, ...]
    hold: float | None = None
    hold_h: float = 12.0
    rest_s: float = 600.0
    settle_s: float = 4.0
    at_most_s: float = 30.0
    hold_every_s: float = 10.0
    mains: bool = True
    own_cutoff_v: float = 0.0


def load_steps(plan: StepsPlan) -> Generator[Step, str | None, None]:
    """Each step settled and read at both sides; an overload that switches the output off ends the steps."""
    mains = (cautions.MAINS,) if plan.mains else ()
    yield Ask(say(CONNECT), (*mains, cautions.FUSE, cautions.POLARITY))
    yield Ask(say("Switch it on, with nothing attached."), (*mains, cautions.OWN_CUTOFF), action="on")
    went_off = False
    for watts in plan.loads:
        load_text = "no load" if not watts else f"{plain(watts)} W"
        answer = yield Point(
            0.0,
            watts,
            1.0,
            plan.settle_s,
            plan.at_most_s,
            say("{told} at the output.", told=load_text),
            0.0,
            (cautions.WARM,),
            POWER,
            plan.own_cutoff_v,
        )
        if answer == "off":
            went_off = True
            break
    if plan.hold and not went_off:
        yield Hold(
            plan.hold,
            plan.hold_every_s,
            3600 * plan.hold_h,
            say("{hold} W until its output goes off.", hold=plain(plan.hold)),
            "output",
            (cautions.WARM,),
            POWER,
            own_cutoff_v=plan.own_cutoff_v,
        )
    yield SwitchLoadOff(say("Load off."))
    yield ReadRest(plan.rest_s, max(plan.rest_s / 60, 1.0), say("Reading how the battery recovers."))
    yield Ask(say("Switch it off."), action="off")
    yield SupplyOff(say("Done."))
