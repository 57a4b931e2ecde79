"""Runtime and size."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ubrant.core.battery.outlook import Outlook, Width, left_over_time, parse_width, runtime, sentence, to_buy, what_buys_time
from ubrant.core.quantities.quantity import QuantityError

PACK = Outlook(640.0, 2.0, "measured", Width(60.0))


@pytest.mark.parametrize(
    ("text", "value", "half"),
    [
        ("45 W", 45, 0),
        ("45 ± 3 W", 45, 3),
        ("45+/-3 W", 45, 3),
        ("40..50 W", 45, 5),
        ("~43 W", 43, 4.3),
        ("0,5 kW", 500, 0),
        ("40 to 50 W", 45, 5),
        ("62", 62, 0),
    ],
)
def test_values_with_a_width(text, value, half):
    found = parse_width(text, "W")
    assert (found.value, found.half) == (pytest.approx(value), pytest.approx(half))


@pytest.mark.parametrize("text", ["lots", "50..40 W", "45 V", "45 ± W"])
def test_odd_widths_are_refused(text):
    with pytest.raises(QuantityError):
        parse_width(text, "W")


def test_energy_over_what_is_drawn():
    """640 Wh ÷ (60 W ÷ 0.8 + 5 W) = 8 h; with a tenth kept back 7.2 h; with 40 W coming in 16 h."""
    through = replace(PACK, efficiency=Width(0.8), idle_w=Width(5.0))
    assert runtime(through).value == pytest.approx(8.0)
    assert runtime(replace(through, kept_back=0.1)).value == pytest.approx(7.2)
    assert runtime(replace(through, kept_back_wh=80.0)).value == pytest.approx(7.0)
    assert runtime(replace(through, input_w=Width(40.0))).value == pytest.approx(16.0)
    assert "60.0 W ÷ 0.8 + 5.00 W idle = 80.00 W out of the source" in runtime(through).working[0]


def test_as_much_in_as_out_is_without_end():
    answer = runtime(replace(PACK, input_w=Width(60.0)))
    assert (answer.value, sentence(answer)) == (None, "Runs on for as long as the input lasts.")


def test_size_is_the_runtime_turned_round():
    through = replace(PACK, efficiency=Width(0.8), idle_w=Width(5.0), kept_back=0.1)
    hours = runtime(through).value
    assert to_buy(through, hours).value == pytest.approx(640.0)
    assert to_buy(replace(through, bought_share=0.8), hours).value == pytest.approx(800.0)
    assert "Buy" in sentence(to_buy(through, 5.0))


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"efficiency": Width(1.2)}, "up to 100 %"),
        ({"efficiency": Width(0.0)}, "above 0"),
        ({"load_w": Width(-1.0)}, "load of −1 W"),
        ({"load_w": Width(0.0)}, "Nothing is drawn"),
        ({"kept_back": 1.0}, "keep less back"),
    ],
)
def test_what_cannot_be_is_said(changes, says):
    with pytest.raises(QuantityError, match=says):
        runtime(replace(PACK, **changes))


def test_what_buys_time_is_sorted_and_true():
    through = replace(PACK, efficiency=Width(0.8), idle_w=Width(5.0), kept_back=0.1)
    gains = what_buys_time(through)
    assert [g for _, g in gains] == sorted((g for _, g in gains), reverse=True)
    assert dict(gains)["Straight from the source, no converter"] == pytest.approx(640 * 0.9 / 60 - 7.2)


@given(st.floats(5, 500), st.floats(0.3, 1.0), st.floats(0, 20), st.floats(0, 0.5))
def test_the_line_drawn_ends_where_the_answer_says(load, efficiency, idle, kept):
    outlook = replace(PACK, load_w=Width(load), efficiency=Width(efficiency), idle_w=Width(idle), kept_back=kept)
    answer = runtime(outlook)
    hours, left, low, high = left_over_time(outlook)
    assert outlook.energy_wh - outlook.drain_w * answer.value == pytest.approx(640 * kept, abs=1e-6)
    assert all(a <= b <= c for a, b, c in zip(low, left, high, strict=True))
    assert hours[-1] >= answer.value
