"""Runs of a logbook held against each other: what differs between them, their differences with ±, their curves, and how a unit ages."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

import numpy as np

from ubrant.core.account import Account, finding_to_json
from ubrant.core.compare.ageing import TOLD_SLOPE, Trend, repeated_soon, trend_of, worth_again
from ubrant.core.compare.difference import A_YEAR_S, Difference, Shared, difference_of, would_settle
from ubrant.core.drawings import DASHED, DOTTED, SOLID, Area, Curve, Dots, Plot, Rule
from ubrant.core.equipment.meter import Meter
from ubrant.core.quantities.quantity import plain, show, show_with
from ubrant.core.quantities.readings import Array
from ubrant.core.record.events import Zeroed
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.contributions import COVERAGE
from ubrant.core.uncertainty.decision import COMMON_SHARE
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.sources import ErrorKind
from ubrant.core.uncertainty.value import scattered
from ubrant.core.wording import say, words
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.kept.naming import name_of

SCHEMA = 1
_REPEATS = frozenset({"charge", "energy", "duration", "label_share"})
"""What a battery gives is not the same twice."""
_OHMS_ALIKE_C = 3.0
"""Resistance changes by a few percent for each degree. Common practice, no source."""
_KEYS = ("charge", "energy", "duration", "resistance", "mean_voltage", "idle_power")
_AMOUNTS = frozenset({"Ah", "Wh", "s"})
_TO_ITS_END = frozenset({"label_share", "mean_voltage", "peukert_exponent"})
"""What only a run to its end tells, and tests tell differently."""
_NUMBERED = re.compile(r"_\d+$")
_POINTS = 500
_MOST_RUNS = 200
_YEAR_S = 365.25 * 86400.0
_SPENT = 0.8
_ALIKE = {"rate": 0.10, "cut-off": 0.02, "temperature": 5.0}


@dataclass(frozen=True, eq=False)
class Compared:
    """One run as it is laid beside others."""

    run: Run
    name: str
    record: Record
    account: Account

    @property
    def title(self) -> str:
        """``Dome pack A, 17 Oct``."""
        return f"{self.name}, {datetime.fromisoformat(self.run.started).astimezone():%-d %b %Y}"


@dataclass(frozen=True)
class Differing:
    """A row of what differs: its name, what it was in each run, and in which it is not as in the first."""

    name: str
    values: tuple[str, ...]
    odd: tuple[bool, ...]


@dataclass(frozen=True, eq=False)
class Pair:
    """The first held against another: the differences by key, what they share, one sentence, and what would settle it."""

    one: Compared
    other: Compared
    differences: dict[str, Difference]
    shared: Shared
    sentence: str
    settle: str


@dataclass(frozen=True, eq=False)
class Life:
    """A unit's capacity over its dates: (n,) years from the first, shares of the label in percent, their own u, and the trend."""

    name: str
    dates: tuple[datetime, ...]
    years: Array
    percent: Array
    own_u: Array
    trend: Trend | None
    sentence: str


def compared_runs(logbook: Logbook, numbers: Sequence[int]) -> list[Compared]:
    """The runs by their numbers, in that order; what is not there is left out."""
    known = {run.id: (run, name) for run, name in logbook.runs(limit=-1)}
    found = []
    for number in numbers:
        if number in known and known[number][0].state != "running":
            run, name = known[number]
            found.append(Compared(run, name_of(run, name), *account_of(logbook, run)))
    return found


# what differs


def differing(runs: Sequence[Compared]) -> list[Differing]:
    """Rate, temperature, cut-off, meter, leads, start: what would make them not like for like."""
    rows = [
        _row(say("method"), [c.run.method for c in runs]),
        _numbers(say("rate"), [_rate(c) for c in runs], "C", _ALIKE["rate"], relative=True),
        _numbers(say("temperature"), [c.record.head.conditions.temperature_c for c in runs], "°C", _ALIKE["temperature"], relative=False),
        _numbers(say("cut-off"), [_cutoff(c) for c in runs], "V", _ALIKE["cut-off"], relative=True),
        _row(say("meter"), [", ".join(dict.fromkeys(m.name for m in c.record.head.setup.meters.values() if m.name)) for c in runs]),
        _row(say("leads"), [c.record.head.setup.leads.describe() if c.record.head.setup.leads.length_m else "" for c in runs]),
        _row(say("what is fed"), [device.name if (device := c.record.head.setup.device) is not None else "" for c in runs]),
        _row(say("fully charged"), [{True: say("yes"), False: say("no"), None: ""}[c.record.head.conditions.was_full] for c in runs]),
        _row(say("ended by"), [c.account.ended_by for c in runs]),
    ]
    return [row for row in rows if any(row.values)]


