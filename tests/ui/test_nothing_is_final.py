"""What is known of a kept run is changed through the window, by keys and clicks: the verdict before and after, and one undo back."""

from __future__ import annotations

from dataclasses import replace

import pytest
from PyQt6.QtCore import Qt

from tests.making import by_hand
from tests.methods.samples import DC, SAMPLES
from tests.ui.test_known_late import HOURS as SAID
from tests.window import click, needs, settle, type_into, write_cell
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import Conditions
from ubrant.runs.afterwards.known_late import said_before
from ubrant.runs.kept.accounts import account_of
from ubrant.ui.findings.known_dialog import KnownDialog
from ubrant.ui.window.shell import FINDINGS

HOURS = {300.0: "13.10 V 10.00 A"} | {moment: line for moment, line in SAID.items() if moment > 300.0}
"""From 5 min after the start: nobody said when the load came on."""


@pytest.fixture
def run(window):
    needs("discharge")
    sample = SAMPLES["discharge"]
    unit = window.bench.keep_unit(Unit("Big pack", "battery", "50 Ah 12.8 V LiFePO4"))
    prepared = replace(sample, unit=unit, typed={**sample.typed, "load": "10 A"}).prepared("discharge", by_hand=True)
    prepared = replace(prepared, conditions=Conditions(temperature_c=20.0, full=True))
    made, _ = by_hand(window.bench.logbook, "discharge", prepared, HOURS)
    window.findings.open_run(made.id)
    window.go_to(FINDINGS)
    return made


def account(window, run):
    return account_of(window.bench.logbook, window.bench.logbook.run(run.id))[1]


def change(window, qtbot, fill) -> KnownDialog:
    """*What is known …*, filled in and kept."""
    opened = []

    def answer(dialog) -> bool:
        opened.append(dialog)
        dialog.show()
        qtbot.waitExposed(dialog)
        fill(dialog)
        assert dialog.keep.isEnabled(), dialog.trouble.text()
        click(qtbot, dialog, "Judge it by this")
        return bool(dialog.result())

    window.findings.open_dialog = answer
    click(qtbot, window.findings, "What is known …")
    return opened[0]


def undone(window, run, before) -> None:
    """One Ctrl+Z, and all is as it was."""
    window.bench.undo.undo()
    now = account(window, run)
    assert (now.sentence, now.findings) == (before.sentence, before.findings)
    assert said_before(window.bench.logbook, run.id) == []


def test_opened_and_kept_as_it_is_nothing_changes(window, qtbot, run):
    head = window.bench.logbook.run(run.id).head
    change(window, qtbot, lambda dialog: None)
    assert window.bench.logbook.run(run.id).head == head
    assert not window.bench.undo.canUndo() or "add" in window.bench.undo.undoText()


def test_its_label_and_the_verdict_before_stays_to_be_seen(window, qtbot, run):
    before = account(window, run)

    def label(dialog) -> None:
        type_into(qtbot, dialog.label_field, "60 Ah 12.8 V LiFePO4")

    change(window, qtbot, label)
    after = account(window, run)
    assert "0.17 C" in after.sentence
    assert after.verdict.word != before.verdict.word
    assert before.sentence in window.findings.earlier.text()
    assert "of what it was" in window.findings.earlier.text()
    undone(window, run, before)
    assert not window.findings.earlier.isVisible()


def test_of_what_it_was(window, qtbot, run):
    before = account(window, run)
    other = window.bench.keep_unit(Unit("Small one", "battery", "55 Ah 12.8 V LiFePO4"))
    window.findings.open_run(run.id)
    change(window, qtbot, lambda dialog: dialog.unit_box.setCurrentIndex(dialog.unit_box.findText("Small one")))
    kept = window.bench.logbook.run(run.id)
    assert (kept.unit_id, kept.label_text) == (other.id, "55 Ah 12.8 V LiFePO4")
    assert "55 Ah" in account(window, run).sentence
    assert "Small one" in window.findings.title.text()
    undone(window, run, before)
    assert "Big pack" in window.findings.title.text()


def test_what_it_is_judged_by_and_its_temperature(window, qtbot, run):
    before = account(window, run)

    def colder(dialog) -> None:
        type_into(qtbot, dialog.form.fields["temperature_c"], "2 °C")
        type_into(qtbot, dialog.form.fields["cutoff"], "12.4 V")

    change(window, qtbot, colder)
    after = account(window, run)
    kept = window.bench.logbook.run(run.id)
    assert (kept.head.conditions.temperature_c, kept.head.conditions.full, kept.cutoff.voltage_v) == (2.0, True, 12.4)
    assert after.findings["charge"].value < before.findings["charge"].value
    assert after.sentence != before.sentence
    undone(window, run, before)


