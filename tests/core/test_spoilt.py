"""Sums that a random spoiling found unwatched: each of these turns red for it."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from tests.making import METER, PACK, STEP_DOWN, prepared, record_for
from tests.trust.making import discharge, judged, word
from ubrant.core.battery.fullness import went_dark
from ubrant.core.conversion.appliance import Mode, SupplyMeters, SupplyStep, appliance_findings, supply_efficiency
from ubrant.core.conversion.loss_model import LossModel
from ubrant.core.conversion.sweep import analyse_sweep
from ubrant.core.equipment.unit import Unit
from ubrant.core.gate.steady import CYCLES, course_of
from ubrant.core.meter_checks.display_check import check_display
from ubrant.core.models.cell import Pack, pack_from_label
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.label import parse_label
from ubrant.core.quantities.quantity import parse_quantity
from ubrant.core.quantities.readings import Readings, Series
from ubrant.core.quantities.tolerance import parse_tolerance
from ubrant.core.record.events import Zeroed
from ubrant.core.record.head import RunHeader, Setup
from ubrant.core.record.points import SweepMeters, points_of
from ubrant.core.record.record import record_of
from ubrant.core.record.settled import points_taken
from ubrant.core.record.typed import Widths, of_typed
from ubrant.methods.ratings import read_ratings
from ubrant.methods.registry import method_of


@pytest.mark.parametrize(
    ("words", "seconds"),
    [
        ("ms", 1e-3),
        *((word, 1) for word in ("s", "sec", "secs", "second", "seconds")),
        *((word, 60) for word in ("min", "mins", "minute", "minutes")),
        *((word, 3600) for word in ("h", "hr", "hrs", "hour", "hours")),
        *((word, 86_400) for word in ("d", "day", "days")),
    ],
)
def test_every_word_for_a_time(words, seconds):
    assert parse_quantity(f"2 {words}", "s") == pytest.approx(2 * seconds)


def test_without_accuracies_a_percent_more_out_than_in_is_let_through_and_not_more():
    def swept(too_much: float):
        out = np.array([10.0, 10.0, 10.0, 10.0])
        into = np.array([11.0, 11.0, 11.0, 10.0 / too_much])
        return analyse_sweep(points_of(np.full(4, 10.0), into / 10.0, np.full(4, 5.0), out / 5.0))

    assert not any("more comes out" in w for w in swept(1.008).warnings)
    assert any("more comes out" in w for w in swept(1.012).warnings)


def test_a_meter_that_reads_watts_leaves_the_volts_their_own_uncertainty():
    volts = Accuracy(0.002, 0.0, "V")
    meters = SweepMeters(volts, Accuracy(0.002, 0.0, "A"), Accuracy(0.01, 0.0, "V"), None, Accuracy(0.01, 0.1, "W"))
    points = points_of(np.full(3, 12.0), np.array([1.0, 5.0, 10.0]), np.array([231.0, 230.0, 229.0]), None, np.array([10.0, 50.0, 100.0]))
    found = analyse_sweep(points, meters, parse_tolerance("220..240 V")).findings["headroom"]
    assert found.value == pytest.approx(9.0)
    assert found.standard_uncertainty == pytest.approx(0.01 * 231.0 / math.sqrt(3), rel=0.01)


@pytest.mark.parametrize(("amps", "like"), [(10.5, True), (12.5, False), (7.5, False)])
def test_a_rate_over_ten_percent_off_is_not_like_for_like(tmp_path, amps, like):
    found = judged(tmp_path, discharge(amps=amps), "--full")
    assert (word(found) != "not like for like") == like


def test_widths_of_typed_readings_by_hand():
    """Two hours at 4 A read three times as 4.0: ± 0.05 A all along is 0.1 Ah to each side, rectangular."""
    read = Readings(np.array([0.0, 3600.0, 7200.0]), np.full(3, 12.0), np.full(3, 4.0))
    charge, energy = of_typed(read, Widths(np.zeros(3), np.full(3, 0.05)))
    assert charge.u == pytest.approx(0.1 / math.sqrt(3))
    assert energy.u == pytest.approx(1.2 / math.sqrt(3))
    assert {source.kind for source in charge.parts} == {"digit"}, "nothing lay between them"


@pytest.mark.parametrize(("volts", "amps", "dark"), [(0.1, 0.05, True), (0.1, 1.0, False), (9.0, 0.05, False)])
def test_it_went_dark_where_volts_and_amperes_are_gone(volts, amps, dark):
    time = np.arange(6.0)
    read = Readings(time, np.array([13.0, 12.9, 12.8, volts, volts, volts]), np.array([10.0, 10.0, 10.0, amps, amps, amps]))
    assert went_dark(read, 2) == dark


@pytest.mark.parametrize(("higher", "asked"), [(0.9, False), (1.6, True)])
def test_volts_that_such_a_battery_never_has_are_asked_about(tmp_path, higher, asked):
    """A mean of 13.6 V of four cells may be; of 14.3 V it is another battery."""
    found = judged(tmp_path, [(t, v + higher, a) for t, v, a in discharge()], "--full", cutoff=f"{11 + higher} V")
    assert ("cells have" in found["verdict"]["sentence"]) == asked
    assert word(found) == "cannot tell" or not asked


def test_the_highest_input_it_is_tried_at():
    assert read_ratings(STEP_DOWN).highest_v == pytest.approx(13.8)
    assert read_ratings(Unit("Wide", "converter", "in 8-30V out 5V 3A")).highest_v == 30.0


def test_a_pack_opens_at_too_much_current_and_holds_below():
    made = replace(pack_from_label(parse_label("50 Ah 12.8 V LiFePO4")), protection_a=60.0, protection_s=2.0)
    low, high = Pack(made, 1.0), Pack(made, 1.0)
    for _ in range(10):
        low.step(50.0, 1.0)
        high.step(70.0, 1.0)
    assert (low.tripped, high.tripped) == ("", "overcurrent")


def test_typed_points_keep_the_width_of_their_digits():
    made = prepared("sweep", STEP_DOWN, hand_inputs="12 V", hand_loads="0, 1 A")
    method = method_of("sweep")
    record = record_for(
        "sweep",
        method.by_person(made),
        lines={0.0: "input 12.0 V 0.03 A output 5.05 V 0 A", 9.0: "input 12.0 V 0.48 A output 5.02 V 1.00 A"},
    )
    half = points_taken(record, method.by_person(made).plan.points()).points().half
    assert half["input_v"] == pytest.approx([0.05, 0.05])
    assert half["input_a"] == pytest.approx([0.005, 0.005])
    assert half["output_a"] == pytest.approx([0.005, 0.005])


def test_a_display_judged_by_pairs_that_scatter():
    """Against the covariance of a straight line through them (scipy.stats.linregress, a general-purpose reference)."""
    from scipy.stats import linregress

    shown = np.array([1.0, 2.0, 3.0, 4.0, 5.0])
    metered = 1.02 * shown + np.array([0.01, -0.02, 0.015, -0.01, 0.005])
    line = linregress(shown, metered)
    found = check_display(shown, metered, Accuracy(0.0, 0.0, "V"), 0.001)
    scatter = math.sqrt(float(np.sum((metered - line.slope * shown - line.intercept) ** 2)) / 3)
    at_end = scatter * math.sqrt(1 / 5 + 4 / 10)
    assert found.accuracy.zero == pytest.approx(math.sqrt(3) * math.hypot(at_end, 0.0005 / math.sqrt(3)), rel=1e-3)


def test_amperes_that_were_not_read_carry_no_volt_amperes():
    """20 W at 230 V and nothing about the current is no slip; with 0.05 A it is one."""
    found, warnings = appliance_findings([Mode("on", 230.0, None, 20.0)])
    assert not any("can carry" in w for w in warnings)
    assert found
    _, warnings = appliance_findings([Mode("on", 230.0, 0.01, 60.0), Mode("off", 230.0, 0.2, 30.0)])
    assert any("can carry" in w for w in warnings)


def test_amperes_and_watts_the_wrong_way_round_are_asked_about():
    """51.5 A and 0.39 W are 11 845 VA at a socket that gives 16 A; a motor that idles at 150 VA and 6 W is none of that."""
    found, warnings = appliance_findings([Mode("full", 230.0, 51.5, 0.39), Mode("standby", 231.0, 0.006, 0.5)])
    assert any("the wrong way round" in w for w in warnings)
    assert found["power_1"].name == "standby"
    assert not any("wrong way" in w for w in appliance_findings([Mode("idle", 230.0, 0.65, 6.0)])[1])


def test_digits_of_a_supply_by_hand():
    """72.0 ± 0.05 W in, 19.1 ± 0.05 V and 3.0 ± 0.05 A out: each its share of the efficiency, rectangular."""
    exact = Accuracy(0.0, 0.0, "W"), Accuracy(0.0, 0.0, "V"), Accuracy(0.0, 0.0, "A")
    step = SupplyStep(72.0, 19.1, 3.0, (0.05, 0.05, 0.05))
    found = supply_efficiency("e", "Efficiency", [step], SupplyMeters(*exact), "")
    relative = math.sqrt((0.05 / 72.0) ** 2 + (0.05 / 19.1) ** 2 + (0.05 / 3.0) ** 2)
    assert found.standard_uncertainty == pytest.approx(found.value * relative / math.sqrt(3), rel=1e-9)


def test_a_threshold_is_known_to_half_of_its_bracket():
    """On at 8 V, off at 7 V: 7.5 V, anywhere within half a volt (JCGM 100, 4.3.7)."""
    volts = np.array([12.0, 8.0, 7.0])
    points = points_of(volts, np.array([1.0, 1.5, 0.0]), np.array([5.0, 5.0, 0.0]), np.array([2.0, 2.0, 0.0]))
    exact = SweepMeters(*(Accuracy(0.0, 0.0, u) for u in "VAVA"))
    found = analyse_sweep(points, exact, parse_tolerance("4.75..5.25 V")).findings["shutoff_voltage"]
    assert found.value == pytest.approx(7.5)
    assert found.standard_uncertainty == pytest.approx(0.5 / math.sqrt(3))


def test_bursts_by_whole_periods_scatter_by_their_means():
    """Four periods whose means are 1, 1.2, 1 and 1.2 A of a mean of 1.1: the mean of them is known to s ÷ √4."""
    one = [0.0] * 10
    values = np.array([x for mean in (1.0, 1.2, 1.0, 1.2, 1.0) for x in (*one, *[2 * mean] * 10)])
    course = course_of(np.arange(len(values), dtype=float), values, 0.001)
    assert course.kind == CYCLES
    assert course.periods == 4
    assert course.spread == pytest.approx(float(np.std(np.array([1.0, 1.2, 1.0, 1.2]), ddof=1)) / 1.1 / 2, rel=0.02)


@pytest.mark.parametrize(("zero", "is_one"), [(0.3, True), (6.0, False)])
def test_a_zero_of_volts_that_cannot_be_one_is_not_taken_off(zero, is_one):
    head = RunHeader("discharge", Setup(PACK, {"battery": METER}))
    kept = record_of(
        head, {("battery", "V"): Series(np.array([0.0, 1.0]), np.array([12.8, 12.8]))}, [Zeroed(0.0, "", {"V": zero}, "battery")]
    )
    assert bool(kept.zero_trouble()) == (not is_one)
    assert kept.corrected("battery", "V").value[0] == pytest.approx(12.8 - zero * is_one)


@pytest.mark.parametrize(("volts", "asked"), [(2.9, False), (2.4, True), (15.7, False), (15.9, True)])
def test_single_volts_that_no_such_battery_has_are_asked_about(tmp_path, volts, asked):
    """Under a fifth of 12.8 V, or 8 % over the 3.65 V that a charger stops each of its four cells at."""
    rows = discharge()
    rows[100] = (rows[100][0], volts, rows[100][2])
    found = judged(tmp_path, rows, "--full")
    assert ("are no volts of such a battery" in found["verdict"]["sentence"]) == asked


def test_the_parts_of_a_loss_by_hand():
    """p₀ 1 W, a 0.05, b 0.002 per W at 20 W: 1 W, 1 W, 0.8 W."""
    model = LossModel(1.0, 0.05, 0.002, 0.0, 40.0)
    assert model.parts_w(20.0) == pytest.approx((1.0, 1.0, 0.8))
    assert model.loss_w(20.0) == pytest.approx(2.8)
