"""A fixed load, its input stepped: the lowest at which it holds, by words alone."""

from __future__ import annotations

import math

import pytest

from tests.making import METER, STEP_DOWN, problems
from tests.window import begin, close, prepare, typed_row, write_cell
from ubrant.core.conversion.holding import lowest_held
from ubrant.core.quantities.accuracy import parse_accuracy
from ubrant.core.quantities.jot import Grammar
from ubrant.core.quantities.tolerance import Tolerance
from ubrant.core.record.head import Setup
from ubrant.core.record.settled import Try
from ubrant.methods.registry import method_of

ACCURACY = parse_accuracy("0.5 % + 10 mV", "V")


def tried(*rows: tuple[float, str]) -> list[Try]:
    return [Try(k, volts, 0.05, math.nan, fate) for k, (volts, fate) in enumerate(rows)]


def test_it_lies_between_the_last_that_held_and_the_first_that_did_not():
    """Rectangular over the bracket; gain, zero and last digit of the meter beside it: u = √(0.25² + 0.0485² + 0.01² + 0.05²) ÷ √3."""
    found, said = lowest_held(tried((12.8, "runs"), (12.0, "runs"), (10.0, "runs"), (9.5, "falters"), (9.0, "off")), {}, ACCURACY, None)
    assert found is not None and not said
    assert found.value == pytest.approx(9.75)
    assert found.standard_uncertainty == pytest.approx(math.sqrt((0.25**2 + (0.005 * 9.75) ** 2 + 0.01**2 + 0.05**2) / 3))


def test_one_that_held_all_the_way_is_a_bound():
    found, _ = lowest_held(tried((12.8, "runs"), (10.8, "runs")), {}, ACCURACY, None)
    assert found is not None and found.value_text() == "at most 10.8 V"
    found, _ = lowest_held(tried((12.8, "off"), (10.8, "off")), {}, ACCURACY, None)
    assert found is not None and found.value_text() == "at least 12.8 V"


def test_what_holds_lower_down_than_it_failed_does_not_count():
    found, said = lowest_held(tried((12.8, "runs"), (11.0, "falters"), (10.0, "runs")), {}, ACCURACY, None)
    assert found is not None and found.value == pytest.approx(11.9)
    assert "It held at 10 V and not at 11 V" in said[0]


def test_the_heavier_load_decides():
    tries = [
        Try(k, volts, 0.0, math.nan, fate) for k, (volts, fate) in enumerate([(12.0, "runs"), (12.0, "runs"), (9.0, "runs"), (9.0, "off")])
    ]
    found, said = lowest_held(tries, {0: "lamp", 1: "heater", 2: "lamp", 3: "heater"}, None, None)
    assert found is not None and found.value == pytest.approx(10.5)
    assert "it did not with heater" in found.working
    assert not said and found.expanded_uncertainty is None


def test_volts_outside_tolerance_hold_nothing_whatever_was_said():
    rows = [Try(0, 12.0, 0.0, 5.0, "runs"), Try(1, 10.0, 0.0, 4.2, "runs"), Try(2, 11.0, 0.0, 4.9, "")]
    found, _ = lowest_held(rows, {}, ACCURACY, Tolerance(4.75, 5.25))
    assert found is not None and found.value == pytest.approx(10.5)


def test_without_a_word_nothing_is_said():
    assert lowest_held([Try(0, 12.0, 0.0, 5.0, "")], {}, ACCURACY, Tolerance(4.75, 5.25)) == (None, ())


@pytest.mark.parametrize(
    ("line", "mark", "text"),
    [
        ("input 9.2 V falters", "falters", ""),
        ("9.2 V 0.5 A off, smells", "off", "smells"),
        ("9.2 V runs.", "runs", ""),
        ("off for lunch", "", "off for lunch"),
        ("9.2 V runs warm", "", "runs warm"),
        ("runs", "", "runs"),
    ],
)
def test_the_words_stand_behind_readings(line, mark, text):
    jotting = Grammar().parse(line)
    assert jotting is not None and (jotting.mark, jotting.text) == (mark, text)


def test_one_load_at_one_input_is_asked_to_be_stepped():
    method = method_of("sweep")
    prepared = method.by_person(method.prepare(Setup(STEP_DOWN, {"input": METER}), {"hand_inputs": "12 V", "hand_loads": "heater low"}))
    (said,) = [text for refused, text in problems("sweep", prepared) if refused]
    assert "near empty of the battery it will live on, like 12.8, 12, 10.8 V" in said


def test_a_fixed_load_by_hand_without_amperes(bench_window, qtbot):
    """Through the window: volts at the terminals and a word; a word mended; one row left out."""
    window = bench_window
    prepare(window, STEP_DOWN, "sweep", hand_inputs="12.8, 12, 10.8, 9, 8 V", hand_loads="the board itself")
    begin(window, qtbot)
    assert next(row.short for row in window.bench.session.hand.rows) == "12.8 V, the board itself out"
    for line in ("12.79 runs", "12.02 0.35 runs", "10.81 runs", "9.03 runs", "8.01 off"):
        typed_row(qtbot, window, line)
        window.clock.time_s += 60.0
    model = window.run.table.model
    assert [model.data(model.index(k, model.place_of("note"))) for k in range(5)] == ["runs", "runs", "runs", "runs", "off"]
    write_cell(qtbot, window.run.table, 3, "note", "falters, dim")
    window.run.tick()
    assert model.data(model.index(3, model.place_of("note"))) == "falters · dim · was input 9.03 V runs"
    account = close(window, qtbot)
    assert account.answers[0] == "lowest_held"
    assert account.findings["lowest_held"].value == pytest.approx((10.81 + 9.03) / 2)
    assert account.sentence.startswith("Output and load hold down to 9.9 ± 1.0 V")
