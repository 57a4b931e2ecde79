"""Readings made sure of, one channel after the other: asked once more where one was missed, again where it jumps; what is only read along may be away."""

from __future__ import annotations

from collections.abc import Callable

from ubrant.bench.bench import Bench, Channel
from ubrant.bench.instruments import InstrumentError, Missed, WrongInstrument
from ubrant.core.protocols import Recorder
from ubrant.core.quantities.quantity import show
from ubrant.core.record.events import MeterAway

SETTLE_S = 0.1
"""After the load is switched, how long until the next reading."""
_BESIDE_EVERY_S = 300.0

ASKED_ONCE_MORE_S = 0.5
"""How long a load that missed an answer is given for the next one; then it is switched off."""
_JUMP_OF_VOLTS, _JUMP_SHARE, _JUMP_LEAST, _JUMP_RESTS = 0.02, 0.2, 0.05, 5
"""From one reading to the next, as a share of it (volts; anything else) and at least so much: read again then, and not again for so many readings."""


class Failed(Exception):
    """A channel gave no reading, twice."""

    def __init__(self, channel: Channel, error: InstrumentError) -> None:
        super().__init__(str(error))
        self.channel, self.error = channel, error


def showable(channel: Channel, value: float) -> float:
    """The value, where the meter can show such a one at all.

    Raises
    ------
    InstrumentError
        It cannot.
    """
    if channel.limit is not None and abs(value) > 1.1 * channel.limit:
        raise InstrumentError(
            f"{channel.meter} shows {show(value)} {channel.quantity}, and it reads up to {show(channel.limit)}: look at its range and leads."
        )
    return value


class SureReadings:
    """Remembers by channel its last value, and for how many readings a jump is not looked at again."""

    def __init__(self) -> None:
        self._last: dict[tuple[str, str], tuple[float, int]] = {}

    def read(self, channel: Channel) -> float:
        """One reading; tried twice: a single lost answer is no reason to end a run.

        What is only read has the whole of its time again, over a line that is opened anew. A load that is on has half a second: a new line would
        switch it off, and so does the engine if it misses that, too.
        """
        try:
            return showable(channel, channel.read())
        except WrongInstrument:
            raise
        except InstrumentError as error:
            first, line = error, channel.connection
        if line is not None and line.switches and isinstance(first, Missed):
            try:
                with line.within(ASKED_ONCE_MORE_S):
                    return showable(channel, channel.read())
            except Missed:
                raise first from None  # what it did not answer at first is what it was asked
        if line is not None and not line.switches:
            try:
                line.reopen()
            except WrongInstrument:
                raise
            except InstrumentError:
                raise first from None  # what it did at first says more
        return showable(channel, channel.read())

    def sure(self, channel: Channel) -> float:
        """One reading; one that jumps is read again, the order of question and answer made certain, and counts as it is read then.

        Not at every reading where every one jumps: what flows in bursts is no slip.
        """
        value, key = self.read(channel), (channel.tap, channel.quantity)
        last, left = self._last.get(key, (value, 0))
        share = _JUMP_OF_VOLTS if channel.quantity == "V" else _JUMP_SHARE
        if left == 0 and abs(value - last) > share * abs(last) + _JUMP_LEAST and channel.connection is not None:
            channel.connection.make_sure()
            value, left = self.read(channel), _JUMP_RESTS
        self._last[key] = (value, max(left - 1, 0))
        return value


class BenchReader:
    """Reads every channel of a bench into a recorder.

    Parameters
    ----------
    update : shows the engine's progress
    called : waits for an order
    is_on : whether anything was switched on
    between : looked at behind every reading, before it is kept; may leave by an exception of its own
    """

    def __init__(
        self,
        bench: Bench,
        recorder: Recorder,
        update: Callable[..., None],
        called: Callable[[float], bool],
        is_on: Callable[[], bool],
        between: Callable[[], None],
    ) -> None:
        self._bench, self._recorder, self._clock = bench, recorder, bench.clock
        self._update, self._called, self._is_on, self._between = update, called, is_on, between
        self._sure = SureReadings()
        self._away: dict[str, float] = {}  # when a meter that is read along is asked again
        self.last_read_s = -1.0

    def read(self, channel: Channel) -> float:
        """One reading of one channel, kept nowhere."""
        return self._sure.read(channel)

    def once(self) -> dict[tuple[str, str], float]:
        self._recorder.check()
        if self._clock.now_s() <= self.last_read_s:
            self._clock.wait_until(self.last_read_s + SETTLE_S, self._called)
        shown = {}
        for channel in self._bench.channels:
            if channel.beside:
                self._read_beside(channel)
                continue
            if self.is_of_load(channel) and self._is_quiet(channel):
                continue
            try:
                value = self._sure.sure(channel)
            except WrongInstrument:
                raise
            except InstrumentError as error:
                self._between()  # it may have been asked by somebody else meanwhile
                if self.is_of_load(channel) and not self._is_on():
                    self._falls_silent(channel, error)
                    continue
                raise Failed(channel, error) from None
            self._between()
            moment = self._clock.now_s()
            shown[(channel.tap, channel.quantity)] = value
            if channel.kept:
                self.last_read_s = moment
                self._recorder.reading(channel.tap, channel.quantity, moment, value)
        self.last_read_s = max(self.last_read_s, self._clock.now_s())
        self._update(time_s=self.last_read_s)
        return shown

    def is_of_load(self, channel: Channel) -> bool:
        return channel.tap == "load" and not self._bench.load.by_hand

    def _is_quiet(self, channel: Channel) -> bool:
        """It fell silent with everything off, and is not due to be asked again."""
        return not self._is_on() and self._clock.now_s() < self._away.get(channel.meter, 0.0)

    def _falls_silent(self, channel: Channel, error: InstrumentError) -> None:
        """A load that had confirmed that it is off need not be heard to rest: said once, and the run goes on."""
        if channel.meter not in self._away:
            notice = f"{error} It had confirmed that it is off: the run goes on without its readings."
            self._recorder.event(MeterAway(self._clock.now_s(), notice))
            self._update(notice=notice)
        self._away[channel.meter] = self._clock.now_s() + _BESIDE_EVERY_S

    def _read_beside(self, channel: Channel) -> None:
        """What is only read along: once it gives nothing that is said, and the run goes on without it; asked again now and then."""
        if self._clock.now_s() < self._away.get(channel.meter, 0.0):
            return
        was_away = channel.meter in self._away
        try:
            if was_away and channel.connection is not None:
                channel.connection.reopen()
            value = showable(channel, channel.read())
        except InstrumentError as error:
            self._away[channel.meter] = self._clock.now_s() + _BESIDE_EVERY_S
            if not was_away:
                notice = f"{error} It is only read along: the run goes on without it."
                self._recorder.event(MeterAway(self._clock.now_s(), notice))
                self._update(notice=notice)
            return
        if was_away:
            del self._away[channel.meter]
            self._recorder.event(MeterAway(self._clock.now_s(), f"{channel.meter} answers again."))
            self._update(notice="")
        if channel.kept:
            self._recorder.reading(channel.tap, channel.quantity, self._clock.now_s(), value)
