"""A number that carries what it is off by: against a general-purpose package, through files and workers, from run to run, and drawn."""

from __future__ import annotations

import json
import math
import pickle

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from uncertainties import ufloat, umath

from tests.making import prepared, record_for
from ubrant.core.battery.label_doubt import doubtful
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.record.codec import decode, encode
from ubrant.core.record.errors import errors_of
from ubrant.core.sources.charging import Charged, analyse_charger
from ubrant.core.uncertainty.contributions import told_of
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.perturbed import by_errors, errors_in
from ubrant.core.uncertainty.simulation import Draws
from ubrant.core.uncertainty.sources import ErrorKind, ErrorSource
from ubrant.core.uncertainty.value import (
    Draw,
    Value,
    as_of_run,
    as_read,
    come_true,
    digit,
    exactly,
    mean_of,
    scattered,
    total_of,
    within,
    wrong_by,
)

VOLTS = Accuracy(0.005, 0.02, "V", meter="meter 1", place="battery")
AMPS = Accuracy(0.01, 0.05, "A", meter="meter 1", place="battery")
BIG = st.floats(0.5, 50.0)


@given(BIG, BIG, BIG)
def test_arithmetic_is_that_of_the_uncertainties_package(a, b, c):
    """Shared and own errors through + − × ÷, root, logarithm and power: the ``uncertainties`` package, which follows JCGM 100."""
    shared, own, other = ufloat(0, 0.02 / math.sqrt(3)), ufloat(0, 0.1), ufloat(0, 0.05 / math.sqrt(3))
    x, y, z = a + shared + own, b - 2 * shared, c + other
    theirs = (x * y - z) / (x + z) + umath.sqrt(y + 200) - umath.log(x + 60) + umath.exp(z / 100)
    one, two, three = within(0.02, "shared"), scattered(0.1, "own"), within(0.05, "other")
    x, y, z = a + one + two, b - 2 * one, c + three
    ours = (x * y - z) / (x + z) + (y + 200).root() - (x + 60).log() + (z / 100).exp()
    assert ours.value == pytest.approx(theirs.nominal_value)
    assert ours.u == pytest.approx(theirs.std_dev, rel=1e-9, abs=1e-12)


def test_what_one_meter_is_wrong_by_cancels_in_a_ratio_and_its_zero_does_not():
    ratio = as_read(24.0, VOLTS) / as_read(12.0, VOLTS)
    assert {s.kind for s, u in ratio.parts.items() if abs(u) > 1e-15} == {ErrorKind.ZERO}
    other = Accuracy(0.005, 0.02, "V", meter="meter 2", place="battery")
    assert (as_read(24.0, VOLTS) / as_read(12.0, other)).u > 0.008


def test_two_of_which_nobody_said_what_meters_they_are_share_nothing_where_they_stand_apart():
    """Two columns of a log, two displays without a name: by place, and never from one run to the next."""
    bare = Accuracy(0.01, 0.0, "A")
    apart = as_read(10.0, bare, "input") / as_read(10.0, bare, "output")
    assert apart.u == pytest.approx(math.sqrt(2) * 0.01 / math.sqrt(3))
    first, second = (as_of_run(as_read(10.0, bare), name) for name in ("first", "second"))
    assert (first / second).u == pytest.approx(math.sqrt(2) * 0.01 / math.sqrt(3))


@pytest.mark.parametrize("through", ["pickle", "json"])
def test_identity_outlives_files_and_workers(through):
    """A ratio of two runs that were kept cancels: the meter is the same, wherever its error was last heard of."""

    def kept(value):
        if through == "pickle":
            return pickle.loads(pickle.dumps(value))
        told = json.loads(json.dumps([(encode(source), u) for source, u in value.parts.items()]))
        return Value(value.value, {decode(ErrorSource, source): u for source, u in told})

    one, two = (as_of_run(kept(10.0 + wrong_by(AMPS, 10.0, 0.0)), name) for name in ("one", "two"))
    assert (one / two).u == pytest.approx(math.sqrt(2) * 0.25 * 0.01 / math.sqrt(3)), (
        "all but a quarter of the gain, which is each run's own"
    )


def test_a_zero_that_was_read_anew_is_each_runs_own():
    parts = [as_of_run(as_read(10.0, AMPS), name, zeros=False) for name in ("one", "two")]
    zeros = [u for s, u in (parts[0] - parts[1]).parts.items() if s.kind is ErrorKind.ZERO]
    assert [abs(u) for u in zeros] == pytest.approx([0.05 / math.sqrt(3)] * 2)
    same = [as_of_run(as_read(10.0, AMPS), name) for name in ("one", "two")]
    assert not any(u for s, u in (same[0] - same[1]).parts.items() if s.kind is ErrorKind.ZERO)


def test_without_an_accuracy_there_is_no_doubt_to_state_and_none_is_made_up():
    unknown = as_read(12.0, None)
    assert (unknown * 2 + within(1.0, "x")).parts is None
    assert total_of((exactly(1.0), unknown)).u is None
    assert Finding.made("v", "V", unknown, "V", "").uncertainty_text() == "no ±"


def test_of_many_alike_the_mean_keeps_what_they_share():
    readings = [as_read(10.0, AMPS) + digit(0.05, "A", when=str(k)) for k in range(100)]
    mean = mean_of(readings)
    assert mean.value == pytest.approx(10.0)
    shared = math.hypot(0.1, 0.05)
    assert mean.u == pytest.approx(math.hypot(shared, 0.05 / 10) / math.sqrt(3))


