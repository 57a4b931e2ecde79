"""When to change from one source to the next: at natural breaks before the first may be empty, as a card to print and as a calendar."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from html import escape

import numpy as np

from ubrant.core.outlook.answers import OutlookAnswer
from ubrant.core.outlook.duty import clock
from ubrant.core.outlook.kit import Load, Source, Way
from ubrant.core.outlook.walk import Walk
from ubrant.core.quantities.quantity import plain, show_duration
from ubrant.core.wording import say
from ubrant.runs.making.away import calendar_of

_LEAST_BREAK_S = 60.0


@dataclass(frozen=True)
class Swap:
    """One change: when it has to be done by, when it is best done, from what to what, and whether nothing runs then."""

    due_s: float
    at_s: float
    from_name: str
    to_name: str
    in_a_break: bool
    down_s: float


def swaps_of(looked: OutlookAnswer) -> list[Swap]:
    """In their order; each as early as the band says the source may be empty."""
    walked, kit = looked.middle, looked.middle.kit
    early = looked.low_s / looked.runtime_s if looked.runtime_s else 1.0
    found = []
    before = 0.0
    names = [s.name for s in kit.sources]
    for place, (at, name) in enumerate(walked.hand_overs):
        due = before + (at - before) * early
        break_at = _last_break(walked, before, due)
        down = next(s.swap_s for s in kit.sources if s.name == name)
        found.append(Swap(due, break_at if break_at is not None else due, names[place], name, break_at is not None, down))
        before = at
    return found


def _last_break(walked: Walk, since_s: float, due_s: float) -> float | None:
    """The start of the last stretch in which the fewest loads are on, before it is due; None where all that can be on always is."""
    demand = walked.demand
    total = demand.load_w.sum(axis=1)
    starts, ends = walked.time_s[:-1], walked.time_s[1:]
    there = (starts >= since_s) & (ends <= due_s)
    if not there.any():
        return None
    least = float(total[there].min())
    if least >= 0.999 * float(total[there].max()):
        return None
    quiet = there & (total <= least * 1.001 + 1e-9)
    places = np.flatnonzero(quiet)
    last = int(places[-1])
    first = last
    while first - 1 in places:
        first -= 1
    return float(starts[first]) if ends[last] - starts[first] >= _LEAST_BREAK_S else None


def lines_of(looked: OutlookAnswer) -> list[tuple[str, str]]:
    """(when, what) of each swap."""
    kit = looked.middle.kit

    def when(seconds: float) -> str:
        return clock(kit.starts_s + seconds) if kit.varies or kit.starts_s else show_duration(seconds)

    lines = []
    for swap in swaps_of(looked):
        pause = (
            say("in the break")
            if swap.in_a_break
            else say("nothing pauses: it goes dark meanwhile")
            if swap.down_s
            else say("while it runs")
        )
        down = say(", takes {time}", time=show_duration(swap.down_s)) if swap.down_s else ""
        lines.append(
            (
                when(swap.at_s),
                say(
                    "{a} out, {b} in, {pause}{down}; at the latest {due}",
                    a=swap.from_name,
                    b=swap.to_name,
                    pause=pause,
                    down=down,
                    due=when(swap.due_s),
                ),
            )
        )
    if looked.runtime_s is not None:
        lines.append((when(looked.runtime_s), say("dark; may be from {time} on", time=when(looked.low_s))))
    return lines


def swap_card(looked: OutlookAnswer) -> str:
    """A page of HTML with the swaps large enough to read at the bench."""
    kit = looked.middle.kit
    rows = "".join(f"<tr><td>{escape(when)}</td><td>{escape(what)}</td></tr>" for when, what in lines_of(looked))
    sources = ", ".join(f"{s.name} ({plain(s.usable_wh, 3)} Wh)" for s in kit.sources)
    loads = ", ".join(load.name for load in kit.loads)
    title = kit.name or say("Swap card")
    style = (
        "@page{size:A5 landscape;margin:14mm}body{font-family:B612,sans-serif;color:#1F2A33}h1{font-size:20pt;margin:0 0 4mm}"
        "td{font-size:15pt;padding:3mm 6mm 3mm 0;border-bottom:.3mm solid #CFCABE;vertical-align:top}td:first-child{font-weight:bold;white-space:nowrap}"
        "p{font-size:10pt;color:#5E666D}"
    )
    pieces: list[Source | Way | Load] = [*kit.sources, *kit.ways, *kit.loads]
    plugs = "; ".join(f"{one.name}: {one.plug}" for one in pieces if one.plug)
    words = say("Sources: {sources}. Loads: {loads}. Switch off before plugging or unplugging DC: it arcs.", sources=sources, loads=loads)
    return f"<!doctype html><html><head><meta charset='utf-8'><title>{escape(title)}</title><style>{style}</style></head><body><h1>{escape(title)}</h1><table>{rows}</table><p>{escape(words)}</p><p>{escape(plugs)}</p></body></html>"


def swap_calendar(looked: OutlookAnswer, now: datetime) -> bytes:
    """Each swap with an alarm; by the clock of today, or from now where no clock was given."""
    kit = looked.middle.kit
    midnight = now.replace(hour=0, minute=0, second=0, microsecond=0)
    start = midnight + timedelta(seconds=kit.starts_s) if kit.varies or kit.starts_s else now
    if start + timedelta(seconds=looked.runtime_s or 0.0) < now:
        start += timedelta(days=1)
    swaps = swaps_of(looked)
    what = "; ".join(say("{a} out, {b} in", a=s.from_name, b=s.to_name) for s in swaps)
    return calendar_of(say("the swap"), [start + timedelta(seconds=s.at_s) for s in swaps], what)
