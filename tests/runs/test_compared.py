"""What must not be held against each other: a run that did not reach its end, two tests, a mode against another, an answer that is held back."""

from __future__ import annotations

import pytest

from tests.making import METER, by_hand, prepared
from tests.window import keep_discharge
from ubrant.core.equipment.unit import Unit
from ubrant.runs.studies.compare import compared_runs, pair_of

A, B = (Unit(f"Pack {name}", "battery", "50 Ah 12.8 V LiFePO4") for name in "AB")


def stopped(book, unit: Unit, hours: float):
    """2 A for so many hours, taken off by hand at 13 V."""
    plan = prepared("discharge", unit, (METER,), load="2 A", cutoff="11 V", temperature_c="20 °C")
    lines = {0.0: "13.40 V", 60.0: "load on 13.20 V 2.00 A", 1800 * hours: "13.10 V 2.00 A", 3600 * hours: "load off 13.00 V 2.00 A"}
    return by_hand(book, "discharge", plan, lines)[0]


def whole_of(book, hours: float = 5.0):
    return keep_discharge(book, book.keep_unit(A), hours)


def held(book, *runs):
    return pair_of(*compared_runs(book, [run.id for run in runs]))


def test_a_run_that_was_stopped_gives_no_less_than_one_that_reached_its_end(logbook):
    """“Pack B gives 8 Ah less” was said of one that a person took off after an hour."""
    whole, part = whole_of(logbook), stopped(logbook, B, 1.0)
    for pair in (held(logbook, whole, part), held(logbook, part, whole)):
        assert "Pack B did not reach its end: it gave at least 1.967 Ah, and Pack A" in pair.sentence
        assert pair.sentence.endswith("Which of them gives more cannot be told.")
        assert not {"charge", "energy", "duration", "label_share"} & pair.differences.keys()
    assert "Run it to its end" in held(logbook, whole, part).settle


def test_it_gave_more_all_the_same_where_it_did(logbook):
    whole, part = whole_of(logbook, 2.0), stopped(logbook, B, 15.0)
    assert "Pack B gave at least 29.97 Ah" in held(logbook, whole, part).sentence
    assert "more than Pack A" in held(logbook, whole, part).sentence


def test_of_two_that_were_stopped_nobody_can_tell(logbook):
    assert (
        held(logbook, stopped(logbook, A, 2.0), stopped(logbook, B, 1.0)).sentence
        == "Neither reached its end: which of them gives more cannot be told."
    )


def modes(book, name: str, *lines: str):
    plan = prepared("appliance", Unit(name, "load", "12 V, 60 W"), (METER,), modes=", ".join(line.split()[-1] for line in lines), fed="DC")
    return by_hand(book, "appliance", plan, {60.0 * k: line for k, line in enumerate(lines, start=1)})[0]


def test_a_mode_is_held_against_the_one_of_its_name(logbook):
    """By their numbers *low* of the one was held against *standby* of the other."""
    one = modes(logbook, "Fan", "12.0 V 1.00 A low", "12.0 V 3.00 A high")
    other = modes(logbook, "Pump", "12.0 V 0.10 A standby", "12.0 V 2.00 A low", "12.0 V 4.00 A high")
    found = held(logbook, one, other).differences
    assert found["power_1"].difference.value == pytest.approx(12.0)
    assert found["power_2"].difference.value == pytest.approx(12.0)
    assert "power_3" not in found


def test_what_two_tests_say_alike_is_held_against_each_other_and_nothing_else(logbook):
    by_test = by_hand(
        logbook,
        "short-load",
        prepared("short-load", A, (METER,)),
        {60.0: "13.30 V 0.00 A", 75.0: "13.20 V 2.00 A", 100.0: "13.10 V 4.00 A"},
    )[0]
    assert not {"duration", "label_share", "mean_voltage"} & held(logbook, whole_of(logbook), by_test).differences.keys()


def test_what_is_held_back_is_held_against_nothing(logbook):
    asked = modes(logbook, "Fan", "12.0 V 1.00 A low", "12.0 V 50.0 A high")
    other = modes(logbook, "Pump", "12.0 V 2.00 A low", "12.0 V 4.00 A high")
    pair = held(logbook, asked, other)
    assert pair.sentence.endswith("Until that is answered it is held against nothing.")
    assert not pair.differences
