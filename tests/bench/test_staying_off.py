"""Off stays off, or somebody is told: at rest, in a pause, in recovery and after the end, by the meter's second reading. On a clock that is pushed on."""

from __future__ import annotations

import pytest

from tests.bench.test_engine import PlainLine, Rig
from ubrant.bench.afterwards import LOOKS_FOR_S, Afterwards
from ubrant.bench.engine import Order
from ubrant.bench.instruments import Missed
from ubrant.bench.off_watch import OffWatch
from ubrant.bench.orders import Progress
from ubrant.core.battery.ending import Ends
from ubrant.methods.steps import ReadRest, ReadUntil, SwitchLoadOff, SwitchLoadOn

NOTHING = (("battery", "A"),)
EVERY_S = 5.0
A = 1.0
REST_S = 660.0
T = REST_S - 60.0
"""By so much later everything comes than it would after a minute's rest."""
WHEN = ("at rest", "in a pause", "in recovery", "after the end")


class StubbornLine(PlainLine):
    """A load that does not do what it says: ``sticks`` draws on, ``silent`` answers no more; both say *off, 0 A* as long as they answer."""

    sticks = silent = False

    def tell(self, command: str) -> None:
        super().tell(command)
        if command == "INP OFF" and self.sticks:
            self.circuit.draw(self.stuck_a)

    def ask(self, command: str, *, long: bool = False) -> str:
        if self.silent:
            raise Missed("Load did not answer: check its cable.")
        if command == "MEAS:CURR?":  # its own, and not what else the battery gives
            return str(self.set_a if self.is_on else 0.0)
        return super().ask(command, long=long)

    stuck_a = A


class Watched(Rig):
    """A run of rest, load, pause, recovery; then the bench is looked at on. What is said is kept with its time."""

    def __init__(self) -> None:
        super().__init__(soc=1.0)
        self.line = StubbornLine(self.circuit)
        self.load.connection = self.line
        self.said: list[tuple[float, Progress]] = []
        self.kept: list[object] = []
        self.after: Afterwards | None = None
        self.answers_besides = False
        while not self.orders.empty():
            self.orders.get()

    def show(self, progress: Progress) -> None:
        self.said.append((self.clock.now_s(), progress))
        if progress.flows and self.answers_besides:
            self.orders.put(Order.BESIDES)

    def steps(self):
        yield ReadRest(REST_S, EVERY_S, "Resting", (), NOTHING)
        yield SwitchLoadOn(A, 10.0, "Load on")
        yield ReadUntil(Ends().watch(), EVERY_S, 300.0, "Reading", (), NOTHING)
        yield SwitchLoadOff("Load off")
        yield ReadRest(900.0, EVERY_S, "Recovering", (), NOTHING)

    def at(self, moment: float, do) -> None:
        self.clock.at[moment] = do

    def goes(self) -> Progress:
        ended = self.engine.run(self.steps())
        self.after = Afterwards(self.engine._bench, self.engine.staying, self.kept.append, 700.0)
        self.after._update = self._shown(self.after._update)  # type: ignore[method-assign]
        self.after._staying._update = self.after._update
        self.after.run()
        return ended

    def _shown(self, update):
        def shown(**changes: object) -> None:
            update(**changes)
            self.said.append((self.clock.now_s(), self.after.progress))

        return shown

    def alarms(self) -> list[float]:
        return [t for t, progress in self.said if progress.flows]

    def events(self) -> list[str]:
        return [e.kind for e in self.live.events()] + [e.kind for e in self.kept]


def moment_of(when: str) -> float:
    """When the order off was given, or the rest began: a pause is ordered at 150 s."""
    return {"at rest": 0.0, "in a pause": T + 150.0, "in recovery": T + 360.0, "after the end": T + 1260.0}[when]


def paused(rig: Watched, until_s: float) -> None:
    rig.at(T + 149.0, lambda: rig.orders.put(Order.PAUSE))
    rig.at(T + until_s, lambda: rig.orders.put(Order.RESUME))