def _row(name: str, values: list[str]) -> Differing:
    return Differing(name, tuple(v or say("not known") for v in values), tuple(v != values[0] for v in values))


def _numbers(name: str, values: list[float | None], unit: str, room: float, *, relative: bool) -> Differing:
    first = values[0]

    def is_odd(value: float | None) -> bool:
        if value is None or first is None:
            return value is not first
        return abs(value - first) > (room * abs(first) if relative else room)

    shown = tuple(say("not known") if v is None else f"{plain(v, 3)} {unit}" for v in values)
    return Differing(name, shown, tuple(is_odd(v) for v in values)) if any(v is not None for v in values) else Differing(name, (), ())


def _rate(one: Compared) -> float | None:
    charge, duration = one.account.findings.get("charge"), one.account.findings.get("duration")
    label = one.record.head.setup.label
    if charge is None or duration is None or not charge.value or not duration.value or label is None or not label.charge_ah:
        return None
    return charge.value / (duration.value / 3600) / label.charge_ah


def _cutoff(one: Compared) -> float | None:
    cutoff = one.record.head.criteria.cutoff
    return cutoff.voltage_v if cutoff is not None else None


# one against another


def _corrected_by(meter: Meter) -> tuple[object, ...]:
    """What its readings were corrected by."""
    return tuple((meter.details.corrects(unit), meter.details.correction(unit)[1]) for unit in "VA")


def shared_by(one: Compared, other: Compared) -> Shared:
    """Whether the same meters read both, within a year, and were not zeroed between."""
    mine, theirs = one.record.head.setup.meters, other.record.head.setup.meters
    if not mine or set(mine) != set(theirs):
        return Shared()
    between = abs((datetime.fromisoformat(one.run.started) - datetime.fromisoformat(other.run.started)).total_seconds())
    same = all(m.id and m.is_same(theirs[tap]) and _corrected_by(m) == _corrected_by(theirs[tap]) for tap, m in mine.items())
    alike = all(
        (m.voltage_accuracy, m.current_accuracy) == (theirs[t].voltage_accuracy, theirs[t].current_accuracy) for t, m in mine.items()
    )
    if not same or not alike or between > A_YEAR_S:
        return Shared()
    zeroed = one.record.of(Zeroed) or other.record.of(Zeroed)
    as_before = all(m.details.zeroed == theirs[tap].details.zeroed for tap, m in mine.items())
    return Shared(meters=True, zeros=as_before and not zeroed)


def pair_of(one: Compared, other: Compared) -> Pair:
    """The second held against the first."""
    shared = shared_by(one, other)
    for asked in (one, other):
        if asked.account.held_back:
            text = words("{name}: {why} Until that is answered it is held against nothing.")
            return Pair(one, other, {}, shared, say(text, name=asked.title, why=asked.account.sentence), "")
    mine, theirs = _comparable(one, other)
    keys = dict.fromkeys((*_KEYS, *one.account.answers, *mine))
    why_not = ""
    for key in [k for k in mine if k.startswith("resistance") and k in theirs]:
        if reason := _ohms_unlike(one, other, mine[key], theirs[key]):
            del theirs[key]
            why_not = why_not or reason
    found = {}
    for key in keys:
        if (
            key in mine
            and key in theirs
            and (made := difference_of(mine[key], theirs[key], shared, COMMON_SHARE if key in _REPEATS else 0.0)) is not None
        ):
            found[key] = made
    odd = tuple(row.name for row in differing([one, other]) if len(row.odd) > 1 and row.odd[1] and row.name != say("ended by"))
    chief = next((k for k in (*_KEYS, *one.account.answers) if k in found), None)
    if (unfinished := _unfinished(one, other)) is not None:
        sentence, is_open = unfinished
        settle = (say("Run it to its end once more: then it can be told."), why_not) if is_open else (why_not,)
        return Pair(one, other, found, shared, sentence, " ".join(filter(None, settle)))
    if chief is None:
        return Pair(one, other, found, shared, say("They have nothing in common to be held against each other."), "")
    return Pair(
        one,
        other,
        found,
        shared,
        _sentence(one, other, found[chief], shared, odd),
        " ".join(filter(None, (would_settle(found[chief], shared, odd), why_not))),
    )


