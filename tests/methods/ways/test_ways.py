"""The same load fed in several ways: watts, hours, what each burns; by watts, by percent, by a clock alone; slips."""

from __future__ import annotations

import math

import pytest

from tests.command_line import said, ubrant
from tests.making import prepared, problems, record_for
from tests.trials import trial
from tests.window import begin, close, prepare, say_line
from ubrant.core.battery.label_doubt import held_by_label, measured
from ubrant.core.battery.percent import PercentChange
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.sources.feeding import FeedWay, feeding_findings, power_at, power_read, told_apart
from ubrant.methods.registry import method_of

PLUG = Accuracy(0.01, 0.3, "W")
HEAD = """unit station: 500 Wh 25.6 V
unit blower: 12 V, 40 W
method ways: station -> blower
plan ways: mains socket, 12 V socket

"""
BY_PERCENT = """@09:00 source 97 % mains socket
@13:00 source 51 % mains socket
@13:10 source 51 % 12 V socket
@17:10 source 16 % 12 V socket
"""


def notes(folder, lines: str, head: str = HEAD) -> str:
    path = folder / "ways.jot"
    path.write_text(head + lines, "utf-8")
    return str(path)


def fell(points: float, hours: float, start: float = 95.0) -> PercentChange:
    return PercentChange(start, start - points, 0.5, 0.5, 0.0, 3600 * hours)


def test_by_watts_with_what_the_load_takes():
    """58 W in, 40 W out: 18 W burnt; 500 Wh ÷ 58 W."""
    ways = [
        FeedWay("mains", power_read("source", 58.0, 0.5, PLUG), power_read("load", 40.0, 0.5, PLUG)),
        FeedWay("12 V", power_read("source", 44.0, 0.5, PLUG)),
    ]
    found, _ = feeding_findings(ways, measured(500.0, 20.0))
    assert found["source_power_1"].value == 58.0
    assert found["way_overhead_1"].value == pytest.approx(18.0)
    assert "way_overhead_2" not in found
    assert found["runtime_from_full_1"].value == pytest.approx(500 / 58)
    power_u = 2 * math.sqrt((0.58**2 + 0.3**2 + 0.5**2) / 3)
    assert found["source_power_1"].expanded_uncertainty == pytest.approx(power_u)
    assert found["runtime_from_full_1"].expanded_uncertainty / (500 / 58) == pytest.approx(math.hypot(power_u / 58, 20 / 500))
    assert found["ratio"].value == pytest.approx(58 / 44)


def test_a_meters_gain_cancels_between_ways():
    """The zero of the one plug meter and both last digits are left in the ratio."""
    ways = [FeedWay("a", power_read("source", 60.0, 0.0, PLUG)), FeedWay("b", power_read("source", 30.0, 0.0, PLUG))]
    found, _ = feeding_findings(ways, None)
    zero = 0.3 / math.sqrt(3)
    assert found["ratio"].standard_uncertainty == pytest.approx(abs(zero / 30 - 60 * zero / 30**2))
    assert told_apart(found["ratio"])


def test_by_percent_the_label_cancels_in_hours():
    found, _ = feeding_findings([FeedWay("mains", percent=fell(46, 4))], held_by_label(500.0))
    assert found["source_power_1"].value == pytest.approx(500 * 0.46 / 4)
    assert found["source_power_1"].sides[0] == pytest.approx(0.35 * 57.5)
    assert found["runtime_from_full_1"].value == pytest.approx(400 / 46)
    assert found["runtime_from_full_1"].sides == (0.0, 0.0)
    u = 2 * math.sqrt(2 * (3**2 + 0.5**2) / 3) / 46
    assert found["runtime_from_full_1"].expanded_uncertainty == pytest.approx(u * 400 / 46)


def test_a_display_that_never_moves_is_a_bound():
    """Under ± 5 points in a day: at most 1 W, at least 20 days."""
    found, _ = feeding_findings([FeedWay("12 V", percent=fell(0, 24))], measured(500.0, 0.0))
    points = 2 * math.sqrt(2 * (3**2 + 0.5**2) / 3)
    assert found["source_power_1"].bound == "at most"
    assert found["source_power_1"].value == pytest.approx(500 * points / 100 / 24)
    assert found["runtime_from_full_1"].value_text().startswith("at least 483 h")


@pytest.mark.parametrize(("wh", "hours", "watts"), [(6051.0, 24 + 16 / 60, 249.3), (1500.0, 33.0, 45.45)])
def test_by_a_clock_alone(wh, hours, watts):
    """Common practice, no source: 6.051 kWh in 24 h 16 min are 249 W; 1 500 Wh for 33 h are 45 W."""
    found, _ = feeding_findings([FeedWay("fridge", hours_s=3600 * hours, gave_up=True)], measured(wh, 0.0))
    assert found["source_power_1"].value == pytest.approx(watts, abs=0.1)
    assert found["runtime_from_full_1"].value == pytest.approx(hours)


def test_stopped_with_some_left_is_at_least():
    found, _ = feeding_findings([FeedWay("lamp", hours_s=9 * 3600.0)], held_by_label(100.0))
    assert found["runtime_from_full_1"].value_text() == "at least 9 h"
    assert found["source_power_1"].value_text() == "at most 11.1 W"


