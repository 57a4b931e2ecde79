"""What switched it off, where a tolerance counts, and what a label says."""

from __future__ import annotations

import pytest

from tests.command_line import said, ubrant
from tests.trust.making import METER, discharge, judged, notes, value, word, write
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.label import LabelError, parse_label
from ubrant.methods.ratings import read_ratings

HEAD = "time (s),input voltage (V),input current (A),output voltage (V),output current (A)"


def points(loads=(0.0, 0.5, 1.0, 2.0, 3.0), volts=(12.0,), cut=0.0, scale=1.0):
    rows, t = [], 0.0
    for v in volts:
        for load in loads:
            out = 5.02 - 0.01 * load if v > cut else 0.0
            drawn = (out * load / 0.92 + 0.15) / v if v > cut else 0.0
            for _ in range(8):
                rows.append((t, v, drawn, out, load * scale if v > cut else 0.0))
                t += 1.0
    return rows


def sweep(folder, rows, *more, head=HEAD):
    return said(write(folder, rows, head), "--method", "sweep", *METER, *more)


@pytest.mark.parametrize("tolerance", ["", "5 V 5%", "5 V 0.1%", "4.0..4.5 V"])
def test_efficiency_and_losses_do_not_hang_on_a_tolerance(tmp_path, tolerance):
    found = sweep(tmp_path, points(), *(("--tolerance", tolerance) if tolerance else ()))
    assert value(found, "loss_fixed") == pytest.approx(0.15, abs=0.02)
    assert value(found, "efficiency_1") == pytest.approx(100 * 2.5 / (2.5 / 0.92 + 0.15), abs=0.3)


def test_two_points_give_two_efficiencies(tmp_path):
    found = sweep(tmp_path, points(loads=(1.0, 2.0)))
    assert {"efficiency_1", "efficiency_2"} <= set(found["findings"])
    assert found["findings"]["peak_efficiency"]["value"] is None


def test_over_a_hundred_percent_is_a_slip_and_no_headline(tmp_path):
    done = ubrant("analyse", write(tmp_path, points(scale=1.2), HEAD), "--method", "sweep", *METER)
    assert "1.08 times as much: input and output look swapped, or one of the meters was on another range" in done.stderr
    done = ubrant("analyse", write(tmp_path, points(scale=1000), HEAD), "--method", "sweep", *METER)
    assert "in milliamperes" in done.stderr


def test_without_output_amperes_thresholds_are_left(tmp_path):
    rows = [r[:4] for r in points(volts=(12.0, 11.0, 10.0, 9.0), loads=(1.0,), cut=9.5)]
    found = sweep(tmp_path, rows, "--tolerance", "5 V 5%", head=HEAD.rsplit(",", 1)[0])
    assert value(found, "shutoff_voltage") == pytest.approx(9.5)
    assert found["findings"]["peak_efficiency"]["value"] is None


@pytest.mark.parametrize(("volts", "ended_by"), [(12.4, "not known"), (11.2, "inverter")])
def test_its_own_cut_off_only_where_it_was_low(tmp_path, volts, ended_by):
    lines = (
        "@09:00 input 12.7 V 0.6 A ac 230 V 0 W",
        "@09:02 input 12.6 V 6 A ac 230 V 60 W",
        f"@09:06 input {volts} V 20 A ac 228 V 190 W",
        "@09:07 empty battery 12.6 V",
    )
    found = said(notes(tmp_path, *lines, label="12 V to 230 V, 300 W", method="steps"))
    assert found["ended_by"] == ended_by


@pytest.mark.parametrize("fed_by", ["", "Block: 12 V 45 Ah lead-acid"])
def test_watts_into_an_inverter_that_pulsates(tmp_path, fed_by):
    lines = [
        f"@09:0{k} input 12.{7 - k} V {a} A ac 230 V {w} W"
        for k, (a, w) in enumerate(((0.62, 0.0), (6.25, 60.0), (12.5, 120.0), (20.0, 190.0)))
    ]
    found = said(notes(tmp_path, *lines, label="12 V to 230 V, 300 W", method="steps", fed_by=fed_by))
    assert any("pulsates" in w for w in found["warnings"])
    ohm = 0.08 * 6 / 45 if fed_by else 0.0
    taken = 12.4 * 20.0 - ohm * 20.0**2 / 4
    assert value(found, "efficiency_3") == pytest.approx(100 * 190 / taken, rel=1e-3)


def test_a_breaker_without_a_curve_is_not_held_against_one(tmp_path):
    lines = ("@09:00 34 A", "@09:10 tripped")
    found = said(notes(tmp_path, *lines, label="25 A breaker", method="trip"))
    assert "curve" not in found["sentence"]


def test_what_became_of_a_current_that_nobody_saw_come_on(tmp_path):
    done = ubrant("analyse", notes(tmp_path, "@09:00 24 A held", "@09:10 34 A tripped", label="25 A breaker", method="trip"))
    assert "since when did it carry 24 A" in done.stderr


@pytest.mark.parametrize(
    ("text", "ah", "volts", "says"),
    [
        ("5 x 18650 3400 mAh 3.7 V", 17.0, 3.7, "side by side"),
        ("20000 mAh 100 Wh", 20.0, 5.0, "socket's voltage"),
        ("2500 mAh 1.5 V alkaline", 2.5, 1.5, "no cell to be charged"),
        ("900 mAh 1.5 V zinc-carbon", 0.9, 1.5, "no cell to be charged"),
        ("1500 mAh 3 V lithium primary", 1.5, 3.0, "no cell to be charged"),
        ("50 Ah 12.8 V LiFePO4 blue thing", 50.0, 12.8, "blue thing"),
    ],
)
def test_labels_that_are_easily_misread(text, ah, volts, says):
    label = parse_label(text)
    assert (label.charge_ah, label.voltage_v) == (pytest.approx(ah), pytest.approx(volts))
    assert says in " ".join((*label.guesses, *label.queries, label.unread))


def test_farads_are_no_ampere_hours():
    with pytest.raises(LabelError, match="a capacitor's"):
        parse_label("10 F 2.7 V")


@pytest.mark.parametrize(
    ("text", "window"), [("in 8-30V out 5V 3A", (8, 30)), ("10..32 V to 19 V, 90 W", (10, 32)), ("12 V to 5 V, 3 A", None)]
)
def test_a_default_is_never_outside_the_window(text, window):
    ratings = read_ratings(Unit("x", "converter", text))
    assert ratings.window == window
    assert window is None or window[0] <= ratings.lowest_v < ratings.input_v < ratings.highest_v <= window[1]


def test_a_label_that_contradicts_itself_decides_nothing(tmp_path):
    found = judged(tmp_path, discharge(ah=54.0), label="50 Ah 12.8 V 900 Wh LiFePO4")
    assert (word(found), "contradicts itself" in found["sentence"]) == ("cannot tell", True)
