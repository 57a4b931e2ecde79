"""Accuracies as manuals word them."""

import pytest

from ubrant.core.quantities.accuracy import parse_accuracy, show_accuracy
from ubrant.core.quantities.quantity import QuantityError


@pytest.mark.parametrize(
    ("text", "unit", "gain", "zero"),
    [
        ("0.1% + 3 mV", "V", 0.001, 0.003),
        ("±(0,5 % + 5 mA)", "A", 0.005, 0.005),
        ("0.5 % + 3 digits of 10 mA", "A", 0.005, 0.03),
        ("1 % of reading + 0.2 % of 20 A", "A", 0.01, 0.04),
        ("2%", "A", 0.02, 0),
        ("5 mV", "V", 0, 0.005),
        ("0.8% + 2 dgts of 1 mV", "V", 0.008, 0.002),
    ],
)
def test_reads(text, unit, gain, zero):
    found = parse_accuracy(text, unit)
    assert (found.gain, found.zero) == (pytest.approx(gain), pytest.approx(zero))
    assert found.limit(-10) == pytest.approx(10 * gain + zero)


@pytest.mark.parametrize(
    ("text", "unit", "says"),
    [
        ("0.5% + 3 digits", "V", "of what size"),
        ("0.5% + 5 mA", "V", "not understood"),
        ("good", "A", "not understood"),
        ("", "V", "No accuracy"),
    ],
)
def test_refuses_with_an_example(text, unit, says):
    with pytest.raises(QuantityError, match=says) as refusal:
        parse_accuracy(text, unit)
    assert "rite it" in str(refusal.value)
    assert "like “" in str(refusal.value)


def test_writes_it_back():
    assert show_accuracy(parse_accuracy("0.5% + 5 mA", "A")) == "± (0.50 % + 5.0 mA)"


@pytest.mark.parametrize(
    ("text", "gain", "zero"), [("±0.5% ±2 digits of 10 mV", 0.005, 0.02), ("1 % +/- 5 mV", 0.01, 0.005), ("±(0.5 % + 3 mV)", 0.005, 0.003)]
)
def test_a_sign_between_its_terms_is_a_plus(text, gain, zero):
    found = parse_accuracy(text, "V")
    assert (found.gain, found.zero) == pytest.approx((gain, zero))


def test_a_bare_figure_behind_the_percents_is_so_many_digits():
    with pytest.raises(QuantityError, match="Write it like “2 digits of 1 mV”"):
        parse_accuracy("±(0.5%+2)", "V")
