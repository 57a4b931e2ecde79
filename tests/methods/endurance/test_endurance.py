"""By the clock alone: until it went off, at least, found off, pauses left out, its alarm, watts from a label."""

from __future__ import annotations

import pytest

from tests.command_line import said, ubrant
from ubrant.core.battery.label_doubt import held_by_label, measured
from ubrant.core.loads.endurance import Ran, analyse_endurance

HEAD = "method: endurance\nunit: Hall station\nkind: station\nlabel: 500 Wh 25.6 V\nplan settings: desk\n\n"


def found(tmp_path, lines: str) -> dict:
    notes = tmp_path / "desk.jot"
    notes.write_text(HEAD + lines)
    return said(str(notes))["findings"]


def test_until_it_went_off_and_what_it_drew(tmp_path):
    """500 Wh over 6 h 15 min is 80 W, or less: a label's doubt lies on its own side."""
    out = found(tmp_path, "@17:00 load on\n@22:30 alarm\n@23:15 empty\n")
    assert out["duration"]["value"] == pytest.approx(6.25 * 3600)
    assert out["alarm_to_off"]["value"] == pytest.approx(45 * 60)
    assert out["inferred_power"]["value"] == pytest.approx(80.0)
    assert out["inferred_power"]["low"] == pytest.approx(0.65 * 80.0, rel=0.01)


def test_stopped_with_some_left_is_at_least_and_the_watts_at_most(tmp_path):
    out = found(tmp_path, "@17:00 load on\n@20:00 alarm\n@21:00 load off\n")
    assert (out["duration"]["bound"], out["inferred_power"]["bound"], out["alarm_to_off"]["bound"]) == ("at least", "at most", "at least")
    going = found(tmp_path, "@17:00 load on\n@21:00 still on\n")
    assert (going["duration"]["bound"], going["duration"]["value"]) == ("at least", 4 * 3600)


def test_a_pause_is_left_out_and_found_off_is_one_sided(tmp_path):
    out = found(tmp_path, "@17:00 load on\n@18:00 load off\n@19:00 load on\n@21:00 empty\n")
    assert out["duration"]["value"] == pytest.approx(3 * 3600)
    unseen = found(tmp_path, "@17:00 load on\n@20:00 still on\n@23:00 empty found off\n")
    assert unseen["duration"]["low"] == pytest.approx(3 * 3600, rel=0.02)
    assert unseen["duration"]["high"] == pytest.approx(6 * 3600, rel=0.01)


def test_both_doubts_are_in_the_watts():
    of_both, _ = analyse_endurance(Ran(3600.0, None, True), measured(100.0, 4.0))
    assert of_both["inferred_power"].expanded_uncertainty == pytest.approx(6.2, rel=0.03)
    label, _ = analyse_endurance(Ran(3600.0, None, True), held_by_label(100.0))
    assert label["inferred_power"].sides[0] == pytest.approx(35.0)
    assert "inferred_power" not in analyse_endurance(Ran(3600.0, None, True), None)[0]


def test_it_never_ran(tmp_path):
    notes = tmp_path / "desk.jot"
    notes.write_text(HEAD + "@17:00 plugged in\n")
    assert "It has not run yet" in ubrant("analyse", str(notes)).stderr
