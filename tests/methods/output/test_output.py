"""What a bank gives at its output: by Wh against its cells, its own output figure, its percent display; what ended it; slips."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.command_line import said, ubrant
from tests.making import prepared, problems
from tests.trials import trial
from tests.window import begin, close, prepare, say_line
from ubrant.core.battery.given_out import Given, analyse_output
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.label import parse_label
from ubrant.core.quantities.readings import Readings, ReadingsError, Series

V, A = Accuracy(0.005, 0.01, "V"), Accuracy(0.01, 0.01, "A")
NOTES = """method: output
unit: Ticket bank
kind: bank
label: 24000 mAh 3.7 V, rated output 14000 mAh at 5 V
meter: USB meter
volts: 0.5 % + 10 mV
amps: 1 % + 10 mA
full: yes
started: 2026-11-01 10:00

@10:00 load on output 5.06 V 1.00 A 0.00 Wh bank 100 %
@13:00 output 5.06 V 1.00 A 15.2 Wh bank 76 %
@17:00 output 5.06 V 1.00 A 35.4 Wh bank 45 %
@23:00 output 5.06 V 1.00 A 65.8 Wh bank 3 %
@23:00 empty
"""


def notes(folder, *changes: tuple[str, str]) -> str:
    text = NOTES
    for old, new in changes:
        assert old in text, old
        text = text.replace(old, new)
    path = folder / "bank.jot"
    path.write_text(text, "utf-8")
    return str(path)


def given(hours=13.0, amps=1.0, volts=5.06, *, gave_up=True, full=True, percent=None, **more) -> Given:
    time = np.linspace(0, 3600 * hours, 40)
    readings = Readings(time, np.full(40, volts), np.full(40, amps), float(time[1]))
    return Given(readings, None, V, A, None, None, percent, gave_up, full, **more)


def test_by_watt_hours_and_never_amperes_against_other_volts(tmp_path):
    """13 A·h at 5.06 V are 65.8 Wh: 74 % of 88.8 Wh by Wh, and not 54 % of 24 Ah."""
    found = said(notes(tmp_path))["findings"]
    assert found["charge_out"]["value"] == pytest.approx(13.0, rel=1e-3)
    assert found["energy_out"]["value"] == pytest.approx(65.78, rel=1e-3)
    assert found["label_share"]["value"] == pytest.approx(100 * 65.78 / 88.8, rel=1e-3)
    assert found["charge_at_cells"]["value"] == pytest.approx(65.78 / 3.7, rel=1e-3)


def test_its_uncertainty_by_hand():
    """Gains of V and A, zeros of A times the hours and of V times the charge; JCGM 100."""
    found, _, _ = analyse_output(given(), None)
    energy = found["energy_out"]
    parts = (0.01 * energy.value, 0.005 * energy.value, 0.01 * 5.06 * 13, 0.01 * 13)
    assert energy.standard_uncertainty == pytest.approx(math.hypot(*parts) / math.sqrt(3), rel=1e-3)
    charge = found["charge_out"]
    assert charge.standard_uncertainty == pytest.approx(math.hypot(0.01 * 13, 0.01 * 13) / math.sqrt(3), rel=1e-3)


@pytest.mark.parametrize(
    ("hours", "gave_up", "full", "word"),
    [
        (13.0, True, True, "below"),
        (15.0, True, True, "meets"),
        (15.0, False, False, "meets"),
        (13.0, False, True, "cannot tell"),
        (13.0, True, False, "cannot tell"),
        (14.05, True, True, "cannot tell"),
    ],
)
def test_its_output_figure_is_judged_on_its_own(hours, gave_up, full, word):
    """JCGM 106: value − U over it meets, value + U under it is below; what was stopped or not known to be full is at least."""
    label = parse_label("24000 mAh 3.7 V, rated output 14000 mAh at 5 V")
    _, verdict, _ = analyse_output(given(hours, gave_up=gave_up, full=full), label)
    assert verdict is not None and verdict.word == word


def test_without_an_output_figure_there_is_no_verdict():
    assert analyse_output(given(), parse_label("24000 mAh 3.7 V"))[1] is None


def test_the_display_against_watt_hours(tmp_path):
    """65.78 Wh over 97 points; at 76 % it should stand at 100 − 97 · 3 ÷ 13."""
    found = said(notes(tmp_path))["findings"]
    assert found["energy_per_point"]["value"] == pytest.approx(65.78 / 97, rel=1e-3)
    stray = max(abs(76 - (100 - 97 * 3 / 13)), abs(45 - (100 - 97 * 7 / 13)))
    assert found["linearity"]["value"] == pytest.approx(stray, abs=0.02)


def test_a_counter_alone_will_do(tmp_path):
    lines = tuple((f"output 5.06 V 1.00 A {wh} Wh", f"output {wh} Wh") for wh in ("0.00", "15.2", "35.4", "65.8"))
    found = said(notes(tmp_path, *lines))["findings"]
    assert found["energy_out"]["value"] == pytest.approx(65.8)
    assert "charge_out" not in found


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (("bank 3 %\n", "bank 38 %\n"), "It went off with 38 % on its display"),
        (("@23:00 empty\n", "@23:00 load off\n"), "It was stopped with some left"),
        (("full: yes\n", ""), "Nobody said that it was full"),
        (("65.8 Wh", "71.9 Wh"), "Something drew between the readings"),
        (("@17:00 output 5.06 V", "@17:00 output 4.60 V"), "Its output left 4.75 to 5.25 V (USB 2.0) after 7 h"),
        (("bank 100 %", "bank 2 %"), "Its percent rises while it gives"),
    ],
)
def test_what_may_be_is_remarked(tmp_path, change, words):
    done = ubrant("analyse", notes(tmp_path, change))
    assert words in " ".join(done.stdout.split())


def test_a_trickle_may_not_keep_it_awake():
    _, _, told = analyse_output(
        given(2.0, 0.03, percent=(Series(np.array([0.0, 7200.0]), np.array([100.0, 96.0])), np.array([0.5, 0.5]))), None
    )
    assert any("switch off by themselves under about 0.1 A" in text for text in told)


def test_what_cannot_be_is_refused():
    with pytest.raises(ReadingsError, match="Nothing flowed out"):
        analyse_output(given(amps=-1.0), None)
    with pytest.raises(ReadingsError, match="What came out was not read"):
        analyse_output(Given(None, None, V, A, None, None, None, True, True), None)


def test_it_is_never_told_to_run_at_a_rate_its_port_cannot_give(tmp_path):
    """Its label's 0.2 C would be 4.8 A, at cells nobody can reach: neither here nor where somebody took it for a discharge."""
    for change in ((), (("method: output", "method: discharge"),)):
        done = ubrant("analyse", notes(tmp_path, *change))
        assert "4.8 A" not in done.stdout
    made = prepared("output", Unit("Bank", "bank", "24000 mAh 3.7 V"), amps="4 A")
    assert any("more than its port gives" in text for _, text in problems("output", made))


