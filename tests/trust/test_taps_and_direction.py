"""Which tap a reading belongs to, which way it counts, and two measurements of one thing."""

from __future__ import annotations

import pytest

from tests.command_line import said
from tests.making import falling
from tests.methods.discharge.making import record
from tests.trust.making import discharge, judged, notes, value, word
from ubrant.core.quantities.jot import JotError, parse_jot
from ubrant.core.quantities.readings import Series
from ubrant.methods.discharge import findings


@pytest.mark.parametrize(
    ("line", "read"),
    [
        ("13.2 V 40 A ac 120 V 450 W", [("", "V", 13.2), ("", "A", 40), ("ac", "V", 120), ("ac", "W", 450)]),
        ("9.3 A dc 231 V ac", [("dc", "A", 9.3), ("ac", "V", 231)]),
        ("dc 13.2 V 40 A ac 120 V 450 W", [("dc", "V", 13.2), ("dc", "A", 40), ("ac", "V", 120), ("ac", "W", 450)]),
        ("13.2 V 40 A dc", [("dc", "V", 13.2), ("dc", "A", 40)]),
        ("input 12.0 V 0.5 A output 5 V 1 A", [("input", "V", 12), ("input", "A", 0.5), ("output", "V", 5), ("output", "A", 1)]),
    ],
)
def test_one_rule_for_what_a_name_claims(line, read):
    assert [(r.tap, r.quantity, r.value) for r in parse_jot(line).readings] == read


def test_what_cannot_be_told_is_asked():
    with pytest.raises(JotError, match="Which readings are whose"):
        parse_jot("40 A dc 120 V ac 450 W")


def test_readings_before_a_name_are_the_runs_own(tmp_path):
    lines = ("@09:00 full 13.5 V", "@09:05 load on 13.2 V 10 A ac 120 V 90 W", "@12:00 13.0 V 10 A ac 120 V 90 W", "@14:10 10.9 V 10 A")
    found = said(notes(tmp_path, *lines, cutoff="11 V"))
    assert value(found, "mean_voltage") == pytest.approx(12.7, abs=0.4)


@pytest.mark.parametrize("tap", ["input", "output", "bank", "load"])
def test_readings_elsewhere_are_not_the_batterys(tmp_path, tap):
    lines = ("@09:00 full", f"@09:05 load on {tap} 13.2 V 10 A", f"@12:00 {tap} 13.0 V 10 A", f"@14:00 {tap} 10.9 V 10 A")
    found = said(notes(tmp_path, *lines, cutoff="11 V"))
    assert word(found) == "not like for like"
    assert f"metered at the {tap}" in found["sentence"]


def test_a_counter_that_shows_what_is_left(tmp_path):
    lines = ("@09:00 full", "@09:00 load on 20.0 Ah", "@10:00 10.0 Ah", "@10:55 0.5 Ah", "@10:55 empty")
    found = said(notes(tmp_path, *lines, label="20 Ah 12.8 V LiFePO4"))
    assert value(found, "charge") == pytest.approx(19.5)
    assert any("counts down" in w for w in found["warnings"])


def test_watt_hours_behind_an_inverter_are_at_least(tmp_path):
    lines = ("@09:00 full", "@09:00 load on ac 0 Wh", "@12:00 ac 300 Wh", "@14:00 ac 480 Wh", "@14:00 empty")
    found = said(notes(tmp_path, *lines))
    assert word(found) == "cannot tell"
    assert "behind" in found["sentence"]
    assert value(found, "energy") == pytest.approx(480)


@pytest.mark.parametrize("sign", [1, -1])
def test_the_sign_of_a_clamp_changes_nothing(tmp_path, sign):
    found = judged(tmp_path, [(t, v, sign * a) for t, v, a in discharge(ah=54.0)])
    assert (word(found), value(found, "charge") > 52) == ("meets", True)


@pytest.mark.parametrize(("factor", "agree"), [(1.06, False), (1.001, True)])
def test_two_meters_at_one_place_that_disagree_decide_nothing(factor, agree):
    body = falling()
    found = findings.judged(record(), findings.Others(other_a=Series(body.time_s, factor * body.current_a)))
    assert any("Another meter" in w for w in found.warnings) is not agree
    assert any(o.key == "disagree" for o in found.about.objections) is not agree
    assert agree or found.verdict.word == "cannot tell"


