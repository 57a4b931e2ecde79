"""What a spoilt sum would change and nothing else looks at: bounds, units, what is held back and from where on."""

from __future__ import annotations

import math
import re
from dataclasses import replace

import numpy as np
import pytest

from tests.making import record_for
from tests.methods.samples import SAMPLES
from ubrant.core.battery.device_charge import DeviceRecharge
from ubrant.core.battery.percent import PercentChange
from ubrant.core.battery.verdict import _what_would_settle
from ubrant.core.equipment.certificates import MeterCheck
from ubrant.core.gate.battery_facts import BatteryFacts
from ubrant.core.gate.charged_meanwhile import rises_meanwhile
from ubrant.core.gate.check import objections
from ubrant.core.gate.discharge_checks import BATTERY_CHECKS
from ubrant.core.gate.figures import Doubt, Expected, of_figures, of_volts, room_about, unconfirmed
from ubrant.core.gate.readings import Takes, odd_readings
from ubrant.core.gate.steady import STEP, Course, course_of
from ubrant.core.meter_checks.checks import drifted
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.jot import Grammar
from ubrant.core.quantities.label import parse_label
from ubrant.core.quantities.quantity import unit_factor
from ubrant.core.quantities.readings import Readings, Series
from ubrant.core.record.jot_text import TimedLine
from ubrant.core.record.record import record_of
from ubrant.core.sources.charging import Charged, analyse_charger
from ubrant.core.uncertainty.contributions import coverage_of
from ubrant.core.uncertainty.decision import GUARD, ONCE, as_judged, decided, guard
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST, Finding
from ubrant.core.uncertainty.value import as_read, exactly, scattered, within


@pytest.mark.parametrize(("symbol", "factor"), [("MAh", 1e-3), ("MV", 1e-3), ("MW", 1e6), ("kAh", 1e3), ("mWh", 1e-3)])
def test_a_capital_m_is_milli_where_nobody_has_mega(symbol, factor):
    assert unit_factor(symbol).value == pytest.approx(factor)


def test_a_charger_that_never_falls_gives_at_least_so_many_volts():
    """14.4 V less twice 0.02 V ÷ √3: what its meter may have shown too much."""
    read = Charged(np.array([12.0, 13.0, 14.4]), np.full(3, 5.0), Accuracy(0.0, 0.02, "V"), Accuracy(0.001, 0.0, "A"), {})
    found = analyse_charger(read)[0]["set_voltage"]
    assert (found.bound, found.value) == (AT_LEAST, pytest.approx(14.4 - 2 * 0.02 / math.sqrt(3)))


def check(day: str, off: float, u: float) -> MeterCheck:
    return MeterCheck(day, "Reference", "A", 10.0, off, u, 1.0, 0.0, "1 %")


@pytest.mark.parametrize(("off", "is_out"), [(0.102, False), (0.108, True)])
def test_a_check_is_out_beyond_its_own_doubt(off, is_out):
    """One earlier check at 0.5 % of 10 A: the next is out from 0.5 % plus its own 0.05 A of 10 A on."""
    history = [check("2026-01-01", 0.05, 0.02)]
    assert bool(drifted(history, check("2026-06-01", off, 0.055))) is is_out


def percent(points: float, from_s: float, to_s: float) -> PercentChange:
    return PercentChange(90.0, 90.0 - points, 0.5, 0.5, from_s, to_s)


def test_a_charge_that_the_source_was_not_followed_through_is_a_part():
    device = percent(-80.0, 0.0, 7200.0)
    assert DeviceRecharge(None, device).missed_s == 0.0
    followed = DeviceRecharge(percent(20.0, 0.0, 7200.0 - 419.0), device)
    assert not followed.is_part, "a twentieth of two hours, and a minute"
    assert DeviceRecharge(percent(20.0, 0.0, 7200.0 - 421.0), device).is_part


# what is held back


def figure(value: float, half: float = 0.0, bound: str = "") -> dict[str, Finding]:
    return {"wh": Finding.made("wh", "Given", exactly(value) + within(half, "limit"), "Wh", "", bound=bound)}


