"""What a spoilt sum would change and nothing else looks at: refusals, edges, defaults."""

from __future__ import annotations

from dataclasses import replace
from types import SimpleNamespace

import numpy as np
import pytest

from tests.making import HUT, METER, PACK, part, prepared, problems, record_for, setup_for, walked
from ubrant.core.conversion.protection import Overload, parse_curve, trip_findings
from ubrant.core.conversion.sweep import _lead
from ubrant.core.conversion.waveform import analyse_wave
from ubrant.core.equipment.unit import Unit
from ubrant.core.models.cell import Pack, pack_from_label
from ubrant.core.quantities.jot import Grammar
from ubrant.core.quantities.readings import Readings
from ubrant.core.record.counters import energy_per_point
from ubrant.core.record.cutoff import Cutoff, find_crossing
from ubrant.core.record.events import HeldOn, WentOff, event_from_json
from ubrant.core.record.integrals import totals
from ubrant.core.record.jot_text import line_of
from ubrant.core.record.points import Points
from ubrant.core.record.power_path import PathNode, watt_hours
from ubrant.core.record.scan import scan
from ubrant.core.uncertainty.finding import Finding
from ubrant.methods.load_steps.method import _held_path
from ubrant.methods.registry import method_of
from ubrant.methods.steps import ReadRest
from ubrant.methods.sweep.method import best_point


def test_what_an_event_does_not_say_is_nothing():
    assert event_from_json(1.0, {"kind": "held"}) == HeldOn(1.0, load=0.0, after_s=0.0)
    assert event_from_json(1.0, {"kind": "went_off"}) == WentOff(1.0, load=0.0, after_s=0.0)


def test_nothing_adds_up_to_nothing():
    empty = np.empty(0)
    assert totals(empty, empty, empty).hours == 0.0


@pytest.mark.parametrize(
    ("line", "again"), [("@14:32 12.9 V 5 A", "12.9 V 5 A"), ("fix 12.8 V 5 A", "12.8 V 5 A"), ("-5min case warm", "case warm")]
)
def test_a_line_without_its_time_is_as_it_was_typed(line, again):
    jotting = Grammar().parse(line)
    assert line_of(jotting) == again


def test_what_cannot_be_begun_is_refused():
    """A label without ampere-hours, a breaker without an overload."""
    without = prepared("trip", Unit("Breaker", "lead", "30 A breaker"), (METER,), amps="31 A")
    assert (True, "A rating and at least one overload are needed.") in problems(
        "trip", replace(without, plan=replace(without.plan, amps=()))
    )
    made = prepared("discharge", PACK)
    nameless = replace(made, setup=replace(made.setup, unit=Unit("Bank", "battery", "88.8 Wh")))
    said = problems("discharge", nameless)
    assert any(refused for refused, text in said), said


@pytest.mark.parametrize(
    ("opened_s", "says"), [(3.2, "sooner than"), (3.7, "within"), (60.5, "within"), (61.3, "later than"), (59.0, "within")]
)
def test_a_breaker_at_the_edge_of_its_curve_within_the_timing_is_inside(opened_s, says):
    """Band 4 to 60 s, looked at every second: 2 × 0.5 s ÷ √3 to both sides decide nothing."""
    _, sentence, warnings = trip_findings([Overload(60.0, opened_s, opened_s)], 30.0, parse_curve("2: 4 s..60 s"))
    told = " ".join((sentence, *warnings))
    assert says in told
    assert ("than the" in told) == (says != "within")


@pytest.mark.parametrize(("spread", "found"), [(0.19, False), (0.21, True), (0.25, True)])
def test_leads_need_currents_a_fifth_apart(spread, found):
    amps = np.array([10.0, 10.0 * (1 - spread), 10.0 * (1 - spread / 2)])
    volts, nothing = 12.0 - 0.02 * amps, np.zeros(3)
    slope, _ = _lead(Points(volts, amps, nothing + 5.0, amps, amps * 5, np.full(3, 12.0)))
    assert (slope is not None) == found
    if found:
        assert slope == pytest.approx(0.02)


def swept(efficiency, in_tolerance):
    return SimpleNamespace(efficiency=np.array(efficiency), in_tolerance=np.array(in_tolerance))


def test_the_best_point_is_one_within_tolerance_where_there_is_one():
    assert best_point(swept([80.0, 95.0, 90.0], [True, False, True])) == 2
    assert best_point(swept([80.0, 95.0, 90.0], [False, False, False])) == 1
    assert best_point(swept([np.nan, np.nan], [True, True])) == 0


@pytest.mark.parametrize(("readings", "counted"), [(1, False), (2, True), (3, True)])
def test_a_counter_counts_from_two_readings_on(readings, counted):
    lines = {600.0 * k: f"12.{9 - k} V 5 A {0.83 * k:.2f} Ah" if k < readings else f"12.{9 - k} V 5 A" for k in range(5)}
    account = method_of("discharge").account(record_for("discharge", prepared("discharge", PACK), lines={0.0: "load on", **lines}))
    assert any("count" in key for key in account.findings) == counted


def sine(lengths, per_s=20_000.0, volts=325.0):
    """A sine whose cycles have these lengths in s."""
    ends = np.concatenate(([0.0], np.cumsum(lengths)))
    time = np.arange(0.0, ends[-1], 1 / per_s)
    k = np.clip(np.searchsorted(ends, time, side="right") - 1, 0, len(lengths) - 1)
    return time, volts * np.sin(2 * np.pi * (time - ends[k]) / np.asarray(lengths)[k])


