"""The steps of a test that is made of points: set supply and load, read until it holds still, note the point."""

from __future__ import annotations

from collections.abc import Callable

from ubrant.bench.bench import Bench
from ubrant.bench.instruments import InstrumentError
from ubrant.core.models.circuit import CURRENT
from ubrant.core.protocols import Recorder
from ubrant.core.record.events import HeldOn, HoldBegan, LoadSet, PointTaken, Resumed, WentOff
from ubrant.methods.steps import Hold, Point, SwitchOn, Take

_KEYS = (("input", "V"), ("input", "A"), ("output", "V"), ("output", "A"))
_STILL_SHARE, _STILL_LEAST = 0.003, 0.003
_OFF_SHARE = 0.3
"""Under this share of what the output had, it is off; under this share of what flowed, nothing flows."""

Shown = dict[tuple[str, str], float]


def holds_still(history: list[tuple[float, ...]]) -> bool:
    """Whether every quantity has stayed within 0.3 % (or 3 mV, 3 mA) of its mean."""
    for column in zip(*history, strict=True):
        mean = sum(column) / len(column)
        if max(abs(x - mean) for x in column) > max(_STILL_SHARE * abs(mean), _STILL_LEAST):
            return False
    return True


class PointSteps:
    """What the engine does for a point. ``read_all`` reads every channel, ``wait`` passes seconds and leaves when the person wants to stop."""

    def __init__(
        self, bench: Bench, recorder: Recorder, read_all: Callable[[], Shown], wait: Callable[[float], None], update: Callable[..., None]
    ) -> None:
        self._bench, self._recorder = bench, recorder
        self._read_all, self._wait, self._update = read_all, wait, update
        self.supply_is_on = self._load_is_on = False
        self._load_on_noted = False
        self._most_out_v = 0.0
        self._supply_set, self._load_set = (0.0, 0.0), (0.0, CURRENT, 0.0)

    @property
    def is_on(self) -> bool:
        """Whether supply or load is on for a point."""
        return self.supply_is_on or self._load_is_on

    def take(self, step: Point) -> str:
        """Set supply and load, read until it has settled, note the point; ``on`` with the input power, or ``off``."""
        self._set_supply(step.input_v, step.most_input_a)
        self._set_load(step.load, step.mode, step.own_cutoff_v)
        clock = self._bench.clock
        start = clock.now_s()
        held = max(round(step.settle_s / step.every_s), 2)
        history: list[tuple[float, ...]] = []
        while True:
            began = clock.now_s()
            shown = self._read_all()
            history.append(tuple(shown.get(key, 0.0) for key in _KEYS))
            settled = len(history) > held and holds_still(history[-held - 1 :])
            if settled or clock.now_s() - start >= step.at_most_s:
                break
            self._wait(step.every_s)
        now = clock.now_s()
        wave = self._record_wave()
        answer = self._answer(step, history[-1])
        self._recorder.event(
            PointTaken(now, step.text, round(min(now - step.settle_s, began), 3), step.input_v, step.load, settled, answer, wave)
        )
        return answer

    def take_as_it_is(self, step: Take) -> None:
        """A point of what a person has set: read a few times, and marked from when to when."""
        self._update(phase="measuring")
        clock = self._bench.clock
        began = clock.now_s()
        for k in range(step.readings):
            if k:
                self._wait(step.every_s)
            self._read_all()
        self._recorder.event(PointTaken(clock.now_s(), step.text, began, answer=""))

    def _answer(self, step: Point, last: tuple[float, ...]) -> str:
        """What the method is told: whether the output is there, and with how much."""
        volts, amps, out = last[:3]
        self._most_out_v = max(self._most_out_v, out)
        own_cutoff = step.load > 0 and step.own_cutoff_v and not self._bench.load.is_on()
        return "off" if own_cutoff or out <= _OFF_SHARE * self._most_out_v else f"on{volts * amps:.4f} {out:.5f}"

    def switch_on(self, step: SwitchOn) -> None:
        """The supply on, nothing attached."""
        self._set_supply(step.input_v, step.most_input_a)
        self._recorder.event(LoadSet(self._bench.clock.now_s(), step.text))
        self._update(phase="measuring")

    def hold(self, step: Hold) -> str:
        """Read on under a load until something opens."""
        self._set_load(step.load, step.mode, step.own_cutoff_v)
        clock = self._bench.clock
        start = clock.now_s()
        key = ("output", "V") if step.tap == "output" else ("input", "A")
        most = 0.0
        self._recorder.event(HoldBegan(start, step.text, step.load, step.tap))
        while True:
            self._wait(step.every_s)
            shown = self._read_all()
            value = abs(shown.get(key, 0.0))
            most = max(most, value, self._most_out_v if step.tap == "output" else 0.0)
            now = clock.now_s()
            if (most > 0 and value < _OFF_SHARE * most) or (step.load > 0 and not self._bench.load.is_on()):
                self._recorder.event(WentOff(now, "", step.load, round(now - start, 3)))
                answer = f"off{now - start:.3f}"
                break
            if now - start >= step.at_most_s:
                self._recorder.event(HeldOn(now, "", step.load, round(now - start, 3)))
                answer = "held"
                break
        if not step.keep:
            self._set_load(0.0, step.mode)
        return answer

    def supply_off(self) -> None:
        """The supply off: the test is over."""
        if self._bench.supply is not None:
            self._bench.supply.off()
        self.supply_is_on = False
        self._update(load_off_s=self._bench.clock.now_s(), ended_by="done")

    def on_again(self) -> None:
        """Supply and load as they were, after an instrument had gone and both were off."""
        supply_was_on, load_was_on = self.supply_is_on, self._load_is_on
        self.supply_is_on = self._load_is_on = False
        if supply_was_on:
            self._set_supply(*self._supply_set)
        if load_was_on:
            self._set_load(*self._load_set)
        self._recorder.event(Resumed(self._bench.clock.now_s(), "On again."))

    def _set_supply(self, volts: float, most_a: float) -> None:
        supply = self._bench.supply
        if not volts:
            return  # a battery feeds it
        if supply is None:
            raise InstrumentError("There is no bench supply: choose one, or make the test by hand.")
        supply.prepare(most_a, volts)
        self._supply_set = (volts, most_a)
        if not self.supply_is_on:
            self.supply_is_on = True
            supply.on()

    def _set_load(self, amount: float, mode: str = CURRENT, own_cutoff_v: float = 0.0) -> None:
        load = self._bench.load
        self._load_set = (amount, mode, own_cutoff_v)
        if amount > 0 and not (self._load_is_on and load.is_on()):
            load.prepare(amount, own_cutoff_v, mode)
            load.on()
            self._load_is_on = True
        elif amount > 0:
            load.set_amount(amount, mode)
        elif self._load_is_on:
            load.off()
            self._load_is_on = False
        if self._load_on_noted:
            self._update(phase="measuring")
        else:
            self._load_on_noted = True
            self._update(phase="measuring", load_on_s=self._bench.clock.now_s())

    def _record_wave(self) -> tuple[float, float] | None:
        """What the scope sees at this point, kept as readings of its own tap; from when to when."""
        if self._bench.scope is None:
            return None
        start = self._bench.clock.now_s()
        time, volts = self._bench.scope()
        for moment, value in zip((start + time).tolist(), volts.tolist(), strict=True):
            self._recorder.reading("scope", "V", moment, value)
        return round(start + float(time[0]), 6), round(start + float(time[-1]), 6)
