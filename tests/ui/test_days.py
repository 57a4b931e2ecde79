"""Days at the bench through the window: picked by keys and clicks, planned, lived, late, dragged, printed, undone; the plan stays with its logbook."""

from __future__ import annotations

from datetime import datetime, timedelta

import pytest
from icalendar import Calendar
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QCheckBox, QFileDialog, QLabel

from tests.window import begin, click
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.runs.bench_days.living import current_days
from ubrant.ui.window.shell import PREPARE, MainWindow

FRIDAY = datetime(2026, 12, 4, 17, 30).astimezone()


@pytest.fixture
def days(bench_window, qtbot):
    bench = bench_window.bench
    bench.logbook.keep_meter(Meter("Electronic load", "0.1 % + 3 mV", "0.5 % + 5 mA", details=MeterDetails(role="load")))
    for unit in (
        Unit("Dome pack A", "battery", "50 Ah 12.8 V LiFePO4"),
        Unit("Hall fridge", "load", "230 V 60 W"),
        Unit("Pack charger", "charger", "230 V to 14.6 V, 10 A LiFePO4"),
    ):
        bench.keep_unit(unit)
    bench_window.moment = FRIDAY
    bench_window.days_in.clock = lambda: bench_window.moment
    bench_window.resize(1280, 800)
    bench_window.go_to(PREPARE)
    click(qtbot, bench_window.prepare, "Days at the bench")
    return bench_window.days


def pick(qtbot, days, unit: str, title: str) -> None:
    days.unit_box.setCurrentIndex(days.unit_box.findText(unit))
    days.method_box.setCurrentIndex(days.method_box.findText(title))
    click(qtbot, days, "Add it")


def typed(qtbot, field, text: str) -> None:
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, text)


def planned(qtbot, days) -> None:
    pick(qtbot, days, "Dome pack A", "Discharge")
    pick(qtbot, days, "Hall fridge", "A day by plug meter")
    takes = [f for f in days.findChildren(type(days.late)) if f.accessibleName() == "How long Dome pack A takes"][-1]
    typed(qtbot, takes, "5 h")
    qtbot.keyClick(takes, Qt.Key.Key_Tab)
    typed(qtbot, days.fields["begins"], "Fri 18:00")
    qtbot.keyClick(days.fields["begins"], Qt.Key.Key_Return)


def seen(widget) -> str:
    QApplication.processEvents()
    return "\n".join(one.text() for one in widget.findChildren(QLabel) if not one.isHidden())


def test_from_nothing_to_a_plan_by_keys_and_clicks(bench_window, days, qtbot):
    assert bench_window.stage() == PREPARE
    assert "Pick what you want to test" in seen(days.visits)
    assert not days.begin_button.isVisible()
    planned(qtbot, days)
    assert days.trouble.text() == ""
    assert days.told.text().startswith("2 tests · Fri 18:00 to Sat ")
    told = seen(days.visits)
    assert "Dome pack A on Pack charger" in told
    assert "Dome pack A on Electronic load: Discharge, 5 h" in told
    assert "read Hall fridge, and take it off" in told
    assert days.next.text().startswith("Next, at Fri 18:00: ")
    assert "Nothing ends the plan empty" in days.rules.text()
    assert "Does it have the capacity it claims?" in seen(days)
    assert bench_window.days_in.status() == "next visit Fri 18:00"


def test_done_begun_and_at_last_all_done(bench_window, days, qtbot):
    planned(qtbot, days)
    bench_window.moment = FRIDAY + timedelta(minutes=40)
    click(qtbot, days, "Done")
    assert "✓" in seen(days.visits)
    assert days.next.text().startswith("Next, at Sat 07:30: Dome pack A on Electronic load")
    bench_window.moment = datetime(2026, 12, 5, 7, 35).astimezone()
    days.keeper.look()
    click(qtbot, days, "Begin the next one")
    assert bench_window.prepare.isVisible()
    assert bench_window.prepare.unit_box.currentText() == "Dome pack A"
    for _ in range(6):  # each time only what there is to do is done, half a day later
        bench_window.show_days()
        if days.next.text() == "All of it is done.":
            break
        bench_window.moment += timedelta(hours=13)
        days.keeper.look()
        click(qtbot, days, "Done")
    bench_window.moment += timedelta(hours=20)
    days.keeper.look()
    assert days.next.text() == "All of it is done."
    assert bench_window.days_in.status() == ""


