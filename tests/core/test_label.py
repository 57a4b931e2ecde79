"""Labels as people write them."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ubrant.core.quantities.label import LabelError, parse_label


@pytest.mark.parametrize(
    ("text", "ah", "volts", "wh", "chemistry", "series"),
    [
        ("50 Ah 12.8 V", 50, 12.8, 640, "lifepo4", 4),
        ("24000mAh/88.8Wh", 24, 3.7, 88.8, "li-ion", 1),
        ("24 000 mAh 3.7 V", 24, 3.7, 88.8, "li-ion", 1),
        ("24,000mAh 3.7V", 24, 3.7, 88.8, "li-ion", 1),
        ("24.000 mAh 3.7 V", 24, 3.7, 88.8, "li-ion", 1),
        ("4S 3.2V 50Ah LiFePO4", 50, 12.8, 640, "lifepo4", 4),
        ("3,0 Ah", 3.0, None, None, None, None),
        ("12 V 45 Ah lead-acid", 45, 12, 540, "lead-acid", 6),
        ("8 × 1.2 V 2500 mAh NiMH", 2.5, 9.6, 24, "nimh", 8),
        ("2S2P 7.2V 5Ah li-ion", 5, 7.2, 36, "li-ion", 2),
        ("LiFePO4 12,8V 100AH", 100, 12.8, 1280, "lifepo4", 4),
        ("74 Wh 3.7 V", 20, 3.7, 74, "li-ion", 1),
    ],
)
def test_reads_what_labels_say(text, ah, volts, wh, chemistry, series):
    label = parse_label(text)
    assert label.charge_ah == pytest.approx(ah)
    assert label.voltage_v == (pytest.approx(volts) if volts else None)
    assert label.energy_wh == (pytest.approx(wh) if wh else None)
    assert (label.chemistry, label.series) == (chemistry, series)
    assert label.unread == ""


def test_keeps_rate_and_cutoff_of_the_label():
    label = parse_label("12V 45Ah AGM C20 to 10.5V")
    assert (label.rate_c, label.cutoff_v) == (0.05, 10.5)
    assert parse_label("2S 7.2V 5Ah li-ion cut-off 2.75 V/cell").cutoff_v == 5.5
    assert parse_label("50 Ah 12.8 V @ 0.5C").rate_c == 0.5


def test_keeps_both_capacities_of_a_bank():
    label = parse_label("20000mAh 74Wh, output 13 000 mAh 5 V")
    assert (label.charge_ah, label.output_charge_ah, label.output_voltage_v) == (20, 13, 5)


@pytest.mark.parametrize(
    ("text", "asks"),
    [
        ("12 V 45 mAh lead-acid 7 kg", "45 mAh for a 7 kg block? 45 Ah"),
        ("12 V 45 mAh", "was 45 Ah meant?"),
        ("24000 Ah 3.7 V", "was 24000 mAh meant?"),
        ("50 Ah 12.8 V 540 Wh", "640 Wh, but the label says 540 Wh"),
        ("3,0 Ah", "without a voltage is not an energy"),
        ("14 V 50 Ah LiFePO4", "no whole number of iron phosphate cells"),
        ("10000mAh 3.7V output 12000mAh 5V", "More comes out"),
    ],
)
def test_questions_what_cannot_be(text, asks):
    assert any(asks in query for query in parse_label(text).queries)


@pytest.mark.parametrize("text", ["50 Ah 12.8 V 640 Wh", "24000mAh/88.8Wh", "7 kg 12 V 45 Ah lead-acid"])
def test_leaves_sound_labels_alone(text):
    assert parse_label(text).queries == ()


@pytest.mark.parametrize("text", ["", "hello", "12.8 V", "0 Ah 12 V"])
def test_refuses_what_has_no_capacity(text):
    with pytest.raises(LabelError, match=r"like “50 Ah 12\.8 V”"):
        parse_label(text)


def test_ambiguous_voltage_is_not_guessed():
    """12 V could be six lead-acid or ten NiMH cells; 7.2 V two lithium or six NiMH cells."""
    assert parse_label("12 V 45 Ah").chemistry is None
    assert parse_label("7.2 V 3 Ah").chemistry is None


@given(st.text(max_size=40))
def test_any_text_is_read_or_refused_in_a_sentence(text):
    try:
        assert parse_label(text).charge_ah is not None or parse_label(text).energy_wh is not None
    except LabelError as error:
        assert str(error).endswith(".")


@given(st.floats(0.01, 999).map(lambda x: round(x, 2)), st.sampled_from(["mAh", "Ah", " mAh", " Ah"]), st.sampled_from([".", ","]))
def test_every_spelling_of_a_capacity_reads_the_same(value, unit, decimal):
    text = f"{value:.2f}".replace(".", decimal) + unit
    factor = 0.001 if "m" in unit else 1
    assert parse_label(text).charge_ah == pytest.approx(value * factor)


def test_a_label_is_read_once_and_anew_in_another_language():
    from ubrant.core.wording import speak

    text = "50 Ah 12.8 V and some unknown words"
    before = parse_label(text)
    assert parse_label(text) is before
    speak(lambda words: f"«{words}»")
    try:
        assert parse_label(text) is not before
        assert parse_label(text).guesses == tuple(f"«{guess}»" for guess in before.guesses) != ()
    finally:
        speak(str)
    assert parse_label(text) == before


@pytest.mark.parametrize(
    ("text", "volts", "cells"),
    [
        ("100 Ah 12 V LiFePO4", 12.8, 4),
        ("12V 4S 20Ah LiFePO4", 12.8, 4),
        ("24 V 50 Ah LFP", 25.6, 8),
        ("36 V 10 Ah LiFePO4", 38.4, 12),
        ("48 V 16S 50 Ah LiFePO4", 51.2, 16),
        ("12.8 V 100 Ah LiFePO4", 12.8, 4),
        ("25.6 V 100 Ah LiFePO4", 25.6, 8),
        ("48 V 15S 50 Ah LiFePO4", 48.0, 15),
        ("12 V 45 Ah lead-acid", 12.0, 6),
    ],
)
def test_iron_phosphate_is_sold_by_the_volts_that_it_replaces(text, volts, cells):
    """12 V on four cells, 24 V on eight. Common practice, no source."""
    found = parse_label(text)
    assert (found.voltage_v, found.series) == (pytest.approx(volts), cells)
    assert not found.queries
    assert bool(found.guesses) == (volts not in {12.0, 48.0} and f"{volts:g} V" not in text)


def test_other_numbers_of_cells_are_not_renamed():
    found = parse_label("12 V 5S 20 Ah LiFePO4")
    assert (found.voltage_v, found.series, found.guesses) == (12.0, 5, ())
    assert "no whole number" in found.queries[0]


def test_forty_eight_volts_may_be_fifteen_cells_or_sixteen():
    assert "add 15S or 16S" in parse_label("48 V 50 Ah LiFePO4").queries[0]
    assert parse_label("12 V 100 Ah 1200 Wh LiFePO4").queries == ()  # its watt-hours by the volts that it is called