def test_its_plan_and_its_leads(window, qtbot, run):
    before = window.bench.logbook.run(run.id).head

    def longer(dialog) -> None:
        type_into(qtbot, dialog.form.fields["load"], "120 W")
        type_into(qtbot, dialog.form.lead_length, "4 m")

    change(window, qtbot, longer)
    head = window.bench.logbook.run(run.id).head
    assert head.setup.leads.length_m == 4.0
    assert head.plan["mode"] == "power"
    assert head.setup.meters == before.setup.meters
    window.bench.undo.undo()
    assert window.bench.logbook.run(run.id).head == before


def test_when_the_load_came_on_and_went_off_and_a_mark_wins_over_a_guess(window, qtbot, run):
    before = account(window, run)
    assert (
        "not said" in KnownDialog(window.bench.logbook, window.bench.logbook.run(run.id), window.findings.record).on_field.placeholderText()
    )
    started = clock(window, run, 600.0)
    change(window, qtbot, lambda dialog: type_into(qtbot, dialog.on_field, started))
    after = account(window, run)
    assert before.findings["duration"].value - after.findings["duration"].value == pytest.approx(300.0, abs=31.0)
    assert after.span[0] == pytest.approx(600.0, abs=31.0)
    assert after.findings["charge"].value < before.findings["charge"].value
    assert any("10.00 A was read before “load on”" in w for w in after.warnings)
    undone(window, run, before)
    change(window, qtbot, lambda dialog: type_into(qtbot, dialog.off_field, clock(window, run, 16000.0)))
    off_for = before.findings["duration"].value - account(window, run).findings["duration"].value
    assert off_for == pytest.approx(200.0, abs=61.0)  # until it was read to flow again
    undone(window, run, before)


def clock(window, run, moment_s: float) -> str:
    from ubrant.runs.typed.sheet import clock_at

    return clock_at(window.bench.logbook.run(run.id), moment_s)


def test_a_time_that_is_none_is_said_beneath_it_and_nothing_is_kept(window, qtbot, run):
    dialog = KnownDialog(window.bench.logbook, window.bench.logbook.run(run.id), window.findings.record)
    qtbot.addWidget(dialog)
    type_into(qtbot, dialog.on_field, "25:71")
    assert "is no time of day" in dialog.trouble.text()
    assert not dialog.keep.isEnabled()
    type_into(qtbot, dialog.on_field, "")
    assert dialog.keep.isEnabled()
    type_into(qtbot, dialog.on_field, "10-18 11:28")
    assert "would be far from what was read" in dialog.trouble.text()
    type_into(qtbot, dialog.on_field, "")
    for text, said in (("+900 days", "look at it once more"), ("+80 h", "in the future"), ("later", "later")):
        type_into(qtbot, dialog.clock_field, text)
        assert said in dialog.trouble.text()
        assert not dialog.keep.isEnabled()
    type_into(qtbot, dialog.clock_field, "")
    type_into(qtbot, dialog.label_field, "12.8 V")
    qtbot.waitUntil(lambda: "It was made as “Discharge”" in dialog.caution.text(), timeout=2000)


def test_a_wrong_clock_moves_all_of_it_and_the_stored_zero_never(window, qtbot, run):
    before, was = account(window, run), window.bench.logbook.run(run.id)
    rows = [(j.time_s, j.line) for j in window.bench.logbook.jots(run.id)]
    change(window, qtbot, lambda dialog: type_into(qtbot, dialog.clock_field, "-1 h"))
    now = window.bench.logbook.run(run.id)
    assert (clock(window, run, 3600.0), now.head.origin.clock_s) == (clock_of(was, 0.0), -3600.0)
    assert [(j.time_s, j.line) for j in window.bench.logbook.jots(run.id)] == rows
    assert account(window, run).findings == before.findings
    undone(window, run, before)
    assert window.bench.logbook.run(run.id) == was


def clock_of(run, moment_s: float) -> str:
    from ubrant.runs.typed.sheet import clock_at

    return clock_at(run, moment_s)


def test_what_it_was_and_the_device(window, qtbot):
    """A recharge of the wrong device; a discharge that was a battery's endurance."""
    for key in ("recharge", "endurance"):
        needs(key)
    bench, sample = window.bench, SAMPLES["recharge"]
    bench.keep_unit(Unit("Telephone", "load", "3 Ah 3.85 V"))
    prepared = sample.prepared("recharge", by_hand=True)
    device = bench.keep_unit(prepared.setup.device)
    made, _ = by_hand(bench.logbook, "recharge", replace(prepared, setup=replace(prepared.setup, device=device)), sample.lines)
    window.findings.open_run(made.id)
    window.go_to(FINDINGS)
    before = account(window, made)
    change(window, qtbot, lambda dialog: dialog.form.device.setCurrentIndex(dialog.form.device.findText("Telephone")))
    assert bench.logbook.run(made.id).head.setup.device.name == "Telephone"
    assert account(window, made).sentence != before.sentence
    undone(window, made, before)

    def another(dialog) -> None:
        dialog.form.choose_method("endurance")
        assert "It was made as “" in dialog.caution.text()

    change(window, qtbot, another)
    assert bench.logbook.run(made.id).method == "endurance"
    assert account(window, made).sentence != before.sentence or account(window, made).trouble
    undone(window, made, before)