def _is_part(one: Compared) -> bool:
    """Whether it was stopped before its end, or began late: what it gave is *at least* so much."""
    return one.account.energy is not None and not one.account.energy.whole


def _comparable(one: Compared, other: Compared) -> tuple[dict[str, Finding], dict[str, Finding]]:
    """What of each can be held against the other: of one that did not reach its end no amount, of two tests only what both look for, and of what is numbered
    (a mode, a load) that of the same name.
    """
    mine, theirs = _findings(one), _findings(other)
    part, apart = _is_part(one) or _is_part(other), one.run.method != other.run.method

    def is_left_out(key: str, found: Finding) -> bool:
        if part and (found.unit in _AMOUNTS or key in _TO_ITS_END):
            return True
        return apart and (found.unit == "s" or key in _TO_ITS_END or "label" in key)

    by_name = {(_NUMBERED.sub("", key), f.name.lower()): f for key, f in theirs.items() if _NUMBERED.search(key)}
    for key in [k for k in mine if _NUMBERED.search(k)]:
        theirs.pop(key, None)
        if (same := by_name.get((_NUMBERED.sub("", key), mine[key].name.lower()))) is not None:
            theirs[key] = same
    left, right = ({k: f for k, f in found.items() if not is_left_out(k, f)} for found in (mine, theirs))
    return left, right


def _unfinished(one: Compared, other: Compared) -> tuple[str, bool] | None:
    """What can be said where one did not reach its end: that it gave more all the same, or that nobody can tell, and whether that is open; None where both did."""
    key = next((k for k in ("charge", "energy", "energy_out") if k in one.account.findings and k in other.account.findings), None)
    parts = [c for c in (one, other) if _is_part(c)]
    if not parts or key is None:
        return None
    names = {id(c): c.name if one.name != other.name else c.title for c in (one, other)}
    if len(parts) == 1:
        part, whole = parts[0], other if parts[0] is one else one
        gave, has = part.account.findings[key], whole.account.findings[key]
        least = (gave.value or 0.0) - (gave.expanded_uncertainty or 0.0)
        told = {
            "part": names[id(part)],
            "gave": f"{plain(gave.value or 0.0, 4)} {gave.unit}",
            "whole": names[id(whole)],
            "has": has.with_uncertainty(),
        }
        if least > (has.value or 0.0) + (has.expanded_uncertainty or 0.0):
            return say("{part} gave at least {gave}, more than {whole} ({has}).", **told), False
        text = words("{part} did not reach its end: it gave at least {gave}, and {whole} {has}. Which of them gives more cannot be told.")
        return say(text, **told), True
    return say("Neither reached its end: which of them gives more cannot be told."), True


def _ohms_unlike(one: Compared, other: Compared, mine: Finding, theirs: Finding) -> str:
    """Why two resistances say nothing against each other; empty where they do: read as soon after the step, equally charged, equally warm."""
    head, than = one.record.head.conditions, other.record.head.conditions
    if mine.name != theirs.name:
        why = say("one is {a}, the other {b}", a=mine.name, b=theirs.name)
    elif head.temperature_c is None or than.temperature_c is None:
        why = say("the battery's temperature is not known of both")
    elif abs(head.temperature_c - than.temperature_c) > _OHMS_ALIKE_C:
        why = say("their temperatures are {k} °C apart", k=plain(abs(head.temperature_c - than.temperature_c), 2))
    elif not (head.full and than.full):
        why = say("that both were fully charged at the step is not known")
    else:
        return ""
    return say("Their resistances are not held against each other: {why}.", why=why)


