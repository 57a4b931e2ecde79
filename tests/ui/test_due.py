"""What is due, in one list: it outlives the window, is told once the logbook is open again, is put off or done, and leaves as a calendar."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from icalendar import Calendar
from PyQt6.QtWidgets import QApplication, QFileDialog, QLabel

from tests.window import click
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.runs.kept.due_list import Due, checks_due, soonest_first
from ubrant.ui.window.due_dialog import DueDialog
from ubrant.ui.window.reminders import Reminders

NOW = datetime(2026, 12, 4, 17, 30, tzinfo=UTC)


class Told:
    """A desktop that keeps what it is told."""

    def __init__(self) -> None:
        self.said: list[str] = []

    def tell(self, title: str, text: str) -> None:
        self.said.append(text)


def reminders(window, book: str = "a") -> tuple[Reminders, Told]:
    told = Told()
    made = Reminders(window, lambda: "Dome pack A", told, lambda _: None, lambda: book)  # type: ignore[arg-type]
    made.clock = lambda: window.moment
    return made, told


@pytest.fixture
def at_a_time(window):
    window.moment = NOW
    return window


def test_it_outlives_the_window_and_is_told_once_it_is_open_again(at_a_time):
    first, _ = reminders(at_a_time)
    first.remind(4 * 7 * 86_400.0)
    again, told = reminders(at_a_time)
    again.begin()
    assert told.said == []
    assert [one.what for one in again.pending()] == ["Dome pack A"]
    at_a_time.moment = NOW + timedelta(days=29)
    later, told = reminders(at_a_time)
    later.begin()
    assert told.said == ["Dome pack A"]


def test_it_is_told_once_and_stays_in_the_list_until_it_is_done(at_a_time):
    made, told = reminders(at_a_time)
    made.remind(60.0)
    at_a_time.moment = NOW + timedelta(hours=1)
    made.begin()
    again, told_again = reminders(at_a_time)
    again.begin()
    assert (told.said, told_again.said) == (["Dome pack A"], [])
    assert [one.what for one in again.pending()] == ["Dome pack A"]


def test_of_another_logbook_nothing_is_told(at_a_time):
    reminders(at_a_time)[0].remind(60.0)
    at_a_time.moment = NOW + timedelta(hours=1)
    other, told = reminders(at_a_time, "b")
    other.begin()
    assert told.said == []
    assert other.pending() == []


def test_done_is_told_no_more_and_put_off_is_told_later(at_a_time):
    made, told = reminders(at_a_time)
    made.remind(60.0)
    made.remind(120.0)
    first, second = made.pending()
    made.done(first.key)
    made.put_off(second.key, 3600.0)
    (left,) = made.pending()
    assert left.at.timestamp() == pytest.approx((NOW + timedelta(hours=1)).timestamp())
    at_a_time.moment = NOW + timedelta(minutes=10)
    made.begin()
    assert told.said == []


def test_the_list_is_in_order_and_says_why():
    meters = (
        Meter("Clamp", "1 %", "2 %", details=MeterDetails(due="2026-12-05")),
        Meter("Bench", "1 %", "2 %", details=MeterDetails(due="2027-11-01")),
        Meter("Old", "1 %", "2 %"),
    )
    found = soonest_first([Due(NOW + timedelta(days=3), "Dome pack A", "asked")], checks_due(meters, NOW.astimezone()))
    assert [one.what for one in found] == ["check Clamp", "Dome pack A"]
    assert found[0].told(NOW).startswith("Sat 5 Dec, 09:00: ")
    assert found[0].told(NOW + timedelta(days=2)).startswith("now: ")


def test_the_dialog_puts_off_ends_and_writes_a_calendar(at_a_time, qtbot, tmp_path, monkeypatch):
    made, _ = reminders(at_a_time)
    made.remind(60.0)
    dialog = DueDialog(made.pending, made, lambda: at_a_time.moment.astimezone(), at_a_time)
    qtbot.addWidget(dialog)
    dialog.show()

    def seen() -> str:
        QApplication.processEvents()
        return " ".join(one.text() for one in dialog.findChildren(QLabel) if one.isVisible())

    assert "Dome pack A" in seen()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "due.ics"), ""))
    click(qtbot, dialog, "Calendar …")
    (entry,) = Calendar.from_ical((tmp_path / "due.ics").read_bytes()).walk("VEVENT")
    assert entry["summary"] == "Dome pack A"
    click(qtbot, dialog, "In an hour")
    assert made.pending()[0].at.timestamp() == pytest.approx((NOW + timedelta(hours=1)).timestamp())
    click(qtbot, dialog, "Done")
    assert "Nothing is due." in seen()


def test_from_the_menu_with_what_was_planned(bench_window, qtbot):
    bench_window.bench.logbook.keep_meter(Meter("Clamp", "1 %", "2 %", details=MeterDetails(due="2026-11-05")))
    shown: list[DueDialog] = []
    bench_window.files.open_dialog = shown.append
    bench_window.days_in.show_due()
    told = " ".join(one.text() for one in shown[0].findChildren(QLabel))
    assert "now: check Clamp" in told


def test_what_was_kept_and_is_broken_is_none(at_a_time):
    from PyQt6.QtCore import QSettings

    QSettings().setValue("reminders", '[{"book": "a"}, 3, ')
    made, told = reminders(at_a_time)
    made.begin()
    assert (made.pending(), told.said) == ([], [])
