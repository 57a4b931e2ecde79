"""A unit's page as a sheet of answers: what people want to know of such a thing, what its runs say to it, and what it would take to know."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime

from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import SIMULATED
from ubrant.core.wording import say
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, StoredOutlook, Summary
from ubrant.methods.enquiries import AGEING, CAPACITY, MY_THINGS, Answering, Enquiry
from ubrant.methods.registry import MethodEntry, suiting
from ubrant.runs.kept.ageing_told import ageing_told, is_whole_capacity
from ubrant.runs.kept.naming import is_about_its_unit
from ubrant.runs.kept.promised import PromisedTest, promises_of

SHOWN_FIRST, _MOST_RUNS = 6, 1000
_DOUBTFUL = {"cannot tell", "not like for like"}


@dataclass(frozen=True)
class WayToKnow:
    """One test that would answer an enquiry."""

    entry: MethodEntry
    how: Answering

    @property
    def title(self) -> str:
        return say(self.entry.title)


@dataclass(frozen=True)
class AnswerRow:
    """One enquiry with its answer as it stands.

    Attributes
    ----------
    answer, run, verdict : the newest one, what run says so, and the word of that; empty and None where it was never measured
    ways : the tests that would answer it, the shortest first; none where it is foretold and no test's
    foretold : by which outlook, and when that was made
    rehearsed : the answer is of a rehearsal, and nothing was measured
    tells : of an open one, which test of it would tell most of an outlook that was kept
    """

    enquiry: Enquiry
    answer: str
    run: Run | None
    verdict: str
    ways: tuple[WayToKnow, ...]
    foretold: tuple[str, str] = ("", "")
    rehearsed: bool = False
    tells: PromisedTest | None = None

    @property
    def is_known(self) -> bool:
        return bool(self.answer)

    @property
    def is_doubtful(self) -> bool:
        return self.verdict in _DOUBTFUL


def answer_sheet(
    unit: Unit, runs: Iterable[Run], summary: Callable[[Run], Summary | None], now: datetime, outlooks: Iterable[StoredOutlook] = ()
) -> list[AnswerRow]:
    """What people ask of such a thing: how full it is first, then answered with doubt, then answered, then open, those first that an outlook
    waits for; in each what is asked most.

    Parameters
    ----------
    runs : of the unit, the newest first
    summary : what a run says, as far as it is known by now
    now : an answer that is older than it lasts is none
    outlooks : those kept, the newest first
    """
    runs, outlooks = list(runs), list(outlooks)
    would_tell = _would_tell(unit, runs, outlooks)
    ways: dict[str, list[WayToKnow]] = {}
    asked: dict[str, Enquiry] = {}
    for entry in suiting(unit):
        for how in entry.answers:
            if unit.kind not in how.enquiry.kinds:
                continue
            asked.setdefault(how.enquiry.key, how.enquiry)
            ways.setdefault(how.enquiry.key, []).append(WayToKnow(entry, how))
    answered: dict[str, tuple[str, Run, str]] = {}
    for run in sorted(runs, key=lambda run: is_rehearsed(run, unit)):  # what was rehearsed gives way to what was measured
        found = summary(run)
        hours = (now - datetime.fromisoformat(run.started)).total_seconds() / 3600
        for key, text in found.answers.items() if found is not None else ():
            if key in asked and hours <= asked[key].fresh_h:
                judged = any(way.how.judged for way in ways[key] if way.entry.key == run.method)
                answered.setdefault(key, (text, run, found.verdict if found is not None and judged else ""))
    rows = []
    for key, enquiry in asked.items():
        shortest = tuple(sorted(ways[key], key=lambda way: way.how.minutes))
        if key in answered:
            rows.append(AnswerRow(enquiry, *answered[key], shortest, rehearsed=is_rehearsed(answered[key][1], unit)))
        else:
            tells = next((would_tell[way.entry.key] for way in shortest if way.entry.key in would_tell), None)
            rows.append(AnswerRow(enquiry, "", None, "", shortest, tells=tells))
    if unit.kind in AGEING.kinds and CAPACITY.key in ways:
        capacities = [
            (run, found) for run in runs if not is_rehearsed(run, unit) and (found := summary(run)) is not None and is_whole_capacity(found)
        ]
        text = ageing_told(unit, capacities)
        rows.append(
            AnswerRow(
                AGEING, text, capacities[0][0] if text else None, "", tuple(sorted(ways[CAPACITY.key], key=lambda way: way.how.minutes))
            )
        )
    if unit.kind in MY_THINGS.kinds:
        rows.append(_foretold(unit, outlooks))
    return sorted(
        rows,
        key=lambda row: (row.enquiry.rank > 0, not row.is_known, not row.is_doubtful, row.tells is None, row.enquiry.rank, row.enquiry.key),
    )


def _would_tell(unit: Unit, runs: Sequence[Run], outlooks: Sequence[StoredOutlook]) -> dict[str, PromisedTest]:
    """By method, what a test of this unit was said to tell of the newest outlook that rests on it; not what was made since."""
    for kept in outlooks:
        found = [one for one in promises_of(kept) if one.unit.lower() == unit.name.lower()]
        if found:
            since = {run.method for run in runs if datetime.fromisoformat(run.started) >= datetime.fromisoformat(kept.made)}
            return {one.method: one for one in found if one.method not in since}
    return {}


def sheet_of_unit(logbook: Logbook, unit: Unit, summary: Callable[[Run], Summary | None], now: datetime) -> list[AnswerRow]:
    """The sheet of a unit by all of its runs in a logbook; see :func:`answer_sheet`."""
    runs = (run for run, _ in logbook.runs(limit=_MOST_RUNS, unit_id=unit.id))
    about = [run for run in runs if run.state != "running" and is_about_its_unit(run)]
    return answer_sheet(unit, about, summary, now, logbook.outlooks())


def row_told(row: AnswerRow, meters: Sequence[Meter]) -> str:
    """A row in a line: what is asked, the answer or that there is none, and where it comes from or what it takes."""
    asked = say(row.enquiry.text)
    if row.is_known:
        return f"{asked} {row.answer} ({detail_of(row, meters)})"
    return say("{asked} Not known ({takes})", asked=asked, takes=detail_of(row, meters))


def detail_of(row: AnswerRow, meters: Sequence[Meter] | None) -> str:
    """Of an answer its test and its day; of an open one the shortest way, and which of one's own meters it takes (``meters`` None: not that)."""
    if row.run is not None:
        title = next((way.title for way in row.ways if way.entry.key == row.run.method), "")
        return _joined(title, day_of(row.run.started), say("on the simulated bench") if row.rehearsed else "")
    if not row.ways:
        name, made = row.foretold
        return _joined(name, day_of(made)) if made else say("2 min of yours · from its label, or from what was measured of it")
    tells = row.tells.ahead() if row.tells is not None else ""
    return _joined(tells, row.ways[0].how.effort(), own_meters_for(row.ways[0].how, meters) if meters is not None else "")