@pytest.mark.parametrize("when", WHEN)
@pytest.mark.parametrize("after_s", [4.0, 60.0, 600.0])
def test_a_load_that_comes_on_again_is_seen_by_the_second_reading(when, after_s):
    rig = Watched()
    if when == "in a pause":
        paused(rig, 149.0 + after_s + 100.0)
    at = moment_of(when) + after_s + (10.0 if when == "at rest" else 0.0)
    rig.at(at, lambda: rig.circuit.draw(A))
    rig.at(at + 30.0, lambda: rig.circuit.draw(0.0))
    rig.goes()
    assert rig.alarms(), "nobody was told"
    assert at <= rig.alarms()[0] <= at + EVERY_S + 1.0
    assert "still_draws" in rig.events()
    assert rig.said[-1][1].phase == "ended"


@pytest.mark.parametrize("when", WHEN)
def test_a_load_that_says_nothing_and_draws_on_is_seen_by_the_second_reading(when):
    rig = Watched()
    at = moment_of(when)
    if when == "at rest":
        rig.circuit.draw(A / 2)
        rig.line.stuck_a = A / 2
        rig.line.sticks = True
        rig.at(T + 200.0, lambda: setattr(rig.line, "sticks", False))
    else:
        if when == "in a pause":
            paused(rig, 290.0)
        rig.at(at - 1.5, lambda: setattr(rig.line, "sticks", True))
        rig.at(at + 120.0, lambda: (setattr(rig.line, "sticks", False), rig.circuit.draw(0.0)))
        if when == "after the end":
            rig.at(at - 1.0, lambda: rig.circuit.draw(A))
    rig.goes()
    told = rig.alarms() + [t for t, p in rig.said if "at rest, before the load is on" in p.notice]
    assert told, "nobody was told"
    assert min(told) <= at + EVERY_S + 1.0
    assert "still_draws" in rig.events()


@pytest.mark.parametrize("when", WHEN)
def test_one_that_falls_silent_once_it_is_off_is_said_once_and_calmly(when):
    rig = Watched()
    if when == "in a pause":
        paused(rig, 260.0)
    at = moment_of(when) + (20.0 if when == "at rest" else 2.0)
    rig.at(at, lambda: setattr(rig.line, "silent", True))
    rig.at(at + (30.0 if when == "at rest" else 60.0), lambda: setattr(rig.line, "silent", False))
    ended = rig.goes()
    assert not rig.alarms()
    notices = {p.notice for _, p in rig.said if "off" in p.notice}
    assert len(notices) == 1
    assert "had confirmed that it is off" in notices.pop()
    assert ended.ended_by == "step done"


@pytest.mark.parametrize("amps", [-0.5, 0.3])
def test_a_float_charge_and_a_second_consumer_are_no_alarm(amps):
    """A charge from anywhere; a consumer that was there at rest, too."""
    rig = Watched()
    always = rig.circuit.draw
    rig.circuit.draw = lambda value, mode="current": always(value + amps, mode)
    rig.circuit.draw(0.0)
    paused(rig, 260.0)
    rig.goes()
    assert not rig.alarms()
    assert rig.events().count("still_draws") == (1 if amps > 0 else 0), "asked once, at rest"


def test_what_stood_at_rest_and_is_the_load_s_own_is_no_rest():
    """It drew half an ampere before it was told on, and one, not one and a half, afterwards: it is the load, and an alarm once it is told off."""
    rig = Watched()
    rig.circuit.draw(A / 2)
    rig.line.stuck_a, rig.line.sticks = A / 2, True
    rig.at(T + 700.0, lambda: (setattr(rig.line, "sticks", False), rig.circuit.draw(0.0)))
    rig.goes()
    assert T + 360.0 <= rig.alarms()[0] <= T + 360.0 + EVERY_S + 1.0


def test_a_person_says_that_something_else_draws_it():
    rig = Watched()
    rig.answers_besides = True
    rig.at(T + 400.0, lambda: rig.circuit.draw(0.4))
    rig.goes()
    assert rig.events().count("draws_besides") == 1
    assert len({p.notice for _, p in rig.said if p.flows}) == 1
    assert rig.said[-1][1].phase == "ended"


def test_while_it_flows_it_is_read_every_second_and_off_goes_again():
    rig = Watched()
    rig.at(T + 400.0, lambda: (setattr(rig.line, "sticks", True), rig.circuit.draw(A)))
    rig.at(T + 430.0, lambda: setattr(rig.line, "sticks", False))  # the next off is heard
    rig.goes()
    times = rig.live.series("battery", "A").time_s
    assert sum(1 for t in times if T + 406.0 < t < T + 430.0) >= 20
    offs_before = [c for c in rig.line.told if c == "INP OFF"]
    assert len(offs_before) >= 6
    assert rig.alarms()[-1] <= T + 437.0