@pytest.mark.parametrize(
    ("value", "half", "bound", "held"),
    [
        (4.9, 0.0, "", True),
        (5.1, 0.0, "", False),
        (19.9, 0.0, "", False),
        (20.1, 0.0, "", True),
        (4.9, 0.2, "", False),  # within its ±
        (20.1, 0.2, "", False),
        (4.9, 0.0, AT_LEAST, False),
        (20.1, 0.0, AT_LEAST, True),
        (20.1, 0.0, AT_MOST, False),
        (4.9, 0.0, AT_MOST, True),
    ],
)
def test_a_share_of_a_label_is_held_back_outside(value, half, bound, held):
    """Between half and twice 10 Wh."""
    expected = (Expected("wh", 0.5, 2.0, lambda _: 10.0, "Is it so?"),)
    found = list(of_figures(figure(value, half, bound), expected, None))
    assert [doubt.key for doubt in found] == (["figure-wh"] if held else [])
    assert not held or "% of the 10 Wh on its label" in found[0].sentence


@pytest.mark.parametrize(("volts", "held"), [((10.0, 10.0, 0.1), False), ((7.4, 7.4, 10.0), True), ((12.1, 12.1, 9.0), True), ((), False)])
def test_the_middle_of_the_volts_is_that_of_the_label(volts, held):
    """From 7.5 to 12 V; what stands near zero was off."""
    made = SAMPLES["brick"].prepared("brick", by_hand=True)
    columns = {"load_V": Series(np.arange(len(volts), dtype=float), np.array(volts))} if volts else {}
    record = record_for("brick", made, **columns)
    found = list(of_volts(record, {"output": room_about(10.0, (0.75, 1.2))}, {"load": "output"}))
    assert [doubt.key for doubt in found] == (["volts-output"] if held else [])


def test_what_was_looked_at_is_not_asked_again():
    made = SAMPLES["brick"].prepared("brick", by_hand=True)
    record = record_for("brick", made)
    both = (Doubt("a", "A."), Doubt("b", "B.", "1 V"))
    assert unconfirmed(both, record) == both
    assert [d.question.yes for d in both] == ["It is so", "1 V is so"]


# when it is decided


def test_a_guard_is_wider_than_a_stated_uncertainty():
    sure = Finding.made("x", "x", 100 + scattered(1.0, "noise"), "%", "")
    assert guard(sure) == pytest.approx(GUARD)
    few = Finding.made("x", "x", 100 + scattered(1.0, "noise", 5.5), "%", "")
    assert guard(few) == pytest.approx(GUARD / 2 * coverage_of(5.5))
    assert coverage_of(5.0) > coverage_of(5.5) > coverage_of(6.0) > 2.0
    assert guard(Finding("x", "x", 1.0, "%", None, "")) is None


@pytest.mark.parametrize(("limit", "told"), [(97.7, 1), (97.9, 0), (102.1, 0), (102.3, -1)])
def test_outside_its_guard_it_is_decided(limit, told):
    assert decided(Finding.made("x", "x", 100 + scattered(1.0, "noise"), "%", ""), limit) == told


def test_a_figure_without_a_doubt_is_not_judged_by_repeats():
    bare = Finding("x", "x", 1.0, "%", None, "")
    assert as_judged(bare, ONCE) is bare
    assert decided(bare, 0.0) == 0


# volts that rise while it gives


def typed(*rows: tuple[float, float, float]) -> BatteryFacts:
    time, volts, amps = (np.array(column, float) for column in zip(*rows, strict=True))
    return BatteryFacts(readings=Readings(time, volts, amps), first=0, last=len(rows) - 1, is_typed=True)