def _findings(one: Compared) -> dict[str, Finding]:
    """Its findings, and of a converter its efficiency at a few loads."""
    found = {k: f for k, f in one.account.findings.items() if f.value is not None}
    candidate = one.account.candidate
    if candidate is not None:
        for load, u in candidate.uncertainties:
            name = say("Efficiency at {w} W", w=plain(load, 3))
            share = 100 * candidate.model.efficiency(load) + scattered(u / COVERAGE, words("its meters there"))
            found[f"efficiency_{plain(load, 3)}"] = Finding.made(f"efficiency_{plain(load, 3)}", name, share, "%", "")
    return found


def _sentence(one: Compared, other: Compared, found: Difference, shared: Shared, odd: tuple[str, ...]) -> str:
    names = (one.name, other.name) if one.name != other.name else (one.title, other.title)
    value = found.difference.value or 0.0
    what = found.difference.name.lower()
    if found.apart is None:
        text = say(
            "{b} and {a} differ by {d} in {what}; without a ± nobody can say whether surely so.",
            a=names[0],
            b=names[1],
            d=found.difference.value_text(),
            what=what,
        )
    elif found.within_repeat:
        amount = replace(found.difference, value=abs(value)).with_uncertainty()
        text = say(
            "{a} and {b} differ by {d}, no more than one battery differs by from one time to the next: they cannot be told apart.",
            a=names[0],
            b=names[1],
            d=amount,
        )
    elif not found.apart:
        text = say(
            "{a} and {b} cannot be told apart by their {what}: {d}.",
            a=names[0],
            b=names[1],
            what=what,
            d=found.difference.with_uncertainty(),
        )
    else:
        amount = replace(found.difference, value=abs(value)).with_uncertainty()
        more = say("more") if value > 0 else say("less")
        if found.difference.unit in {"Ah", "Wh"}:
            text = say("{b} gives {d} {more} than {a}.", a=names[0], b=names[1], d=amount, more=more)
        else:
            text = say("{what}: {b} {d} {more} than {a}.", a=names[0], b=names[1], d=amount, more=more, what=found.difference.name)
    if found.cancels:
        text += say(" One meter read both: its errors drop out of the difference.")
    if odd:
        text += say(" Not like for like: {what}.", what=", ".join(odd))
    return text


# curves


def curve_of(one: Compared, by: str) -> tuple[Array, Array] | None:
    """(x, volts) from load-on to its end; ``by`` time (h), charge (Ah), energy (Wh) or percent of its charge. None without volts and amperes."""
    tap = next((t for t in one.record.head.setup.meters if one.record.corrected(t, "V") is not None), None) or "battery"
    volts, amps = one.record.corrected(tap, "V"), one.record.corrected(tap, "A")
    if volts is None or len(volts) < 2:
        return None
    start, end = one.account.span or (float(volts.time_s[0]), float(volts.time_s[-1]))
    inside = (volts.time_s >= start) & (volts.time_s <= end)
    time, v = volts.time_s[inside], volts.value[inside]
    if len(time) < 2:
        return None
    hours = (time - time[0]) / 3600
    if by == "time":
        x = hours
    else:
        if amps is None or len(amps) < 2:
            return None
        a = np.interp(time, amps.time_s, amps.value)
        rate = a * v if by == "energy" else a
        x = np.concatenate([[0.0], np.cumsum(np.diff(hours) * (rate[1:] + rate[:-1]) / 2)])
        if by == "percent":
            x = 100 * x / max(float(x[-1]), 1e-12)
    keep = np.unique(np.linspace(0, len(x) - 1, min(_POINTS, len(x))).astype(int))
    return x[keep], v[keep]


_LINES = ((SOLID, "voltage"), (DASHED, "current"), (DOTTED, "power"), (SOLID, "caution"), (DASHED, "loss"), (DOTTED, "good"))
BY = (
    ("time", words("time, h")),
    ("charge", words("given out, Ah")),
    ("energy", words("given out, Wh")),
    ("percent", words("of its own charge, %")),
)