def test_a_charger_that_is_done_early_is_said(bench_window, days, qtbot):
    planned(qtbot, days)
    bench_window.moment = FRIDAY + timedelta(minutes=40)
    click(qtbot, days, "Done")
    bench_window.moment = FRIDAY + timedelta(hours=3)
    (action,) = (a for a in days.menu_of_ends().actions() if a.text().startswith("Dome pack A"))
    action.trigger()
    assert days.keeper.days.plan.placed["test 1 rest"].start == bench_window.moment.timestamp()
    assert days.menu_of_ends().actions() == []


def test_what_somebody_is_writing_stays_while_time_goes_on(bench_window, days, qtbot):
    planned(qtbot, days)
    typed(qtbot, days.fields["out"], "Sun 9:00 to 1")
    pick(qtbot, days, "Hall fridge", "A day by plug meter")
    bench_window.moment = FRIDAY + timedelta(hours=2)
    days.keeper.look()
    click(qtbot, days, "Done")
    assert days.fields["out"].text() == "Sun 9:00 to 1"
    assert len(days.asked().test) == 3


def test_being_late_is_foretold_and_then_so(days, qtbot):
    planned(qtbot, days)
    before = days.keeper.days.plan.ends
    typed(qtbot, days.late, "2 h")
    assert days.late_told.text().startswith("If you come 2 h late: ")
    click(qtbot, days, "I come so late")
    assert days.next.text().startswith("Next, at Fri 20:0")
    assert days.keeper.days.plan.ends >= before
    typed(qtbot, days.late, "soon")
    assert "How late?" in days.late_told.text()


def test_what_is_due_is_told_once(bench_window, days, qtbot):
    planned(qtbot, days)
    told: list[str] = []
    days.keeper.due.connect(told.append)
    bench_window.moment = FRIDAY + timedelta(minutes=31)
    days.keeper.look()
    days.keeper.look()
    assert len(told) == 1
    assert told[0].startswith("Next, at Fri 18:0")


def test_a_pack_that_failed_is_left_out_and_had_back_by_undo(bench_window, days, qtbot):
    planned(qtbot, days)
    action = next(a for a in days.menu_of_tests().actions() if a.text().startswith("Dome pack A"))
    action.trigger()
    assert "Dome pack A" not in seen(days.visits)
    bench_window.bench.undo.undo()
    assert "Dome pack A on Pack charger" in seen(days.visits)


def test_a_bar_is_dragged_and_what_is_impossible_is_red_with_its_reason(days, qtbot):
    planned(qtbot, days)
    click(qtbot, days, "Bars")
    assert days.bars.isVisible()
    key = "test 1 test"
    bar = days.bars.bar_of(key)
    start = QPoint(int(bar.center().x()), int(bar.center().y()))

    def drag(hours: float) -> None:
        seconds = days.bars.moment_at(start.x() + 1) - days.bars.moment_at(start.x())
        to = QPoint(int(start.x() + hours * 3600 / seconds), start.y())
        qtbot.mousePress(days.bars, Qt.MouseButton.LeftButton, pos=start)
        qtbot.mouseMove(days.bars, to)
        qtbot.mouseRelease(days.bars, Qt.MouseButton.LeftButton, pos=to)

    before = days.keeper.days.plan
    drag(-6.0)
    assert "has not ended by then" in days.gives.text() or "Nobody is there" in days.gives.text()
    assert days.back_button.isVisible()
    assert days.keeper.days.plan == before
    click(qtbot, days, "Put it back")
    assert days.gives.text() == ""


