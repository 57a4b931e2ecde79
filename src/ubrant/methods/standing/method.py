"""What a store loses while it stands: percents of a display, volts at rest by the chart of its kind, or a capacitor's volts, by two looks far apart."""

from __future__ import annotations

import itertools
import math
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from ubrant.core.account import Group
from ubrant.core.battery.how_full import OVER_FULL
from ubrant.core.battery.label_doubt import held_by_source
from ubrant.core.battery.state_of_charge import charge_by
from ubrant.core.battery.stood import ALL_OFF, DAY_S, MONTH_D, Look, Stood, at_least_nothing, burnt, less_than_off, stood_with
from ubrant.core.drawings import Bars
from ubrant.core.gate.figures import of_display
from ubrant.core.quantities.chemistry import Chemistry
from ubrant.core.quantities.jot import OFF, TypedLine
from ubrant.core.record.head import SIMULATED
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.record.record import TapQuantity
from ubrant.core.sources.capacitor import read_label
from ubrant.core.uncertainty.finding import AT_MOST
from ubrant.methods import declared as d
from ubrant.methods.declared import BY_HAND, plain, say, show, words
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import HandScript
from ubrant.methods.standing.person import looks_again

_V, _P = ("battery", "V"), ("battery", "%")
_OWN, _SHOWS_PERCENT = {"", "battery", "bank", "station", "source"}, {"bank", "station"}
_NOTHING = re.compile(r"(?:all|everything)(?: is)?(?: off)?|off|none|nothing(?: attached)?(?: on)?", re.IGNORECASE)
_OFF = re.compile(r"\s+off\b", re.IGNORECASE)
_OUTLET = re.compile(
    r"\b(?:on|off|all|nothing|none|everything|ac|dc|usb|mains|car|\d+ ?V|socket|outlet|inverter|port|lamp|light|display|radio)\b",
    re.IGNORECASE,
)
"""By one of these words a note says what is on; any other is a remark."""
_TELLS, _ALL = 10.0, 100.0
"""Under so many points a display hardly tells. Common practice, no source."""
_CHART_SLOPE, _LONG_D, _SHORT_D, _MUCH = 0.3, 14.0, 0.25, 25.0
"""By so much the slope of a chart may differ from a battery's own; from so many days on volts tell; under so many nothing does; from so many percent a
month on something draws on it. Common practice, no source."""
_HALF = math.log(2.0)
_APART_V = 0.01
"""From one look to the next a capacitor's volts, or a battery's at rest, do not rise by more than this share. Common practice, no source."""


@dataclass(frozen=True)
class StandingPlan:
    """``on`` is what is on meanwhile, in words, one thing after another between semicolons; empty for nothing. Wh that the store was measured to give, and its ±."""

    on: str
    usable: float | None = None
    usable_u: float | None = None

    @property
    def turns(self) -> tuple[str, ...]:
        """What is on, in turn."""
        return tuple(_named_on(part) for part in self.on.split(";") if part.strip())


