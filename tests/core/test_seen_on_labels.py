"""Labels as they were seen, and what was made of them wrongly."""

from __future__ import annotations

import pytest

from ubrant.core.quantities.label import parse_label


@pytest.mark.parametrize(
    "text", ["12 V 45 Ah lead-acid, 400 A for 3 s", "12 V 45 Ah lead-acid 400 A for 3s", "12 V 45 Ah lead-acid, 3 s 400 A"]
)
def test_seconds_are_no_cells(text):
    label = parse_label(text)
    assert (label.charge_ah, label.voltage_v, label.series) == (45.0, 12.0, 6)


@pytest.mark.parametrize(
    ("text", "series", "parallel"),
    [("4S 3.2 V 50 Ah LiFePO4", 4, None), ("4s2p 3.2V 50Ah LiFePO4", 4, 2), ("10 S 36 V 10 Ah Li-ion", 10, None)],
)
def test_cells_are_cells(text, series, parallel):
    label = parse_label(text)
    assert (label.series, label.parallel) == (series, parallel)


def test_the_volts_of_a_socket_are_not_those_of_what_is_inside():
    label = parse_label("520 Wh, 110 V 500 W")
    assert (label.energy_wh, label.charge_ah, label.voltage_v) == (520.0, None, None)
    assert any("what its sockets give" in guess for guess in label.guesses)


def test_a_string_of_high_volts_with_its_ampere_hours_stays():
    assert parse_label("120 V 20 Ah lead-acid").voltage_v == 120.0
