"""Loads as people have them: amperes, watts, resistors with their rating, a thing with its setting."""

from __future__ import annotations

import math

import pytest

from tests.making import METER, STEP_DOWN, problems
from tests.window import begin, close, prepare, typed_row
from ubrant.core.quantities.hand_loads import parse_loads
from ubrant.core.quantities.quantity import QuantityError
from ubrant.core.record.head import Setup
from ubrant.methods.registry import method_of


@pytest.mark.parametrize(
    ("text", "amps", "named"),
    [
        ("0", 0.0, "0 A"),
        ("0.5 A", 0.5, "0.5 A"),
        ("250 mA", 0.25, "0.25 A"),
        ("6 W", 1.2, "6 W"),
        ("10 Ω", 0.5, "10 Ω (2.50 W in it: hot)"),
        ("4.7 Ω 20 W", 5 / 4.7, "4.7 Ω 20 W (5.32 W in it)"),
        ("4.7 ohm 10 W", 5 / 4.7, "4.7 ohm 10 W (5.32 W in it: hot)"),
        ("1k Ω", 0.005, "1k Ω (0.0250 W in it)"),
        ("100 R", 0.05, "100 R (0.250 W in it)"),
        ("; 0.5 A;", 0.5, "0.5 A"),
    ],
)
def test_a_load_as_it_is_written(text, amps, named):
    """Ohm's law at the output's 5 V."""
    (load,) = parse_loads(text, 5.0)
    assert load.amps == pytest.approx(amps)
    assert load.named() == named


def test_a_thing_with_its_setting_takes_what_it_takes():
    nothing, heater = parse_loads("0, heater low", 12.0)
    assert nothing.amps == 0.0
    assert math.isnan(heater.amps)
    assert heater.named() == "heater low"


@pytest.mark.parametrize("text", ["", " , ", "0 Ω", "x", "5 V"])
def test_what_is_no_load_is_refused(text):
    with pytest.raises(QuantityError):
        parse_loads(text, 5.0)


def made(loads: str):
    method = method_of("sweep")
    return method, method.by_person(
        method.prepare(Setup(STEP_DOWN, {"input": METER, "output": METER}), {"hand_inputs": "12 V", "hand_loads": loads})
    )


def test_a_resistor_over_its_rating_is_said_beforehand():
    _, prepared = made("0, 4.7 Ω 2 W, 10 Ω 5 W")
    (said,) = [text for refused, text in problems("sweep", prepared) if "4.7 Ω" in text]
    assert "would take 5.32 W: over its rating" in said
    assert "for how many seconds, keep a hand on the switch, touch no terminals under load" in said
    assert not [text for _, text in problems("sweep", made("0, 10 Ω 5 W")[1]) if "rating" in text]


def test_they_are_typed_again_as_they_were():
    method, prepared = made("0, 4.7 Ω 10 W, heater low")
    assert method.typed(prepared)["hand_loads"] == "0, 4.7 Ω 10 W, heater low"
    assert method.typed(made("0, 0.5, 1 A")[1])["hand_loads"] == "0, 0.5, 1 A"
    kept = method.prepared(method.head(prepared, prepared_origin()))
    assert kept.plan == prepared.plan


def prepared_origin():
    from ubrant.core.record.head import Origin

    return Origin()


def test_a_sweep_with_resistors_and_a_heater_by_hand(bench_window, qtbot):
    """Each step says what to hang on, and whether it gets hot; what a heater takes is known once it was read."""
    window = bench_window
    prepare(window, STEP_DOWN, "sweep", hand_inputs="12 V", hand_loads="0, 10 Ω 5 W, 4.7 Ω 10 W, heater low")
    begin(window, qtbot)
    wanted = [row.short for row in window.bench.session.hand.rows]
    assert wanted == ["12 V, no load", "12 V, 10 Ω 5 W, hot out", "12 V, 4.7 Ω 10 W, hot out", "12 V, heater low out"]
    assert "4.7 Ω 10 W (5.32 W in it: hot) at the output" in window.bench.session.hand.rows[2].text
    for line in ("12.05 0.011 5.061 0", "12.03 0.232 5.055 0.505", "12.00 0.486 5.047 1.071", "11.97 0.951 5.029 2.05"):
        typed_row(qtbot, window, line)
        window.clock.time_s += 60.0
    account = close(window, qtbot)
    assert [key for key in account.findings if key.startswith("efficiency_")] != []
    assert account.findings["peak_efficiency"].value == pytest.approx(100 * 5.047 * 1.071 / (12.0 * 0.486), rel=0.02)
    assert account.taken == 4


@pytest.mark.parametrize("text", ["0,5 A", "0,5,1", "0, 1,5 A"])
def test_a_comma_between_digits_is_asked_about(text):
    """Half an ampere, or none and five of them."""
    with pytest.raises(QuantityError, match="may be one load or two"):
        parse_loads(text, 5.0)


def test_loads_with_points_need_no_room_between_them():
    assert [load.amps for load in parse_loads("0.5,1.25,2 A", 5.0)] == [0.5, 1.25, 2.0]