def test_volts_times_amperes_straight_from_the_cells():
    made = power_at("source", 13.0, 3.0, (0.005, 0.005), Accuracy(0.005, 0.01, "V"), Accuracy(0.01, 0.01, "A"))
    assert made.value == pytest.approx(39.0)
    found, _ = feeding_findings([FeedWay("straight", made)], None)
    gains = 39 * math.hypot(0.005, 0.01)
    zeros = math.hypot(0.01 * 3, 0.01 * 13, 0.005 * 3, 0.005 * 13)
    assert found["source_power_1"].standard_uncertainty == pytest.approx(math.hypot(gains, zeros) / math.sqrt(3))


def test_a_display_that_shows_nothing_is_blind(tmp_path):
    done = ubrant("analyse", notes(tmp_path, "@09:00 source 0 W mains socket\n"))
    assert "It is blind to so little" in " ".join((done.stdout + done.stderr).split())


def test_notes_by_percent(tmp_path):
    found = said(notes(tmp_path, BY_PERCENT))["findings"]
    assert found["source_power_1"]["value"] == pytest.approx(57.5)
    assert found["source_power_2"]["value"] == pytest.approx(43.75)
    assert found["runtime_from_full_1"]["unit"] == "h"
    assert found["way_overhead_1"]["value"] == pytest.approx(13.75)
    assert found["ratio"]["value"] == pytest.approx(46 / 35)


@pytest.mark.parametrize(
    ("lines", "words"),
    [
        ("@09:00 source 44 W load 58 W\n", "more arrives (58.00 W) than the source gives"),
        ("@09:00 source 51 % mains socket\n@13:00 source 97 % mains socket\n", "the percent rises while it feeds"),
        ("@09:00 source 97 % mains socket\n", "Nothing was read yet"),
        ("@09:00 source -44 W\n", "the meter is the other way round"),
    ],
)
def test_what_cannot_be_is_refused(tmp_path, lines, words):
    done = ubrant("analyse", notes(tmp_path, lines))
    assert words in " ".join((done.stdout + done.stderr).split())


def test_over_midnight_by_its_name(tmp_path):
    lines = "@21:00 source 97 % mains socket\n@01:00 source 51 % mains socket\n"
    assert said(notes(tmp_path, lines))["findings"]["source_power_1"]["value"] == pytest.approx(57.5)


@pytest.mark.parametrize(
    ("window", "words"),
    [
        ("", "write the volts that the device takes"),
        ("10-14 V", "stands at up to 14.6 V, over the 14 V that the device takes"),
        ("12-16 V", "falls to 11 V, under the 12 V"),
        ("10-15 V", ""),
    ],
)
def test_straight_from_the_cells_only_inside_its_window(window, words):
    made = prepared("ways", Unit("Pack", "battery", "12.8 V 50 Ah LiFePO4"), ways="12 V socket, straight", window=window)
    told = " ".join(text for _, text in problems("ways", made))
    assert words in told
    assert bool(told) == bool(words)


def test_the_truth_is_inside(share):
    """300 loads on stations known to ± 3 %, by percent displays that are off by up to 3 points at each end."""

    def draw(rng):
        held, watts, hours = rng.uniform(200, 2000), rng.uniform(10, 120), rng.uniform(4, 24)
        taken = 100 * watts * hours / held
        if not 12 < taken < 85:
            return {}
        shown = [round(true + rng.uniform(-3, 3)) for true in (94.0, 94.0 - taken)]
        stated = held * (1 + rng.normal(0, 0.015))
        found, _ = feeding_findings(
            [FeedWay("a", percent=PercentChange(*map(float, shown), 0.5, 0.5, 0.0, 3600 * hours))], measured(stated, 0.03 * stated)
        )
        power, runtime = found["source_power_1"], found["runtime_from_full_1"]
        return {"power": (power.value - watts, power), "runtime": (runtime.value - held / watts, runtime)}

    trial("ways", draw, share)


def test_through_the_window(bench_window, qtbot):
    """The dock of a tablet fed in two ways, watts off the station's display; a second percent with its way's name."""
    window = bench_window
    window.bench.keep_unit(Unit("Dock", "load", "12 V, 20 W"))
    prepare(window, Unit("Hall station", "station", "500 Wh 25.6 V"), "ways")
    begin(window, qtbot)
    assert [row.short for row in window.bench.session.hand.rows] == ["mains socket", "12 V socket"]
    say_line(window, qtbot, "source 31 W load 19 W")
    say_line(window, qtbot, "source 23 W")
    account = close(window, qtbot)
    assert account.findings["source_power_1"].value == 31.0
    assert account.findings["way_overhead_1"].value == pytest.approx(12.0)
    assert account.findings["ratio"].value == pytest.approx(31 / 23)
    assert "Mains socket: 31" in account.sentence


def test_two_ways_that_draw_the_same_are_named_apart():
    made = prepared("ways", Unit("Station", "station", "500 Wh"), ways="mains socket, 12 V socket")
    found = method_of("ways").account(record_for("ways", made, lines={0.0: "source 30 W", 60.0: "source 30 W"})).findings["ratio"]
    assert (found.name, found.value) == ("mains socket lasts longer than 12 V socket by", 1.0)
