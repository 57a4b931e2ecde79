"""A person who leaves a run for a while: until when, and when to read again, as a calendar that a telephone takes."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from ubrant.core.quantities.quantity import QuantityError, parse_quantity
from ubrant.core.wording import say
from ubrant.runs.kept.calendars import CalendarEntry, calendar_file

MOST_AWAY_S = 30 * 86_400.0
MOST = 200
"""Entries that anybody wants in a calendar."""


def back_at(text: str, now: datetime) -> datetime | None:
    """When somebody is back who wrote ``17:30`` or ``2 h``, the next such time; None where that is no time."""
    try:
        clock = datetime.strptime(text.strip().replace(".", ":"), "%H:%M")
    except ValueError:
        try:
            away_s = parse_quantity(text, "s")
        except QuantityError:
            return None
        return now + timedelta(seconds=away_s) if 0 < away_s <= MOST_AWAY_S else None
    moment = now.replace(hour=clock.hour, minute=clock.minute, second=0, microsecond=0)
    return moment if moment > now else moment + timedelta(days=1)


def times_until(now: datetime, every_s: float, until: datetime) -> tuple[datetime, ...]:
    """Every so long from the next on, at most ``MOST`` of them; none where the end has passed."""
    count = min(int((until - now).total_seconds() // every_s), MOST) if every_s > 0 else 0
    return tuple(now + timedelta(seconds=every_s * k) for k in range(1, count + 1))


def calendar_of(name: str, times: Sequence[datetime], what: str) -> bytes:
    """A calendar with an entry and an alarm for each; ``what`` is what has to be read.

    Parameters
    ----------
    times : with their zone
    """
    entries = [CalendarEntry(moment, say("Read {name}", name=name), what) for moment in times]
    return calendar_file(entries, "reading times", times[0] if times else datetime.now().astimezone())
