"""Days at the bench in words: visits, lines, a page to print, a calendar, JSON."""

from __future__ import annotations

import math
from datetime import UTC, datetime
from html import escape
from typing import Any

from ubrant.core.planning.steps import BY_HAND, FILL, REFILL, TEST
from ubrant.core.planning.visits import BEGIN, CLEAR, Deed, Visit, if_late, moved_ends
from ubrant.core.quantities.quantity import show_duration
from ubrant.core.wording import say
from ubrant.runs.bench_days.living import Days
from ubrant.runs.kept.calendars import CalendarEntry, calendar_file

SCHEMA = 1
_WEEK_S = 6 * 86_400.0


def clock_of(moment: float, beside: float | None = None, *, dated: bool = False) -> str:
    """``Sat 13:05``, or ``Sat 5 Dec 13:05``; without its day where that of ``beside`` is the same."""
    at = datetime.fromtimestamp(moment).astimezone()
    if beside is not None and datetime.fromtimestamp(beside).astimezone().date() == at.date():
        return f"{at:%H:%M}"
    day = say(at.strftime("%a"))
    return f"{day} {at:%-d} {say(at.strftime('%b'))} {at:%H:%M}" if dated else f"{day} {at:%H:%M}"


def is_long(days: Days) -> bool:
    """Whether a plan is longer than a week: then its days have their dates."""
    return days.plan.ends - days.plan.begins > _WEEK_S


def deed_told(deed: Deed) -> str:
    """``Pack A on Pack charger``."""
    step, tools = deed.step, ", ".join(deed.tools)
    if deed.what == CLEAR:
        return say("all off and put away")
    if deed.what != BEGIN and step.ends == BY_HAND:
        return say("take the load off {unit} at its cut-off, and read it", unit=step.unit)
    if deed.what != BEGIN:
        return say("read {unit}, and take it off", unit=step.unit)
    tools = tools or (say("its own charger") if step.kind in {FILL, REFILL} else "")
    if step.kind == FILL:
        return say("{unit} on {tools}", unit=step.unit, tools=tools)
    if step.kind == REFILL:
        return say("{unit} off the load, on {tools}", unit=step.unit, tools=tools)
    if step.kind == TEST and tools:
        return say("{unit} on {tools}: {what}", unit=step.unit, tools=tools, what=step.what)
    return say("{unit}: {what}", unit=step.unit, what=step.what)


def visit_told(visit: Visit) -> str:
    """What there is to do, in a line."""
    return "; ".join(deed_told(deed) for deed in visit.deeds)


def late_told(visit: Visit) -> str:
    """``8 min · 3 h late at most``."""
    minutes = say("{n} min", n=max(round(visit.seconds / 60), 1))
    if visit.done:
        return f"{minutes} · ✓"
    if math.isinf(visit.late_s):
        return say("{minutes} · any time after", minutes=minutes)
    if visit.late_s <= 0:
        return say("{minutes} · not late", minutes=minutes)
    return say("{minutes} · {time} late at most", minutes=minutes, time=show_duration(visit.late_s))


def days_heading(days: Days) -> str:
    """``five tests · Fri 18:00 to Sun 23:00 · you are needed 11 times, 48 min in all``."""
    visits = days.visits()
    minutes = round(sum(visit.seconds for visit in visits) / 60)
    head = say("one test") if len(days.picked) == 1 else say("{n} tests", n=len(days.picked))
    return say(
        "{head} · {a} to {b} · you are needed {k} times, {m} in all",
        head=head,
        a=clock_of(days.plan.begins, dated=is_long(days)),
        b=clock_of(days.plan.ends, dated=is_long(days)),
        k=len(visits),
        m=show_duration(60 * minutes),
    )


def under_way(days: Days) -> str:
    """``2 of 5 under way``."""
    ended = sum(all(days.plan.placed[s.key].ended for s in one.steps) for one in days.picked)
    begun = sum(any(days.plan.placed[s.key].begun for s in one.steps) for one in days.picked) - ended
    if ended == len(days.picked):
        return say("all done")
    if not begun and not ended:
        return ""
    return say("{n} of {all} under way, {done} done", n=begun, all=len(days.picked), done=ended)


def next_told(visit: Visit) -> str:
    """``Next, at 13:12: …``."""
    return say("Next, at {time}: {what}", time=clock_of(visit.at), what=visit_told(visit))


def window_told(days: Days, visit: Visit) -> str:
    """Between when what the visit waits for may end: ``between 12:25 and 13:00``; empty where it waits for nothing."""
    ends = [
        (one.end, days.bench.step(key).spread_s)
        for deed in visit.deeds
        for key in deed.step.after
        if (one := days.plan.placed.get(key)) is not None and not one.ended
    ]
    if not ends:
        return ""
    low, high = max(end - spread for end, spread in ends), max(end + spread for end, spread in ends)
    if high - low < 120:
        return ""
    return say("what it waits for ends between {a} and {b}", a=clock_of(low), b=clock_of(high, low))


