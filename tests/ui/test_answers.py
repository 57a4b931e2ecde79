"""A unit's sheet of answers in the real window, from an empty logbook: open, measured, answered, opened; it stands still meanwhile."""

from __future__ import annotations

import pytest

from tests.command_line import ubrant
from tests.window import begin, click, close, needs, say_line
from ubrant.core.equipment.unit import Unit
from ubrant.logbook.records import StoredOutlook
from ubrant.ui.window.shell import FINDINGS, OUTLOOK, PREPARE, SHELF

HUT = Unit("Hut", "inverter", "12 V to 230 V sine, 300 W")
IDLE = "What does it burn just being on?"


@pytest.fixture(autouse=True)
def needed():
    for key in ("idle", "steps", "anything"):
        needs(key)


@pytest.fixture
def sheet(bench_window):
    """Of an inverter that nothing is known of."""
    unit = bench_window.bench.keep_unit(HUT)
    bench_window.go_to(SHELF)
    bench_window.bench.choose_unit(unit.id)
    return bench_window.shelf.answers


def entry(sheet, text):
    return next(one for one in sheet.entries() if one.asked.text() == text)


def test_from_a_question_to_its_answer(bench_window, sheet, qtbot):
    window = bench_window
    asked = [one.asked.text() for one in sheet.entries()]
    assert IDLE in asked
    assert all(one.answer.text() == "Not measured" for one in sheet.entries())
    row = entry(sheet, IDLE)
    assert "5 min of yours" in row.detail.text()
    ways = row.menu_of_ways()
    told = [action.text() for action in ways.actions()]
    assert told[0].startswith("Idle draw: 5 min of yours")
    ways.actions()[0].trigger()
    assert window.stage() == PREPARE
    assert window.prepare.form.method.key == "idle"
    begin(window, qtbot)
    for line in ("input 12.8 V 0 A", "input 12.80 V 0.37 A", "skip"):
        say_line(window, qtbot, line)
    close(window, qtbot)
    window.go_to(SHELF)
    qtbot.waitUntil(lambda: entry(sheet, IDLE).answer.text() != "Not measured", timeout=5000)
    assert entry(sheet, IDLE).answer.text().startswith("Burns 4.7")
    assert "with nothing on" in entry(sheet, IDLE).answer.text()
    assert entry(sheet, IDLE).detail.text().startswith("Idle draw · ")
    assert [one.asked.text() for one in sheet.entries()] == asked, "while it is shown each stays where it stood"
    click(qtbot, entry(sheet, IDLE), "Open")
    assert window.stage() == FINDINGS
    seen = f"{IDLE} {entry(sheet, IDLE).answer.text()} ({entry(sheet, IDLE).detail.text()})"
    said = ubrant("answers", str(window.bench.logbook.path), "hut").stdout
    assert seen in " ".join(said.split()), "the command line says the same"
    assert "There is no “nix”" in ubrant("answers", str(window.bench.logbook.path), "nix").stderr


def test_what_is_typed_narrows_it(sheet):
    sheet.sought.setText("efficiency")
    assert [one.asked.text() for one in sheet.entries()] == ["How much is lost in it?"]
    sheet.sought.setText("how warm is the moon")
    assert not sheet.entries()
    assert "another word" in sheet.none_fits.text()
    sheet.sought.clear()
    assert len(sheet.entries()) > 2


def test_how_long_it_runs_one_s_things_is_foretold(bench_window, qtbot):
    window = bench_window
    unit = window.bench.keep_unit(Unit("Night pack", "battery", "12.8 V 50 Ah LiFePO4"))
    window.go_to(SHELF)
    window.bench.choose_unit(unit.id)
    row = entry(window.shelf.answers, "How long will it run my things?")
    assert row.answer.text() == "Not worked out"
    click(qtbot, row, "Work it out")
    assert window.stage() == OUTLOOK
    kit = '[[source]]\nname = "Night pack"\n'
    window.bench.keep_outlook(StoredOutlook("Tonight", None, "2026-12-01T18:00:00+00:00", {"kit": kit}, "Runs for about 6 h 47 min."))
    window.go_to(SHELF)
    window.bench.choose_unit(unit.id)
    row = entry(window.shelf.answers, "How long will it run my things?")
    assert row.answer.text() == "Runs for about 6 h 47 min."
    assert row.detail.text() == "Tonight · 1 Dec 2026"


def test_the_rest_is_behind_more(bench_window, qtbot):
    window = bench_window
    needs("ways")
    unit = window.bench.keep_unit(Unit("Station", "station", "500 Wh 25.6 V, input 11-60 V 13 A"))
    window.go_to(SHELF)
    window.bench.choose_unit(unit.id)
    sheet = window.shelf.answers
    before = [one.asked.text() for one in sheet.entries()]
    assert len(before) == 6
    click(qtbot, sheet, sheet.more.text())
    after = [one.asked.text() for one in sheet.entries()]
    assert after[:6] == before
    assert len(after) > 6
    assert sheet.more.isHidden()


def test_a_card_says_it_in_words(bench_window, sheet, qtbot):
    window = bench_window
    window.bench.measure_wanted.emit(window.bench.unit_id, "idle")
    begin(window, qtbot)
    for line in ("input 12.8 V 0 A", "input 12.80 V 0.37 A", "skip"):
        say_line(window, qtbot, line)
    close(window, qtbot)
    window.go_to(SHELF)
    qtbot.waitUntil(lambda: any(card.measured().startswith("Burns 4.7") for card in window.shelf.cards()), timeout=5000)
