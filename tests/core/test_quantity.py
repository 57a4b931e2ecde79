"""Numbers and units, read and written."""

import pytest

from ubrant.core.quantities.quantity import QuantityError, decimals_for, parse_quantity, plain, show, show_duration, show_with


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("11.0 V", "V", 11),
        ("11,5", "V", 11.5),
        ("800 mA", "A", 0.8),
        ("2.2k", "V", None),
        ("1 h", "s", 3600),
        ("5min", "s", 300),
        ("24 000 mAh", "Ah", 24),
        ("-5 °C", "°C", -5),
        ("12.5e-3 V", "V", 0.0125),
        ("41 C", "°C", 41),
    ],
)
def test_reads_values_in_their_unit(text, unit, value):
    if value is None:
        with pytest.raises(QuantityError, match="is not a unit"):
            parse_quantity(text, unit)
    else:
        assert parse_quantity(text, unit) == pytest.approx(value)


def test_a_unit_of_another_kind_is_named():
    with pytest.raises(QuantityError, match="is in V, and a value in A belongs here"):
        parse_quantity("11 V", "A")


def test_the_uncertainty_sets_the_decimals():
    assert show_with(48.8713, 0.2874) == ("48.87", "0.29")
    assert show_with(48.8713, 2.9) == ("48.9", "2.9")
    assert show_with(1234567.0, 13000.0) == ("1\u202f234\u202f567", "13\u202f000")
    assert show_with(0.2, None) == ("0.2000", "")
    assert decimals_for(0.0) == 2


def test_numbers_and_durations_as_people_write_them():
    assert (plain(50.0), plain(12.80), plain(0.045)) == ("50", "12.8", "0.045")
    assert show(-0.3) == "−0.3000"
    assert [show_duration(s) for s in (8.4, 45, 725, 17580, 200000)] == ["8.4 s", "45 s", "12 min 5 s", "4 h 53 min", "2 d 8 h"]


@pytest.mark.parametrize(("text", "celsius"), [("20 C", 20.0), ("20 °C", 20.0), ("68 F", 20.0), ("14 °F", -10.0), ("21 deg C", 21.0)])
def test_degrees_as_people_type_them(text, celsius):
    assert parse_quantity(text, "°C") == pytest.approx(celsius)


def test_degrees_are_meant_of_temperatures_only():
    with pytest.raises(QuantityError):
        parse_quantity("20 C", "A")


@pytest.mark.parametrize("seconds", [8.4, 1800.0, 5400.0, 43_200.0, 90_000.0, 6 * 86_400.0 + 3 * 3600, 14 * 86_400.0])
def test_a_duration_that_is_shown_can_be_typed(seconds):
    assert parse_quantity(show_duration(seconds), "s") == pytest.approx(seconds)


@pytest.mark.parametrize("text", ["30 min 1 h", "1 h 1 h", "1 h 2 V", "h min"])
def test_what_is_no_duration(text):
    with pytest.raises(QuantityError):
        parse_quantity(text, "s")
