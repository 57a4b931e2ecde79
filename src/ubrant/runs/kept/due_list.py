"""What is due of a logbook: what a person asked to be told, visits of days at the bench, checks of meters; the soonest first."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from ubrant.core.equipment.meter import Meter
from ubrant.core.wording import say
from ubrant.runs.kept.calendars import CalendarEntry, calendar_file

_MORNING_H = 9
_SOON_DAYS = 60


@dataclass(frozen=True)
class Due:
    """One thing that is due.

    Attributes
    ----------
    what, why : in words
    key : of a reminder, by which it is put off or done; empty for what follows from something else
    """

    at: datetime
    what: str
    why: str
    key: str = ""

    def is_due(self, now: datetime) -> bool:
        return self.at <= now

    def told(self, now: datetime) -> str:
        """``Sat 5 Dec, 13:05: …``."""
        when = say("now") if self.is_due(now) else f"{say(self.at.strftime('%a'))} {self.at.astimezone():%-d %b, %H:%M}"
        return f"{when}: {self.what}"


def checks_due(meters: Iterable[Meter], now: datetime) -> list[Due]:
    """Checks of meters that are due, or will be within two months."""
    found = []
    for meter in meters:
        if not meter.details.due:
            continue
        day = datetime.fromisoformat(meter.details.due)
        at = datetime(day.year, day.month, day.day, _MORNING_H).astimezone()
        if at <= now + timedelta(days=_SOON_DAYS):
            found.append(Due(at, say("check {name}", name=meter.name), say("its maker's figures, or the last check, hold until then")))
    return found


def soonest_first(*lists: Sequence[Due]) -> list[Due]:
    """All of them, the soonest first."""
    return sorted((one for found in lists for one in found), key=lambda one: one.at)


def calendar_of_due(found: Sequence[Due], now: datetime) -> bytes:
    """Each with an alarm."""
    return calendar_file([CalendarEntry(one.at, one.what, one.why) for one in found], "due", now)
