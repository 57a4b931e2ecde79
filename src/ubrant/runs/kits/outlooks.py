"""What an outlook says, for whoever shows it: sentences, lines, JSON."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from typing import Any

from ubrant.core.outlook.answers import OutlookAnswer, Size, cause_text, idle_wh, jobs, look, size, time_to_put_back
from ubrant.core.outlook.duty import clock
from ubrant.core.outlook.kit import Kit
from ubrant.core.quantities.quantity import NUMBER, QuantityError, parse_number, parse_quantity, plain, show, show_duration
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.wording import say
from ubrant.methods import cautions
from ubrant.runs.kits.kit_file import job_of
from ubrant.runs.kits.kit_parts import KitError, KitPart

SCHEMA = 1


@dataclass(frozen=True)
class Wanted:
    """What a size is for: so many seconds, or so many jobs."""

    seconds: float | None = None
    jobs: float | None = None


def parse_wanted(text: str, job_name: str = "charge") -> Wanted:
    """``8 h``, ``2 days``, ``3 charges``.

    Raises
    ------
    QuantityError
        Not understood, or a number alone.
    """
    text = text.strip()
    if re.fullmatch(NUMBER, text):
        raise QuantityError(say("“{what}”: {what} of what? Write “{what} h”, “{what} days” or “{what} charges”.", what=text))
    if match := re.fullmatch(rf"({NUMBER})\s*({re.escape(job_name)}s?|charges?|recharges?|jobs?)", text, re.I):
        count = parse_number(match[1])
        if not count > 0:
            raise QuantityError(say("“{what}”: more than none, please.", what=text))
        return Wanted(jobs=count)
    if match := re.fullmatch(rf"({NUMBER})\s*h\s*({NUMBER})\s*(?:min|m)?", text):
        return Wanted(parse_number(match[1]) * 3600 + parse_number(match[2]) * 60)
    seconds = parse_quantity(text, "s")
    if not seconds > 0:
        raise QuantityError(say("“{what}”: more than none, please.", what=text))
    return Wanted(seconds)


def sentence(looked: OutlookAnswer) -> str:
    """The answer as one would say it."""
    kit = looked.middle.kit
    if looked.beyond:
        return say("Runs for more than {time}: further was not looked.", time=show_duration(looked.middle.horizon_s))
    if looked.runtime_s is None:
        if looked.forever < 0.99:
            return say("Runs on for as long as the input lasts, in {n} of 100 cases.", n=round(100 * looked.forever))
        return say("Runs on for as long as the input lasts.")
    if looked.runtime_s <= 0:
        assert looked.first is not None
        return say("It does not run: {what}.", what=cause_text(looked.first, kit))
    text = say("Runs for about {time}", time=show_duration(looked.runtime_s))
    if is_at_an_edge(looked):
        text = say("Runs for {low} to {high}", low=show_duration(looked.low_s), high=_end(looked))
    elif looked.low_s < looked.runtime_s or looked.high_s > looked.runtime_s:
        text = say("{what}, somewhere from {low} to {high}", what=text, low=show_duration(looked.low_s), high=_end(looked))
    first = say("; then {what}.", what=cause_text(looked.first, kit)) if looked.first is not None else "."
    return text + first


_EDGE = 0.05


def is_at_an_edge(looked: OutlookAnswer) -> bool:
    """Whether what the pencil says is an end of the band, as it is where a label is all that is known: then it is no best value."""
    if looked.runtime_s is None or math.isinf(looked.high_s) or not looked.low_s < looked.high_s:
        return False
    room = _EDGE * (looked.high_s - looked.low_s)
    return looked.runtime_s <= looked.low_s + room or looked.runtime_s >= looked.high_s - room


def _end(looked: OutlookAnswer) -> str:
    if math.isinf(looked.high_s):
        return say("without end")
    if looked.high_s >= looked.middle.horizon_s:
        return say("{time} or more", time=show_duration(looked.high_s))
    return show_duration(looked.high_s)


def goes_dark(looked: OutlookAnswer) -> tuple[str, str]:
    """(``goes dark about 21:35``, ``between 21:10 and 22:05``), by the clock within two days, else after so long."""
    kit = looked.middle.kit
    if looked.runtime_s is None or looked.beyond:
        return sentence(looked).rstrip("."), ""
    if kit.varies and looked.runtime_s < 48 * 3600:
        moments = [clock(kit.starts_s + s) for s in (looked.runtime_s, looked.low_s, min(looked.high_s, looked.middle.horizon_s))]
        day = say(" the next day") if kit.starts_s + looked.runtime_s >= 86400 else ""
        if is_at_an_edge(looked):
            return say("goes dark between {low} and {high}{day}", low=moments[1], high=moments[2], day=day), ""
        about = say("goes dark about {time}{day}", time=moments[0], day=day)
        return about, say("between {low} and {high}", low=moments[1], high=moments[2]) if moments[1] != moments[2] else ""
    if is_at_an_edge(looked):
        return say("dark after {low} to {high}", low=show_duration(looked.low_s), high=_end(looked)), ""
    about = say("dark after {time}", time=show_duration(looked.runtime_s))
    if looked.low_s < looked.runtime_s or looked.high_s > looked.runtime_s:
        return about, say("between {low} and {high}", low=show_duration(looked.low_s), high=_end(looked))
    return about, ""


def path_of(looked: OutlookAnswer) -> PowerPath:
    """Source → ways → loads in Wh until it goes dark, losses where they fall."""
    kit = looked.middle.kit
    first = kit.sources[0]
    names = " + ".join(s.name for s in kit.sources)
    notes = []
    if first.usable < 1:
        notes.append(say("{n} % kept back", n=plain(100 * (1 - first.usable), 3)))
    if first.kept_wh > 0:
        notes.append(say("{wh} Wh kept back", wh=show(first.kept_wh, 3)))
    if (came := came_in_wh(looked)) > 0.05:
        notes.append(say("{wh} Wh come in", wh=show(came, 3)))
    whole = sum(s.energy_wh for s in kit.sources)
    level = sum(s.usable_wh for s in kit.sources) / whole if whole else None
    battery = PathNode("battery", names, first.why, level, ", ".join(notes))
    loads = PathNode("load", say("Loads"), ", ".join(load.name for load in kit.loads))
    places = {name: wh for name, wh in looked.lost if name != say("inside the source")}
    leads = {name: wh for name, wh in places.items() if any(name == say("leads to {name}", name=w.name) for w in kit.ways)}
    in_ways, in_leads = sum(places.values()) - sum(leads.values()), sum(leads.values())
    out = looked.energy_wh
    if not kit.ways or in_ways + in_leads < 1e-9:
        return PowerPath((battery, loads), (Flow(out),), (None, None), (0.0, 0.0), "Wh")
    idle = idle_wh(looked)
    text = say("{wh} Wh, of it {idle} idle", wh=show(in_ways, 3), idle=show(idle, 3)) if idle > 0.05 else f"{show(in_ways, 3)} Wh"
    way = PathNode("converter", ", ".join(w.name for w in kit.ways), kit.ways[0].why)
    if not leads:
        return PowerPath((battery, way, loads), (Flow(out + in_ways), Flow(out)), (None, text, None), (0.0, in_ways, 0.0), "Wh")
    nodes = (battery, PathNode("leads", say("Leads")), way, loads)
    flows = (Flow(out + in_ways + in_leads), Flow(out + in_ways), Flow(out))
    return PowerPath(nodes, flows, (None, f"{show(in_leads, 2)} Wh", text, None), (0.0, in_leads, in_ways, 0.0), "Wh")


def came_in_wh(looked: OutlookAnswer) -> float:
    """What came in until it goes dark, used or not."""
    walked = looked.middle
    end = min(float(walked.end_s[0]), float(walked.time_s[-1]))
    hours = (walked.time_s[1:].clip(max=end) - walked.time_s[:-1]).clip(min=0.0) / 3600
    return float(walked.demand.into_w[:, 0] @ hours)


def cautions_of(kit: Kit) -> list[str]:
    """What concerns this kit, once each."""
    names = " ".join([*(s.name for s in kit.sources), *(w.name for w in kit.ways), *(i.name for i in kit.inputs)]).lower()
    said = [text] if (text := cautions.starter_caution(names)) else []
    if re.search(r"engine|generator|genset|alternator", names):
        said.append(say("An engine runs outdoors only: its fumes kill (carbon monoxide)."))
    if any(w.mains for w in kit.ways) or re.search(r"inverter|mains|230 ?v|120 ?v", names):
        said.append(
            say(
                "An inverter's output is mains: it can kill. Fixed wiring and earth bonding are for a licensed electrician and local codes."
            )
        )
    if any(w.lead_ohm > 0 for w in kit.ways):
        said.append(say("Lead section and fuse are to be confirmed against local codes."))
    return said


def outlook_json(part: KitPart, kit: Kit, looked: OutlookAnswer) -> dict[str, Any]:
    """The findings of an outlook as one JSON object."""
    never = looked.runtime_s is None
    hours = None if never or looked.runtime_s is None else looked.runtime_s / 3600
    runtime: dict[str, Any] = {"value": hours, "unit": "h", "indefinite": never, "low": _hours(looked.low_s), "high": _hours(looked.high_s)}
    if looked.beyond:
        runtime["bound"] = "at least"
    findings: dict[str, Any] = {
        "runtime": runtime,
        "first_to_fail": {
            "value": None if looked.first is None else looked.first.name,
            "kind": None if looked.first is None else looked.first.kind,
            "text": None if looked.first is None else cause_text(looked.first, kit),
            "unit": "",
        },
        "energy_delivered": {"value": looked.energy_wh, "unit": "Wh", "by_load": dict(looked.by_load)},
        "energy_lost": {"value": looked.lost_wh, "unit": "Wh", "by_loss": dict(looked.lost)},
    }
    if back := time_to_put_back(kit):
        findings["put_back"] = {"value": min(s for _, s in back) / 3600, "unit": "h", "by_input": {name: s / 3600 for name, s in back}}
    if (job := job_of(part, kit)) is not None:
        value, low, high = jobs(kit, job[1], job[2])
        findings["charges"] = {"value": value, "unit": "1", "low": low, "high": high, "name": job[0]}
    return {
        "schema": SCHEMA,
        "findings": findings,
        "sentence": sentence(looked),
        "band": "5 to 95 %",
        "warnings": [*kit.remarks, *cautions_of(kit)],
    }


def _hours(seconds: float) -> float | None:
    return None if math.isinf(seconds) else seconds / 3600


def outlook_lines(part: KitPart, kit: Kit, looked: OutlookAnswer) -> list[tuple[str, str]]:
    """(name, value) for a table of text."""
    lines = [(say("{name}", name=name), f"{show(wh)} Wh") for name, wh in looked.by_load]
    lines += [(say("lost: {name}", name=name), f"{show(wh)} Wh") for name, wh in looked.lost]
    lines += [
        (say("first to go, in {n} of 100", n=round(100 * share)), cause_text(cause, kit)) for cause, share in looked.firsts if share < 0.995
    ]
    lines += [(say("put back by {name} in", name=name), show_duration(seconds)) for name, seconds in time_to_put_back(kit)]
    if (job := job_of(part, kit)) is not None:
        value, low, high = jobs(kit, job[1], job[2])
        wide = say(" ({low} to {high})", low=show(low, 3), high=show(high, 3)) if high > low else ""
        lines.append((say("{name}s", name=job[0]), f"{show(value, 3)}{wide}"))
    return lines


def size_of(part: KitPart, kit: Kit, wanted: Wanted, confidence: float) -> Size:
    """What the first source has to hold.

    Raises
    ------
    QuantityError, KitError
        It cannot be worked out; says why.
    """
    if wanted.seconds is not None:
        return size(kit, wanted.seconds, confidence)
    job = job_of(part, kit)
    if job is None or wanted.jobs is None:
        raise KitError(say('Say what one charge takes: [job], energy = "40 Wh".'))
    return _for_jobs(kit, job, wanted.jobs, confidence)


def _for_jobs(kit: Kit, job: tuple[str, Any, Any], count: float, confidence: float) -> Size:
    import numpy as np

    _, wh, way = job
    first = kit.sources[0]
    eta = way.efficiency.value if way is not None else 1.0
    share = first.full.value - 1 + first.usable
    needed = (count * wh.value / eta + first.kept_wh) / share
    rng = np.random.default_rng(0)
    many = count * wh.draw(rng, 4000) / (way.efficiency.draw(rng, 4000) if way is not None else 1.0)
    gives = first.capacity.draw(rng, 4000) / first.capacity.value
    sure = float(np.quantile((many + first.kept_wh) / share / np.maximum(gives, 1e-9), confidence))
    working = say("{n} × {wh} Wh ÷ {eta}", n=plain(count), wh=plain(wh.value), eta=plain(eta, 3))
    return Size(needed, None if sure <= needed * (1 + 1e-9) else sure, confidence, working)


def size_json(found: Size) -> dict[str, Any]:
    """A size as one JSON object."""
    needed: dict[str, Any] = {"value": found.needed_wh, "unit": "Wh", "working": found.working}
    needed["confidence"] = found.confidence
    needed["at_confidence"] = found.confident_wh if found.confident_wh is not None else found.needed_wh
    return {"schema": SCHEMA, "findings": {"size_needed": needed}, "sentence": size_sentence(found)}


def size_sentence(found: Size) -> str:
    """What to buy, as one would say it."""
    if found.needed_wh is None:
        return found.why_not
    if found.needed_wh <= 0:
        return found.working
    text = say("It takes {wh} Wh", wh=show(found.needed_wh))
    if found.confident_wh is None:
        return say("{what}.", what=text)
    return say("{what}; {more} Wh to be {n} % sure.", what=text, more=show(found.confident_wh), n=round(100 * found.confidence))


def looked_at(part: KitPart, kit: Kit) -> OutlookAnswer:
    """As :func:`look`, with what cannot be said as a KitError."""
    try:
        return look(kit)
    except QuantityError as error:
        raise KitError(str(error)) from None
