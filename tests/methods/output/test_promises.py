"""What a display promised, held against what came: hours and percents; what the next promise is worth by those that were kept."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy import stats

from tests.command_line import said
from tests.trials import trial
from tests.window import begin, close, prepare, say_line
from ubrant.core.battery.promises import DisplayPromise, KeptPromise, display_curve, kept_promises, left_where_it_says, still_comes, worth
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.readings import Series
from ubrant.core.record.head import SIMULATED
from ubrant.core.uncertainty.finding import Finding
from ubrant.methods.registry import method_of
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.kept.accounts import account_of_stored

H = 3600.0
HEAD = "method: output\nunit: Hall station\nkind: station\nlabel: 500 Wh\nwatts: 1 % + 1 W\nmeter: Plug meter\nfull: yes\nplan volts: 230 V\nstarted: 2026-11-01 10:00\n\n"
TOO_MANY = (
    "@10:00 load on station 100 % 2.0 h left at 200 W",
    "@10:30 station 75 % 1.5 h left at 200 W",
    "@11:00 station 45 % 0.9 h left at 200 W",
    "@11:25 station 12 % 200 W",
    "@11:30 empty",
)
"""It says a third more than comes: 1.5, 1.0, 0.5 h."""


def kept(*pairs):
    return tuple(KeptPromise(said_h, 0.05, came_h) for said_h, came_h in pairs)


def test_a_promise_is_kept_at_the_watts_of_its_moment():
    """200 W for an hour, then 100 W for two: what was promised at 200 W is judged by the energy that still came, not by the clock."""
    told = (DisplayPromise(0.0, 2.0, 0.05, 200.0), DisplayPromise(H, 2.2, 0.05, 100.0), DisplayPromise(3 * H, 0.1, 0.05, 100.0))
    flowed = np.array([0.0, H, 3 * H]), np.array([0.0, 200.0, 400.0])
    first, second = kept_promises(told, 3 * H, flowed)
    assert (first.came_h, second.came_h) == pytest.approx((400 / 200, 200 / 100))
    by_clock = kept_promises(told, 3 * H, None)
    assert [one.came_h for one in by_clock] == pytest.approx([3.0, 2.0])
    assert kept_promises(told, None, flowed) == (), "it did not end: none is kept"


def test_what_the_next_is_worth():
    """Mean ± t·s·√(1 + 1/n), the prediction interval of a further observation (ISO 16269-8, from memory), where six days were as good as seen that differ by a
    twentieth; hours that were said before have digits."""
    shares = np.array([0.75, 0.8, 0.7, 0.8])
    found = Finding.made("", "", worth([(KeptPromise(100.0, 0.0, 100 * share),) for share in shares]), "", "")
    assert found.value == pytest.approx(shares.mean())
    s = math.sqrt((shares.var() * 4 + 6 * (0.05 * shares.mean()) ** 2) / 9)
    assert found.expanded_uncertainty == pytest.approx(stats.t.ppf(0.5 + 0.9545 / 2, 9) * s * math.sqrt(1.25), rel=1e-3)
    alone = worth([kept((2.0, 1.5), (1.0, 0.75))])
    assert alone.value == pytest.approx(0.75)
    assert alone.u == pytest.approx(math.hypot(0.05 * 0.75 / math.sqrt(3), 0.05 * 0.75 * math.sqrt(2)))
    assert worth([()]) is None


def test_a_display_that_is_off_by_another_share_near_its_end():
    """At 100 % three quarters come of what it says, at 40 % half: at 70 % 62.5 %; of 5 % nobody knows."""
    run = (KeptPromise(2.0, 0.05, 1.5, 100.0), KeptPromise(0.8, 0.05, 0.4, 40.0))
    assert worth([run], 70.0) is None, "thirty points from the next it was heard of"
    assert worth([run], 85.0).value == pytest.approx(0.6875)
    assert worth([run], 30.0).value == pytest.approx(0.5)
    assert worth([run], 5.0) is None
    assert worth([run]).value == pytest.approx(0.625)


def test_hours_that_still_come():
    share = worth([kept((2.0, 1.5), (1.5, 1.125), (1.0, 0.75))])
    assert still_comes(DisplayPromise(0.0, 0.8, 0.05), share).value == pytest.approx(0.6)


def test_a_display_over_what_is_left():
    """It holds on too long: where it says 50, 40 are left."""
    shown, left = np.array([100.0, 80, 60, 40, 20, 5]), np.array([100.0, 75, 50, 30, 13, 2])
    ended = 6 * H
    curve = display_curve(Series(H * np.arange(6), shown), (np.append(H * np.arange(6), ended), np.append(100 - left, 100.0)), ended)
    assert curve.left == pytest.approx(left)
    found = left_where_it_says(curve, 0.5)
    assert found["left_at_50"].value == pytest.approx(40.0)
    assert found["left_at_20"].value == pytest.approx(13.0)
    assert curve.left_at(99.0, 0.5) is not None and curve.left_at(2.0, 0.5) is None, "under its last reading nothing is known"
    middle = curve.left_at(70.0, 0.0)
    assert (middle.value, middle.u) == pytest.approx((62.5, 0.1 * 20 / math.sqrt(3))), (
        "half way between two looks a tenth of the points between them"
    )
    rare = display_curve(Series(H * np.arange(2), np.array([100.0, 10.0])), (np.array([0.0, 2 * H]), np.array([0.0, 90.0])), 2 * H)
    assert "left_at_50" not in left_where_it_says(rare, 0.5), "two looks so far apart say nothing of the middle"


@pytest.fixture
def told(tmp_path):
    def tell(*lines, head=HEAD):
        path = tmp_path / "told.jot"
        path.write_text(head + "\n".join(lines) + "\n", "utf-8")
        return said(str(path))

    return tell


def test_of_the_hours_that_it_says(told):
    answer = told(*TOO_MANY)
    found = answer["findings"]["hours_come"]
    shares = [1.5 / 2.0, 1.0 / 1.5, 0.5 / 0.9]
    assert found["value"] == pytest.approx(100 * np.mean(shares), rel=0.01)
    assert any("It said 2.00 h left, and 1.50 h came: 33 % too much." in line for line in answer["warnings"])


@pytest.mark.parametrize(
    ("change", "why"),
    [(("@11:30 empty", "@11:30 load off"), "stopped"), (("@11:00 station", "@11:00 input 80 W station"), "something came in")],
)
def test_what_was_not_watched_to_its_end_keeps_none(told, change, why):
    found = told(*(line.replace(*change) for line in TOO_MANY))["findings"]
    assert "hours_come" not in found and "told_error" not in found, why


def test_the_next_run_is_told_by_the_one_before(bench_window, qtbot):
    """From an empty logbook, in the window: one emptying, then another, whose display says 1.2 h."""
    window, unit = bench_window, Unit("Hall station", "station", "500 Wh")
    for lines in (TOO_MANY, ()):
        prepare(window, unit, "output", volts="230 V", amps="0.87 A")
        unit = next(one for one in window.bench.logbook.units() if one.name == unit.name)
        begin(window, qtbot)
        for line, after_s in zip(lines, (60.0, 1800.0, 1800.0, 1500.0, 300.0), strict=False):
            say_line(window, qtbot, line.partition(" ")[2], after_s=after_s)
        if lines:
            close(window, qtbot)
    for line in ("load on station 100 % 1.9 h left at 200 W", "station 75 % 1.2 h left at 200 W"):
        say_line(window, qtbot, line, after_s=1800.0)
    qtbot.waitUntil(lambda: "It says 1.2 h left" in window.run.ahead_note.text(), timeout=5000)
    text = window.run.ahead_note.text()
    assert "By what came of what it said before, it is 0.80 ± 0.15 h" in text
    assert "Where it says 75 %, 66.67 ± 0.77 % were left last time." in text


def test_the_truth_is_inside(share):
    """A display whose hours are off by a factor that bends with its percent and is a little other each day; one to five days were watched."""

    def draw(rng):
        factor, bend = rng.uniform(0.5, 1.4), rng.uniform(-0.3, 0.3)

        def day():
            today = factor * (1 + 0.05 * rng.standard_normal())
            percents = np.sort(rng.uniform(10, 100, 6))
            hours = np.maximum(np.round(0.08 * percents, 1), 0.1)
            return tuple(
                KeptPromise(h, 0.05, (0.08 * p) * today * (1 + bend * p / 100), round(p)) for h, p in zip(hours, percents, strict=True)
            )

        watched, next_one = [day() for _ in range(rng.integers(1, 6))], day()[int(rng.integers(2, 6))]
        share = worth(watched, next_one.percent)
        if share is None:
            return {}
        found = Finding.made("hours", "", still_comes(DisplayPromise(0.0, next_one.said_h, 0.05), share), "h", "")
        return {"hours": (found.value - next_one.came_h, found)}

    trial("promises of a display", draw, share)


def test_a_rehearsal_and_a_doubtful_run_tell_nothing_of_a_promise(tmp_path):
    """Only what was measured, and is no question any more, is laid beside a run."""
    path = tmp_path / "told.jot"
    path.write_text(HEAD + "\n".join(TOO_MANY) + "\n", "utf-8")
    record, method = read_file(path, LogOptions()).record(), method_of("output")
    account = account_of_stored(record)

    def runs(other, kept):
        return method.study(account, record, lambda: [(other, kept)]).findings["hours_come"].working

    assert "in 2 runs" in runs(record, account)
    assert "runs" not in runs(record.judged_by(record.head.at(SIMULATED)), account)
    assert "runs" not in runs(record, replace(account, held_back="Cannot be."))