def test_nothing_is_looked_for_where_current_is_meant():
    rig = Watched()

    def meant():
        yield ReadRest(100.0, EVERY_S, "Reading the idle draw")

    rig.circuit.draw(0.5)
    rig.steps = meant
    rig.goes()
    assert not rig.alarms()
    assert "still_draws" not in rig.events()


def test_for_a_quarter_of_an_hour_and_then_it_is_said():
    assert LOOKS_FOR_S == 900.0
    rig = Watched()
    rig.goes()
    assert rig.after.is_over
    assert "nothing flowed: the instruments are let go" in rig.after.said


@pytest.mark.parametrize(
    ("value", "flowed", "drift", "alarm"),
    [
        (0.049, 1.0, 0.0, False),
        (0.051, 1.0, 0.0, True),
        (0.39, 20.0, 0.0, False),
        (0.41, 20.0, 0.0, True),
        (0.09, 1.0, 0.1, False),
        (0.11, 1.0, 0.1, True),
    ],
)
def test_more_than_what_a_meter_shows_of_nothing(value, flowed, drift, alarm):
    """50 mA, 2 % of what flowed, or by how much its zero moves: the largest of them, above what it showed at rest."""
    watch = OffWatch({("battery", "A"): drift})
    for n in range(5):
        watch.look(("battery", "A"), 0.02, float(n))
    watch.loaded(("battery", "A"), flowed, flowed)
    watch.is_off(10.0)
    watch.look(("battery", "A"), 0.02 + value, 11.0)
    assert (watch.look(("battery", "A"), 0.02 + value, 12.0)[0] is not None) == alarm


def test_a_charge_is_never_a_flow():
    watch = OffWatch()
    for n in range(3):
        watch.look(("battery", "A"), 0.0, float(n))
    watch.loaded(("battery", "A"), 1.0, 1.0)
    watch.is_off(10.0)
    assert [watch.look(("battery", "A"), -2.0, 11.0 + n) for n in range(3)] == [(None, False)] * 3


def test_noise_at_rest_is_no_flow():
    watch = OffWatch()
    for n, value in enumerate((0.0, 0.04, -0.04, 0.04, -0.04)):
        watch.look(("battery", "A"), value, float(n))
    watch.loaded(("battery", "A"), 1.0, 1.0)
    watch.is_off(10.0)
    assert [watch.look(("battery", "A"), 0.12, 11.0 + n)[0] for n in range(2)] == [None, None]
    assert watch.look(("battery", "A"), 0.2, 13.0)[0] is None
    assert watch.look(("battery", "A"), 0.2, 14.0)[0] is not None


def test_what_still_falls_is_not_taken_for_a_flow():
    """Capacitors empty, a meter averages: nothing is said while it comes down."""
    watch = OffWatch()
    watch.loaded(("battery", "A"), 1.0, 1.0)
    watch.is_off(0.0)
    assert [watch.look(("battery", "A"), v, 1.0 + n)[0] for n, v in enumerate((0.8, 0.4, 0.2, 0.1, 0.04))] == [None] * 5


def test_where_the_load_itself_does_not_confirm_a_person_answers_for_it():
    """It flows, and the load's own meter shows it: at the end it is the load that is asked about, not what else draws."""
    rig = Watched()
    rig.line.faults["INP?"] = "1"
    rig.at(T + 400.0, lambda: (setattr(rig.line, "sticks", True), rig.circuit.draw(A)))
    asked: list[Progress] = []
    honest = rig.engine._show

    def show(progress: Progress) -> None:
        honest(progress)
        if progress.phase == "may be on" and not progress.flows:
            asked.append(progress)
            rig.orders.put(Order.DONE)
            rig.line.faults.clear()
            rig.line.sticks = False

    rig.engine._show = show
    rig.line.faults.clear()
    rig.at(T + 1200.0, lambda: rig.line.faults.update({"INP?": "1"}))
    rig.goes()
    assert asked
    assert "Look at the load itself" in asked[0].text
