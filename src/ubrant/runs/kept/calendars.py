"""Moments for a calendar that a telephone takes, each with its alarm (RFC 5545)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta


@dataclass(frozen=True)
class CalendarEntry:
    """``at`` with its zone; what there is to do, and what else is to be known of it."""

    at: datetime
    what: str
    more: str = ""
    seconds: float = 300.0


def calendar_file(entries: Sequence[CalendarEntry], of: str, made: datetime) -> bytes:
    """A calendar of them.

    Parameters
    ----------
    of : a word for what they are, by which entries of one moment are told apart from those of others
    made : when they were said to be so
    """
    from icalendar import Alarm, Calendar, Event  # slow to import, and wanted only where somebody asks for a file

    calendar = Calendar()
    calendar.add("prodid", f"-//Ubrant//{of}//")
    calendar.add("version", "2.0")
    for number, one in enumerate(entries, start=1):
        event, alarm = Event(), Alarm()
        event.add("uid", f"{one.at.timestamp():.0f}-{number}-{of}@ubrant".replace(" ", "-"))
        event.add("dtstamp", made.astimezone(UTC))
        event.add("dtstart", one.at)
        event.add("dtend", one.at + timedelta(seconds=max(one.seconds, 60.0)))
        event.add("summary", one.what)
        event.add("description", one.more)
        alarm.add("action", "DISPLAY")
        alarm.add("description", one.what)
        alarm.add("trigger", timedelta(0))
        event.add_component(alarm)
        calendar.add_component(event)
    return bytes(calendar.to_ical())