class StandingMethod(d.TypedMethod):
    key, title, Plan = "standing", "Left standing", StandingPlan
    unplanned, plan_from_label, counts_points, goes_by_order = StandingPlan(""), False, False, False
    steady = ((_V,),)
    taps, roads, reads, wants, like = ("battery",), (BY_HAND, SIMULATED), (_V, _P), (), "12.71 V"
    named: ClassVar[Mapping[str, str]] = {"": "battery", **dict.fromkeys(("bank", "station", "source"), "battery")}
    reads_beside = ("bank", "station", "source")
    answers = ("lost_a_month", "empty_after", "self_power", "volts_a_day", "half_after")
    nothing_yet = words("Nothing was read yet: type its volts at rest, like “{example}”, or its percent, like “bank 98 %”.")
    far_end = words("Nothing")
    person = looks_again

    def form(self, setup: d.Setup) -> tuple[d.Field, ...]:
        from ubrant.methods.form import Words

        return (
            d.Field("on", say("On meanwhile"), Words(), "", say("nothing; or in turn: AC; 12 V; all off")),
            d.Field("usable", "Gives, if measured", d.QuantityKind("Wh", may_be_empty=True), "", "its label"),
            d.Field("usable_u", "±", d.QuantityKind("Wh", may_be_empty=True), "", "Wh", beside=True),
        )

    def checks(self, prepared: d.Prepared, load: d.LoadRating) -> Iterable[d.Problem]:
        kind = _kind(prepared.setup)
        if prepared.setup.unit.kind == "battery" and kind is not None and (not kind.rest_chart or kind.flat_v[1]):
            text = words(
                "Of {kind} two resting volts cannot show it: read a percent of its own, or count what fills it up again after eight weeks."
            )
            yield d.to_know(say(text, kind=kind.name))

    def asks(self, prepared: d.Prepared) -> Iterable[d.Ask]:
        text = say(
            "Full, the charger off it since yesterday, everything unplugged. Put it where it stays equally warm, and take the meter off between the looks."
        )
        yield d.Ask(text, (d.cautions.LOOK_FIRST,))

    def rows(self, prepared: d.Prepared) -> Iterable[d.Prompt]:
        unit, turns = prepared.setup.unit, prepared.plan.turns
        like = f"{unit.kind} 98 %" if unit.kind in _SHOWS_PERCENT else self.like
        if len(turns) < 2:
            yield self.row(say("Now: type what it shows, like “{example}”.", example=like), say("now"), like)
            return
        for name in turns:
            text = words("Only {on} on from now, nothing attached: type what it shows, like “{example}”. Leave it 12 h or more.")
            if name == ALL_OFF:
                text = words("All off from now: type what it shows, like “{example}”. Leave it some days.")
            yield self.row(say(text, on=name, example=like), name, like, key=name)

    def further(self, prepared: d.Prepared) -> d.Prompt:
        if len(prepared.plan.turns) > 1:
            text = words(
                "Once more when the last one has lasted long enough: the same. Or go on: what is on from then stands behind it, all of it, like “station 64 % AC and USB”."
            )
            return self.row(say(text))
        kind = prepared.setup.unit.kind
        text = words(
            "Again after two weeks, or four: the same. The date counts, so that a line typed later begins with it, like “@12-24 10:00 {example}”."
        )
        if kind not in _SHOWS_PERCENT:
            return self.row(say(text, example="12.63 V"))
        outlets = say("With an outlet on hours do: “AC on”, “12 V on”, “all off” behind it say what is on from then, each is told apart.")
        return self.row(f"{say(text, example=f'{kind} 83 %')} {outlets}")

    def every_s(self, prepared: d.Prepared) -> float:
        return 14 * DAY_S if len(prepared.plan.turns) < 2 else DAY_S / 2

    def facts(self, prepared: d.Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        turns = len(prepared.plan.turns)
        return (say("{count} looks", count=turns + 1), say("some days")) if turns > 1 else (say("two looks"), say("some weeks"))

    def path(self, setup: d.Setup, found: Mapping[str, d.Finding], plan: StandingPlan) -> PowerPath:
        far = PathNode("load", ", ".join(plan.turns) or say(self.far_end))
        if setup.unit.kind in _SHOWS_PERCENT:
            return PowerPath((d.itself(setup, "battery"), far), (Flow(None, meter=say("its percent")),), (None, None), (0.0, 0.0), "%")
        return d.one_flow(setup, "battery", (d.itself(setup, "battery"), far), None)

    def by_hand(self, prepared: d.Prepared) -> HandScript:
        """By its own display or by its volts, as it is."""
        kind = prepared.setup.unit.kind
        reads: tuple[TapQuantity, ...] = ((kind, "%"),) if kind in _SHOWS_PERCENT else (_V,) if kind == "source" else self.reads
        return replace(super().by_hand(prepared), reads=reads)

    def volts_on_label(self, setup: d.Setup) -> Mapping[str, tuple[float, float, float]]:
        """What a bank or a station is told by are points: *12 V* beside them is the name of an outlet."""
        return {} if setup.unit.kind in _SHOWS_PERCENT else super().volts_on_label(setup)

    def sums(self, seen: d.Seen) -> d.Account:
        looks = _looks(seen)
        by_percent = len(looks) > 1
        moments = np.array([look.time_s for look in looks]) if by_percent else seen.table.time_s[seen.whole("V")]
        if len(moments) < 2:
            raise d.LackingError(say("One look only: look again after two weeks, or four, the same way."))
        stretches = stood_with(looks) if by_percent else []
        days = float(moments[-1] - moments[0]) / DAY_S
        if days < _SHORT_D and not any(one.lost.value >= _TELLS for one in stretches):
            raise d.LackingError(
                say("The two looks lie {h} h apart: that tells nothing yet. Look again after some days, or weeks.", h=show(24 * days, 2))
            )
        if by_percent:
            found, said, column = *self._by_percent(seen, stretches), np.array([look.percent for look in looks])
        else:
            found, said, column = *self._by_volts(seen, days), seen.column("V")[seen.whole("V")]
        names = {number: one.name for number, one in enumerate(stretches, start=1)}
        sentence = _in_turn(found, names) if len(stretches) > 1 else _sentence(found, days)
        time = (moments - moments[0]) / DAY_S
        drawn = d.Plot(
            say("Left standing"), say("days"), "%" if by_percent else "V",
            (0.0, 1.05 * float(time[-1])), (0.97 * float(column.min()), 1.02 * float(column.max())), (d.Dots(time, column),), sentence,
        )  # fmt: skip
        watts = tuple(key for number in names if (key := f"self_power_{number}") in found)
        bars = (Bars(tuple((found[key], None, "") for key in watts)),) if watts else ()
        return d.Account(
            found,
            watts or tuple(key for number in names if (key := f"lost_a_day_{number}") in found),
            _groups(found, names),
            sentence=sentence,
            warnings=tuple(said),
            drawings=lambda: (*bars, drawn),
            short=sentence.rstrip("."),
        )

    def _by_percent(self, seen: d.Seen, stretches: Sequence[Stood]) -> tuple[dict[str, d.Finding], list[str]]:
        holds = held_by_source(seen.setup.label, seen.plan.usable, seen.plan.usable_u)
        found = burnt(stretches, holds)
        said = []
        if few := [one.name for one in stretches if one.lost.value < _TELLS]:
            text = words("{on}: so few points hardly tell, a display may be off by 3 at each end. Leave it longer.")
            alone = words("So few points hardly tell: a display may be off by 3 at each end. Leave it longer.")
            said.append(say(text, on=", ".join(few)) if len(stretches) > 1 else say(alone))
        if holds is not None and holds.is_label:
            text = words("{name} was not measured: 65 to 100 % of its label may come out, and its watts are as much less.")
            said.append(say(text, name=seen.setup.unit.name))
        if len(stretches) == 1 and seen.plan.on:
            said.append(say("On meanwhile: {what}.", what=seen.plan.on))
        return found, said

    def _by_volts(self, seen: d.Seen, days: float) -> tuple[dict[str, d.Finding], list[str]]:
        accuracy = seen.accuracy("V")
        first, last = (int(k) for k in np.flatnonzero(seen.whole("V"))[[0, -1]])
        half = seen.table.half[_V]
        before, after = (
            d.as_read(abs(float(seen.column("V")[k])), accuracy) + d.digit(float(half[k]), "V", when=str(k)) for k in (first, last)
        )
        working = say("{a} to {b} V in {days} days", a=show(before.value, 4), b=show(after.value, 4), days=show(days, 3))
        if read_label(seen.setup.unit.label_text).farads is not None:
            return self._of_capacitor(before, after, days, working), []
        label, kind = seen.setup.label, _kind(seen.setup)
        if label is None or kind is None or not label.series or not kind.rest_chart:
            raise d.ReadingsError(say("Its label has to say its kind of cell and its volts: by them its chart is found."))
        if before.value > OVER_FULL * kind.rest_chart[0][0] * label.series:
            raise d.ReadingsError(
                say(
                    "{v} V at the first look are those of one just charged: what they fall at first tells nothing. Begin a day later.",
                    v=show(before.value, 4),
                )
            )
        one, other = (charge_by(v, label.series, kind) for v in (before, after))
        if one is None or other is None or any(kind.is_flat_at(v.value / label.series) for v in (before, after)):
            text = words(
                "Of {kind} two resting volts cannot show it: read a percent of its own, or count what fills it up again after eight weeks."
            )
            raise d.ReadingsError(say(text, kind=kind.name))
        lost = one - other
        lost += abs(lost.value) * d.within(_CHART_SLOPE, words("the chart's slope"), note=say("its own may be steeper, or flatter"))
        said = [] if days >= _LONG_D else [say("Volts hardly move in {n} days: two weeks tell more, four are better.", n=show(days, 2))]
        month = at_least_nothing("lost_a_month", say("Loses in a month"), lost * (MONTH_D / days), "%", working)
        if (month.value or 0.0) - (month.expanded_uncertainty or 0.0) > _MUCH and month.bound != AT_MOST:
            said.append(say("That is more than such a battery loses by itself: something draws on it, or a cell is bad."))
        if seen.plan.on:
            said.append(say("On meanwhile: {what}.", what=seen.plan.on))
        return {"lost_a_month": month}, said

    def _of_capacitor(self, before: d.Value, after: d.Value, days: float, working: str) -> dict[str, d.Finding]:
        fell = before - after
        found = {"volts_a_day": at_least_nothing("volts_a_day", say("Falls in a day"), fell * (1 / days), "V", working)}
        if fell.value > 2 * (fell.u or 0.0) and after.value > 0:
            ratio = before / after
            half_s = _HALF * days * DAY_S / ratio.through(math.log, 1 / ratio.value)
            found["half_after"] = d.Finding.made(
                "half_after", say("Half of its volts after"), half_s, "s", say("as it leaks the less the less is in it")
            )
        return found

    def doubts(self, account: d.Account, record: d.Record) -> Iterable[d.Doubt]:
        """What only stands does not fill itself."""
        yield from super().doubts(account, record)
        seen = self.seen(record)
        looks = _looks(seen)
        yield from of_display([(look.time_s, look.percent, look.half) for look in looks])
        if len(looks) > 1:
            if text := less_than_off(stood_with(looks)):
                yield d.Doubt("less-than-off", text)
            return
        volts = seen.column("V")[seen.whole("V")]
        for one, other in itertools.pairwise(volts.tolist()):
            if other > (1 + _APART_V) * one:
                text = words("Its volts rise from {a} to {b} V while it only stands: was it charged meanwhile, or did a digit slip?")
                yield d.Doubt("rises", say(text, a=show(one, 4), b=show(other, 4)))
                return


def _looks(seen: d.Seen) -> list[Look]:
    """Each percent that was read, and what is on from then: the row that it answers, else the words behind it, else as before."""
    turns = seen.plan.turns
    on = turns[0] if len(turns) == 1 else ALL_OFF
    found: list[Look] = []
    for answer in seen.lines:
        shown = next((r for r in answer.jotting.readings if r.quantity == "%" and r.tap in _OWN), None)
        if shown is None:
            continue
        if not 0 <= shown.value <= _ALL:
            raise d.ReadingsError(say("{v} %: a percentage outside 0 to 100. Did a digit slip?", v=plain(shown.value)))
        named = answer.key or _on_from_now(answer.jotting, on)
        on = next((look.on for look in found if look.on.lower() == named.lower()), named)
        found.append(Look(answer.time_s, shown.value, shown.half_width, on))
    return found


def _on_from_now(jotting: TypedLine, before: str) -> str:
    """What is on behind such a line. Raises ReadingsError."""
    if jotting.mark == OFF:
        return ALL_OFF
    volts = next((f"{plain(r.value)} V" for r in jotting.readings if r.quantity == "V" and r.kind == "read"), "")  # *12 V on*
    parts = [part for part in re.split(r"[,;+]|\band\b", f"{volts} {jotting.text}") if _OUTLET.search(part)]
    if not parts:
        return before
    on = [name for part in parts if (name := _named_on(part)) and not _OFF.search(part)]
    off = [_OFF.sub("", part).strip(' "') for part in parts if _OFF.search(part) and _named_on(part) != ALL_OFF]
    if on or not off:
        return ", ".join(on) or ALL_OFF
    if before == ALL_OFF or before.lower() in {name.lower() for name in off}:
        return ALL_OFF
    text = words("“{off} off” does not say what is on from then: write all that is on, like “AC, 12 V”, or “all off”.")
    raise d.ReadingsError(say(text, off=", ".join(off)))


def _named_on(text: str) -> str:
    """As people write it: *on: AC*, *AC on*, *only AC*, *nothing on*."""
    name = re.sub(r"^(?:on\b:?|with|only|now)\s+|\s+on$|^on$", "", text.strip(' "'), flags=re.IGNORECASE).strip()
    return ALL_OFF if _NOTHING.fullmatch(name) else name


def _kind(setup: d.Setup) -> Chemistry | None:
    return setup.label.kind_of_cell if setup.label is not None else None


def _groups(found: Mapping[str, d.Finding], names: Mapping[int, str]) -> tuple[Group, ...]:
    if len(names) < 2:
        return ()

    def of(key: str) -> tuple[str, ...]:
        return tuple(f"{key}_{number}" for number in names if f"{key}_{number}" in found)

    return (
        Group(say("More than with all off"), of("adds")),
        Group(say("A full one is empty after"), of("empty_after")),
        Group(say("Loses in a day"), of("lost_a_day")),
    )


def _in_turn(found: Mapping[str, d.Finding], names: Mapping[int, str]) -> str:
    """*With AC on it burns 14 W: empty after 36 h; …*"""
    parts = []
    for number, on in names.items():
        burns = found.get(f"self_power_{number}") or found[f"lost_a_day_{number}"]
        empty = found.get(f"empty_after_{number}")
        a_day = "" if f"self_power_{number}" in found else say(" a day")
        after = say(", a full one is empty after {t}", t=empty.value_text()) if empty is not None else ""
        parts.append(f"{on}: {burns.with_uncertainty()}{a_day}{after}")
    text = "; ".join(parts)
    return f"{text[:1].upper()}{text[1:]}."


def _sentence(found: Mapping[str, d.Finding], days: float) -> str:
    if (volts := found.get("volts_a_day")) is not None:
        text = say("Falls by {v} a day", v=volts.with_uncertainty())
        half = found.get("half_after")
        return f"{text}{say('; half of its volts are left after {t}', t=half.value_text()) if half is not None else ''}."
    month, watts, empty = (found.get(key) for key in ("lost_a_month", "self_power", "empty_after"))
    if month is None:
        text = say("A full one is empty after {t}", t=empty.value_text() if empty is not None else "")
        return f"{text}{say(': it burns {w}', w=watts.with_uncertainty()) if watts is not None else ''}."
    if month.bound == AT_MOST:
        return say("Loses {much} a month: too soon to say more after {n} days.", much=month.with_uncertainty(), n=show(days, 2))
    burns = say(", {w} all the while", w=watts.with_uncertainty()) if watts is not None and not watts.bound else ""
    return say("Loses {much} a month{burns}.", much=month.with_uncertainty(), burns=burns)
