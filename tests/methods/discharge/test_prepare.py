"""Prepare: expected curve, steps with cautions, refusals."""

from __future__ import annotations

import pytest

from tests.window import click, type_into
from ubrant.core.equipment.unit import Unit
from ubrant.ui.window.shell import PREPARE


@pytest.fixture
def prepare(stocked, qtbot):
    click(qtbot, stocked.shelf, "Prepare a test")
    assert stocked.stage() == PREPARE
    return stocked.prepare


def settle(prepare):
    prepare.look()


def test_offers_the_test_the_label_asks_for(prepare):
    assert (prepare.form.fields["load"].text(), prepare.form.fields["cutoff"].text()) == ("0.1 A", "11 V")
    assert prepare.title.text() == "Discharge Small pack to 11 V"
    assert prepare.aside.text().startswith("about 5 h")
    assert "first to end it: the cut-off" in prepare.aside_quiet.text()
    assert prepare.drawn.trace.has_expected("V")
    assert prepare.start_button.isEnabled()


def test_steps_carry_their_cautions(prepare):
    steps = prepare.steps.texts()
    assert "Charge it fully" in steps[0]
    assert "Swollen, dented, hot or hissing" in steps[0]
    assert "if the computer stops, the load must stop" in steps[3]
    assert "Never below 10 V under load" in steps[4]


def test_the_path_shows_where_each_meter_goes(prepare):
    words = prepare.path_view.words()
    assert "Small pack" in words
    assert "2 × 1.5 m · 4 mm²" in words
    description = [f.meter for f in prepare.path_view._path.flows]
    assert description == ["Bench meter: V across, A through", "the load's own display"]


@pytest.mark.parametrize(
    ("field", "text", "says"),
    [
        ("cutoff", "9.5 V", "below the floor of 10 V for 4 iron phosphate cells"),
        ("load", "30 A", "more than Bench meter reads up to (20 A)"),
        ("load", "two", "Load draws: “two” is not a value in A"),
        ("cutoff", "11 A", "is in A, and a value in V belongs here"),
        ("every", "0 s", "more than 0 s"),
        ("cutoff", "14 V", "would end at once"),
    ],
)
def test_refuses_with_a_reason(prepare, qtbot, field, text, says):
    type_into(qtbot, prepare.form.fields[field], text)
    settle(prepare)
    assert any(says in problem for problem in prepare.problems()), prepare.problems()
    assert not prepare.start_button.isEnabled()


def test_a_refusal_goes_when_it_is_mended(prepare, qtbot):
    type_into(qtbot, prepare.form.fields["cutoff"], "9 V")
    settle(prepare)
    assert not prepare.start_button.isEnabled()
    type_into(qtbot, prepare.form.fields["cutoff"], "10,8 V")
    settle(prepare)
    assert prepare.problems() == []
    assert prepare.start_button.isEnabled()


def test_another_rate_is_named_and_allowed(prepare, qtbot):
    type_into(qtbot, prepare.form.fields["load"], "500 mA")
    settle(prepare)
    assert any("not like for like" in p for p in prepare.problems())
    assert prepare.start_button.isEnabled()


def test_a_unit_that_cannot_be_modelled_says_what_is_missing(stocked, qtbot):
    unit = stocked.bench.keep_unit(Unit("No name", "battery", "3,0 Ah"))
    stocked.bench.test_wanted.emit(unit.id)
    settle(stocked.prepare)
    assert any("what kind of cell" in p.lower() for p in stocked.prepare.problems())
    assert not stocked.prepare.start_button.isEnabled()