@pytest.mark.parametrize(
    ("rows", "rises"),
    [
        (((0, 13.0, 4), (1000, 12.9, 4), (2000, 13.08, 4)), False),  # 1.4 % after a quarter of an hour
        (((0, 13.0, 4), (1000, 12.9, 4), (2000, 13.12, 4)), True),  # 1.7 %
        (((0, 13.0, 4), (800, 13.3, 4), (2000, 12.8, 4)), False),  # 2.3 % within it: it recovers
        (((0, 13.0, 4), (800, 13.45, 4), (2000, 12.8, 4)), True),  # 3.5 %
        (((0, 13.0, 4), (1000, 12.9, 4), (2000, 13.4, 3.7)), False),  # at another current
        (((0, 13.0, 4), (1000, 12.9, 4), (2000, 13.4, 4.1)), True),  # at as good as the same
        (((0, 13.0, 4), (2000, 13.5, 4)), False),  # two rows are no course
    ],
)
def test_typed_volts_do_not_rise_at_the_same_current(rows, rises):
    found = rises_meanwhile(typed(*rows))
    assert (found is not None) is rises
    assert not rises or "it was charged meanwhile, or a digit slipped" in found[0]
    assert rises_meanwhile(replace(typed(*rows), is_typed=False)) is None


def test_the_lowest_row_before_is_named():
    found = rises_meanwhile(typed((0, 13.4, 4), (1000, 13.0, 4), (2000, 12.9, 4), (3000, 13.2, 4)))
    assert "is 13.20 V, higher than the 12.90 V of 16 min 40 s before" in found[0]


# one level, two levels, a slope


def course(values: list[float]) -> Course:
    return course_of(np.arange(len(values), dtype=float) * 10, np.array(values))


def test_a_step_needs_three_readings_at_either_side():
    level = [1.0, 1.01, 0.99, 1.0, 1.01, 0.99]
    assert course([*level, 5.0, 5.01, 4.99]).kind == STEP
    assert course([*level, 5.0, 5.01]).kind != STEP
    assert (course([*level, 5.0, 5.01, 4.99]).first, course([*level, 5.0, 5.01, 4.99]).last) == (0, 8)


def test_what_a_meter_has_to_be_good_to_decides_it():
    """*Good to so many percent*: with such a meter the same run is decided, with one a little worse it is not."""
    share = Finding.made("label_share", "Of label", 104.0 + as_read(104.0, Accuracy(0.05, 0.0, "A")).error(), "%", "")
    told = _what_would_settle(share, ONCE, Finding.made("charge", "Charge", exactly(52.0), "Ah", ""))
    limit = float(re.search(r"good to ([\d.]+) %", told)[1]) / 100

    def word(accuracy: float) -> int:
        better = Finding.made("label_share", "Of label", 104.0 + as_read(104.0, Accuracy(accuracy, 0.0, "A")).error(), "%", "")
        return decided(as_judged(better, ONCE), 100.0)

    assert (word(0.9 * limit), word(1.5 * limit)) == (1, 0)


@pytest.mark.parametrize(("share", "says"), [(300.0, "three times"), (200.0, "twice"), (50.0, "half"), (100 / 3, "a third")])
def test_near_a_fraction_of_its_label_a_slip_is_likelier(share, says):
    found = objections(BATTERY_CHECKS, BatteryFacts(label=parse_label("50 Ah 12 V lead-acid"), share=share, full="said", charge_ah=1.0))
    assert any(o.key == "share" and says in o.sentence for o in found)


def test_a_figure_without_a_doubt_is_held_back_too():
    bare = {"wh": Finding("wh", "Given", 20.5, "Wh", None, "")}
    assert list(of_figures(bare, (Expected("wh", 0.5, 2.0, lambda _: 10.0, "Is it so?"),), None))


def test_the_middle_of_an_even_number_of_others():
    """10.4 V beside 6.5, 6.9, 7.1 and 7.5: their middle is 7.0, and half as much again 10.5."""
    lines = [TimedLine(60.0 * k, Grammar().parse(line)) for k, line in enumerate(("6.5 V", "6.9 V", "10.4 V", "7.1 V", "7.5 V"))]
    made = SAMPLES["brick"].prepared("brick", by_hand=True)
    takes = Takes(steady=((("", "V"),),))
    assert not odd_readings(record_of(record_for("brick", made).head, {}, [], lines), takes, {})
    lines[2] = TimedLine(120.0, Grammar().parse("10.6 V"))
    assert [one.line for one in odd_readings(record_of(record_for("brick", made).head, {}, [], lines), takes, {})] == [2]