def line_style(place: int) -> tuple[str, str]:
    """(style, colour) of the so-manieth run, so that colour is never alone."""
    return _LINES[place % len(_LINES)]


def overlay(runs: Sequence[Compared], by: str) -> Plot | None:
    """Their volts over each other, aligned at load on; None where none has any."""
    curves: list[Curve | Rule] = []
    for place, one in enumerate(runs):
        found = curve_of(one, by)
        if found is not None:
            style, tint = line_style(place)
            curves.append(Curve(*found, tint, style, one.title, keyed=True))
    drawn = [c for c in curves if isinstance(c, Curve)]
    if not drawn:
        return None
    cutoffs = {c for one in runs if (c := _cutoff(one)) is not None}
    if len(cutoffs) == 1:
        curves.append(Rule(cutoffs.pop(), say("all judged at it"), below=True, tint="loss"))
    low = min(float(c.y.min()) for c in drawn)
    high = max(float(c.y.max()) for c in drawn)
    room = max(high - low, 0.1)
    return Plot(
        say("Voltage, over each other"),
        say(dict(BY)[by]),
        say("V"),
        (0.0, 1.04 * max(float(c.x.max()) for c in drawn)),
        (low - 0.1 * room, high + 0.12 * room),
        tuple(curves),
        say("{n} runs over each other by {by}", n=len(drawn), by=say(dict(BY)[by])),
    )


def life_plot(life: Life) -> Plot:
    """Share of the label over the years, with the trend and its band."""
    last = float(life.years.max())
    line = np.linspace(0, 1.35 * max(last, 0.05), 50)
    layers: list[Area | Curve | Dots | Rule] = [Rule(100 * _SPENT, say("80 %, spent"), below=True, tint="loss")]
    for at, percent, u in zip(life.years.tolist(), life.percent.tolist(), life.own_u.tolist(), strict=True):
        layers.append(Curve(np.full(2, at), np.array([percent - COVERAGE * u, percent + COVERAGE * u]), "voltage", SOLID))
    layers.append(Dots(life.years, life.percent))
    if life.trend is not None:
        middle, low, high = life.trend.band(line)
        layers = [Area(line, low, high, "voltage", 1), Curve(line, middle, "voltage", DOTTED), *layers]
    wide = COVERAGE * life.own_u
    bottom, top = min(78.0, float((life.percent - wide).min()) - 2), float((life.percent + wide).max()) + 4
    first = f"{life.dates[0].astimezone():%-d %b %Y}"
    told = say("{n} dates, from {a} to {b} %", n=len(life.dates), a=show(float(life.percent[0]), 3), b=show(float(life.percent[-1]), 3))
    along = say("years from {first}", first=first)
    return Plot(
        say("{name} over its dates", name=life.name),
        along,
        say("% of its label"),
        (-0.02, float(line[-1])),
        (bottom, top),
        tuple(layers),
        told,
    )


# ageing


def life_of(logbook: Logbook, unit_id: int) -> Life | None:
    """A unit's capacity over its whole runs; None with fewer than two."""
    found: list[tuple[datetime, Compared]] = []
    for run, name in logbook.runs(limit=_MOST_RUNS, unit_id=unit_id):
        if run.state == "running":
            continue
        one = Compared(run, name_of(run, name), *account_of(logbook, run))
        energy, charge = one.account.energy, one.account.findings.get("charge")
        if energy is not None and energy.whole and charge is not None and charge.value and charge.contributions is not None:
            found.append((datetime.fromisoformat(run.started), one))
    found.sort(key=lambda pair: pair[0])
    if len(found) < 2:
        return None
    label = found[0][1].record.head.setup.label
    reference = label.charge_ah if label is not None and label.charge_ah else found[0][1].account.findings["charge"].value or 1.0
    years = np.array([(day - found[0][0]).total_seconds() / _YEAR_S for day, _ in found])
    percent = np.array([100 * (one.account.findings["charge"].value or 0.0) / reference for _, one in found])
    repeat = repeated_soon(years, percent)
    own = np.array([_own_u(one, found[0][1], repeat) * 100 / reference for _, one in found])
    limit = 100 * _SPENT if label is not None and label.charge_ah else None
    trend = trend_of(years, percent, own, limit)
    name = found[0][1].name
    return Life(name, tuple(day for day, _ in found), years, percent, own, trend, _life_sentence(name, found, trend, years, own))


