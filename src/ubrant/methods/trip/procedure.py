"""Protection and breakers: overload steps, each held until it opens or for so long, cooled down and reset in between."""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import dataclass

from ubrant.core.conversion.protection import COOLS_S
from ubrant.core.quantities.quantity import plain, show_duration
from ubrant.core.wording import say
from ubrant.methods import cautions
from ubrant.methods.steps import Ask, Hold, ReadRest, Step, SupplyOff, SwitchOn

_COOLING_S = 10.0


@dataclass(frozen=True)
class TripPlan:
    """``amps`` held one after the other, each for ``longest`` seconds, from a supply of ``input`` V; ``rated`` is what it is made for, A."""

    rated: float
    amps: tuple[float, ...]
    longest: float
    input: float = 12.0
    every_s: float = 0.5


def trip(plan: TripPlan) -> Generator[Step, str | None, None]:
    """From the smallest overload up."""
    yield Ask(
        say("Put the breaker between supply and load, with thick leads and nothing that burns beside it, everything off."),
        (cautions.FUSE, cautions.SURFACE, cautions.WARM, cautions.SUPPLY_ALONE),
    )
    yield SwitchOn(plan.input, 1.2 * max(plan.amps), say("{input} V on.", input=plain(plan.input)))
    opened = False
    for number, amps in enumerate(plan.amps):
        if opened:
            yield ReadRest(
                COOLS_S, _COOLING_S, say("It has opened, and the load is off: 15 min to cool down, warm it opens sooner."), (cautions.WARM,)
            )
            yield Ask(say("Reset it. The load is off: a reset into a load can trip the next device."), (), action="reset")
        elif number:
            yield Ask(say("Let it cool down, the load is off."), (), action="cool")
        answer = yield Hold(
            amps,
            plan.every_s,
            plan.longest,
            say(
                "{amps} A ({plain} ×) until it opens, at most {longest}.",
                amps=plain(amps),
                plain=plain(amps / plan.rated, 3),
                longest=show_duration(plan.longest),
            ),
            "input",
            (cautions.WARM,),
        )
        opened = answer is not None and answer.startswith("off")
    if opened:
        yield Ask(say("It has opened. Reset it."), (), action="reset")
    yield SupplyOff(say("Supply off."), (), (("input", "A"),))