def test_four_loads_of_a_supply_are_known_by_their_amperes(tmp_path):
    rows = [("0.2", "0"), ("18", "0.85"), ("35", "1.7"), ("53", "2.55"), ("70", "3.4")]
    lines = [f"@09:0{k} input {w} W output 19.0 V {a} A" for k, (w, a) in enumerate(rows)]
    found = said(notes(tmp_path, *lines, label="230 V to 19 V, 3.42 A", method="external-supply"))
    assert value(found, "no_load_power") == pytest.approx(0.2)
    assert value(found, "average_efficiency") == pytest.approx(91.4, abs=0.2)
    lines[2] = "@09:02 input 3.5 W output 19.0 V 1.7 A"
    slipped = said(notes(tmp_path, *lines, label="230 V to 19 V, 3.42 A", method="external-supply"))
    assert slipped["findings"]["average_efficiency"]["value"] is None
    assert any("more comes out than goes in" in w for w in slipped["warnings"])


def test_an_hour_that_goes_back_is_said(tmp_path):
    lines = ("@09:00 full 12.9 V", "@09:05 load on 12.6 V 0.36 A", "@12:00 12.4 V 0.36 A", "@11:00 12.3 V 0.36 A", "@05:00 10.4 V 0.36 A")
    found = said(notes(tmp_path, *lines, label="12 V 7.2 Ah AGM", cutoff="10.5 V"))
    assert any("goes back to 11:00" in w for w in found["warnings"])
    assert value(found, "charge") == pytest.approx(7.0, abs=0.3)  # five in the morning is the next one


def test_a_voltage_that_no_battery_has_is_named_with_its_time(tmp_path):
    lines = ("@09:00 full 12.9 V", "@09:05 load on 12.6 V 0.36 A", "@13:00 123 V 0.36 A", "@23:00 11.4 V 0.36 A", "@05:00 10.4 V 0.36 A")
    found = said(notes(tmp_path, *lines, label="12 V 7.2 Ah AGM", cutoff="10.5 V"))
    assert (word(found), "123.0 V at 4 h" in found["sentence"]) == ("cannot tell", True)


def test_one_that_a_person_found_dark_before_its_voltage_fell_is_at_least(tmp_path):
    lines = ("@09:00 full 12.9 V", "@09:05 load on 12.6 V 0.36 A", "@12:00 12.4 V 0.36 A", "@14:00 empty")
    found = said(notes(tmp_path, *lines, label="12 V 7.2 Ah AGM", cutoff="10.5 V"))
    assert word(found) == "cannot tell"
    assert "at least" in found["sentence"]


def test_a_log_whose_sign_is_lost_halfway_decides_nothing(tmp_path):
    """As much flows the other way for hours, and the volts fall all the while: half of it is no battery that is spent."""
    hours, volts = [k / 40 for k in range(201)], [13.3 - 0.1 * k / 200 - (1.9 * (k - 190) / 10 if k > 190 else 0.0) for k in range(201)]
    turned = [4.0 if hour < 2 else -4.0 for hour in hours]

    def word_of(amps):
        path = tmp_path / "log.csv"
        path.write_text("h,V,A\n" + "\n".join(f"{h:.4f},{v:.3f},{a:.3f}" for h, v, a in zip(hours, volts, amps, strict=True)))
        return said(str(path), "--rated", "20 Ah 12.8 V LiFePO4", "--cutoff", "11.5 V", "--full", "--temperature", "68 F")["sentence"]

    assert "1 h 58 min 4.00 A flow the other way" in word_of(turned)
    assert "was the clamp turned round, or a sign lost?" in word_of(turned)
    assert "turned round" not in word_of([4.0] * 201)
    volts[:80] = [13.0 + 0.3 * k / 80 for k in range(80)]  # it was charged before: its volts rise
    assert "turned round" not in word_of([-4.0 if hour < 2 else 4.0 for hour in hours])
