"""Column headings taken apart."""

import pytest

from ubrant.logbook.logs.headings import fitting_columns, read_heading


@pytest.mark.parametrize(
    ("text", "quantity", "factor"),
    [
        ("Voltage (V)", "voltage", 1),
        ("U [mV]", "voltage", 1e-3),
        ("current/mA", "current", 1e-3),
        ("Time(s)", "time", 1),
        ("t / min", "time", 60),
        ("Battery Voltage, V", "voltage", 1),
        ("voltage_mV", "voltage", 1e-3),
        ("I", "current", 1),
        ("A", "current", 1),
        ("mA", "current", 1e-3),
        ("Elapsed time [h]", "time", 3600),
        ("Strom (A)", "current", 1),
        ("Timestamp", "time", 1),
        ("Output current - A", "current", 1),
    ],
)
def test_reads(text, quantity, factor):
    found = read_heading(text, 0)
    assert (found.quantity, found.factor, found.trouble) == (quantity, factor, "")


@pytest.mark.parametrize("text", ["Power (W)", "Temperature (C)", "Capacity (Ah)", "Energy [Wh]", "Mode", "R (Ω)", ""])
def test_leaves_alone_what_it_does_not_read(text):
    assert read_heading(text, 0).quantity is None


@pytest.mark.parametrize("text", ["Voltage (A)", "Current (foo)", "Voltage [W]"])
def test_says_what_cannot_be(text):
    assert read_heading(text, 0).trouble


def chosen(quantity: str, *texts: str) -> list[str]:
    return [h.text for h in fitting_columns([read_heading(t, k) for k, t in enumerate(texts)], quantity)]


def test_settings_and_limits_are_not_readings():
    assert chosen("current", "Set current (A)", "Current (A)", "Max current (A)") == ["Current (A)"]


def test_the_batterys_own_tap_comes_first():
    assert chosen("voltage", "load voltage / V", "battery voltage / V") == ["battery voltage / V"]


def test_two_alike_are_for_a_person_to_choose():
    assert chosen("voltage", "V1 (V)", "V2 (V)") == ["V1 (V)", "V2 (V)"]


def test_a_time_with_its_unit_comes_before_a_date():
    assert chosen("time", "Date", "Elapsed (s)") == ["Elapsed (s)"]