def _joined(*parts: str) -> str:
    return " · ".join(filter(None, parts))


def day_of(moment: str) -> str:
    """A day as people write it, ``4 Mar 2026``, of an ISO date or moment: the day it was here."""
    return datetime.fromisoformat(moment).astimezone().strftime("%-d %b %Y")


def is_rehearsed(run: Run, unit: Unit) -> bool:
    """It was made on the simulated bench, of a thing that is real."""
    return run.head.origin.road == SIMULATED and not unit.stand_in


def _foretold(unit: Unit, outlooks: Iterable[StoredOutlook]) -> AnswerRow:
    """How long it will run one's things: what the newest outlook says in which it stands."""
    quoted = json.dumps(unit.name, ensure_ascii=False)
    newest = next((one for one in outlooks if any(quoted in text for text in one.inputs.values() if isinstance(text, str))), None)
    if newest is None:
        return AnswerRow(MY_THINGS, "", None, "", ())
    return AnswerRow(MY_THINGS, newest.answer, None, "", (), (newest.name, newest.made))


def own_meters_for(how: Answering, meters: Sequence[Meter]) -> str:
    """Which of one's own meters read what it takes, or what none of them does, in a few words."""
    named, lacking = [], []
    for quantity in how.reads:
        able = [meter.name for meter in meters if meter.accuracy(quantity) is not None]
        named += able[:1]
        lacking += [] if able else [quantity]
    told = [", ".join(dict.fromkeys(named))] if named else []
    told += (
        [say("none of your meters reads {what}: any does, without its accuracy there is no ±", what=say(" and ").join(lacking))]
        if lacking
        else []
    )
    return "; ".join(told)