def if_late_told(days: Days, visit: Visit, seconds: float = 3600.0) -> str:
    """What comes of being late to a visit: ``If you come 1 h late: …``."""
    later = if_late(days.bench, days.plan, visit, seconds)
    head = say("If you come {time} late:", time=show_duration(seconds))
    if later is None:
        return f"{head} {say('then it cannot be made any more.')}"
    moved = moved_ends(days.plan, later, [s.key for s in days.bench.steps])
    if later.late and not days.plan.late:
        key, by = later.late[0]
        return f"{head} {say('{unit} would be {time} past what is due.', unit=days.bench.step(key).unit, time=show_duration(by))}"
    if not moved:
        return f"{head} {say('nothing else moves.')}"
    told = [
        say(
            "{what} of {unit} ends {b} instead of {a}",
            what=days.bench.step(k).what,
            unit=days.bench.step(k).unit,
            a=clock_of(a, b),
            b=clock_of(b),
        )
        for k, a, b in moved
        if days.bench.step(k).kind != "rest"
    ]
    rest = say("; {n} more move", n=len(told) - 2) if len(told) > 2 else say("; nothing else moves")
    return f"{head} {'; '.join(told[:2])}{rest}."


def rules_told(days: Days) -> str:
    """What the plan keeps to."""
    said = [say("Away or asleep: only what switches itself off, or a charge.")]
    if any(math.isfinite(step.soon_s) for step in days.bench.steps):
        said.append(say("Lead-acid is refilled the day it was emptied."))
    return " ".join([*said, say("Nothing ends the plan empty. Charge on a surface that does not burn, never a damaged or a cold pack.")])


def lines_of_days(days: Days) -> list[str]:
    """The plan as text."""
    visits = [f"{clock_of(visit.at, dated=is_long(days)):>10}  {visit_told(visit)}  ({late_told(visit)})" for visit in days.visits()]
    return [days_heading(days), *visits, *days.gives, rules_told(days), *days.remarks]


def days_json(days: Days) -> dict[str, Any]:
    """The plan as one JSON object."""

    def iso(moment: float) -> str:
        return datetime.fromtimestamp(moment).astimezone().isoformat(timespec="minutes")

    return {
        "schema": SCHEMA,
        "name": days.name,
        "begins": iso(days.plan.begins),
        "ends": iso(days.plan.ends),
        "hours": [
            {
                "step": key,
                "unit": step.unit,
                "kind": step.kind,
                "what": step.what,
                "start": iso(one.start),
                "end": iso(one.end),
                "tools": list(one.tools),
            }
            for key, one in sorted(days.plan.placed.items(), key=lambda pair: pair[1].start)
            for step in (days.bench.step(key),)
        ],
        "visits": [
            {
                "at": iso(visit.at),
                "minutes": round(visit.seconds / 60, 1),
                "do": [deed_told(deed) for deed in visit.deeds],
                "late_at_most_min": None if math.isinf(visit.late_s) else round(visit.late_s / 60),
            }
            for visit in days.visits()
        ],
        "late": [{"step": key, "by_h": seconds / 3600} for key, seconds in days.plan.late],
        "gives": list(days.gives),
        "remarks": days.remarks,
    }


def days_page(days: Days) -> str:
    """A page of HTML: the visits, large enough to read at the bench."""
    rows = "".join(
        f"<tr><td>{escape(clock_of(visit.at, dated=is_long(days)))}</td><td>{escape(visit_told(visit))}</td><td>{escape(late_told(visit))}</td><td class='box'></td></tr>"
        for visit in days.visits()
    )
    style = (
        "@page{size:A4;margin:16mm}body{font-family:B612,sans-serif;color:#1F2A33}h1{font-size:18pt;margin:0 0 2mm}p{font-size:10pt;color:#5E666D}"
        "table{border-collapse:collapse;width:100%}td{font-size:12pt;padding:2.4mm 4mm 2.4mm 0;border-bottom:.3mm solid #CFCABE;vertical-align:top}"
        "td:first-child{font-weight:bold;white-space:nowrap}td:nth-child(3){white-space:nowrap;color:#5E666D;font-size:10pt}"
        ".box{border:.4mm solid #5E666D;width:5mm}"
    )
    notes = "".join(f"<p>{escape(text)}</p>" for text in (*days.gives, rules_told(days), *days.remarks))
    return (
        f"<!doctype html><html><head><meta charset='utf-8'><title>{escape(days.name)}</title><style>{style}</style></head>"
        f"<body><h1>{escape(days.name)}</h1><p>{escape(days_heading(days))}</p><table>{rows}</table>{notes}</body></html>"
    )


def days_calendar(days: Days, now: datetime) -> bytes:
    """Each visit that is to come, with an alarm."""
    coming = [visit for visit in days.visits() if not visit.done]
    entries = [CalendarEntry(datetime.fromtimestamp(v.at, UTC), visit_told(v), late_told(v), v.seconds) for v in coming]
    return calendar_file(entries, "bench days", now)