def test_a_reason_is_made_from_its_source():
    """0.5 % of 48.87 Ah is 0.244 Ah, ÷ √3; 5 mA over 4.9 h is 0.0245 Ah, ÷ √3."""
    current = Accuracy(0.005, 0.005, "A", meter="m", place="battery")
    charge = Finding.made("charge", "Charge", 48.87 + wrong_by(current, 48.87, 4.9), "Ah", "")
    lines = charge.budget()
    assert lines[0].startswith("current gain: 0.50 % of 48.87 Ah ÷ √3 → ")
    assert lines[1].startswith("current zero: 5.0 mA × 4.900 h ÷ √3 → ")
    moved = wrong_by(current.moved_to("output"), 48.87, 0.0)
    assert {s.words() for s in moved.parts} == {"one meter's current gain", "output current linearity"}


def test_digits_of_many_readings_are_told_as_one():
    total = total_of(digit(0.05, "A", when=str(k)) for k in range(16))
    (told,) = told_of(Finding.made("x", "X", total, "A", "").contributions)
    assert told.amount == pytest.approx(4 * 0.05 / math.sqrt(3))
    assert told.source.words() == "last digit"


def test_what_comes_in_comes_true_in_a_draw_and_once_for_all():
    def draw(source):
        return 2.0 if source.of == "it" else 0.0

    with come_true(Draw(draw, {})):
        a, b = 10.0 + within(3.0, "it"), 20.0 + within(3.0, "it")
        assert a.value == pytest.approx(10 + 2 * math.sqrt(3))
        assert (b - a).value == pytest.approx(10.0)
        assert as_read(12.0, VOLTS).value == 12.0, "a meter's own errors are drawn in the record"
    assert (10.0 + within(3.0, "it")).value == 10.0


def test_draws_are_even_and_the_same_in_every_order():
    one, two = Draws(512), Draws(512)
    shares = np.array([[one.within(k, n) for k in range(40)] for n in range(512)])
    assert np.std(shares, axis=0) == pytest.approx(np.full(40, 1 / math.sqrt(3)), rel=0.01)
    assert abs(np.corrcoef(shares[:, :12].T) - np.eye(12)).max() < 0.03
    assert [two.within(k, 7) for k in range(40)] == list(shares[7])


def test_a_median_of_rounded_readings_is_in_doubt_although_no_one_of_them_moves_it():
    """Nine readings of 5.0 A: one that is a digit off leaves the middle where it is, all of them together do not. By 2 000 draws with NumPy."""
    shown, half = np.full(9, 5.0), np.full(9, 0.05)
    found = by_errors(lambda v: {"middle": float(np.median(v["A"]))}, {"A": shown}, (), {"A": half})["middle"]
    drawn = np.std(np.median(5.0 + np.random.default_rng(3).uniform(-0.05, 0.05, (2000, 9)), axis=1))
    assert found.u == pytest.approx(drawn, rel=0.2)


def test_of_a_straight_sum_errors_together_do_no_more_than_each_alone():
    found = by_errors(lambda v: {"sum": float(np.sum(v["A"]))}, {"A": np.arange(5.0)}, errors_in(AMPS, "A"), {"A": np.full(5, 0.1)})["sum"]
    assert found.u == pytest.approx(math.sqrt((10 * 0.01) ** 2 + (5 * 0.05) ** 2 + 5 * 0.1**2) / math.sqrt(3))
    assert not any(s.of == "digits together" for s in found.parts)


@pytest.mark.needs("output")
@pytest.mark.parametrize(("power", "moves"), [("", {"V": 0.005, "A": 0.01}), ("1 % + 0.3 W", {"W": 0.01})])
def test_a_counter_is_off_by_what_it_adds_up(power, moves):
    """Wh of a meter that reads watts go by these; of one that does not, by its volts and its amperes; its Ah by the amperes alone."""
    meter = Meter("Plug", "0.5 %", "1 %", details=MeterDetails(power_accuracy=power))
    record = record_for(
        "output", prepared("output", Unit("Bank", "bank", "24 000 mAh / 88.8 Wh"), (meter,)), lines={0.0: "output 1.0 Wh 0.2 Ah"}
    )
    gains = {off.gain for errors in errors_of(record) for (_, quantity), off in errors.items() if quantity == "Wh"}
    assert gains == set(moves.values())
    assert {off.gain for errors in errors_of(record) for (_, q), off in errors.items() if q == "Ah"} == {0.01}
    off = record.off_in_count("output", "Wh", 10.0)
    assert off.u == pytest.approx(10 * math.hypot(*moves.values()) / math.sqrt(3))


def test_doubts_on_one_side_are_independent_of_each_other():
    """A third less by one reason and a quarter less by another is √(⅓² + ¼²) less, and nothing more."""
    found = doubtful("x", "X", exactly(12.0), "Wh", "", lower=(1 / 3, 1 / 4))
    assert found.sides == (pytest.approx(12 * 5 / 12), 0.0)


def test_a_display_that_stands_is_off_by_its_digit_however_often_it_is_read():
    """Ten readings of 4.0 A are 4.0 ± 0.05 A, rectangular: the middle of them is no better than one."""
    volts, amps = np.linspace(12.0, 14.4, 10), np.full(10, 4.0)
    exact = Accuracy(0.0, 0.0, "V"), Accuracy(0.0, 0.0, "A")
    found, _ = analyse_charger(Charged(volts, amps, *exact, {"V": np.full(10, 0.005), "A": np.full(10, 0.05)}), None)
    assert found["set_current"].standard_uncertainty == pytest.approx(0.05 / math.sqrt(3))
