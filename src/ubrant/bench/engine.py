"""The engine: carries a method's steps out on a bench, and switches load and charger off however that ends."""

from __future__ import annotations

import contextlib
import queue
import time
from collections.abc import Callable
from dataclasses import replace
from typing import Any

from ubrant.bench.bench import Bench
from ubrant.bench.instruments import InstrumentError, Missed, WrongInstrument
from ubrant.bench.orders import OVER, Ears, Order, Progress
from ubrant.bench.point_steps import PointSteps
from ubrant.bench.reading import SETTLE_S, BenchReader, Failed
from ubrant.bench.staying_off import StayingOff
from ubrant.bench.switched import ElectronicLoad
from ubrant.bench.switching_off import TRY_EVERY_S, SwitchingOff
from ubrant.bench.watchdog import FrozenMeter
from ubrant.core.battery.ending import EndWatch
from ubrant.core.models.circuit import CURRENT
from ubrant.core.protocols import Recorder
from ubrant.core.quantities.quantity import show, show_duration
from ubrant.core.record.events import (
    ChargeOff,
    ChargeOn,
    Gap,
    GuardianOff,
    HandDid,
    LoadOff,
    LoadOn,
    LoadSet,
    Note,
    Paused,
    Resumed,
    Zeroed,
)
from ubrant.diagnostics import unexpected
from ubrant.methods.steps import (
    STEP_DONE,
    Ask,
    Hold,
    Point,
    ReadRest,
    ReadUntil,
    SetLoad,
    StartCharge,
    Step,
    Steps,
    StopCharge,
    SupplyOff,
    SwitchLoadOff,
    SwitchLoadOn,
    SwitchOn,
    Take,
    Zero,
    carry_out_steps,
)

PATIENCE_S = 120.0
"""How long an instrument that has gone is waited for, the load off meanwhile."""
_HURRIES_S = 0.7
"""How long a load that has just missed an answer is given for each of those that confirm that it is off."""
LOW_SHARE = 0.05
"""Under this share of what was set, no current flows."""
_ZERO_READINGS = 8
_MOST_ZERO = {"V": 0.5, "A": 5.0}
"""More than this with nothing connected is no zero of any meter for this work."""
OPEN_LEADS, CLOSE_LEADS = "open leads", "close leads"
"""What a simulated person does while a zero is read."""


class _Abandoned(Exception):
    """The run was ended at once: by whom."""

    def __init__(self, by: str) -> None:
        super().__init__()
        self.by = by


def _by(order: Order) -> str:
    return "program" if order is Order.CLOSE else "person"


_HOW: dict[type[Step], Callable[[Engine, Any], str | None]] = {}


def carries_out(kind: type[Step], how: Callable[[Engine, Any], str | None]) -> None:
    """Teach the engine a step: ``how`` is called with the engine and the step, and answers what the method is told."""
    _HOW[kind] = how


