"""Overloads of a breaker on stand-ins, against its curve."""

from __future__ import annotations

import pytest

from tests.making import BENCH, BREAKER, carried_out, prepared, record_for
from ubrant.core.conversion.protection import Overload, parse_curve, trip_findings
from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import method_of

CURVE = "1.05: over 1 h; 1.35: 60 s..30 min; 2: 4 s..60 s"


def test_a_breaker_against_its_curve(logbook):
    _, account, _ = carried_out(logbook, "trip", prepared("trip", BREAKER, (BENCH,), amps="31.5, 45, 90 A", longest="4 min", curve=CURVE))
    assert account.findings["opens_1"].name.endswith("held")
    slow, quick = account.findings["opens_2"].value, account.findings["opens_3"].value
    assert slow == pytest.approx(68, abs=5)  # 60 s × ln(2.25 ÷ (2.25 − 1.25²)) from cold, 71.3 s; a little warm from the step before
    assert quick < slow
    assert 31.5 < account.findings["trip_current"].value < 45


def test_one_that_opens_early(logbook):
    early = Unit("Weak", "lead", "30 A breaker", stand_in={"opens_at": 0.9})
    _, weak, _ = carried_out(logbook, "trip", prepared("trip", early, (BENCH,), amps="29 A", longest="4 min", curve=""))
    assert any("under its rating" in said for said in weak.warnings)


def test_one_that_opens_far_under_its_rating_is_not_within_its_curve():
    lines = {0.0: "31 A", 60.0: "held", 300.0: "4.5 A", 360.0: "tripped"}
    account = method_of("trip").account(record_for("trip", prepared("trip", BREAKER, (BENCH,), amps="31, 45 A", curve=CURVE), lines=lines))
    assert "not as its curve says" in account.sentence
    free = method_of("trip").account(record_for("trip", prepared("trip", BREAKER, (BENCH,), amps="31, 45 A"), lines=lines))
    assert "curve" not in free.sentence  # nobody gave one


def told(*overloads):
    """Of (amps, seconds, opened, seconds since it opened before)."""
    steps = [Overload(amps, lasted, lasted if opened else None, rested_s=rested) for amps, lasted, opened, rested in overloads]
    return trip_findings(steps, 30.0, parse_curve("1.35: 60 s..30 min; 2: 4 s..60 s"))


def test_warm_and_cold_are_two_things():
    """Cold at twice its rating after 24 s, and a minute later after 4: warm, no contradiction, and no second test."""
    found, sentence, said = told((60.0, 24.0, True, None), (60.0, 2.0, True, 60.0))
    assert found["opens_2"].name == "At 60.0 A (2 ×, warm): opens after"
    assert sentence == "Opens at 60.0 A (2 ×) after 24 s; within its curve."
    assert any("opened 12 times as soon as cold, 1 min after it had opened: it was warm" in text for text in said)
    late = told((60.0, 24.0, True, None), (60.0, 2.0, True, 20 * 60.0))
    assert late[1].endswith("not as its curve says."), "cold again after 15 min"


def test_a_warm_one_bounds_no_current():
    held = told((36.0, 1800.0, False, None), (60.0, 24.0, True, None), (40.5, 9.0, True, 90.0))[0]
    assert held["trip_current"].value == pytest.approx(48.0), "between 36 that it held cold and 60 at which it opened cold"
    assert any("40.5 A it was warm" in text for text in told((60.0, 24.0, True, None), (40.5, 9.0, True, 90.0))[2])
