"""When a load is on, as people write it; values with a spread."""

from __future__ import annotations

import numpy as np
import pytest

from ubrant.core.outlook.duty import Duty, parse_duty, parse_load, read_clock
from ubrant.core.outlook.spread import Uncertain, parse_spread, share_of
from ubrant.core.quantities.quantity import QuantityError


@pytest.mark.parametrize(
    ("text", "windows", "share", "period"),
    [
        ("", (), 1.0, None),
        ("always", (), 1.0, None),
        ("40 %", (), 0.4, None),
        ("40 % of the time", (), 0.4, None),
        ("8 of 20 min", (), 0.4, 1200),
        ("8 min of 20 min", (), 0.4, 1200),
        ("30 s every 5 min", (), 0.1, 300),
        ("3 h a day", (), 0.125, None),
        ("6 shots an hour, 20 s each", (), 6 * 20 / 3600, 600),
        ("19:30 to 22:00", ((19.5, 22.0),), 1.0, None),
        ("22:00 to 02:00", ((22.0, 26.0),), 1.0, None),
        ("20:00 to 21:00, 18:00-19:00", ((18.0, 19.0), (20.0, 21.0)), 1.0, None),
        ("18:00 to 20:00, 50 %", ((18.0, 20.0),), 0.5, None),
    ],
)
def test_duties(text, windows, share, period):
    found = parse_duty(text)
    assert found.windows == tuple((a * 3600, b * 3600) for a, b in windows)
    assert found.share.value == pytest.approx(share)
    assert found.period_s == period
    assert parse_duty(found.text()) == Duty(found.windows, found.share, found.period_s) or "shots" in text or "h a day" in text


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("120 %", "between 0 and 100 %"),
        ("30 of 20 min", "more than all"),
        ("30 h a day", "more than all"),
        ("now and then", "is no duty"),
        ("25:10 to 26:00", "no time of day"),
        ("6 shots an hour", "how long each lasts"),
    ],
)
def test_duties_that_cannot_be(text, says):
    with pytest.raises(QuantityError, match=says):
        parse_duty(text)


def test_over_midnight_and_shares_of_a_day():
    night = parse_duty("22:00 to 02:00")
    assert [night.in_window(h * 3600.0) for h in (21, 23, 1, 3)] == [False, True, True, False]
    assert night.day_share == pytest.approx(4 / 24)
    assert parse_duty("").is_always
    assert not parse_duty("40 %").is_always


def test_a_load_in_one_line():
    drawn, unit, duty = parse_load("38 W 40 % of the time")
    assert (drawn.value, unit, duty.share.value) == (38.0, "W", 0.4)
    assert parse_load("800 mA")[:2] == (Uncertain(0.8), "A")
    for text, says in (("38", "is no load"), ("-5 W", "cannot be"), ("38 V", "is no load")):
        with pytest.raises(QuantityError, match=says):
            parse_load(text)


@pytest.mark.parametrize(
    ("text", "value", "u", "low", "high"),
    [
        ("45 W", 45, 0, None, None),
        ("45 ± 3 W", 45, 1.5, None, None),
        ("45+/-3 W", 45, 1.5, None, None),
        ("40..50 W", 45, 0, 40, 50),
        ("~43 W", 43, 0, 38.7, 47.3),
        ("0,5 kW", 500, 0, None, None),
        ("40 to 50 W", 45, 0, 40, 50),
    ],
)
def test_values_with_a_spread(text, value, u, low, high):
    found = parse_spread(text, "W")
    assert (found.value, found.u) == (pytest.approx(value), pytest.approx(u))
    assert (found.low, found.high) == (low, high) if low is None else (pytest.approx(low), pytest.approx(high))


@pytest.mark.parametrize(
    ("text", "says"), [("lots", "is not a value"), ("50..40 W", "smaller value"), ("45 V", "belongs here"), ("62", "has no unit")]
)
def test_odd_spreads_are_refused(text, says):
    with pytest.raises(QuantityError, match=says):
        parse_spread(text, "W")
    assert parse_spread("62", "W", bare=True).value == 62


def test_draws_of_a_spread():
    rng = np.random.default_rng(1)
    assert parse_spread("40..50 W", "W").draw(rng, 4000).std() == pytest.approx(10 / 12**0.5, rel=0.03)
    assert parse_spread("45 ± 3 W", "W").draw(rng, 4000).std() == pytest.approx(1.5, rel=0.05)
    assert parse_spread("45 ± 3 W", "W").times(2.0) == Uncertain(90.0, 3.0)
    assert Uncertain(10.0, 0.0, 6.0, 10.0).standard_u == pytest.approx(2 / 3**0.5)


def test_shares():
    assert [share_of(t).value for t in ("80 %", "0.8", "0,8", "75..85 %")] == pytest.approx([0.8] * 4)
    with pytest.raises(QuantityError, match="between 0 and 100"):
        share_of("140 %")
    assert read_clock("17:30") == 63000