class Engine:
    """Interprets one method. ``run`` is called once, in a thread of its own."""

    def __init__(self, bench: Bench, recorder: Recorder, orders: queue.SimpleQueue[Order], show: Callable[[Progress], None]) -> None:
        self._bench, self._recorder, self._show = bench, recorder, show
        self._clock = bench.clock
        self._progress = Progress()
        self._ears = Ears(orders, bench.alive)
        self._set: SwitchLoadOn | None = None
        self._charger: StartCharge | None = None
        self._amount = 0.0
        self._is_loaded = False
        self._low_readings = 0
        self._reader = BenchReader(bench, recorder, self._update, self._ears.called, lambda: self._anything_is_on, self._look_at_guardian)
        self._load_missed = False
        self._limit_s: float | None = None
        self._on_since_s = 0.0
        self.staying = StayingOff(bench, recorder.event, self._update, lambda: self._progress)
        self._points = PointSteps(bench, recorder, self._read_all, self._wait, self._update)

    def run(self, steps: Steps) -> Progress:
        """Carry the method out to its end, whatever end that is. Raises nothing: trouble is in the progress returned."""
        ended_by, trouble = "", ""
        try:
            for stream in self._bench.streams:
                stream.start(self._clock, self._recorder)
            carry_out_steps(steps, self._carry_out, faults=(InstrumentError,))
        except _Abandoned as abandoned:
            ended_by = abandoned.by
        except InstrumentError as error:
            over = self._over()  # what was ended meanwhile was not lost
            ended_by, trouble = (over, "") if over else ("instrument lost", str(error))
        except Exception as error:  # whatever it is, the load goes off and the person is told
            unexpected("the engine", error)
            ended_by, trouble = "fault", str(error) or type(error).__name__
        finally:
            trouble = self._all_off(trouble)
            for stream in self._bench.streams:
                stream.stop()
            steps.close()
        if self._progress.ended_by not in ("", "cut-off") or not ended_by:
            ended_by = self._progress.ended_by or ended_by
        self._update(phase="ended", text="", cautions=(), notice="", ended_by=ended_by or STEP_DONE, trouble=trouble)
        return self._progress

    def _all_off(self, trouble: str) -> str:
        """Load and charger off, all at once, then each confirmed; an extra sentence if that cannot be."""
        things = [
            (what, thing)
            for what, thing in (("load", self._bench.load), ("charger", self._bench.supply))
            if thing is not None and (what == "load" or self._charger is not None or self._points.supply_is_on)
        ]
        self._bench.cut_off()
        self.staying.watch.is_off(self._clock.now_s())
        off = SwitchingOff(self._bench, self._next_order, self._ears.called, self._note, self._update)
        for what, thing in things:
            own = f" Its own cut-off stands at {self._set.own_cutoff_v:g} V." if self._set and what == "load" else ""
            trouble = off.for_sure(what, thing, trouble, own, self._progress.phase, unanswered=self._load_missed and what == "load")
        if self.staying.flow is not None:
            self.staying.write_down()
            trouble = f"{trouble} {self.staying.sentence()}".strip()
        if self._progress.load_on_s is not None and self._progress.load_off_s is None:
            now = self._clock.now_s()
            self._update(load_off_s=now)
            try:
                self._recorder.event(LoadOff(now, "Load off."))
            except Exception as error:
                return trouble or str(error)
        if self._bench.load.by_hand and self._progress.load_on_s is not None and self._progress.phase in {"load on", "waiting"}:
            return f"{trouble} Switch the load off by hand.".strip()
        return trouble

    def _note(self, text: str) -> None:
        with contextlib.suppress(Exception):  # what matters now is the load, and the person is told as well
            self._recorder.event(Note(self._clock.now_s(), text))

    def _carry_out(self, step: Step) -> str | None:
        """By what was registered for the kind of step."""
        self._leave_if_over()
        if self.staying.flow is None:
            self._update(text=step.text, cautions=step.cautions)
        if nothing := getattr(step, "nothing", ()):
            self.staying.declare(nothing)
        return _HOW[type(step)](self, step)

    def _ask(self, phase: str = "asking", action: str = "") -> None:
        self._update(phase=phase)
        while True:
            self._recorder.check()
            order = Order.DONE if self._bench.unattended else self._next_order(0.5)
            if order is Order.DONE:
                self._bench.operator(action)
                if action:
                    self._recorder.event(HandDid(self._clock.now_s(), "", action))
                return
            if order is Order.STOP or order in OVER:
                raise _Abandoned(_by(order))

    def _zero(self, step: Zero) -> None:
        """Read what the meter at the first tap shows with nothing connected, and keep it; ask again while it cannot be a zero."""
        while True:
            self._ask("zeroing")
            self._bench.operator(OPEN_LEADS)
            found, tap = self._read_zero(step)
            self._bench.operator(CLOSE_LEADS)
            absurd = next((f"{show(v)} {q}" for q, v in found.items() if abs(v) > _MOST_ZERO[q]), "")
            if not absurd:
                break
            notice = f"{absurd} is no zero: the leads are still connected, or something flows. Take them off, and read it again."
            if self._bench.unattended:
                raise InstrumentError(notice)
            self._update(notice=notice)
        self._update(notice="")
        self._recorder.event(Zeroed(self._clock.now_s(), "", found, tap))

    def _read_zero(self, step: Zero) -> tuple[dict[str, float], str]:
        """Means of a few readings by quantity, and the tap they were read at."""
        first = next((c.tap for c in self._bench.channels if c.tap in {"battery", "input"}), "")
        zeros = {}
        for channel in self._bench.channels:
            if channel.tap == first and channel.quantity in step.quantities and channel.quantity in _MOST_ZERO:
                values = []
                for _ in range(_ZERO_READINGS):
                    self._clock.wait_until(self._clock.now_s() + SETTLE_S, self._ears.called)
                    values.append(self._reader.read(channel))
                zeros[channel.quantity] = sum(values) / len(values)
        return zeros, first

    def _rest(self, step: ReadRest) -> None:
        if self.staying.flow is None:
            self._update(phase="load on" if self._is_loaded else "recovering" if self._progress.load_off_s is not None else "resting")
        end = self._clock.now_s() + step.seconds
        while (now := self._clock.now_s()) < end:
            self._read_all()
            order = self._next_order(0)
            if order is Order.STOP:
                return
            if order in OVER:
                raise _Abandoned(_by(order))
            self._clock.wait_until(min(now + self.staying.pace(step.every_s), end), self._ears.called)

    def _load_on(self, step: SwitchLoadOn) -> None:
        load = self._bench.load
        load.prepare(step.amount, step.own_cutoff_v, step.mode)
        self._limit_s = step.at_most_s if step.at_most_s > 0 and load.limit_time(step.at_most_s) else None
        self._set, self._amount = step, step.amount
        if load.by_hand:
            self._ask()
        self._is_loaded = True
        load.on()
        self._on_since_s = now = self._clock.now_s()
        self._recorder.event(LoadOn(now, f"{step.text}{self._time_limit_said()}"))
        self._low_readings = 0
        self._update(phase="load on", load_on_s=now if self._progress.load_on_s is None else self._progress.load_on_s, load_off_s=None)

    def _time_limit_said(self) -> str:
        """Of a real load: what ends it if the power fails."""
        if self._bench.guardian is None or self._bench.load.by_hand:
            return ""
        return " It has no time limit of its own." if self._limit_s is None else f" Its own time limit is {show_duration(self._limit_s)}."

    def _load_set(self, step: SetLoad) -> None:
        if self._bench.load.by_hand:
            self._ask()
        self._bench.load.set_amount(step.amount, step.mode)
        self._amount = step.amount
        self._low_readings = 0
        self._recorder.event(LoadSet(self._clock.now_s(), step.text))
        self._update(phase="load on")

    def _load_off(self, step: SwitchLoadOff) -> None:
        if self._bench.load.by_hand:
            self._ask()
        self._bench.load.off()
        self._is_loaded = False
        now = self._clock.now_s()
        self.staying.watch.is_off(now)
        self._recorder.event(LoadOff(now, "Load off."))
        self._update(load_off_s=now)

    def _charge_on(self, step: StartCharge) -> None:
        supply = self._bench.supply
        if supply is None:
            raise InstrumentError("There is no charger on this bench: choose one, or charge by hand and leave the charge out of the plan.")
        supply.prepare(step.current_a, step.limit_v)
        self._charger = step
        supply.on()
        self._recorder.event(ChargeOn(self._clock.now_s(), step.text))
        self._update(phase="charging")

    def _charge_off(self) -> None:
        if self._bench.supply is not None:
            self._bench.supply.off()
        self._charger = None
        self._recorder.event(ChargeOff(self._clock.now_s(), "Charger off."))

    # reading under load

    def _read_until(self, step: ReadUntil) -> str:
        start = due = self._clock.now_s()
        if self._progress.phase == "asking":
            self._update(phase="measuring")
        frozen = FrozenMeter()
        while True:
            shown = self._read_all()
            now = self._reader.last_read_s
            if ended := self._ended(step.watch, shown):
                return ended
            if frozen.stands_still(shown.get(("battery", "V"), 0.0), shown.get(("load", "V"))):
                raise InstrumentError(
                    f"{self._meter_name()} has shown {show(shown[('battery', 'V')], 5)} V and nothing else while the load saw the voltage move: "
                    "it has frozen. Switch it off and on, and look at its hold button."
                )
            if now - start >= step.at_most_s - 1e-6:
                return STEP_DONE
            order = self._next_order(0)
            if order is Order.STOP:
                return "person"
            if order in OVER:
                raise _Abandoned(_by(order))
            if order is Order.PAUSE and self._charger is None:
                if self._paused(step.every_s) is Order.STOP:
                    return "person"
                due = self._clock.now_s()
                continue
            due = min(max(due + step.watch.next_after(step.every_s), self._clock.now_s()), start + step.at_most_s)
            self._clock.wait_until(due, self._ears.called)
            self._note_a_sleep(due, step.every_s)

    def _ended(self, watch: EndWatch, shown: dict[tuple[str, str], float]) -> str:
        volts, amps = self._own(shown, "V"), self._own(shown, "A")
        if volts is None:
            return ""
        stopped = "" if self._charger is not None else self._load_stopped(shown)
        return stopped or watch.reached(self._reader.last_read_s, volts, amps if amps is not None else 0.0, shown.get(("battery", "°C")))

    def _load_stopped(self, shown: dict[tuple[str, str], float]) -> str:
        """What stopped the current while it should flow; empty when it flows."""
        if self._set is None or self._amount <= 0:
            return ""
        volts = self._own(shown, "V") or 0.0
        collapsed = volts < 0.5 * self._set.own_cutoff_v
        if self._bench.load.by_hand:
            return "protection" if collapsed and self._set.own_cutoff_v > 0 else ""
        amps = shown.get(("load", "A"), self._own(shown, "A") or 0.0)
        if amps > LOW_SHARE * self._wanted_a(volts):
            self._low_readings = 0
            return ""
        self._low_readings += 1
        if not self._bench.load.is_on():
            by_time = self._limit_s is not None and self._clock.now_s() - self._on_since_s >= 0.99 * self._limit_s
            return "load's own time limit" if by_time else "load's own cut-off"
        if collapsed:
            return "protection"
        return "load draws nothing" if self._low_readings > 1 else ""  # one alone may be a slip

    @staticmethod
    def _own(shown: dict[tuple[str, str], float], quantity: str) -> float | None:
        """What is emptied or charged: a battery, or a bank by its output."""
        return shown.get(("battery", quantity), shown.get(("output", quantity)))

    def _wanted_a(self, volts: float) -> float:
        mode = self._set.mode if self._set is not None else CURRENT
        if mode == CURRENT:
            return self._amount
        return self._amount / max(volts, 0.1) if mode == "power" else volts / self._amount

    def _note_a_sleep(self, due: float, every_s: float) -> None:
        """Say so where far more time has passed than was waited for: the computer slept, or was held up."""
        late = self._clock.now_s() - due
        if late > max(10.0, 3 * every_s):
            self._recorder.event(
                Gap(self._clock.now_s(), f"Nothing was read for {show_duration(late)}: the computer slept, or was held up.")
            )

    def _paused(self, every_s: float) -> Order:
        """Load off and reading on, until a person resumes or stops."""
        self._bench.load.off()
        self._is_loaded = False
        self.staying.watch.is_off(self._clock.now_s())
        self._recorder.event(Paused(self._clock.now_s(), "Load paused."))
        self._update(phase="paused")
        while True:
            self._read_all()
            order = self._next_order(0)
            if order in OVER:
                raise _Abandoned(_by(order))
            if order is Order.STOP:
                return order
            if order is Order.RESUME and self.staying.flow is None:
                self._on_again()
                return order
            self._clock.wait_until(self._clock.now_s() + self.staying.pace(every_s), self._ears.called)

    def _on_again(self) -> None:
        assert self._set is not None
        self._bench.load.prepare(self._amount, self._set.own_cutoff_v, self._set.mode)
        self._is_loaded = True
        self._bench.load.on()
        self._on_since_s = self._clock.now_s()
        self._low_readings = 0
        self._recorder.event(Resumed(self._clock.now_s(), "Load on again."))
        self._update(phase="load on")

    # reading, and what happens when there is nothing to read

    def _read_all(self) -> dict[tuple[str, str], float]:
        """Read every channel once; each reading has its own time, and none has the time of the one before.

        An instrument that gives nothing twice has the load switched off and is waited for.
        """
        while True:
            try:
                shown = self._reader.once()
            except Failed as failed:
                self._leave_if_over()
                self._wait_for(failed)
            else:
                self._leave_if_over()  # the load may just have been told off: that is no end of its own
                self._look_at_currents(shown)
                return shown

    def _look_at_currents(self, shown: dict[tuple[str, str], float]) -> None:
        """What has to be nothing is nothing; under load, what flows is what that is measured by."""
        if self._is_loaded:
            self.staying.loaded(
                shown, self._amount if self._set is not None and self._set.mode == CURRENT else 0.0, self._reader.last_read_s
            )
        elif self._charger is None and not self._points.is_on:
            self.staying.look(shown, self._reader.last_read_s)

    @property
    def _anything_is_on(self) -> bool:
        return self._is_loaded or self._charger is not None or self._points.is_on

    def _look_at_guardian(self) -> None:
        """Whether the guardian has switched off meanwhile, and what it says of itself.

        Raises
        ------
        _Abandoned
            It has: nothing that is read from then on is of a load that was on.
        """
        guardian = self._bench.guardian
        if guardian is None:
            return
        guardian.alive()
        while guardian.said:
            sentence = guardian.said.pop(0)
            self._note(sentence)
            self._update(notice=sentence)
        if not (told := guardian.news()):
            return
        for connection in self._bench.connections:
            connection.make_sure()
        one = next(iter(told.values()))
        confirmed = all(outcome["confirmed"] for outcome in told.values())
        ago_s = max(0.0, time.clock_gettime(time.CLOCK_BOOTTIME) - one["boot_s"])
        at = max(self._clock.now_s() - ago_s, self._reader.last_read_s)
        text = f"The guardian switched off: {one['because']}." + ("" if confirmed else f" It could not be confirmed: {one['says']}.")
        self._recorder.event(GuardianOff(at, text, confirmed))
        if self._is_loaded:
            self._recorder.event(LoadOff(at, "Load off, by the guardian."))
            self._update(load_off_s=at)
        self._is_loaded = False
        raise _Abandoned("guardian")

    def _wait_for(self, failed: Failed) -> None:
        """Load off, the gap marked, and try again for a while; on again when the instrument is back.

        Raises
        ------
        InstrumentError
            It did not come back.
        """
        was, loaded, charging = self._progress.phase, self._is_loaded, self._charger is not None
        fed = self._points.is_on
        running = loaded or charging or fed
        self._load_missed = self._reader.is_of_load(failed.channel) and isinstance(failed.error, Missed)
        state = "The load is off" if loaded else "Charging is paused" if charging else "Load and supply are off" if fed else "Nothing is on"
        notice = f"{failed.error} {state}; trying again."
        if running:
            self._off_at_once(failed)
            self._switch_off_for_now()
        began = self._clock.now_s()
        self._recorder.event(Paused(began, notice) if running else Gap(began, notice))
        self._update(phase="waiting" if running else was, notice=notice)
        while self._clock.now_s() - began < PATIENCE_S:
            order = self._next_order(0)
            if order is Order.STOP or order in OVER:
                raise _Abandoned(_by(order))
            self._clock.wait_until(self._clock.now_s() + TRY_EVERY_S, self._ears.called)
            self._recorder.check()
            try:
                if failed.channel.connection is not None:
                    failed.channel.connection.reopen()
                self._reader.read(failed.channel)
            except WrongInstrument:
                raise
            except InstrumentError:
                continue
            self._update(phase=was, notice="")
            if loaded:
                self._on_again()
            if charging:
                self._charge_again()
            if fed:
                self._points.on_again()
            return
        raise InstrumentError(f"{failed.error} It did not come back in {show_duration(PATIENCE_S)}: the run was ended.")

    def _off_at_once(self, failed: Failed) -> None:
        """Off is on its way, and the person is told, before anything more is asked of anybody."""
        for thing in (self._bench.load, self._bench.supply if self._charger is not None or self._points.is_on else None):
            if thing is not None:
                thing.off_at_once()
        self.staying.watch.is_off(self._clock.now_s())
        self._update(phase="waiting", notice=f"{failed.error} Off was sent; whether it is off is being asked.")

    def _switch_off_for_now(self) -> None:
        load = self._bench.load
        try:
            if self._load_missed and isinstance(load, ElectronicLoad):
                with load.connection.within(_HURRIES_S):
                    load.off()
            else:
                load.off()
            if self._bench.supply is not None and (self._charger is not None or self._points.is_on):
                self._bench.supply.off()
        except InstrumentError as error:
            raise InstrumentError(f"{error} Nothing could be read either.") from None
        self._is_loaded = self._load_missed = False

    def _charge_again(self) -> None:
        step, supply = self._charger, self._bench.supply
        if step is not None and supply is not None:
            supply.prepare(step.current_a, step.limit_v)
            supply.on()
            self._recorder.event(Resumed(self._clock.now_s(), "Charging again."))

    def _meter_name(self) -> str:
        return next((c.meter for c in self._bench.channels if c.tap == "battery" and c.quantity == "V"), "The meter")

    # orders

    def _wait(self, seconds: float) -> None:
        """Between two readings of a point; a person's stop or end abandons it.

        Raises
        ------
        _Abandoned
            The person wants to stop.
        """
        order = self._next_order(0)
        if order is Order.STOP or order in OVER:
            raise _Abandoned(_by(order))
        self._clock.wait_until(self._clock.now_s() + seconds, self._ears.called)

    def _next_order(self, wait_s: float) -> Order | None:
        if not self._ears.pending:
            self._ears.called(wait_s)
        order = self._ears.pending.pop(0) if self._ears.pending else None
        if order is Order.BESIDES:
            self.staying.besides(self._clock.now_s())
            return None
        return order

    def _over(self) -> str:
        """Who has ended the run meanwhile; empty where nobody has."""
        self._ears.called(0)
        return next((_by(order) for order in self._ears.pending if order in OVER), "")

    def _leave_if_over(self) -> None:
        self._ears.called(0)
        if over := next((order for order in self._ears.pending if order in OVER), None):
            self._ears.pending.remove(over)
            raise _Abandoned(_by(over))

    def _update(self, **changes: object) -> None:
        self._progress = replace(self._progress, **changes)  # type: ignore[arg-type]
        self._show(self._progress)


def _until(engine: Engine, step: ReadUntil) -> str:
    ended_by = engine._read_until(step)
    if ended_by != STEP_DONE and engine._charger is None:
        engine._update(ended_by=ended_by)
    return ended_by


carries_out(Ask, lambda engine, step: engine._ask(action=step.action))
carries_out(Zero, lambda engine, step: engine._zero(step))
carries_out(ReadRest, lambda engine, step: engine._rest(step))
carries_out(SwitchLoadOn, lambda engine, step: engine._load_on(step))
carries_out(SetLoad, lambda engine, step: engine._load_set(step))
carries_out(SwitchLoadOff, lambda engine, step: engine._load_off(step))
carries_out(StartCharge, lambda engine, step: engine._charge_on(step))
carries_out(StopCharge, lambda engine, step: engine._charge_off())
carries_out(Point, lambda engine, step: engine._points.take(step))
carries_out(SwitchOn, lambda engine, step: engine._points.switch_on(step))
carries_out(Hold, lambda engine, step: engine._points.hold(step))
carries_out(SupplyOff, lambda engine, step: engine._points.supply_off())
carries_out(ReadUntil, _until)
carries_out(Take, lambda engine, step: engine._points.take_as_it_is(step))
