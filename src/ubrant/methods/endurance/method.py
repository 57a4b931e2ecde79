"""Endurance as a method: marks and a clock."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace

from ubrant.core.account import Account
from ubrant.core.battery.label_doubt import Holds, held_by_source, measured
from ubrant.core.battery.percent import LINEARITY_POINTS, PercentChange
from ubrant.core.drawings import Bars
from ubrant.core.gate.figures import Doubt
from ubrant.core.loads.endurance import Ran, analyse_endurance
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.record.events import Note
from ubrant.core.record.head import BY_HAND, SIMULATED, Setup, label_of
from ubrant.core.record.jot_text import TimedLine as Line
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.finding import AT_LEAST, Finding
from ubrant.core.uncertainty.value import Value
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.declared import Seen, TypedMethod, itself
from ubrant.methods.endurance.person import watches
from ubrant.methods.form import Field, Words
from ubrant.methods.method import LoadRating, Prepared, Problem, to_know
from ubrant.methods.ratings import watts_of_label
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import ANY_MARK, Prompt
from ubrant.methods.steps import Ask

_STILL_ON = re.compile(r"^\W*still\s+(?:on|going|running)\b", re.I)
_OWN_DISPLAY, _AT_START_S, _FULL = {"", "station", "bank", "battery", "source"}, 900.0, 99.0
"""A percent that is read so long after it came on, at the latest, is that of its start; from so many on it was full. Common practice, no source."""
_LOOKS = 120.0
"""Two notes closer than this are one look."""
_MOST_OF_LABEL, _LEAST_OF_LABEL, _MOST_RATE = 1.3, 0.6, 6.0
"""It draws no less than this share of its label where nobody noted a setting. Common practice, no source."""


@dataclass(frozen=True)
class EndurancePlan:
    """``settings`` it runs at, in words."""

    settings: str


class EnduranceMethod(TypedMethod):
    """Of whatever runs from a battery, bank or station, with nothing but a clock."""

    key, title, Plan, unplanned = "endurance", "Endurance by the clock", EndurancePlan, EndurancePlan("")
    taps, roads = ("battery",), (BY_HAND, SIMULATED)
    device, device_kinds = "What it runs", ("load", "converter", "inverter")
    marks_load, each_row_says, counts_points = True, False, False
    person = watches

    def form(self, setup: Setup) -> tuple[Field, ...]:
        return (Field("settings", "Settings", Words(), "", say("half brightness, fan at 2")),)

    def checks(self, prepared: Prepared, load: LoadRating) -> Iterable[Problem]:
        if not prepared.plan.settings:
            yield to_know(say("Note its settings: hours at unknown settings cannot be compared."))

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return say("until it goes off"), say("a clock, no meter")

    def asks(self, prepared: Prepared) -> Iterable[Ask]:
        yield Ask(say("Charge it fully, and set what it runs as it is used."), (cautions.LOOK_FIRST, cautions.SURFACE))

    def further(self, prepared: Prepared) -> Prompt:
        text = say(
            "Switch it on and mark “load on”; look in now and then with any note, “alarm” when it warns, “empty” when it went off by itself. “load off” pauses it."
        )
        return Prompt(text, marks=(ANY_MARK,), example="load on", short=say("looked in"))

    def every_s(self, prepared: Prepared) -> float:
        return 3600.0

    def sums(self, seen: Seen) -> Account:
        return self._made(seen, held_by_source(label_of(seen.setup.unit)))

    def study(self, account: Account, record: Record, others: Callable[[], Iterable[tuple[Record, Account]]]) -> Account:
        """With what another run of the unit measured that it gives, in place of its label."""
        known = next((a.energy for _, a in others() if a.energy is not None and a.energy.whole), None) if not account.trouble else None
        if known is None:
            return account
        return self.finished(self.seen(record), lambda seen: self._made(seen, measured(known.energy_wh, known.energy_u)))

    def _made(self, seen: Seen, holds: Holds | None) -> Account:
        ran = _ran(seen.record.lines, [note.time_s for note in seen.record.of(Note)])
        ran = replace(ran, points=_points_used(seen.record, ran), was_full=seen.record.head.conditions.full)
        findings, said = analyse_endurance(ran, holds)
        if seen.plan.settings:
            said.append(say("Settings: {what}.", what=seen.plan.settings))
        if any(e.jotting.mark == "alarm" for e in seen.record.lines) and ran.alarm_s is None:
            said.append(say("“alarm” was noted while it was off: its line is not where it happened."))
        bars = tuple((findings[k], None, "") for k in ("duration", "alarm_to_off") if k in findings)
        return Account(
            findings,
            tuple(k for k in ("duration", "from_full", "inferred_power", "alarm_to_off") if k in findings),
            sentence=_sentence(findings),
            warnings=tuple(said),
            drawings=lambda: (Bars(bars),),
            shown_at=say("On average, by its label"),
            short=findings["duration"].value_text(),
            ended_by=say("itself") if ran.ended else say("a person"),
        )

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        """Watts that were read, or that its label says, for as long as it ran, against what it can hold."""
        yield from super().doubts(account, record)
        if (after := _after_its_end(record)) is not None:
            text = words("It went off at {off}, and at {later} stands “{what}”, with no load on between: which of them is it?")
            yield Doubt("after", say(text, off=show_duration(after[0]), later=show_duration(after[1]), what=after[2]))
        holds, ran = held_by_source(label_of(record.head.setup.unit)), account.findings.get("duration")
        watts = [r.value for e in record.lines for r in e.jotting.readings if r.quantity == "W" and r.kind != "peak"]
        if holds is None or ran is None or not ran.value:
            return
        if ran.bound != AT_LEAST and (rate := 3600 / ran.value) > _MOST_RATE:
            text = words(
                "All of its {label} Wh in {time} would be {w} W, {n} times its watt-hours an hour: was it full, and is an hour mistyped?"
            )
            told = {
                "label": show(holds.energy_wh, 3),
                "time": show_duration(ran.value),
                "w": show(holds.energy_wh * rate, 2),
                "n": plain(rate, 2),
            }
            yield Doubt("quick", say(text, **told))
        hours, device = ran.value / 3600, record.head.setup.device
        told = {"time": show_duration(ran.value), "label": show(holds.energy_wh, 3)}
        if watts and (drew := sum(watts) / len(watts) * hours) > _MOST_OF_LABEL * holds.energy_wh:
            text = words(
                "{watts} W for {time} would be {wh} Wh, and its label says {label} Wh: was something else read, or did it run so long?"
            )
            yield Doubt("watts", say(text, watts=show(sum(watts) / len(watts), 3), wh=show(drew, 3), **told))
        rated_w = watts_of_label(device) if device is not None and not watts and not self.seen(record).plan.settings else None
        if rated_w and _LEAST_OF_LABEL * rated_w * hours > holds.energy_wh:
            text = words(
                "At the {watts} W on its label {name} would have taken {wh} Wh in {time}, and the battery's label says {label} Wh: was it off meanwhile or turned down, was it charged, or is a day mistyped?"
            )
            name = device.name if device is not None else ""
            yield Doubt("less", say(text, watts=plain(rated_w), name=name, wh=show(rated_w * hours, 3), **told))

    def path(self, setup: Setup, found: Mapping[str, Finding], plan: EndurancePlan) -> PowerPath:
        watts, device = found.get("inferred_power"), setup.device
        nodes = itself(setup, "battery"), PathNode("load", device.name if device is not None else say("What it runs"))
        return PowerPath(nodes, (Flow(watts.value if watts is not None else None),), (None, None), (0.0, 0.0), "W")


def _after_its_end(record: Record) -> tuple[float, float, str] | None:
    """(s when it went off, s of the line that says otherwise, that line) where it was seen on, or went off again, and nobody had put it on."""
    off_s: float | None = None
    told = [(e.time_s, e.jotting.mark or "", e.jotting.mark or "") for e in record.lines]
    told += [(note.time_s, "still on", note.text) for note in record.of(Note) if _STILL_ON.search(note.text)]
    for time_s, mark, text in sorted(told):
        if mark == "load on":
            off_s = None
        elif off_s is not None and mark in {"still on", "empty"} and time_s > off_s:
            return off_s, time_s, text
        elif mark == "empty":
            off_s = time_s
    return None


def _ran(lines: tuple[Line, ...], notes: list[float]) -> Ran:
    """Time while it was on, by its marks; a look in after which it was found off leaves the end open since the look before."""
    on_since: float | None = None
    ran = 0.0
    alarm: float | None = None
    ended, unseen = False, 0.0
    looks = sorted({*notes, *(entry.time_s for entry in lines)})
    for entry in lines:
        mark, moment = entry.jotting.mark, entry.time_s
        if mark == "load on" and on_since is None:
            on_since, ended = moment, False
        elif mark in {"load off", "empty"} and on_since is not None:
            ran += moment - on_since
            ended = mark == "empty"
            found_off = ended and "found" in entry.jotting.text.lower()
            last_look = max((look for look in looks if look < moment), default=on_since)
            unseen = moment - max(last_look, on_since) if found_off else 0.0
            on_since = None
        elif mark == "alarm" and on_since is not None and alarm is None:
            alarm = ran + moment - on_since
    if on_since is not None and looks:
        ran += looks[-1] - on_since
        ended = False
    return Ran(ran, alarm, ended, unseen)


def _points_used(record: Record, ran: Ran) -> Value | None:
    """Of its own display, from when it came on: to nothing where it went off by itself, else to what it showed last; None where that began full or was not read."""
    on_s = next((e.time_s for e in record.lines if e.jotting.mark == "load on"), None)
    shown = [
        (e.time_s, r.value, r.half_width) for e in record.lines for r in e.jotting.readings if r.quantity == "%" and r.tap in _OWN_DISPLAY
    ]
    if on_s is None or not shown or shown[0][0] > on_s + _AT_START_S:
        return None
    (_, first, half), (last_s, last, last_half) = shown[0], shown[-1]
    if ran.ended and first < _FULL:
        return PercentChange(first, 0.0, half, 0.0, on_s, on_s).fell()
    if not ran.ended and first - last > LINEARITY_POINTS and last_s > on_s:
        return PercentChange(first, last, half, last_half, on_s, last_s).fell()
    return None


def _sentence(findings: dict[str, Finding]) -> str:
    text = say("It ran for {t}", t=findings["duration"].with_uncertainty())
    if "from_full" in findings:
        text = say(
            "It ran for {t} from what was in it, {full} from full",
            t=findings["duration"].value_text(),
            full=findings["from_full"].with_uncertainty(),
        )
    if "inferred_power" in findings:
        text += say(", so it drew {w}", w=findings["inferred_power"].with_uncertainty())
    if "alarm_to_off" in findings:
        text += say("; from its alarm there were {t}", t=findings["alarm_to_off"].value_text())
    return text + "."
