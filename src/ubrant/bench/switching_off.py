"""Off until it is certain: confirmed by the thing itself, or by a person who looked."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass

from ubrant.bench.bench import Bench
from ubrant.bench.instruments import InstrumentError
from ubrant.bench.orders import OVER, Order
from ubrant.bench.switched import ElectronicLoad, LoadByPerson, Supply

TRY_EVERY_S = 2.0
_TRIES = 3
_TRIED_FOR_S = 2.0
"""Once so much time has gone into trying, a person is told."""


@dataclass(frozen=True)
class SwitchingOff:
    """What the engine does at the end for each thing that was on. ``next_order`` and ``called`` are the engine's ears, ``note`` and ``update`` its voice."""

    bench: Bench
    next_order: Callable[[float], Order | None]
    called: Callable[[float], bool]
    note: Callable[[str], None]
    update: Callable[..., None]

    def for_sure(
        self, what: str, thing: ElectronicLoad | LoadByPerson | Supply, trouble: str, own: str, phase: str, *, unanswered: bool = False
    ) -> str:
        """Tried until it is confirmed; only a second end gives that up. Returns ``trouble``, with a sentence more where it was not at once.

        Parameters
        ----------
        own : about its own cut-off, if it has one
        phase : the run's, to go back to
        unanswered : it did not answer before: a person is told at once, and not once it was tried in vain
        """
        if unanswered:
            notice = f"The {what} does not answer: off was sent, and nothing confirms it. Switch it off by hand.{own}"
            self.update(phase="may be on", text=f"Look at the {what} itself: is it off?", cautions=(), notice=notice, flows=False)
        began = time.monotonic()
        for _ in range(_TRIES):
            if not (why := _not_off(thing)):
                if unanswered:
                    self.update(phase=phase, notice="")
                thing.is_over()
                return trouble
            if time.monotonic() > began + _TRIED_FOR_S:
                break
        notice = f"It could not be confirmed that the {what} is off: switch it off by hand. {why}{own}"
        self.note(f"Not confirmed that the {what} is off.")
        self.update(phase="may be on", text=f"Look at the {what} itself: is it off?", cautions=(), notice=notice, flows=False)
        if not self.bench.unattended:
            self._wait(what, thing)
        self.update(phase=phase, notice="")
        return f"{trouble} {notice.replace(why, '') if why in trouble else notice}".replace("  ", " ").strip()

    def _wait(self, what: str, thing: ElectronicLoad | LoadByPerson | Supply) -> None:
        clock = self.bench.clock
        while True:
            order = self.next_order(0)
            if order is Order.DONE:
                self.note(f"The {what} is off: a person looked.")
                thing.is_over()
                return
            if order in OVER:
                return
            try:
                clock.wait_until(clock.now_s() + TRY_EVERY_S, self.called)
            except InstrumentError:  # the simulated bench has gone, and its load with it
                return
            if not _not_off(thing, anew=True):
                self.note(f"The {what} is off: it says so now.")
                thing.is_over()
                return


def _not_off(thing: ElectronicLoad | LoadByPerson | Supply, *, anew: bool = False) -> str:
    """Why it is not certain that this is off; empty once it is."""
    try:
        if anew and not isinstance(thing, LoadByPerson):
            thing.connection.reopen()
        thing.off()
    except InstrumentError as error:
        return str(error)
    return ""