def test_hours_that_cannot_be_read_are_said_and_nothing_is_lost(days, qtbot):
    planned(qtbot, days)
    typed(qtbot, days.fields["asleep"], "at night")
    click(qtbot, days, "Plan it")
    assert "is no stretch of a day" in days.trouble.text()
    assert days.told.text().startswith("2 tests")


def test_a_lamp_board_by_hand_is_not_for_the_night_until_something_cuts_it_off(bench_window, days, qtbot):
    for meter in bench_window.bench.logbook.meters():
        if meter.details.role == "load":
            bench_window.bench.logbook.remove_meter(meter.id)
    typed(qtbot, days.fields["loads"], "lamp board")
    planned(qtbot, days)
    assert not days.keeper.days.bench.step("test 1 test").alone
    QApplication.processEvents()
    box = next(b for b in days.findChildren(QCheckBox) if b.accessibleName() == "Dome pack A goes off by itself" and b.isVisible())
    box.click()
    click(qtbot, days, "Plan it")
    assert days.keeper.days.bench.step("test 1 test").alone


def test_the_visits_leave_as_a_calendar_and_as_a_file_that_comes_back(days, qtbot, tmp_path, monkeypatch):
    planned(qtbot, days)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / a[2].rsplit("/", 1)[-1]), ""))
    click(qtbot, days, "Calendar …")
    entries = Calendar.from_ical((tmp_path / "bench days.ics").read_bytes()).walk("VEVENT")
    assert len(entries) == len(days.keeper.visits())
    click(qtbot, days, "Save as a file …")
    part = days.asked()
    days._part = days._part.model_copy(update={"test": []})
    days.open_file(tmp_path / "days.toml")
    assert days.asked().test == part.test


def test_the_page_to_print_holds_every_visit(bench_window, days, qtbot):
    planned(qtbot, days)
    pages: list[tuple[str, str]] = []
    days.page_wanted.disconnect()
    days.page_wanted.connect(lambda name, page: pages.append((name, page)))
    click(qtbot, days, "Print …")
    assert pages[0][1].count("<tr>") == len(days.keeper.visits())


def test_another_window_goes_on_with_the_plan(bench_window, days, qtbot):
    planned(qtbot, days)
    before = days.keeper.days.plan.placed
    logbook = bench_window.bench.logbook
    again = MainWindow(logbook)
    qtbot.addWidget(again)
    again.days_in.clock = lambda: FRIDAY
    assert again.days_in.keeper.days is not None
    assert {k: one.tools for k, one in again.days.keeper.days.plan.placed.items()} == {k: one.tools for k, one in before.items()}


def test_a_run_that_is_made_from_there_fills_the_plan_live_and_afterwards(bench_window, days, qtbot):
    """By hand: the plan knows of it while it goes on, after its end, and when the logbook is read again."""
    bench_window.bench.keep_unit(Unit("Hut 300", "inverter", "12 V to 230 V, 300 W"))
    bench_window.moment = datetime.now().astimezone()
    bench_window.bench.clock = lambda: bench_window.clock
    days.fields["asleep"].clear()
    days.fields["begins"].clear()
    pick(qtbot, days, "Hut 300", "Idle draw")
    click(qtbot, days, "Plan it")
    click(qtbot, days, "Begin the next one")
    form = bench_window.prepare.form
    form.bench.setCurrentIndex(form.bench.findText("by hand: I type the readings"))
    bench_window.prepare.look()
    begin(bench_window, qtbot)
    test = days.keeper.days.plan.placed["test 1 test"]
    assert (test.begun, test.ended) == (True, False)
    bench_window.clock.time_s = 600.0
    bench_window.bench.session.end()
    bench_window.run.tick()
    qtbot.waitUntil(lambda: days.keeper.days.plan.placed["test 1 test"].ended, timeout=10_000)
    assert days.keeper.days.is_over
    kept = current_days(bench_window.bench.logbook, bench_window.moment)
    assert kept.plan.placed == days.keeper.days.plan.placed