def test_a_log_without_a_plan_is_given_none(window, qtbot, run):
    bench = window.bench
    bench.logbook.update_run(replace(bench.logbook.run(run.id), told=replace(bench.logbook.run(run.id).head, plan={})))
    window.findings.open_run(run.id)
    dialog = change(window, qtbot, lambda dialog: type_into(qtbot, dialog.form.fields["temperature_c"], "12 °C"))
    assert "load" not in dialog.form.fields
    head = bench.logbook.run(run.id).head
    assert (head.plan, head.conditions.temperature_c) == ({}, 12.0)


def test_a_rows_step_is_changed_in_its_cell_and_nothing_else_with_it(window, qtbot):
    """*on* was typed before *standby*: what each row answers is said where it stands."""
    needs("appliance")
    sample = SAMPLES["appliance"]
    lines = {120.0: "231 V 0.39 A 51 W", 240.0: '231 V 0.01 A 0.5 W "it hums"'}
    made, _ = by_hand(window.bench.logbook, "appliance", sample.prepared("appliance", by_hand=True), lines)
    window.findings.open_run(made.id)
    window.go_to(FINDINGS)
    before = account(window, made)
    assert before.findings["power_1"].name.endswith("standby") or "standby" in before.findings["power_1"].name
    table = window.findings.table
    write_cell(qtbot, table, 0, "asked", "on")
    settle()
    assert table.model.data(table.model.index(0, table.model.place_of("asked"))) == "on"
    write_cell(qtbot, table, 1, "asked", "stand")
    settle()
    assert [j.jotting.text for j in window.bench.logbook.jots(made.id)] == ["on", "standby, it hums"]
    names = [f.name for k, f in account(window, made).findings.items() if k.startswith("power_")]
    assert any("on" in n for n in names) and any("standby" in n for n in names)
    assert account(window, made).sentence != before.sentence
    write_cell(qtbot, table, 1, "asked", "asleep")
    assert "“asleep” is no step of this test: it is one of standby, on." in table.message.text()
    window.bench.undo.undo()
    window.bench.undo.undo()
    assert account(window, made).sentence == before.sentence


@pytest.mark.needs("discharge")
def test_load_off_by_a_press_is_a_row_and_its_time_can_be_mended(window, qtbot):
    sample = SAMPLES["discharge"]
    made, session = by_hand(
        window.bench.logbook, "discharge", sample.prepared("discharge", by_hand=True), {60.0: "load on 13.1 V 0.50 A"}, end=False
    )
    window.bench.begin(made, session, None)
    session.clock.time_s = 900.0
    window.run.tick()
    click(qtbot, window.run, "The load is off")
    assert session.progress.phase == "recovering"
    assert [(j.time_s, j.jotting.mark) for j in window.bench.logbook.jots(made.id)][-1] == (900.0, "load off")
    session.end()


def test_by_keys_alone(window, qtbot, run):
    """Tab reaches every field of it, Escape leaves it."""
    dialog = KnownDialog(window.bench.logbook, window.bench.logbook.run(run.id), window.findings.record)
    qtbot.addWidget(dialog)
    dialog.show()
    dialog.unit_box.setFocus()
    seen = set()
    for _ in range(40):
        seen.add(dialog.focusWidget())
        qtbot.keyClick(dialog.focusWidget(), Qt.Key.Key_Tab)
    assert {
        dialog.unit_box,
        dialog.label_field,
        dialog.form.fields["cutoff"],
        dialog.on_field,
        dialog.off_field,
        dialog.clock_field,
        dialog.keep,
    } <= seen
    qtbot.keyClick(dialog, Qt.Key.Key_Escape)
    assert not dialog.isVisible()
    assert DC.name  # its meters are asked elsewhere


def test_a_run_of_which_nobody_said_what_it_is_of_is_given_no_unit_by_itself(window, qtbot, run):
    """Brought in without a unit: it stays so until one is chosen, and its clock can be mended all the same."""
    bench = window.bench
    kept = bench.logbook.run(run.id)
    nobody = replace(kept.head.setup, unit=Unit("", ""))
    bench.logbook.update_run(replace(kept, told=replace(kept.head, setup=nobody, plan={}), unit_id=None))
    window.findings.open_run(run.id)
    dialog = change(window, qtbot, lambda dialog: None)
    assert dialog.unit_box.currentText() == "nobody said"
    assert bench.logbook.run(run.id).unit_id is None
    assert not dialog.because
    change(window, qtbot, lambda dialog: type_into(qtbot, dialog.clock_field, "-2 h"))
    assert (bench.logbook.run(run.id).unit_id, bench.logbook.run(run.id).head.origin.clock_s) == (None, -7200.0)
    change(window, qtbot, lambda dialog: dialog.unit_box.setCurrentIndex(dialog.unit_box.findText("Big pack")))
    assert bench.logbook.run(run.id).label_text == "50 Ah 12.8 V LiFePO4"
