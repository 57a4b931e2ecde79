"""Off has to stay off: what an engine does while it does, and what once something flows all the same. The same during a run and after its end."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterable, Mapping

from ubrant.bench.bench import Bench
from ubrant.bench.instruments import InstrumentError
from ubrant.bench.off_watch import LEAST_A, OffWatch, StillFlowing
from ubrant.bench.orders import Progress
from ubrant.core.quantities.quantity import plain
from ubrant.core.record.events import DrawsBesides, Event, Note, StillDraws
from ubrant.core.record.record import TapQuantity

AT_ONCE_S = 0.5
"""How soon a reading that is too much is read again."""
ALARM_EVERY_S = 1.0
OFF_AGAIN_S = 5.0
"""While something flows off goes out again so often."""
_LOOK = "Look at the load, and switch it off by hand: this goes away once nothing flows. If something else draws it, say so."


class StayingOff:
    """Keeps what is seen after *off*. ``keep`` takes events, ``update`` the engine's progress, ``now`` says the time of the run.

    A person has two ways out, and nothing has to be answered: what is switched off by hand is seen to be off, and *something else draws this* makes
    it what flows at rest.
    """

    def __init__(
        self,
        bench: Bench,
        keep: Callable[[Event], None],
        update: Callable[..., None],
        progress: Callable[[], Progress],
        watch: OffWatch | None = None,
    ) -> None:
        self._bench, self._keep, self._update, self._progress = bench, keep, update, progress
        self.watch = watch or OffWatch({(c.tap, c.quantity): c.zero_limit for c in bench.channels if c.quantity == "A"})
        self.keys: tuple[TapQuantity, ...] = ()
        self.flow: StillFlowing | None = None
        """What flows although nothing may; None while all is well."""
        self._signs = {(c.tap, c.quantity): -1.0 if c.reversed else 1.0 for c in bench.channels}
        self._was, self._off_sent_s = Progress(), 0.0
        self._reads_again = False
        self._seen: dict[TapQuantity, float] = {}
        self._turned: set[TapQuantity] = set()

    def declare(self, nothing: Iterable[TapQuantity]) -> None:
        """Which readings have to be nothing from now on, while everything is off; a second meter at the same tap counts, and the load's own."""
        wanted = set(nothing)
        self.keys = tuple(
            (c.tap, c.quantity)
            for c in self._bench.channels
            if c.quantity == "A" and wanted and (c.tap == "load" or any(c.tap == tap or c.tap.startswith(f"{tap} ") for tap, _ in wanted))
        )

    def goes_on_with(self, flow: StillFlowing | None) -> None:
        """What flowed when somebody else looked still flows."""
        self.flow, self._was = flow, self._progress()
        if flow is not None:
            self._show()

    def pace(self, every_s: float) -> float:
        """When to read again: as planned, or sooner where something is to be looked at."""
        if self.flow is not None:
            return min(every_s, ALARM_EVERY_S)
        return min(every_s, AT_ONCE_S) if self._reads_again else every_s

    def loaded(self, shown: Mapping[TapQuantity, float], set_a: float, time_s: float) -> None:
        """Readings while current is meant; one that shows a charge while the load draws is said, once."""
        for key in self.keys:
            if key not in shown:
                continue
            value = self._signs[key] * shown[key]
            self.watch.loaded(key, value, set_a)
            if set_a > 0 and value < -max(LEAST_A, set_a / 2) and key not in self._turned:
                self._turned.add(key)
                text = (
                    f"The meter at the {key[0]} shows {plain(shown[key])} A while the load draws {plain(set_a)} A: "
                    "its clamp or its leads are the other way round. Turn them, or say on the shelf that it is reversed."
                )
                self._keep(Note(time_s, text))
                self._update(notice=text)

    def look(self, shown: Mapping[TapQuantity, float], time_s: float) -> None:
        """Readings while nothing is to flow."""
        self._reads_again = False
        for key in self.keys:
            if key not in shown:
                continue
            value = self._seen[key] = self._signs[key] * shown[key]
            if self.flow is not None:
                if key[0] == self.flow.tap:
                    self._look_again(key, value, time_s)
                continue
            flow, again = self.watch.look(key, value, time_s)
            self._reads_again |= again
            if flow is not None and flow.stands:
                self._ask_about(flow, key, time_s)
            elif flow is not None:
                self._raise(flow, time_s)

    def besides(self, time_s: float) -> None:
        """A person says that something else draws what flows."""
        flow, self.flow = self.flow, None
        if flow is None:
            return
        for key, value in self._seen.items():
            if not self.watch.is_still(key, value):
                self.watch.take_as_rest(key, value)
        self._keep(DrawsBesides(time_s, f"Something else draws these {plain(flow.amps)} A: a person looked.", flow.tap, flow.amps))
        self._calm()

    def sentence(self) -> str:
        """What is amiss, and what to do; empty while nothing is."""
        if self.flow is None:
            return ""
        return f"{plain(self.flow.amps)} A flow at the {self.flow.tap} although everything was switched off."

    def write_down(self) -> None:
        """While something flows all is in the ledger, whatever it says of itself: the next start asks, if nobody has answered by then."""
        for thing in (self._bench.load, self._bench.supply):
            if self.flow is not None and thing is not None and thing.guard is not None:
                with contextlib.suppress(OSError):
                    thing.guard.may_be_on()

    def _ask_about(self, flow: StillFlowing, key: TapQuantity, time_s: float) -> None:
        """It has flowed since before anything was switched on: most likely something else, and the load will tell."""
        self.watch.take_as_rest(key, flow.amps)
        text = f"{plain(flow.amps)} A flow at the {flow.tap} at rest, before the load is on: take off whatever draws this."
        self._keep(StillDraws(time_s, text, flow.tap, flow.amps))
        self._send_off(time_s)
        self._update(notice=text)

    def _raise(self, flow: StillFlowing, time_s: float) -> None:
        self.flow, self._was = flow, self._progress()
        self._keep(StillDraws(time_s, f"{plain(flow.amps)} A flow although everything is off.", flow.tap, flow.amps))
        self.write_down()
        self._send_off(time_s)
        self._show()

    def _look_again(self, key: TapQuantity, value: float, time_s: float) -> None:
        assert self.flow is not None
        if self.watch.is_still(key, value):
            self.flow = None
            self._keep(Note(time_s, "Nothing flows any more: it is off."))
            self._calm()
            return
        self.flow = StillFlowing(self.flow.tap, value, self.flow.above)
        if time_s >= self._off_sent_s + OFF_AGAIN_S:
            self._send_off(time_s)
        self._show()

    def _send_off(self, time_s: float) -> None:
        """Once more; what it says to that is looked at by its current."""
        self._off_sent_s = time_s
        for thing in (self._bench.load, self._bench.supply):
            if thing is not None:
                with contextlib.suppress(InstrumentError):
                    thing.off()

    def _show(self) -> None:
        self._update(phase="may be on", text=_LOOK, cautions=(), notice=self.sentence(), flows=True)

    def _calm(self) -> None:
        was = self._was
        self._update(phase=was.phase, text=was.text, cautions=was.cautions, notice="", flows=False)
