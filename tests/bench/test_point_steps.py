"""How a point is taken, on a bench of plain objects: settled or not, off, held, tripped, on again."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from ubrant.bench.bench import Bench
from ubrant.bench.instruments import InstrumentError
from ubrant.bench.live import LiveReadings
from ubrant.bench.point_steps import PointSteps, holds_still
from ubrant.core.models.circuit import POWER
from ubrant.demo.kit import WatchedClock
from ubrant.methods.steps import Hold, Point, SwitchOn

POINT = Point(12.0, 1.0, 0.5, 2.0, 20.0, "12 V in, 1 A out.", 5.0)


class Load:
    """Notes what it is told."""

    by_hand = False

    def __init__(self) -> None:
        self.told: list[tuple] = []
        self.running = False

    def prepare(self, amount, own_cutoff_v, mode="current") -> None:
        self.told.append(("prepare", amount, own_cutoff_v, mode))

    def set_amount(self, amount, mode="current") -> None:
        self.told.append(("set", amount))

    def on(self) -> None:
        self.running = True
        self.told.append(("on",))

    def off(self) -> None:
        self.running = False
        self.told.append(("off",))

    def is_on(self) -> bool:
        return self.running


class Supply(Load):
    def prepare(self, current_a, limit_v) -> None:
        self.told.append(("prepare", current_a, limit_v))


@pytest.fixture
def rig():
    """Point steps on a bench whose readings the test writes."""
    load, supply, clock, recorder = Load(), Supply(), WatchedClock(), LiveReadings()
    made = Bench(load, (), clock, supply=supply)

    class Rig:
        shown = staticmethod(lambda t: {("input", "V"): 12.0, ("input", "A"): 0.5, ("output", "V"): 5.0, ("output", "A"): 1.0})

        def read_all(self):
            clock.time_s += 0.05
            return self.shown(clock.time_s)

        def wait(self, seconds):
            clock.time_s += seconds

    found = Rig()
    found.updates = []
    found.load, found.supply, found.clock, found.recorder, found.bench = load, supply, clock, recorder, made
    found.steps = PointSteps(made, recorder, found.read_all, found.wait, lambda **changes: found.updates.append(changes))
    return found


def events(rig, kind):
    return [e for e in rig.recorder.events() if e.kind == kind]


def test_a_point_is_taken_once_it_holds_still(rig):
    rig.shown = lambda t: {
        ("input", "V"): 12.0,
        ("input", "A"): 0.5,
        ("output", "V"): 5.0 - 2.0 * max(0.0, 1 - t / 3),
        ("output", "A"): 1.0,
    }
    assert rig.steps.take(POINT) == "on6.0000 5.00000"
    (about,) = events(rig, "point")
    assert about.settled
    assert (about.input_v, about.load) == (12.0, 1.0)
    assert 4.5 < rig.clock.time_s < 8
    assert rig.supply.told == [("prepare", 5.0, 12.0), ("on",)]
    assert rig.load.told == [("prepare", 1.0, 0.0, "current"), ("on",)]


def test_one_that_never_does_is_taken_all_the_same_and_marked(rig):
    rig.shown = lambda t: {("input", "V"): 12.0, ("input", "A"): 0.5, ("output", "V"): 5.0 + 0.2 * np.sin(3 * t), ("output", "A"): 1.0}
    rig.steps.take(POINT)
    assert not events(rig, "point")[0].settled
    assert rig.clock.time_s >= 20


def test_the_next_point_only_changes_what_is_different(rig):
    rig.steps.take(POINT)
    rig.steps.take(replace(POINT, input_v=11.0, load=2.0))
    assert rig.load.told[-1] == ("set", 2.0)
    assert rig.supply.told[-1] == ("prepare", 5.0, 11.0)
    rig.steps.take(replace(POINT, load=0.0))
    assert rig.load.told[-1] == ("off",)


def test_an_output_that_has_gone_is_off(rig):
    rig.steps.take(POINT)
    rig.shown = lambda t: {("input", "V"): 6.0, ("input", "A"): 0.0, ("output", "V"): 0.1, ("output", "A"): 0.0}
    assert rig.steps.take(replace(POINT, input_v=6.0)) == "off"


def test_a_load_that_went_off_by_its_own_cut_off_is_off_too(rig):
    rig.shown = lambda t: {("input", "V"): 12.0, ("input", "A"): 0.5, ("output", "V"): 230.0, ("output", "A"): 1.0}
    step = replace(POINT, load=200.0, mode=POWER, own_cutoff_v=115.0)
    rig.steps.take(replace(step, load=100.0))
    rig.load.on = lambda: rig.load.told.append(("on",))
    rig.load.running = False
    assert rig.steps.take(step) == "off"
    assert ("prepare", 200.0, 115.0, POWER) in rig.load.told


HOLD = Hold(150.0, 5.0, 600.0, "150 W until its output goes off.", mode=POWER, own_cutoff_v=115.0)


def test_a_hold_ends_when_the_output_goes(rig):
    rig.shown = lambda t: {("input", "V"): 11.0, ("input", "A"): 14.0, ("output", "V"): 229.0 if t < 100 else 0.2}
    answer = rig.steps.hold(HOLD)
    assert answer.startswith("off")
    assert 100 <= float(answer.removeprefix("off")) <= 106
    assert events(rig, "went_off")[0].load == 150.0
    assert rig.load.told[-1] == ("off",)


def test_a_hold_ends_when_the_load_goes_off_although_the_output_comes_back(rig):
    """Relieved, the inverter starts again: its volts are there, and nothing is drawn."""

    def shown(t):
        if t > 60:
            rig.load.running = False
        return {("input", "V"): 11.0, ("input", "A"): 14.0, ("output", "V"): 229.0}

    rig.shown = shown
    assert rig.steps.hold(HOLD).startswith("off")


def test_a_hold_that_is_not_given_up_is_said_so(rig):
    rig.shown = lambda t: {("output", "V"): 229.0, ("input", "A"): 14.0}
    assert rig.steps.hold(replace(HOLD, at_most_s=60.0)) == "held"
    assert events(rig, "held")[0].after_s >= 60
    rig.steps.hold(replace(HOLD, at_most_s=60.0, keep=True))
    assert rig.load.running


def test_by_the_current_where_a_breaker_opens(rig):
    rig.shown = lambda t: {("input", "A"): 45.0 if t < 30 else 0.0, ("input", "V"): 12.0}
    answer = rig.steps.hold(Hold(45.0, 0.5, 600.0, "45 A until it opens.", "input"))
    assert 29 < float(answer.removeprefix("off")) < 32


def test_after_an_instrument_was_away_all_is_as_it_was(rig):
    rig.steps.take(POINT)
    rig.supply.told.clear()
    rig.load.told.clear()
    rig.supply.running = rig.load.running = False
    rig.steps.on_again()
    assert rig.supply.told == [("prepare", 5.0, 12.0), ("on",)]
    assert rig.load.told == [("prepare", 1.0, 0.0, "current"), ("on",)]
    assert [e.kind for e in rig.recorder.events()][-1] == "resumed"


def test_nothing_is_switched_on_again_that_was_not_on(rig):
    rig.steps.on_again()
    assert rig.supply.told == rig.load.told == []


def test_a_bench_without_a_supply_says_so(rig):
    bare = PointSteps(replace(rig.bench, supply=None), rig.recorder, rig.read_all, rig.wait, lambda **changes: None)
    with pytest.raises(InstrumentError, match="There is no bench supply"):
        bare.take(POINT)
    assert bare.take(replace(POINT, input_v=0.0)).startswith("on"), "a battery feeds it"


def test_the_supply_alone_for_an_idle_draw(rig):
    rig.steps.switch_on(SwitchOn(12.8, 2.0, "12.8 V at the input."))
    assert rig.supply.told == [("prepare", 2.0, 12.8), ("on",)]
    assert rig.load.told == []
    rig.steps.supply_off()
    assert rig.supply.told[-1] == ("off",)
    assert rig.updates[-1]["ended_by"] == "done"


def test_a_scopes_record_is_kept_with_its_point(rig):
    wave = np.arange(5) * 1e-3, np.array([0.0, 1.0, 0.0, -1.0, 0.0])
    steps = PointSteps(replace(rig.bench, scope=lambda: wave), rig.recorder, rig.read_all, rig.wait, lambda **changes: None)
    steps.take(POINT)
    kept = rig.recorder.series("scope", "V")
    assert kept.value.tolist() == wave[1].tolist()
    start, end = events(rig, "point")[0].wave
    assert end - start == pytest.approx(0.004)
    assert kept.time_s[0] == pytest.approx(start)


def test_holding_still_is_within_three_thousandths():
    assert holds_still([(12.0, 1.0), (12.03, 1.002)])
    assert not holds_still([(12.0, 1.0), (12.2, 1.0)])
    assert holds_still([(0.001, 0.0), (0.003, 0.0)])
