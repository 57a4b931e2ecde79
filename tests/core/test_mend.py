"""A slip that leaves no doubt is made what it was, in its own reading alone."""

from __future__ import annotations

import pytest

from ubrant.core.quantities.jot import Grammar
from ubrant.core.record.mend import Mend


def line(text):
    found = Grammar().parse(text)
    assert found is not None
    return found


def test_of_two_alike_only_the_one_at_its_place():
    mend = Mend(0.0, "battery", "A", 4.0, -4.0, frozenset({"battery", ""}))
    made = mend.of(line("charger 13.4 V 4.00 A battery 13.3 V 4.00 A load 8.00 A"))
    assert made.line == "charger 13.4 V 4.00 A battery 13.3 V -4.00 A load 8.00 A"
    assert not mend.is_in(line("charger 4.00 A load 4.00 A"))
    assert mend.is_in(line("13.3 V 4.00 A")), "a place that is not named is its own"


@pytest.mark.parametrize(("shown", "to", "text"), [(81.0, 8.1, "8.1"), (0.82, 8.2, "8.2"), (8200.0, 8.2, "8.2")])
def test_its_digits_stay_as_wide(shown, to, text):
    """81.0 is 0.05 to each side, and so 8.10 is 0.005."""
    before = line(f"input {shown} A")
    mend = Mend(0.0, "input", "A", shown, to)
    (reading,) = mend.of(before).readings
    assert reading.value == to
    assert reading.half_width == pytest.approx(before.readings[0].half_width * to / shown)
    assert mend.text == f"Make it {text} A"


def test_two_digits_that_were_turned_are_as_wide_as_they_were():
    (reading,) = Mend(0.0, "load", "A", 41.3, 14.3).of(line("load 41.3 A")).readings
    assert (reading.value, reading.half_width) == (14.3, pytest.approx(0.05))