def _own_u(one: Compared, first: Compared, repeat: float) -> float:
    """Standard uncertainty in Ah that it does not share with the first; a shared meter's gain moves all of them alike."""
    charge = one.account.findings["charge"]
    shared = shared_by(first, one)
    parts = charge.known.parts or {}
    own = (u for source, u in parts.items() if not (shared.meters and source.kind is ErrorKind.GAIN and source.outlasts_runs))
    return math.hypot(*own, repeat * (charge.value or 0.0))


def _life_sentence(name: str, found: list[tuple[datetime, Compared]], trend: Trend | None, years: Array, own: Array) -> str:
    if trend is None:
        return say("{name}: {n} dates; from three on a trend can be told.", name=name, n=len(found))
    slope = " ± ".join(show_with(abs(trend.slope), COVERAGE * trend.slope_u))
    if not trend.ages and COVERAGE * trend.slope_u > TOLD_SLOPE:
        again = max(worth_again(years, own), float(years[-1]) + 1 / 12)
        return say("{name}: too soon to say whether it ages; run it again about {month}.", name=name, month=_date(found[0][0], again))
    if not trend.ages:
        most = plain(max(-trend.slope, 0.0) + COVERAGE * trend.slope_u, 2)
        return say("{name}: no ageing that could be seen: less than {most} points a year.", name=name, most=most)
    text = say("{name} loses {slope} points a year", name=name, slope=slope)
    if trend.limit_years is None or trend.between is None:
        return text + say("; when it is below 80 % cannot be said yet.")
    when = [_date(found[0][0], y) for y in (trend.limit_years, *trend.between)]
    return text + say(
        "; if it goes on as it did, below 80 % about {when}, between {low} and {high}.", when=when[0], low=when[1], high=when[2]
    )


def _date(first: datetime, years: float) -> str:
    return f"{datetime.fromtimestamp(first.timestamp() + min(years, 100.0) * _YEAR_S).astimezone():%b %Y}"


# for whoever shows it


def compare_json(runs: Sequence[Compared]) -> dict[str, Any]:
    """Everything as one JSON object: the first against each of the others."""
    pairs = [pair_of(runs[0], other) for other in runs[1:]]
    return {
        "schema": SCHEMA,
        "runs": [{"id": c.run.id, "name": c.title, "sentence": c.account.sentence} for c in runs],
        "differs": [{"name": r.name, "values": list(r.values), "odd": list(r.odd)} for r in differing(runs)],
        "pairs": [
            {
                "one": p.one.run.id,
                "other": p.other.run.id,
                "shared_meter": p.shared.meters,
                "sentence": p.sentence,
                "settle": p.settle,
                "differences": {
                    key: {
                        **finding_to_json(d.difference),
                        "name": d.difference.name,
                        "told_apart": d.apart,
                        "alone": list(d.alone),
                        "share": None if d.share is None else finding_to_json(d.share),
                    }
                    for key, d in p.differences.items()
                },
            }
            for p in pairs
        ],
    }


def compare_lines(runs: Sequence[Compared]) -> list[str]:
    """The same to read."""
    lines = [f"{k}: {c.title}: {c.account.sentence}" for k, c in enumerate(runs, start=1)]
    lines += [f"  {row.name}: {' | '.join(row.values)}" for row in differing(runs) if any(row.odd)]
    for other in runs[1:]:
        pair = pair_of(runs[0], other)
        lines += ["", pair.sentence, *([pair.settle] if pair.settle else [])]
        for found in pair.differences.values():
            apart = {True: "", False: say("  cannot be told apart"), None: ""}[found.apart]
            share = f"  {show(found.share.value or 0.0, 4)} %" if found.share is not None else ""
            lines.append(f"  {found.difference.name:28s} {found.difference.with_uncertainty()}{share}{apart}")
    return lines
