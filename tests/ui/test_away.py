"""Leaving a run that is typed: until when, what ends it, a reminder, the reading times for a telephone."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from icalendar import Calendar

from tests.making import PACK
from tests.window import begin, click, needs, prepare
from ubrant.core.record.events import Note
from ubrant.runs.making.away import back_at, times_until
from ubrant.ui.run.away import AwayDialog

NOW = datetime(2026, 3, 5, 16, 0, tzinfo=UTC)


@pytest.mark.parametrize(
    ("text", "hours"),
    [
        ("17:30", 1.5),
        ("2 h", 2.0),
        ("90 min", 1.5),
        ("8.15", 16.25),
        ("15:59", 23 + 59 / 60),
        ("", None),
        ("soon", None),
        ("25:00", None),
        ("0 h", None),
        ("400 d", None),
    ],
)
def test_until_when(text, hours):
    back = back_at(text, NOW)
    assert (back is None) if hours is None else (back - NOW == timedelta(hours=hours))


def test_times_end_with_the_absence():
    assert [t.hour for t in times_until(NOW, 3600.0, NOW + timedelta(hours=3.5))] == [17, 18, 19]
    assert times_until(NOW, 3600.0, NOW - timedelta(hours=1)) == ()
    assert len(times_until(NOW, 1.0, NOW + timedelta(hours=3))) == 200


@pytest.fixture
def dialog(dressed, qtbot):
    made = AwayDialog("Dome pack A", "volts and amperes", 1800.0, now=NOW)
    qtbot.addWidget(made)
    made.show()
    return made


def test_where_nothing_ends_it_nobody_leaves(dialog, qtbot):
    dialog.until.setText("17:30")
    assert not dialog.go.isEnabled()
    dialog.ends.setCurrentIndex(dialog.ends.count() - 1)
    assert not dialog.go.isEnabled()
    assert "take the load off before you go" in dialog.said.text()
    dialog.ends.setCurrentIndex(2)
    assert "stay near" in dialog.said.text()
    assert dialog.go.isEnabled()
    dialog.until.setText("half past")
    assert not dialog.go.isEnabled()
    assert "write 17:30" in dialog.until.toolTip()


def test_reading_times_as_a_calendar(dialog, tmp_path):
    dialog.until.setText("18:10")
    dialog.save(tmp_path / "readings.ics")
    read = Calendar.from_ical((tmp_path / "readings.ics").read_bytes())
    entries = read.walk("VEVENT")
    assert [e.decoded("dtstart") for e in entries] == [NOW + timedelta(minutes=30 * k) for k in (1, 2, 3, 4)]
    assert str(entries[0]["summary"]) == "Read Dome pack A"
    assert len(entries[0].walk("VALARM")) == 1
    assert dialog.said.text().startswith("4 reading times are in ")
    dialog.save(tmp_path / "nowhere" / "readings.ics")
    assert "could not be written" in dialog.said.text()
    dialog.until.setText("16:10")
    dialog.save(tmp_path / "none.ics")
    assert not (tmp_path / "none.ics").exists()


def test_it_is_noted_in_the_run_and_said_when_the_time_has_come(bench_window, qtbot):
    needs("discharge")
    window = bench_window
    prepare(window, PACK, "discharge")
    begin(window, qtbot)
    window.run.every.setText("30 min")

    def fill(dialog):
        dialog.until.setText("2 h")
        dialog.ends.setCurrentIndex(1)
        return True

    window.run.open_dialog = fill
    reminded = []
    window.bench.remind.connect(reminded.append)
    click(qtbot, window.run, "I am away …")
    assert reminded == [pytest.approx(7200.0, abs=1.0)]
    notes = [e.text for e in window.bench.session.live.events() if isinstance(e, Note)]
    assert len(notes) == 1
    assert notes[0].startswith("away until ")
    assert notes[0].endswith("; the battery's own protection ends it")
