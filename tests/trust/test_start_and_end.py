"""A capacity is counted from a known full to a known end; anything else is *at least*, and can only meet a label."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.command_line import said
from tests.trust.making import LABEL, charge, discharge, judged, later, notes, refused, value, word, write
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.kept.accounts import account_of_stored

WEAK = 38.0


def test_one_whose_rest_says_full_is_judged(tmp_path):
    assert word(judged(tmp_path, discharge(ah=WEAK))) == "spent"
    assert word(judged(tmp_path, discharge(ah=54.0))) == "meets"


def test_one_that_was_not_full_is_at_least_whatever_its_rest_says(tmp_path):
    found = judged(tmp_path, discharge(ah=WEAK), "--not-full")
    assert word(found) == "cannot tell"
    assert "nothing says that it was full" in found["sentence"]


@pytest.mark.parametrize("ah", [30.0, WEAK, 45.0])
def test_one_that_begins_loaded_is_at_least(tmp_path, ah):
    found = judged(tmp_path, discharge(ah=ah, rest_s=0.0))
    assert word(found) == "cannot tell"
    assert "begins with the load on" in found["sentence"]
    assert "“It was full”" in found["verdict"]["settle"]
    assert word(judged(tmp_path, discharge(ah=ah, rest_s=0.0), "--full")) in {"spent", "below"}


def test_one_that_begins_loaded_can_meet_its_label(tmp_path):
    assert word(judged(tmp_path, discharge(ah=54.0, rest_s=0.0))) == "meets"


def test_half_of_a_log_is_not_a_full_one_because_somebody_says_so(tmp_path):
    half = [r for r in discharge(rest_s=0.0) if r[0] > 6000]
    found = judged(tmp_path, half, "--full")
    assert word(found) == "cannot tell"
    assert "it begins at" in found["sentence"]


def test_a_rest_that_says_half_full_proves_nothing(tmp_path):
    found = judged(tmp_path, discharge(start=0.6, rest_s=3600.0))
    assert word(found) == "cannot tell"
    assert "nothing says that it was full" in found["sentence"]


def test_a_recorded_charge_to_its_end_is_a_proof(tmp_path):
    put_in = charge(0.0)
    rows = put_in + later(discharge(ah=WEAK, rest_s=0.0), put_in[-1][0] + 60)
    assert word(judged(tmp_path, rows, cutoff="11 V")) in {"spent", "below"}
    short = [r for r in put_in if r[0] < 12_000]
    assert word(judged(tmp_path, short + later(discharge(ah=WEAK, rest_s=0.0), short[-1][0] + 60))) == "cannot tell"


def test_said_of_notes_and_marked_in_them(tmp_path):
    lines = ["@09:05 load on 13.1 V 10 A", "@11:00 12.9 V 10 A", "@12:40 11.4 V 10 A", "@12:45 10.9 V 10 A", "@12:46 load off"]
    unknown = said(notes(tmp_path, *lines, cutoff="11 V"))
    assert (word(unknown), "nothing says" in unknown["sentence"]) == ("cannot tell", True)
    assert word(said(notes(tmp_path, "@09:00 full", *lines, cutoff="11 V"))) == "spent"
    assert word(said(notes(tmp_path, *lines, cutoff="11 V", full="yes"))) == "spent"


@pytest.mark.parametrize("dead_v", [0.0, 0.02, 1.1])
def test_a_pack_that_switched_itself_off_has_given_what_it_gives(tmp_path, dead_v):
    body = discharge(ah=45.0, stop_v=11.2)
    rows = body + [(body[-1][0] + 60.0 * (k + 1), dead_v, 0.0) for k in range(10)]
    found = judged(tmp_path, rows, cutoff="10.0 V")
    assert (word(found), found["ended_by"]) == ("below", "gave up")
    assert found["findings"].get("rest_after", {"value": None})["value"] is None


def test_one_that_went_dark_while_it_was_full_is_at_least(tmp_path):
    body = discharge(hours=1.0)
    found = judged(tmp_path, body + [(body[-1][0] + 60.0 * (k + 1), 0.0, 0.0) for k in range(5)])
    assert word(found) == "cannot tell"
    assert "at which no such battery is empty" in found["sentence"]


def test_a_stop_by_hand_is_at_least(tmp_path):
    body = discharge(hours=3.0)
    found = judged(tmp_path, body + [(body[-1][0] + 60.0 * (k + 1), 13.1, 0.0) for k in range(10)])
    assert word(found) == "cannot tell"
    assert "at least" in found["sentence"]
    assert value(found, "c_rate") == pytest.approx(
        0.2, rel=1e-4
    )  # half of the interval in which it went off is in charge and duration alike


def test_without_a_cut_off_the_usual_one_of_the_label_is_taken_and_said(tmp_path):
    found = judged(tmp_path, discharge(stop_v=8.0), cutoff="")
    assert value(found, "charge") == pytest.approx(50.0, abs=0.6)
    assert any("No cut-off was given: 11 V is taken" in w for w in found["warnings"])


@pytest.mark.parametrize("sign", [1, -1])
def test_a_charge_is_not_a_discharge(tmp_path, sign):
    rows = [(60.0 * k, 12.6 + 1.8 * k / 300, sign * 10.0) for k in range(300)]
    assert "this is a charge, not a discharge" in refused(tmp_path, rows)


def test_a_counter_that_was_not_read_at_the_end_is_at_least(tmp_path):
    lines = ("@09:00 full", "@09:00 load on 0.00 Ah", "@12:00 12.0 Ah", "@13:00 empty")
    found = said(notes(tmp_path, *lines, label="20 Ah 12.8 V LiFePO4"))
    assert word(found) == "cannot tell"
    assert "last read 1 h before" in found["sentence"]


@pytest.mark.parametrize(("more", "whole"), [((), False), (("--full",), True)])
def test_an_outlook_rests_on_the_whole_of_it_only_where_it_was_full(tmp_path, more, whole):
    stored = read_file(
        Path(write(tmp_path, discharge(ah=WEAK, rest_s=0.0))),
        LogOptions(said={"rated": LABEL, "cutoff": "11 V"}, full=True if more else None),
    )
    energy = account_of_stored(stored.record()).energy
    assert energy.whole is whole
    assert energy.share == (pytest.approx(474 / 640, abs=0.01) if whole else 1.0)


def test_no_outlook_rests_on_what_cannot_be(tmp_path):
    rows = [(t, v, a / 2) for t, v, a in discharge(ah=50.96)]
    stored = read_file(
        Path(write(tmp_path, rows)), LogOptions(said={"rated": LABEL, "cutoff": "11 V"}, accuracies=("0.1 %", "0.5 %", "", ""))
    )
    assert account_of_stored(stored.record()).energy is None


def test_a_counter_that_runs_on_after_the_end_is_held_against_the_same_stretch(tmp_path):
    rows = [(t, v, a, a * max(t - 600, 0) / 3600) for t, v, a in discharge(ah=WEAK, stop_v=10.0)]
    found = judged(tmp_path, rows, head="time (s),voltage (V),current (A),charge (Ah)")
    assert word(found) == "spent"


def test_a_temperature_that_was_logged_counts(tmp_path):
    rows = [(t, v, a, 7.0) for t, v, a in discharge(ah=WEAK)]
    found = judged(tmp_path, rows, head="time (s),voltage (V),current (A),temperature (°C)")
    assert value(found, "label_share") == pytest.approx(100 * value(found, "charge") / 50 / (1 - 0.003 * 8), rel=1e-6)


def test_no_cut_off_is_taken_from_the_label_of_another_battery(tmp_path):
    found = judged(tmp_path, discharge(), cutoff="", label="50 Ah 25.6 V LiFePO4")
    assert not any("No cut-off was given" in w for w in found["warnings"])
    assert value(found, "charge") == pytest.approx(50.2, abs=0.6)
    assert word(found) in {"not like for like", "cannot tell"}


@pytest.mark.parametrize(
    ("start", "full"), [("full", True), ("Fully charged.", True), ("not full", None), ("charged overnight", None), ("half full", None)]
)
def test_what_the_start_says_in_words_is_not_contradicted(start, full):
    """``start: full`` and nothing besides is a yes; anything else leaves the question open."""
    from ubrant.core.record.head import Conditions

    assert Conditions(start=start).was_full is full
    assert Conditions(start=start, full=False).was_full is False