def test_a_frequency_that_wanders_is_less_sure_by_the_root_of_its_cycles():
    """Cycles of 19 and 21 ms in turn: their frequencies lie about 2.6 Hz around 50, over eight whole ones."""
    lengths = [0.019, 0.021] * 5
    found = analyse_wave(*sine(lengths)).findings["frequency"]
    (steady,) = [c for c in found.contributions if c.source.of == "steadiness"]
    cycles = len(lengths) - 2
    between = [1 / one for one in lengths[1 : 1 + cycles]]
    assert steady.amount == pytest.approx(np.std(between, ddof=1) / cycles**0.5, rel=0.15)


@pytest.mark.parametrize(("low", "high", "clipped"), [(-1.0, 1.0, False), (-0.9, 0.9, True)])
def test_tops_that_are_cut_off_are_seen(low, high, clipped):
    time, volts = sine([0.02] * 5)
    found = analyse_wave(time, np.clip(volts, 325 * low, 325 * high) + 1e-4 * np.sin(1e4 * time) * (abs(volts) < 250))
    assert any("looks clipped" in said for said in found.warnings) == clipped


@pytest.mark.parametrize(("percent", "asked"), [("0 %", False), ("0.5 %", False), ("100 %", False), ("101 %", True), ("-1 %", True)])
def test_a_percentage_lies_between_0_and_100(percent, asked):
    jotting = Grammar().parse(f"bank {percent}")
    assert bool(Grammar().queries(jotting)) == asked


def test_watt_hours_a_point_have_a_doubt_only_where_both_have():
    known = Finding("energy", "Energy", 50.0, "Wh", (part("gain", 1.0),), "")
    points = Finding("points", "Points", 25.0, "", (part("step", 0.5),), "")
    assert energy_per_point(known, points).expanded_uncertainty == pytest.approx(2 * 2.0 * np.hypot(0.02, 0.02))
    assert energy_per_point(known, replace(points, contributions=None)).expanded_uncertainty is None
    assert energy_per_point(replace(known, contributions=None), points).expanded_uncertainty is None


def test_a_load_that_was_never_read_meanwhile_got_nothing():
    nodes = tuple(PathNode(kind, kind) for kind in ("battery", "leads", "load"))
    load = Readings(np.array([0.0, 10.0]), np.full(2, 12.0), np.full(2, 5.0))
    path = watt_hours(nodes, 100.0, 1.0, load, (100.0, 200.0), ("a", "b"))
    assert path.flows[-1].amount == 0.0


def test_how_it_fell_is_taken_from_the_last_five_steps():
    """Volts that bend: the load went off at 11.2 V, and by the slope of the last five steps it would have been at 11 V 10 s later."""
    fall = np.array([0.5, 0.5, 0.02, 0.02, 0.02, 0.02, 0.02])
    volts = np.concatenate(([11.2 + fall.sum()], 11.2 + fall.sum() - np.cumsum(fall)))
    readings = Readings(10.0 * np.arange(9), np.append(volts, 12.5), np.append(np.full(8, 5.0), 0.0))
    found = find_crossing(scan(readings), Cutoff(11.195), 0, 7, 0.1)
    assert found is not None
    assert found.time_s == pytest.approx(70.0 + 0.005 / 0.002)


def test_a_line_is_kept_as_it_was_written_as_long_as_it_says_the_same():
    assert line_of(Grammar().parse("@14:32 12.90 V, 5.0 A; case warm")) == "12.90 V, 5.0 A; case warm"


@pytest.mark.parametrize(("every", "resting"), [("0.2 s", 1.0), ("4 s", 4.0), ("60 s", 10.0)])
def test_a_rest_is_read_every_second_to_every_ten(every, resting):
    made = prepared("discharge", PACK, every=every, rest_after="600 s")
    steps = [step for step in walked(method_of("discharge").steps(made)) if isinstance(step, ReadRest)]
    assert steps[-1].every_s == resting
    cycles = {"charge": "in cycles", "charge_a": "2 A", "charge_v": "14.4 V", "charge_end": "0.2 A", "cycles": "2", "stop_share": ""}
    made = prepared("discharge", PACK, every=every, rest_after="600 s", **cycles)
    between = [s for s in walked(method_of("discharge").steps(made)) if isinstance(s, ReadRest) and s.text.startswith("Rest 10 min")]
    assert [step.every_s for step in between] == [resting]


def test_a_small_loss_over_a_held_load_is_drawn_as_it_is():
    held = {key: Finding(key, key, value, "Wh", None, "") for key, value in (("held_in", 10.2), ("held_out", 9.9))}
    path = _held_path(setup_for("steps", HUT), held)
    assert path.loss_amounts == pytest.approx((0.0, 0.3, 0.0))
    assert path.losses[1] == "0.300 Wh lost"
    over = _held_path(setup_for("steps", HUT), {**held, "held_out": replace(held["held_out"], value=11.0)})
    assert over.loss_amounts[1] == 0.0


@pytest.mark.parametrize(("when", "share"), [("before", 0.3), ("after", 1.0), ("", 1.0)])
def test_a_battery_that_is_charged_first_begins_at_a_third(when, share):
    fields = {"charge": when, "charge_a": "2 A", "charge_v": "14.4 V", "charge_end": "0.2 A"} if when else {}
    made = prepared("discharge", PACK, **fields)
    assert method_of("discharge").scene(made).full_share == share
    rest_v = Pack(pack_from_label(made.setup.label), share).open_circuit_v()
    assert method_of("discharge").expect(made).readings.voltage_v[0] == pytest.approx(rest_v, abs=0.02)
