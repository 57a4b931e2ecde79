"""Load on, load off, and on again: only what flowed while it was on is counted, and rest is only where nothing flowed."""

from __future__ import annotations

import pytest

from tests.command_line import said
from tests.trust.making import charge, discharge, judged, later, notes, refused, value, volts, word

LINES = ("@09:00 13.45 V", "@09:01 load on 13.1 V 10 A", "@10:01 13.0 V 10 A", "@10:01 load off")


def test_two_bursts_of_notes_are_two_hours(tmp_path):
    found = said(notes(tmp_path, *LINES, "@14:00 load on 13.0 V 10 A", "@15:00 12.9 V 10 A", "@15:00 load off", "@15:30 13.1 V"))
    assert value(found, "charge") == pytest.approx(20.0, abs=0.2)
    assert value(found, "duration") == pytest.approx(7200, abs=30)
    assert value(found, "rest_before") == 13.45
    assert value(found, "rest_after") == 13.1
    assert word(found) == "cannot tell"


def test_a_current_after_load_off_counts_although_nobody_said_load_on(tmp_path):
    found = said(notes(tmp_path, *LINES, "@14:00 13.0 V 10 A", "@15:00 12.9 V 10 A", "@15:00 load off"))
    assert value(found, "charge") == pytest.approx(20.0, abs=0.5)


def test_a_break_is_not_filled_with_what_was_read_before_it(tmp_path):
    found = said(notes(tmp_path, *LINES, "@20:00 13.2 V"))
    assert value(found, "charge") == pytest.approx(10.0, abs=0.1)
    assert value(found, "c_rate") <= 10.0 / 50 + 1e-6


def test_volts_that_were_read_during_a_break_carry_no_current(tmp_path):
    found = said(notes(tmp_path, *LINES, "@12:00 13.2 V", "@14:00 load on 13.0 V 10 A", "@15:00 12.9 V 10 A", "@15:00 load off"))
    assert value(found, "charge") == pytest.approx(20.0, abs=0.2)
    assert value(found, "duration") == pytest.approx(7200, abs=30)


@pytest.mark.parametrize("break_h", [0.5, 4.0, 12.0])
def test_a_logged_break_counts_as_the_time_under_load_only(tmp_path, break_h):
    first = discharge(hours=1.0)
    end = first[-1][0]
    rest = [(end + 60.0 * (k + 1), 13.2, 0.0) for k in range(int(60 * break_h))]
    found = judged(tmp_path, first + rest + later(discharge(start=0.8, rest_s=0.0), rest[-1][0] + 60))
    assert value(found, "duration") == pytest.approx(5 * 3600, rel=0.03)
    assert value(found, "c_rate") == pytest.approx(0.2, rel=1e-3)
    assert value(found, "charge") / (value(found, "duration") / 3600) <= 10.0 + 1e-6


def test_charged_during_a_break_without_a_log_decides_nothing(tmp_path):
    first = discharge(hours=3.0)
    found = judged(tmp_path, [*first, (first[-1][0] + 60, 13.1, 0.0), *later(discharge(rest_s=0.0), first[-1][0] + 20_000)])
    assert word(found) == "cannot tell"
    assert (
        "charged meanwhile" in found["sentence"]
        or "lies in gaps" in found["sentence"]
        or "more than such batteries give" in found["sentence"]
    )


def test_two_discharges_in_one_log_are_told_apart_and_each_can_be_chosen(tmp_path):
    first = discharge(ah=51.0)
    put_in = charge(first[-1][0])
    rows = first + put_in + later(discharge(ah=39.0, rest_s=0.0), put_in[-1][0] + 600)
    assert "holds 2 runs" in refused(tmp_path, rows)
    one, two = judged(tmp_path, rows, "--run", "1"), judged(tmp_path, rows, "--run", "2")
    assert value(one, "charge") == pytest.approx(50.0, abs=0.6)
    assert value(two, "charge") == pytest.approx(39.0, abs=1.2)
    assert any("number 2" in w for w in two["warnings"])


def test_notes_with_a_charge_in_between_decide_nothing(tmp_path):
    lines = (*LINES, "@10:05 14.0 V -10 A", "@12:00 14.2 V -10 A", "@12:05 load on 13.1 V 10 A", "@14:00 12.9 V 10 A", "@15:00 10.9 V 10 A")
    found = said(notes(tmp_path, *lines, cutoff="11 V"))
    assert word(found) == "cannot tell"
    assert "put in between" in found["sentence"]


def test_what_was_read_while_charging_is_no_rest(tmp_path):
    put_in = charge(0.0, minutes=60)
    rows = [*put_in, (put_in[-1][0] + 60, 13.9, 0.0), *later(discharge(rest_s=0.0, ah=40.0), put_in[-1][0] + 120)]
    found = judged(tmp_path, rows)
    assert found["findings"].get("rest_before", {"value": None})["value"] is None
    assert "soc_before" not in found["findings"]


def test_recovery_is_read_before_the_charge_that_follows(tmp_path):
    body = discharge()
    end = body[-1][0]
    rows = body + [(end + 60.0 * (k + 1), 12.2, 0.0) for k in range(20)] + charge(end + 1260)
    assert value(judged(tmp_path, rows), "rest_after") == pytest.approx(12.2)
    assert volts(1.0) == 13.5


def test_a_line_left_out_counts_for_nothing_and_stays(tmp_path):
    """By jot text as in the window; a mark at it would be one of its own."""
    lines = [
        "@09:00 load on 12.6 V 4.0 A",
        "@10:00 12.5 V 4.0 A",
        "@10:30 left out 12.4 V 40 A",
        "@11:00 12.4 V 4.0 A",
        "@12:00 12.3 V 4.0 A",
    ]
    found = said(notes(tmp_path, *lines, label="12 V 45 Ah lead-acid"))
    assert value(found, "charge") == pytest.approx(12.0)
    assert not any("stands alone" in w for w in found["warnings"])
