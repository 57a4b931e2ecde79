"""What a spoilt sum would change and nothing else looks at: refusals, edges, defaults."""

from __future__ import annotations

from dataclasses import replace
from types import SimpleNamespace

import numpy as np
import pytest

from tests.making import METER, PACK, prepared, problems, record_for
from ubrant.core.conversion.points import Points
from ubrant.core.conversion.protection import Overload, parse_curve, trip_findings
from ubrant.core.conversion.sweep import _lead
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.jot import Grammar
from ubrant.core.record.events import HeldOn, WentOff, event_from_json
from ubrant.core.record.integrals import totals
from ubrant.core.record.jot_text import line_of
from ubrant.methods.registry import method_of
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
