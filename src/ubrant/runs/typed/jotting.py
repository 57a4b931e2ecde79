"""Take down a line typed at the jot line: what it is about, when it was, whether it may be a slip, and keeping it."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta, timezone
from typing import TYPE_CHECKING

from ubrant.core.quantities.jot import TAPS, Grammar, JotError, TypedLine, clock_text
from ubrant.core.quantities.quantity import show_duration
from ubrant.core.record.head import SAME_PLACE
from ubrant.core.record.jot_text import TimedLine, line_corrected, on_that_day
from ubrant.core.wording import say
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.methods.registry import UnknownMethodError, method_of
from ubrant.runs.typed.edits import Edits, RowChange

if TYPE_CHECKING:
    from ubrant.methods.rehearsal import Rehearsal
    from ubrant.methods.rows import Prompt
    from ubrant.runs.typed.typed_session import Session

_DAY_S = 86_400.0


class Taken:
    """A line that was taken down, and can be taken back and down again."""

    def __init__(self, logbook: Logbook, edits: Edits | None = None, event_id: int | None = None) -> None:
        self._logbook, self._edits, self._event_id = logbook, edits, event_id

    def take_back(self) -> None:
        if self._event_id is not None:
            self._logbook.remove_event(self._event_id)
        if self._edits is not None:
            self._edits.undo()

    @property
    def can_do_again(self) -> bool:
        return self._edits is not None

    def do_again(self) -> None:
        if self._edits is not None:
            self._edits.do()


def grammar_for(
    run: Run | None,
    read: Mapping[tuple[str, str], float],
    seen: Rehearsal | None,
    time_s: float,
    row: Prompt | None = None,
    elsewhere: Mapping[str, Mapping[tuple[str, str], float]] | None = None,
) -> Grammar:
    """What may be expected about now: what was asked for, or else what was last read, or else what was rehearsed; ``elsewhere``: what further rows ask for."""
    aliases = aliases_of(run) if run is not None else {}
    places = places_of(run) if run is not None else ()
    if row is not None and (row.expected or row.afresh):
        return Grammar(expected=row.expected, alike=SAME_PLACE, aliases=aliases, places=places, elsewhere=elsewhere or {})
    expected = {key: value for key, value in read.items() if not key[0].startswith("cell")}
    if seen is not None and len(seen.readings):
        at = min(max(time_s, 0.0), seen.length_s)
        k = min(int((seen.readings.time_s <= at).sum()), len(seen.readings) - 1)
        expected.setdefault(("battery", "V"), float(seen.readings.voltage_v[k]))
    if run is not None:
        for key, value in usual_readings(run).items():
            expected.setdefault(key, value)
    return Grammar(expected=expected, alike=SAME_PLACE, aliases=aliases, places=places)


def places_of(run: Run) -> tuple[str, ...]:
    """Where its method reads, by every name that those places have; nothing where that is not known."""
    try:
        method = method_of(run.method)
    except UnknownMethodError:
        return ()
    hand = method.hand_of(run.head)
    if hand is None:
        return ()
    return tuple(
        dict.fromkeys(tap for tap in (*method.taps, *method.also_read, *(tap for tap, _ in hand.columns), *method.reads_beside) if tap)
    )


def aliases_of(run: Run) -> dict[str, str]:
    """What a person calls the two ends, where a device is fed: each by its name, and by the last word of it."""
    setup = run.head.setup
    if setup.device is None:
        return {}
    found: dict[str, str] = {}
    for unit, tap in ((setup.unit, "source"), (setup.device, "device")):
        for name in (unit.name.lower(), unit.name.lower().rpartition(" ")[2]):
            if len(name) > 1 and name not in TAPS and found.setdefault(name, tap) != tap:
                found.pop(name)  # both are called so
    return found


def usual_readings(run: Run) -> dict[tuple[str, str], float]:
    """What the plan of a run lets expect at its taps."""
    try:
        method = method_of(run.method)
        return method.usual_readings(method.prepared(run.head))
    except ValueError:
        return {}


def moment_of(jotting: TypedLine, run: Run, now_s: float) -> float:
    """Seconds from the start of the run.

    Raises
    ------
    JotError
        A time of day that lies ahead.
    """
    if jotting.at_clock_s is not None:
        zone = timezone(timedelta(minutes=run.utc_offset_min))
        start = datetime.fromisoformat(run.started).astimezone(zone)
        start_s = start.hour * 3600 + start.minute * 60 + start.second
        if jotting.on_day is not None:
            return _on_its_day(jotting.on_day, jotting.at_clock_s - start_s, start, now_s)
        days = round((now_s - (jotting.at_clock_s - start_s)) / _DAY_S)
        moment = jotting.at_clock_s - start_s + days * _DAY_S
        if moment > now_s + 60:
            moment = gone_back(moment, clock_text(jotting.at_clock_s), start)
        return moment
    if jotting.after_start_s is not None:
        if jotting.after_start_s > now_s + 60:
            raise JotError("That lies ahead: the run has not come so far.")
        return jotting.after_start_s
    return now_s - jotting.ago_s


def gone_back(moment_s: float, written: str, start: datetime) -> float:
    """A time of day that lies ahead, as of the day before.

    Raises
    ------
    JotError
        That would be before the run began: which day is meant, only a person knows.
    """
    before_s = moment_s - _DAY_S
    if before_s < 0:
        day = start + timedelta(seconds=before_s)
        raise JotError(
            say(
                "{time} lies ahead. Was it on the day before, {back} before this run began? Then write its day: @{day} {time}.",
                time=written,
                back=show_duration(-before_s),
                day=f"{day:%m-%d}",
            )
        )
    return before_s


def _on_its_day(on_day: tuple[int, int, int], clock_s: float, start: datetime, now_s: float) -> float:
    """``clock_s`` from the time of day of the start, on a day that was written."""
    try:
        day = on_that_day(on_day, start.date())
    except ValueError:
        raise JotError("There is no such day: write it like @10-18 14:32, the month first.") from None
    moment = clock_s + (day - start.date()).days * _DAY_S
    if moment > now_s + 60:
        raise JotError("That lies ahead: the run has not come so far.")
    return moment


def as_answer(run: Run, jotting: TypedLine) -> TypedLine:
    """A line as the test of a run takes it."""
    try:
        return method_of(run.method).as_answer(jotting)
    except UnknownMethodError:
        return jotting


def take_down(logbook: Logbook, run: Run, jotting: TypedLine, now_s: float, session: Session | None = None) -> Taken:
    """Keep a line: readings and marks as a typed line, a note as an event.

    Raises
    ------
    JotError
        Its time lies ahead, or there is nothing to correct.
    LogbookError
        It cannot be kept.
    """
    jotting = as_answer(run, jotting)
    if not jotting.readings and not jotting.mark and not jotting.corrects:
        moment = moment_of(jotting, run, now_s)
        if session is not None and session.running:
            session.jot(jotting.text, moment)
            return Taken(logbook)
        return Taken(logbook, event_id=logbook.note(run.id, moment, jotting.text))
    edits = Edits(logbook, run, [change_for(logbook, run, jotting, now_s)], session)
    edits.do()
    return Taken(logbook, edits)


def change_for(logbook: Logbook, run: Run, jotting: TypedLine, now_s: float) -> RowChange:
    """What a line with readings or a mark changes: it is added, or stands for the last one typed, where it corrects that.

    Raises
    ------
    JotError
        Its time lies ahead, or there is nothing to correct.
    """
    if not jotting.corrects:
        return RowChange(moment_of(jotting, run, now_s), jotting)
    before = max(logbook.jots(run.id), key=lambda j: j.id, default=None)
    found = before.jotting if before is not None else None
    if before is None or found is None:
        raise JotError("There is no entry to correct.")
    entry = line_corrected(TimedLine(before.time_s, found), jotting)
    return RowChange(before.time_s, entry.jotting, before.id)
