"""Certificates and checks by date: what held then, how it ages, what was adjusted; lines of a certificate; limits by temperature."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.making import PACK
from ubrant.core.equipment.certificates import (
    CERTIFICATE,
    MeterCheck,
    certified,
    first_after,
    in_force,
    in_order,
    read_found,
    since_adjusted,
)
from ubrant.core.equipment.meter import Meter, MeterDetails, details_from
from ubrant.core.quantities.accuracy import parse_accuracy, parse_share, parse_standard
from ubrant.core.quantities.jot import Grammar
from ubrant.core.quantities.quantity import QuantityError
from ubrant.core.quantities.readings import Series
from ubrant.core.record.events import Note
from ubrant.core.record.head import BY_HAND, Conditions, Origin, RunHeader, Setup
from ubrant.core.record.jot_text import TimedLine
from ubrant.core.record.record import record_of
from ubrant.core.record.standards import tried


def found(day: str, gain: float = 0.97, zero: float = 0.0, unit: str = "A", **more) -> MeterCheck:
    return MeterCheck(day, "Lab", unit, 10.0, 10 / gain - 10, 0.02, gain, zero, "0.2 % + 5 mA", CERTIFICATE, **more)


def clamp(*checks: MeterCheck, **details) -> Meter:
    return Meter("Clamp", "0.5 % + 10 mV", "2 % + 50 mA", id=3, details=MeterDetails(checks=checks, **details))


def shown(meter: Meter, value: float = 10.0, quantity: str = "A") -> float:
    return float(meter.details.correct(quantity, Series(np.zeros(1), np.array([value]))).value[0])


def test_readings_of_a_date_use_what_held_then():
    meter = clamp(found("2024-05-01", 0.97), found("2025-05-01", 0.95, 0.1))
    assert shown(meter) == 10.0  # without a day it is as its maker says
    assert shown(meter.on("2024-04-30T23:00:00+00:00")) == 10.0
    assert shown(meter.on("2024-05-01T08:00:00+00:00")) == pytest.approx(9.7)
    assert shown(meter.on("2025-04-30")) == pytest.approx(9.7)
    assert shown(meter.on("2026-01-01")) == pytest.approx(0.95 * 10.0 + 0.1)
    assert shown(meter.on("2026-01-01"), quantity="V") == 10.0
    assert [in_force(meter.details.checks, "A", day) for day in ("2023", "2024-06")] == [None, meter.details.checks[0]]
    assert first_after(meter.details.checks, "A", "2024-06").made == "2025-05-01"


def test_it_is_worth_less_with_time_by_its_maker_or_by_what_was_said():
    meter = clamp(found("2024-05-01"))
    gains = [meter.on(day).accuracy("A").gain for day in ("2024-04-30", "2024-05-01", "2024-10-30", "2025-05-01", "2030-01-01")]
    assert gains == pytest.approx([0.02, 0.002, 0.002 + 0.02 * 182 / 365.25, 0.022, 0.022], rel=1e-3)
    assert meter.on("2024-05-01").accuracy("A").zero == pytest.approx(0.005)
    steady = clamp(found("2024-05-01"), drift_a_year=0.001)
    assert steady.on("2026-05-01").accuracy("A").gain == pytest.approx(0.002 + 0.001 * 730 / 365.25)
    unknown = replace(meter, current_accuracy="")
    assert unknown.on("2024-04-01").accuracy("A") is None
    assert unknown.on("2026-05-01").accuracy("A").gain == pytest.approx(0.002)


def test_one_that_was_adjusted_is_corrected_before_and_not_after():
    meter = clamp(found("2024-05-01", 0.97, adjusted=True))
    assert shown(meter.on("2025-01-01")) == 10.0
    assert meter.on("2025-01-01").accuracy("A").gain == 0.02
    assert shown(meter.as_found_later("2024-01-01")) == pytest.approx(9.7)
    assert [c.made for c in since_adjusted((found("2023-01-01"), *meter.details.checks, found("2025-01-01")), "A")] == ["2025-01-01"]


def test_a_zero_read_later_counts_and_one_before_does_not():
    checks = (found("2024-05-01", 0.97, 0.097),)
    assert shown(clamp(*checks, zero_a=0.5, zeroed="2024-01-01T00:00:00+00:00").on("2024-06-01")) == pytest.approx(9.7 + 0.097)
    assert shown(clamp(*checks, zero_a=0.5, zeroed="2024-05-20T00:00:00+00:00").on("2024-06-01")) == pytest.approx(9.5 * 0.97)
    turned = clamp(*checks, reversed=True).on("2024-06-01")
    assert shown(turned, -10.0) == pytest.approx(9.7 + 0.097)


def test_what_older_logbooks_wrote_over_does_not_hold_before_its_day():
    meter = replace(clamp(found("2024-05-01", 0.97), gain_a=0.97, zero_a=0.0), current_accuracy="0.2 % + 5 mA")
    assert shown(meter.on("2024-06-01")) == pytest.approx(9.7)
    assert shown(meter.on("2024-01-01")) == 10.0
    assert meter.on("2024-01-01").accuracy("A") is None


def test_it_is_kept_and_written_plainly():
    meter = clamp(found("2024-05-01", 0.97, 0.05, number="C 12", adjusted=False), drift_a_year=0.001, tempco=1e-4, standard="2.5 V ± 1 mV")
    assert details_from(meter.details.to_json()) == meter.details
    then = meter.on("2025-05-01")
    plain = then.plainly()
    assert plain.details.checks == ()
    assert shown(plain) == pytest.approx(shown(then))
    assert plain.accuracy("A").limit(10.0) == pytest.approx(then.accuracy("A").limit(10.0))
    turned = replace(then, details=replace(then.details, reversed=True))
    assert shown(turned.plainly(), -8.0) == pytest.approx(shown(turned, -8.0))


def test_lines_of_a_certificate():
    made = certified(
        read_found("1.000 V 1.004 V ± 1 mV\n5.000 V 5.016 V ±2 mV\n\n10.000 V 10.031 V 4 mV", "V"), "V", "2026-05-01", "Lab", "C 12"
    )
    assert (made.at, made.off, made.u, made.number) == (5.0, pytest.approx(0.016), 0.002, "C 12")
    assert made.gain == pytest.approx(0.997, abs=2e-4)
    limits = parse_accuracy(made.accuracy, "V")
    for was, read, u in ((1.0, 1.004, 0.001), (5.0, 5.016, 0.002), (10.0, 10.031, 0.004)):
        assert abs(made.gain * read + made.zero - was) < limits.limit(was)
        assert limits.limit(was) >= 0.99 * u * 3**0.5 / 2
    one = certified(read_found("10 A 10.3 A ± 0.05 A", "A"), "A", "2026-05-01", "Lab")
    assert (one.gain, one.zero) == (pytest.approx(10 / 10.3), 0.0)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("10 V 10.02 V", "Line 1: write what there was"),
        ("10 V 10.02 V ± 4", "± 4 V at 10 V? Give it with its unit"),
        ("1 V 1.004 V ± 1 mV\n10 V 10.02 A ± 4 mV", "V"),
        ("10 V 10.02 mV ± 1 mV", "Are both units right"),
        ("10 V 10.02 V ± 0 mV", "Give it with its unit"),
        ("", "Nothing of what was found"),
    ],
)
def test_a_certificate_typed_wrongly_is_refused(text, words):
    with pytest.raises(QuantityError, match=words.replace("?", r"\?")):
        read_found(text, "V")


def record(meter: Meter, *notes: str, room=None, celsius=None):
    lines = [TimedLine(60.0 * k, Grammar().parse(text)) for k, text in enumerate(notes)]
    head = RunHeader("discharge", Setup(PACK, {"battery": meter}), conditions=Conditions(celsius, room_c=room), origin=Origin(BY_HAND))
    return record_of(head, {}, (), lines)


def test_a_room_outside_of_what_accuracies_hold_in_widens_them():
    meter = clamp(tempco=0.001)
    for room, celsius, outside in (
        ((20.0, 26.0), None, 0.0),
        ((5.0, 20.0), None, 13.0),
        ((20.0, 35.0), None, 7.0),
        (None, None, 3.0),
        (None, 40.0, 12.0),
    ):
        assert record(meter, room=room, celsius=celsius).quoted("battery", "A").gain == pytest.approx(0.02 + 0.001 * outside)
    assert record(clamp(), room=(5.0, 10.0)).quoted("battery", "A").gain == 0.02


def test_a_check_standard_before_and_after():
    meter = clamp(standard="2.500 V ± 1 mV")
    assert tried(record(meter)).said == ()
    good = tried(record(meter, "standard 2.501 V", "12.8 V 4 A", "standard: 2.503 V"))
    assert not good.is_off
    assert "2.501, 2.503, as it may" in good.said[0]
    off = tried(record(meter, "standard 2.501 V", "12.8 V 4 A", "standard 2.61 V"))
    assert off.is_off
    assert "showed 2.61 V of its standard of 2.5 V at 2 min" in off.said[0]
    assert "is not understood: write it like “standard 2.5 V”" in tried(record(meter, "standard 2.5 A")).said[0]
    assert "none is kept with the meter" in tried(record(clamp(), "standard 2.5 V")).said[0]
    by_event = record_of(record(meter).head, {}, (Note(3.0, "standard 2.61 V"),), ())
    assert tried(by_event).is_off
    assert tried(record(meter, "standard lamp is on")).said[0].startswith("The note “standard lamp is on”")


def test_a_resistor_of_known_value_as_the_standard():
    meter = clamp(standard="10.00 Ω ± 0.01 Ω")
    assert not tried(record(meter, "standard 5.02 V 0.502 A")).is_off
    assert not tried(record(meter, "standard 5.02 V 0.55 A")).is_off  # 50 mA of zero at half an ampere
    assert tried(record(meter, "standard 50.2 V 5.60 A")).is_off
    assert "write it like “standard 5.02 V 0.502 A”" in tried(record(meter, "standard 5.02 V")).said[0]


@pytest.mark.parametrize("text", ["2.5 V", "2.5 ± 0.1 V", "2.5 V ± 2 V", "x", "2.5 V ± 1"])
def test_a_standard_has_a_value_and_an_uncertainty(text):
    with pytest.raises(QuantityError):
        parse_standard(text)


def test_shares():
    assert (parse_share(""), parse_share("0.1 %"), parse_share("± 0,2%")) == (0.0, 0.001, 0.002)
    for text in ("0.1", "50 %", "-1 %", "x"):
        with pytest.raises(QuantityError):
            parse_share(text)


def test_a_check_of_the_very_moment_is_none_that_came_later():
    checks = (found("2024-05-01"), found("2025-05-01"))
    assert first_after(checks, "A", "2024-05-01").made == "2025-05-01"
    assert first_after(checks, "A", "2025-05-01") is None


@pytest.mark.parametrize(("shown_v", "off"), [("2.527", False), ("2.529", True)])
def test_a_standard_is_held_against_twice_what_both_may_be_off_by(shown_v, off):
    """2·√(((0.5 % of 2.528 V)² + (10 mV)² + (0.5 mV)² + (1 mV)²)/3) = 18.8 mV; the meter shows 9 mV more, from its certificate."""
    meter = clamp(
        MeterCheck("2024-01-01", "Lab", "V", 2.5, 0.0, 0.001, 1.0, -0.009, "0.5 % + 10 mV"), standard="2.500 V ± 1 mV", drift_a_year=1e-9
    )
    assert tried(record(meter.on("2024-02-01"), f"standard {shown_v} V")).is_off is off


def test_of_one_day_what_it_was_left_as_holds_afterwards_and_what_was_found_before():
    left, as_found = found("2024-05-01", 0.999), found("2024-05-01", 0.97, adjusted=True)
    for order in ((left, as_found), (as_found, left)):
        meter = clamp(*in_order(order))
        assert shown(meter.on("2024-06-01")) == pytest.approx(9.99)
        assert shown(meter.as_found_later("2024-04-01")) == pytest.approx(9.7)