def test_the_truth_is_inside(share):
    """300 banks by USB meters of their own, at one rate until they switch off; generator apart from the sums."""

    def draw(rng):
        held, amps = rng.uniform(15, 120), rng.uniform(0.3, 2.4)
        true_v = rng.uniform(4.95, 5.2)
        hours = held / (true_v * amps)
        of_v = Accuracy(rng.uniform(0.001, 0.01), rng.uniform(0.001, 0.02), "V")
        of_a = Accuracy(rng.uniform(0.002, 0.02), rng.uniform(0.001, 0.02), "A")
        time = np.linspace(0, 3600 * hours, 60)
        read = [
            x * (1 + rng.uniform(-1, 1) * a.gain) + rng.uniform(-1, 1) * a.zero
            for x, a in ((np.full(60, true_v), of_v), (np.full(60, amps), of_a))
        ]
        found, _, _ = analyse_output(Given(Readings(time, *read, float(time[1])), None, of_v, of_a, None, None, None, True, True), None)
        return {
            "energy": (found["energy_out"].value - held, found["energy_out"]),
            "charge": (found["charge_out"].value - hours * amps, found["charge_out"]),
        }

    trial("bank output", draw, share)


def test_through_the_window_from_label_to_verdict(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Ticket bank", "bank", "24000 mAh 3.7 V, rated output 14000 mAh at 5 V"), "output")
    begin(window, qtbot)
    for text, after in (
        ("load on output 5.06 V 1.00 A bank 100 %", 3),
        ("output 5.06 V 1.00 A bank 76 %", 4),
        ("output 5.06 V 1.00 A bank 45 %", 6),
        ("output 5.06 V 1.00 A bank 3 %", 0),
    ):
        say_line(window, qtbot, text)
        window.clock.time_s += 3600.0 * after
    say_line(window, qtbot, "empty")
    account = close(window, qtbot)
    assert account.verdict is not None
    assert account.verdict.word in {"below", "cannot tell"}
    assert account.findings["label_share"].value == pytest.approx(74, abs=0.5)


def test_a_display_that_never_moved_is_said():
    flat = Series(np.array([0.0, 3600.0, 7200.0]), np.array([80.0, 80.0, 80.0])), np.full(3, 0.5)
    found, _, told = analyse_output(given(2.0, percent=flat), None)
    assert "Its display never moved." in told
    assert "energy_per_point" not in found


PROMISED = """method: output
unit: Hall station
kind: station
label: 500 Wh 25.6 V
watts: 1 % + 1 W
meter: Plug meter
full: yes
started: 2026-11-01 10:00

@10:00 load on station 100 % 1.3 h left at 310 W
@10:30 station 62 % 0.8 h left at 308 W
@11:00 station 21 % 0.3 h left at 309 W
@11:12 empty
"""


def test_hours_left_are_readings_too(tmp_path):
    """310, 308, 309 W over 72 min; each statement implies a capacity; the ends they promise; 1.3 h said and 1.2 h lasted."""
    path = tmp_path / "told.jot"
    path.write_text(PROMISED, "utf-8")
    found = said(str(path))["findings"]
    energy = (310 + 308) / 2 * 0.5 + (308 + 309) / 2 * 0.5 + 309 * 0.2
    assert found["energy_out"]["value"] == pytest.approx(energy, rel=1e-4)
    assert found["energy_per_point"]["value"] == pytest.approx((energy - 309 * 0.2) / 79, rel=1e-3)
    implied = (1.3 * 310 + 0.8 * 308 / 0.62 + 0.3 * 309 / 0.21) / 3
    assert found["told_capacity"]["value"] == pytest.approx(implied, rel=1e-4)
    assert found["told_spread"]["value"] == pytest.approx(0.0, abs=1e-6)
    assert found["told_error"]["value"] == pytest.approx(100 * (1.3 / (energy / 310) - 1), rel=1e-4), (
        "by what still came, at the watts of that moment"
    )


def test_hours_left_that_contradict_each_other_and_were_too_many(tmp_path):
    path = tmp_path / "told.jot"
    path.write_text(PROMISED.replace("0.8 h left", "1.2 h left").replace("1.3 h left", "45 min left"), "utf-8")
    answer = said(str(path))
    found = answer["findings"]
    assert found["told_spread"]["value"] == pytest.approx(1.7 - 0.75)
    assert found["told_error"]["value"] == pytest.approx(-37.26, abs=0.02)
    assert any("It said 0.750 h left, and 1.20 h came: 37 % too little." in line for line in answer["warnings"])


def test_hours_left_that_cannot_be(tmp_path):
    path = tmp_path / "told.jot"
    path.write_text(
        PROMISED.replace("1.3 h left", "13 h left").replace("0.8 h left", "8 h left").replace("0.3 h left", "3 h left"), "utf-8"
    )
    assert any("hours for minutes" in line for line in said(str(path))["warnings"])


def test_watts_have_the_errors_of_their_meter(tmp_path):
    """1 % of 370.6 Wh and 1 W over 1.2 h, both rectangular; half a watt of digit; a quarter of what lies between; half a minute at both ends."""
    path = tmp_path / "told.jot"
    path.write_text(PROMISED, "utf-8")
    energy = said(str(path))["findings"]["energy_out"]
    squares = (0.01 * energy["value"]) ** 2 + 1.2**2 + (0.5 * 1.2) ** 2 + (0.25 * (2 * 0.5 + 1 * 0.5)) ** 2
    squares += (310 * 30 / 3600) ** 2 + (309 * 30 / 3600) ** 2
    assert energy["expanded_uncertainty"] == pytest.approx(2 * math.sqrt(squares / 3), rel=1e-3)


def test_what_was_left_is_carried_on_to_its_end():
    """11 % an hour before it went off, falling ten an hour: that was its end; 40 % was not."""
    time = np.array([0.0, 4.5, 9.0]) * 3600
    near = (Series(time, np.array([100.0, 55.0, 11.0])), np.full(3, 0.5))
    far = (Series(time, np.array([100.0, 70.0, 40.0])), np.full(3, 0.5))
    whole = {"load_on_s": 0.0, "load_off_s": 36000.0}
    assert not any("went off" in line for line in analyse_output(given(10.0, percent=near, **whole), None)[2])
    assert any("went off with 33 %" in line for line in analyse_output(given(10.0, percent=far, **whole), None)[2])


BARS = """method: output
unit: Hall station
kind: station
label: 500 Wh 25.6 V
full: yes
started: 2026-11-01 09:20

@09:20 load on station 100 % bar 09:00 12 Wh
@11:40 station 61 % bar 09:00 75 Wh, bar 10:00 98 Wh, bar 11:00 66 Wh
@11:40 load off
"""


def test_bars_by_the_clock_hour_are_a_counter_in_bins(tmp_path):
    """75 + 98 + 66 less the 12 that the first held before: 227 Wh, each end of a bar to half a watt-hour."""
    path = tmp_path / "bars.jot"
    path.write_text(BARS, "utf-8")
    answer = said(str(path))
    energy = answer["findings"]["energy_out"]
    assert energy["value"] == pytest.approx(227.0)
    assert energy["expanded_uncertainty"] == pytest.approx(2 * math.sqrt(4 * 0.5**2 / 3))
    assert any("09:00 and 11:00 are part hours" in line for line in answer["warnings"])


def test_what_the_first_bar_held_before_is_a_doubt_on_one_side(tmp_path):
    path = tmp_path / "bars.jot"
    path.write_text(BARS.replace(" bar 09:00 12 Wh", "").replace("98 Wh", "0.098 kWh"), "utf-8")
    answer = said(str(path))
    energy = answer["findings"]["energy_out"]
    assert energy["value"] == pytest.approx(239.0)
    assert energy["low"] == pytest.approx(239.0 - 75.0, abs=0.1)
    assert energy["high"] < 241.0
    assert any("up to its 75" in line for line in answer["warnings"])


@pytest.mark.parametrize(("line", "cells"), [("station 1.3 h left at 410 W", ["1.3", "410"]), ("bar 09:00 42 Wh", ["42"])])
def test_they_stand_in_the_table_and_can_be_mended_there(line, cells):
    from ubrant.logbook.records import StoredJot
    from ubrant.runs.typed.sheet import cell_text, reading_of_cell, sheet_of

    sheet = sheet_of([StoredJot(0.0, line)], (), {})
    (row,) = sheet.rows
    assert [cell_text(row.readings[key]) for key in sheet.columns] == cells
    for key, text in zip(sheet.columns, cells, strict=True):
        assert reading_of_cell(text, key).value == row.readings[key].value
