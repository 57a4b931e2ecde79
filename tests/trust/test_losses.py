"""A converter that would lose more than it can carry off: milliamperes were written as amperes."""

from __future__ import annotations

import numpy as np
import pytest

from ubrant.core.conversion.sweep import analyse_sweep
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.record.points import points_of

INTO = np.array([0.031, 0.262, 0.52])


def swept(input_a, input_v=12.0, output_v=5.0, output_a=(0.0, 0.5, 1.0), rated_w=15.0):
    count = len(input_a)
    return analyse_sweep(
        points_of(np.full(count, input_v), np.array(input_a), np.full(count, output_v), np.array(output_a)), rated_w=rated_w
    )


def test_all_of_them_in_milliamperes_are_refused():
    with pytest.raises(ReadingsError, match=r"6240 W in and 5 W out: a converter rated 15 W cannot lose so much"):
        swept(1000 * INTO)


def test_one_of_them_is_left_out_and_said():
    sweep = swept([0.031, 26.2, 0.52])
    assert len(sweep.points) == 2
    assert any("At 1 of 3 points more is lost" in said and "milliamperes" in said for said in sweep.warnings)
    assert sweep.findings["efficiency_1"].value == pytest.approx(100 * 5 / 6.24)


def test_as_many_wrong_as_right_leave_too_few():
    with pytest.raises(ReadingsError, match="cannot lose so much"):
        swept([0.031, 262.0], output_a=(0.0, 0.5))


def test_a_linear_regulator_at_its_rated_load_is_no_slip():
    sweep = swept([0.01, 1.51, 3.01], output_a=(0.0, 1.5, 3.0))
    assert len(sweep.points) == 3
    assert not any("milliamperes" in said for said in sweep.warnings)


def test_a_shorted_output_is_no_slip():
    points = points_of(np.full(4, 12.0), np.array([0.1, 1.4, 2.8, 4.5]), np.array([5.0, 5.0, 5.0, 0.05]), np.array([0.0, 3.0, 3.0, 4.4]))
    assert not any("milliamperes" in said for said in analyse_sweep(points, rated_w=15.0).warnings)


def test_where_the_label_says_nothing_it_is_not_judged():
    assert not any("milliamperes" in said for said in swept(INTO, rated_w=None).warnings)


def test_an_inverter_that_loses_more_than_it_is_rated():
    with pytest.raises(ReadingsError, match="cannot lose so much"):
        swept([6.0, 40.0, 80.0], output_v=230.0, output_a=(0.0, 0.2, 0.4), rated_w=150.0)


def test_a_good_inverter_is_none_though_it_steps_up():
    sweep = swept([0.5, 5.0, 9.5], output_v=230.0, output_a=(0.0, 0.2, 0.4), rated_w=150.0)
    assert len(sweep.points) == 3


def test_most_of_them_wrong_are_refused_though_two_are_left():
    with pytest.raises(ReadingsError, match="cannot lose so much"):
        swept([0.031, 0.262, 520.0, 790.0, 1060.0], output_a=(0.0, 0.5, 1.0, 1.5, 2.0))


def test_ten_times_too_much_at_one_point_is_left_out_at_any_load():
    """12 to 5 V, 0.262 A written as 2.62 A: at a sixth of the rating it would pass 8 %."""
    sweep = swept([0.031, 2.62, 0.52, 1.42], output_a=(0.0, 0.5, 1.0, 2.8))
    assert len(sweep.points) == 3
    assert any("At 1 of 4 points more is lost" in said and "ten times too much" in said for said in sweep.warnings)
    assert sweep.findings["efficiency_1"].value == pytest.approx(100 * 5 / 6.24)


def test_ten_times_too_much_at_all_of_them_is_refused():
    with pytest.raises(ReadingsError, match=r"Look whether the input current is ten times too much"):
        swept(10 * INTO)


@pytest.mark.parametrize(("output_a", "input_a"), [(0.16, 0.25), (0.14, 0.3), (0.3, 0.31)])
def test_a_poor_converter_at_a_small_load_is_no_slip(output_a, input_a):
    """Half an ampere of idle, a load under a twentieth, a linear regulator."""
    sweep = swept([0.11, input_a, 0.55], output_a=(0.0, output_a, 1.0))
    assert len(sweep.points) == 3


def test_an_inverter_at_a_tenth_of_its_rating_that_takes_a_third_for_itself_is_no_slip():
    sweep = swept([0.9, 3.1, 9.0], output_v=230.0, output_a=(0.0, 0.087, 0.35), rated_w=200.0)
    assert len(sweep.points) == 3


@pytest.mark.parametrize("amps", [np.full(7, 1.0), np.array([1.0, 1.003, 0.998, 1.001, 0.0, 0.0005, 1.002])])
def test_one_load_at_many_inputs_is_no_curve(amps):
    """A load that wanders by a thousandth is one load: no idle draw of 454 W, no best of 92 ± 370 %, only what was measured at it."""
    inputs, watts = np.linspace(7.0, 14.0, 7), 5.0 * amps
    into = (watts * 1.09 + 0.1) / inputs
    found = analyse_sweep(points_of(inputs, into, np.full(7, 5.0), amps), rated_w=15.0).findings
    assert all(found[key].value is None for key in ("loss_fixed", "loss_resistive", "peak_efficiency", "half_arrives"))
    each = [f for key, f in found.items() if key.startswith("efficiency_")]
    assert each
    assert all(88 < f.value < 93 for f in each)
