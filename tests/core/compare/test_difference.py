"""Differences with their own ±: what one meter is wrong by in both drops out, what differs does not; what would settle it."""

from __future__ import annotations

import math

import pytest

from tests.making import part
from ubrant.core.compare.difference import Shared, difference_of, would_settle
from ubrant.core.uncertainty.finding import AT_LEAST, Finding

BOTH = Shared(meters=True, zeros=True)


def charge(ah: float, gain: float = 0.002, zero: float = 0.02, noise: float = 0.01) -> Finding:
    parts = (part("current gain", gain * ah), part("current zero", zero), part("noise", noise))
    return Finding("charge", "Charge delivered", ah, "Ah", parts, "")


def test_one_meter_for_both_and_two():
    """Apart: everything in quadrature. Shared: the gain of the difference alone, a quarter of each gain, no zero, both noises."""
    one, other = charge(50.0), charge(35.0)
    apart, shared = difference_of(one, other, Shared()), difference_of(one, other, BOTH)
    assert apart.difference.value == shared.difference.value == pytest.approx(-15.0)
    assert apart.difference.standard_uncertainty == pytest.approx(math.sqrt(0.1**2 + 0.07**2 + 2 * 0.02**2 + 2 * 0.01**2))
    quarter = 0.25 * math.hypot(0.1, 0.07)
    assert shared.difference.standard_uncertainty == pytest.approx(math.sqrt(0.03**2 + quarter**2 + 2 * 0.01**2))
    assert (apart.cancels, shared.cancels) == (False, True)
    zeroed = difference_of(one, other, Shared(meters=True))
    assert zeroed.difference.standard_uncertainty > shared.difference.standard_uncertainty
    assert shared.share.value == pytest.approx(70.0)
    assert shared.share.standard_uncertainty < apart.share.standard_uncertainty


def test_told_apart_or_not_and_what_would_tell():
    assert difference_of(charge(50.0), charge(35.0), BOTH).apart is True
    alike = difference_of(charge(50.0), charge(50.1), Shared())
    assert alike.apart is False
    assert "One meter for both" in would_settle(alike, Shared(), ())
    assert "the same again alike" in would_settle(alike, BOTH, ("rate",))
    assert "nothing to tell" in would_settle(alike, BOTH, ())
    assert would_settle(difference_of(charge(50.0), charge(35.0), BOTH), BOTH, ()) == ""
    close = difference_of(charge(50.0, 0.0001, 0.0, 0.001), charge(50.1, 0.0001, 0.0, 0.001), BOTH, repeat=0.004)
    assert (close.apart, close.within_repeat) == (False, True)
    assert "once or twice more" in would_settle(close, BOTH, ())


def test_what_cannot_be_held_against_each_other():
    bound = Finding("charge", "Charge", 10.0, "Ah", (), "", bound=AT_LEAST)
    other_unit = Finding("energy", "Energy", 10.0, "Wh", (), "")
    bare = Finding("charge", "Charge", 40.0, "Ah", None, "")
    assert difference_of(charge(50.0), bound, BOTH) is None
    assert difference_of(charge(50.0), other_unit, BOTH) is None
    found = difference_of(charge(50.0), bare, BOTH)
    assert (found.apart, found.difference.expanded_uncertainty) == (None, None)


def test_times_are_told_in_minutes_and_doubts_on_one_side_stay_there():
    parts = (part("clock", 10.0),)
    long, short = (Finding("duration", "Duration", s, "s", parts, "") for s in (7200.0, 3600.0))
    assert difference_of(long, short, Shared()).difference.value_text().startswith("−60")
    label = Finding("w", "Watts", 50.0, "W", (), "", sides=(10.0, 0.0))
    sure = Finding("w", "Watts", 45.0, "W", (), "")
    assert difference_of(label, sure, Shared()).apart is False
    assert difference_of(sure, label, Shared()).difference.sides == (10.0, 0.0)
