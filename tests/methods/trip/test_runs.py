"""Overloads of a breaker on stand-ins, against its curve."""

from __future__ import annotations

import pytest

from tests.making import BENCH, BREAKER, carried_out, prepared, record_for
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
