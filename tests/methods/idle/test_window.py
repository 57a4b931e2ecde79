"""An idle draw by hand in the window."""

from __future__ import annotations

import pytest

from tests.command_line import said
from tests.making import prepared, record_for
from tests.window import begin, close, prepare, say_line, settle, write_cell
from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import method_of
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.typed.jot_heads import export_jots


def test_idle_draw_by_hand(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Hut", "inverter", "12 V to 230 V sine, 300 W"), "idle", battery_wh="640 Wh")
    begin(window, qtbot)
    assert "Nothing flows" in window.run.next_note.text()
    say_line(window, qtbot, "input 12.8 V 0.02 A")
    say_line(window, qtbot, "input 12.80 V 0.37 A")
    assert "economy setting" in window.run.next_note.text()
    say_line(window, qtbot, "skip")
    view = close(window, qtbot)
    assert view.findings["idle_power"].value == pytest.approx(12.8 * 0.35, rel=2e-4)
    assert "a day: alone it empties the battery in" in window.findings.verdict.text()
    assert "normal" in window.findings.drawn.plot("Power taken in").accessibleDescription()


def test_which_row_a_line_is_of_is_changed_where_it_stands(bench_window, qtbot):
    """Economy was typed first, the zero last: each is told in its cell, with one Ctrl+Z back; file and command line say the same."""
    window = bench_window
    prepare(window, Unit("Hut", "inverter", "12 V to 230 V sine, 300 W"), "idle", battery_wh="640 Wh")
    begin(window, qtbot)
    for seconds, line in ((0, "input 12.8 V 0.09 A"), (60, "input 12.80 V 0.37 A"), (120, "input 12.8 V 0.02 A")):
        window.clock.time_s = float(seconds)
        say_line(window, qtbot, line)
    before = close(window, qtbot)
    assert before.findings["idle_power"].value == pytest.approx(12.8 * 0.28, rel=1e-3)
    table = window.findings.table
    for place, step in ((0, "economy"), (1, "switched on"), (2, "zero")):
        write_cell(qtbot, table, place, "asked", step)
        settle()
    run = window.findings.shown()[0]
    assert [table.model.data(table.model.index(k, table.model.place_of("asked"))) for k in range(3)] == ["economy", "switched on", "zero"]
    found = account_of(window.bench.logbook, window.bench.logbook.run(run.id))[1].findings
    assert found["idle_power"].value == pytest.approx(12.8 * 0.35, rel=1e-3)
    assert found["idle_power_economy"].value == pytest.approx(12.8 * 0.07, rel=1e-3)
    target = window.bench.logbook.path.with_name("steps.jot")
    assert export_jots(window.bench.logbook.kept(window.bench.logbook.run(run.id)), target, "Hut") == ""
    assert said(str(target))["findings"]["idle_power"]["value"] == pytest.approx(found["idle_power"].value)
    for _ in range(3):
        window.bench.undo.undo()
    assert (
        account_of(window.bench.logbook, window.bench.logbook.run(run.id))[1].findings["idle_power"].value
        == before.findings["idle_power"].value
    )


def test_what_was_not_answered_is_skipped_and_the_later_of_two_counts():
    made = prepared("idle", Unit("Hut", "inverter", "12 V to 230 V sine, 300 W"))
    account = method_of("idle").account
    lines = {0.0: 'input 12.8 V 0.35 A "switched on"', 60.0: 'input 12.8 V 0.37 A "switched on, warm"'}
    record = record_for("idle", made, lines=lines)
    ordered = method_of("idle").by_hand(made).in_order(record)
    assert [(e.jotting.mark, e.time_s) for e in ordered.lines] == [("skip", 0.0), ("", 60.0)]
    assert account(ordered).findings["idle_power"].value == pytest.approx(12.8 * 0.37, rel=1e-3)
    plain = record_for("idle", made, lines={0.0: "input 12.8 V 0.00 A", 60.0: 'input 12.8 V 0.37 A "a note, of no row"'})
    assert method_of("idle").by_hand(made).in_order(plain) is plain
