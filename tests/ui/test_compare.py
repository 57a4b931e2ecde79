"""Compare as a person uses it, and from the command line."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QMouseEvent
from PyQt6.QtWidgets import QApplication, QLabel, QPushButton

from tests.command_line import ubrant
from tests.making import falling
from tests.window import click
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.logbook.logs.log_file import LogFile
from ubrant.runs.coming_in.bringing_in import LogOptions, from_log, keep, under_options
from ubrant.ui.widgets.run_drag import DragsRun, dragged_run
from ubrant.ui.window.shell import COMPARE, SHELF

pytestmark = pytest.mark.needs("discharge")


def discharge(
    logbook, name: str, share: float = 1.0, meter: str = "Bench", started: str = "2026-03-01T08:00:00+00:00", celsius: float = 20.0
):
    """A pack of 50 Ah that gives so much of what it should."""
    unit = next((u for u in logbook.units() if u.name == name), None) or logbook.keep_unit(Unit(name, "battery", "50 Ah 12.8 V LiFePO4"))
    known = next((m for m in logbook.meters() if m.name == meter), None) or logbook.keep_meter(Meter(meter, "0.1 %", "0.5 % + 5 mA"))
    body = falling()
    log = LogFile("pack.csv", body.time_s * share, body.voltage_v, body.current_a)
    options = LogOptions(said={"cutoff": "11 V"}, meters={"battery": known}, unit=unit, full=True, temperature_c=celsius)
    stored = under_options(from_log(log), options)
    return keep(logbook, replace(stored, run=replace(stored.run, started=started)), unit)


@pytest.fixture
def runs(window):
    book = window.bench.logbook
    made = [
        discharge(book, "Pack A"),
        discharge(book, "Pack B", 0.8, started="2026-03-02T08:00:00+00:00"),
        discharge(book, "Pack A", 0.99, meter="Other", started="2026-03-03T08:00:00+00:00", celsius=30.0),
    ]
    window.bench.shelf_changed.emit()
    return made


def test_two_packs_and_surely_which_is_worse(window, runs, qtbot):
    for run in runs[:2]:
        window.bench.compare_wanted.emit(run.id)
    stage = window.compare
    assert window.stage() == COMPARE
    assert stage.title.text() == "Pack A and Pack B"
    assert stage.sentence.text().startswith("Pack B gives 9.75")
    assert "less than Pack A. One meter read both" in stage.sentence.text()
    assert stage.plot.plot.title == "Voltage, over each other"
    assert {c.style for c in stage.plot.plot.layers if hasattr(c, "style")} == {"solid", "dashed"}
    click(qtbot, stage, "Percent")
    assert stage.plot.plot.x_span[1] == pytest.approx(104.0, rel=0.01)
    click(qtbot, stage, "×")
    assert "Lay another run beside it" in stage.sentence.text()


def test_what_is_not_like_for_like_is_seen_before_the_answer(window, runs):
    for run in (runs[0], runs[2]):
        window.bench.compare_wanted.emit(run.id)
    stage = window.compare
    cells = {stage.table.verticalHeaderItem(k).text(): stage.table.item(k, 1).text() for k in range(stage.table.rowCount())}
    assert cells["temperature"] == "30 °C ≠"
    assert cells["meter"] == "Other ≠"
    assert cells["cut-off"] == "11 V"
    assert "Not like for like: temperature, meter" in stage.sentence.text()
    assert "One meter read both" not in stage.sentence.text()


def test_ageing_over_dates(window):
    book = window.bench.logbook
    for k, share in enumerate((1.0, 0.97, 0.945, 0.91, 0.885)):
        last = discharge(book, "Old pack", share, started=f"{2022 + k}-03-01T08:00:00+00:00")
    window.bench.compare_wanted.emit(last.id)
    text = window.compare.ages.text()
    assert text.startswith("Old pack loses 2.")
    assert "below 80 % about" in text
    assert window.compare.life.plot.told.startswith("5 dates")


def test_one_that_aged_over_three_dates(window):
    book = window.bench.logbook
    for k, share in enumerate((1.0, 0.94, 0.88)):
        last = discharge(book, "Old pack", share, started=f"{2022 + 2 * k}-03-01T08:00:00+00:00")
        window.bench.compare_wanted.emit(last.id)
        if k < 2:
            assert "dates; from three on a trend can be told" in window.compare.ages.text() or not window.compare.ages.text()
    assert window.compare.ages.text().startswith("Old pack loses 2.9")
    assert window.compare.life.plot.told.startswith("3 dates, from 97.5")


def test_report_table_and_command_line(window, runs, tmp_path):
    for run in runs[:2]:
        window.bench.compare_wanted.emit(run.id)
    window.compare.save_report(tmp_path / "c.html")
    page = (tmp_path / "c.html").read_text()
    assert "Pack B gives 9.75" in page
    assert "<svg" in page
    window.compare.save_csv(tmp_path / "c.csv")
    assert (tmp_path / "c.csv").read_text().splitlines()[1].split(",")[-1] == "True"
    path = str(window.bench.logbook.path)
    out = json.loads(ubrant("compare", path, "--runs", f"{runs[0].id},{runs[1].id}", "--json").stdout)
    found = out["pairs"][0]["differences"]["charge"]
    assert found["value"] == pytest.approx(-9.75, rel=0.01)
    assert found["told_apart"] is True
    assert found["expanded_uncertainty"] < found["alone"][0]
    assert "gives 9.75" in ubrant("compare", path, "--runs", f"{runs[0].id},{runs[1].id}").stdout
    for given, says in (("1", "two runs at least"), ("1,x", "numbers with commas"), ("1,99", "There is no run 99")):
        done = ubrant("compare", path, "--runs", given)
        assert (done.returncode, says in done.stderr) == (2, True)


def test_runs_are_dropped_on_compare_from_shelf_and_findings(window, runs, qtbot):
    window.go_to(SHELF)
    window.bench.choose_unit(0)
    QApplication.processEvents()
    entry = next(b for b in window.shelf.findChildren(QPushButton) if b.text().startswith("Pack B ·"))
    dragged = []
    handle = next(h for h in entry.children() if isinstance(h, DragsRun))
    handle._drag = dragged.append
    middle = entry.rect().center()
    qtbot.mousePress(entry, Qt.MouseButton.LeftButton, pos=middle)
    move = QMouseEvent(
        QEvent.Type.MouseMove,
        QPointF(middle) + QPointF(60, 0),
        QPointF(),
        Qt.MouseButton.NoButton,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    QApplication.sendEvent(entry, move)
    qtbot.mouseRelease(entry, Qt.MouseButton.LeftButton, pos=middle + QPoint(2000, 0))
    assert dragged == [runs[1].id]
    assert window.stage() == SHELF
    stage = window._buttons[COMPARE]
    for run in runs[:2]:
        data = dragged_run(run.id)
        for kind in (QDragEnterEvent, QDropEvent):
            place = QPoint(5, 5) if kind is QDragEnterEvent else QPointF(5, 5)
            event = kind(place, Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
            QApplication.sendEvent(stage, event)
            assert event.isAccepted()
    assert window.stage() == SHELF
    window.go_to(COMPARE)
    assert window.compare.title.text() == "Pack A and Pack B"
    window.bench.run_opened.emit(runs[2].id)
    assert any(isinstance(h, DragsRun) for h in window.findings.title.children())


def offered(stage) -> list[str]:
    QApplication.processEvents()
    return [b.text() for b in stage.nothing.findChildren(QPushButton) if b.isVisible()]


def test_an_empty_page_says_what_it_is_for_and_offers_pairs(window, runs, qtbot):
    """The same thing twice first, then two of a kind; a press lays them there, the older one as what the other is held against."""
    window.go_to(COMPARE)
    stage = window.compare
    assert offered(stage) == ["Pack A, Discharge: 1 Mar 2026 and 3 Mar 2026", "Pack A against Pack B, Discharge"]
    assert not stage.report_button.isVisible()
    click(qtbot, stage, "Pack A, Discharge: 1 Mar 2026 and 3 Mar 2026")
    assert [one.run.id for one in stage.runs] == [runs[0].id, runs[2].id]
    assert not stage.nothing.isVisible()
    assert stage.sentence.text().startswith("Pack A, 1 Mar 2026 and Pack A, 3 Mar 2026 differ by 0.49 ±")
    for _ in range(2):
        stage._drop(stage._numbers[0])
    assert len(offered(stage)) == 2


def test_nothing_is_offered_that_is_not_alike(window):
    """Another test, another kind of cell, a load beside a load, what was rehearsed beside what was measured: none of them is a pair."""
    from ubrant.core.record.head import SIMULATED, Origin
    from ubrant.runs.studies.worth_comparing import worth_comparing

    book = window.bench.logbook
    first = discharge(book, "Pack A")
    block = book.keep_unit(Unit("Block", "battery", "12 V 45 Ah lead-acid, 20 h rate, to 10.5 V"))
    lamps = [book.keep_unit(Unit(name, "load", "12 V 20 W")) for name in ("Lamp", "Fan")]
    whole = book.kept(first)
    for unit in (block, *lamps):
        keep(book, whole, unit)
    rehearsed = whole.under(replace(whole.run.head, origin=Origin(SIMULATED)))
    keep(book, rehearsed, book.unit(first.unit_id))
    assert worth_comparing(book) == []
    window.go_to(COMPARE)
    assert offered(window.compare) == []
    assert "Ctrl+R" in "".join(w.text() for w in window.compare.nothing.findChildren(QLabel) if w.isVisible())


def test_the_sheet_and_compare_say_the_same_of_ageing(window):
    """Three within a season: too soon by both, and the same month to look again."""
    from ubrant.runs.kept.accounts import summary_of
    from ubrant.runs.kept.ageing_told import ageing_told
    from ubrant.runs.studies.compare import life_of

    book = window.bench.logbook
    for month, share in ((1, 1.0), (2, 0.985), (4, 0.99)):
        made = discharge(book, "Pack A", share, started=f"2026-{month:02d}-01T08:00:00+00:00")
    unit = book.unit(made.unit_id)
    told = ageing_told(unit, [(run, summary_of(book, run)) for run, _ in book.runs(unit_id=unit.id)])
    compared = life_of(book, unit.id).sentence
    assert told.startswith("Too soon to say: run it again in ")
    month, year = told.split()[-2:]
    assert f"run it again about {month[:3]} {year}." in compared
