"""What a store loses while it stands: percents of a display, volts at rest by the chart of its kind, or a capacitor's volts, by two looks far apart."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from ubrant.core.battery.how_full import OVER_FULL
from ubrant.core.battery.percent import PercentChange
from ubrant.core.battery.state_of_charge import charge_by
from ubrant.core.gate.figures import of_display
from ubrant.core.quantities.chemistry import Chemistry
from ubrant.core.record.head import SIMULATED
from ubrant.core.record.power_path import PathNode, PowerPath
from ubrant.core.sources.capacitor import read_label
from ubrant.core.uncertainty.finding import AT_MOST
from ubrant.methods import declared as d
from ubrant.methods.declared import BY_HAND, plain, say, show, words
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.standing.person import looks_again

_V, _P = ("battery", "V"), ("battery", "%")
_DAY_S, _MONTH_D = 86_400.0, 365.25 / 12
_CHART_SLOPE, _LONG_D, _SHORT_D, _MUCH = 0.3, 14.0, 0.25, 25.0
"""By so much the slope of a chart may differ from a battery's own; from so many days on volts tell; under so many nothing does; from so many percent a
month on something draws on it. Common practice, no source."""
_HALF, _ALL = math.log(2.0), 100.0
_APART_V = 0.01
"""From one look to the next a capacitor's volts, or a battery's at rest, do not rise by more than this share. Common practice, no source."""


@dataclass(frozen=True)
class StandingPlan:
    """``on`` is what is on meanwhile, in words; empty for nothing."""

    on: str


class StandingMethod(d.TypedMethod):
    key, title, Plan = "standing", "Left standing", StandingPlan
    unplanned, plan_from_label, counts_points = StandingPlan(""), False, False
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

        return (d.Field("on", say("On meanwhile"), Words(), "", say("nothing; or 12 V outlet, nothing attached")),)

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
        shows = prepared.setup.unit.kind in {"bank", "station"}
        like = f"{prepared.setup.unit.kind} 98 %" if shows else self.like
        yield self.row(say("Now: type what it shows, like “{example}”.", example=like), say("now"), like)

    def further(self, prepared: d.Prepared) -> d.Prompt:
        return self.row(
            say(
                "Again after two weeks, or four: the same. The date counts, so that a line typed later begins with it, like “@12-24 10:00 12.63 V”."
            )
        )

    def every_s(self, prepared: d.Prepared) -> float:
        return 14 * _DAY_S

    def facts(self, prepared: d.Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return say("two looks"), say("some weeks")

    def path(self, setup: d.Setup, found: Mapping[str, d.Finding], plan: StandingPlan) -> PowerPath:
        return d.one_flow(setup, "battery", (d.itself(setup, "battery"), PathNode("load", plan.on or say(self.far_end))), None)

    def sums(self, seen: d.Seen) -> d.Account:
        percent, volts = (np.flatnonzero(seen.whole(quantity)) for quantity in "%V")
        looks = percent if len(percent) > 1 else volts
        if len(looks) < 2:
            raise d.LackingError(say("One look only: look again after two weeks, or four, the same way."))
        first, last = int(looks[0]), int(looks[-1])
        days = float(seen.table.time_s[last] - seen.table.time_s[first]) / _DAY_S
        if days < _SHORT_D:
            raise d.LackingError(
                say("The two looks lie {h} h apart: that tells nothing yet. Look again after some days, or weeks.", h=show(24 * days, 2))
            )
        found, said = self._by_percent(seen, first, last, days) if looks is percent else self._by_volts(seen, first, last, days)
        if seen.plan.on:
            said.append(say("On meanwhile: {what}.", what=seen.plan.on))
        time, column = seen.table.time_s[looks] / _DAY_S, seen.column("%" if looks is percent else "V")[looks]
        sentence = _sentence(found, days)
        drawn = d.Plot(
            say("Left standing"), say("days"), "%" if looks is percent else "V",
            (0.0, 1.05 * float(time[-1])), (0.97 * float(column.min()), 1.02 * float(column.max())), (d.Dots(time, column),), sentence,
        )  # fmt: skip
        return d.Account(found, sentence=sentence, warnings=tuple(said), drawings=lambda: (drawn,), short=sentence.rstrip("."))

    def _by_percent(self, seen: d.Seen, first: int, last: int, days: float) -> tuple[dict[str, d.Finding], list[str]]:
        shown, half = seen.column("%"), seen.table.half[_P]
        change = PercentChange(float(shown[first]), float(shown[last]), float(half[first]), float(half[last]), 0.0, days * _DAY_S)
        lost = change.fell()
        working = say("{points} points in {days} days", points=plain(change.points), days=show(days, 3))
        month = _at_least_nothing("lost_a_month", say("Loses in a month"), lost * (_MONTH_D / days), "%", working)
        found = {month.key: month} if (month.value or 0.0) <= _ALL else {}
        if change.points > 0 and month.bound != AT_MOST:
            found["empty_after"] = d.Finding.made("empty_after", say("A full one is empty after"), 100 * days * _DAY_S / lost, "s", working)
        label = seen.setup.label
        if label is not None and label.energy_wh:
            watts = lost * (label.energy_wh / 100 / (24 * days))
            how = say("of the {wh} Wh on its label", wh=plain(label.energy_wh, 3))
            found["self_power"] = _at_least_nothing("self_power", say("Burns by itself"), watts, "W", f"{working}, {how}")
        said = [] if change.points >= 10 else [say("So few points hardly tell: a display may be off by 3 at each end. Leave it longer.")]
        return found, said

    def _by_volts(self, seen: d.Seen, first: int, last: int, days: float) -> tuple[dict[str, d.Finding], list[str]]:
        accuracy = seen.accuracy("V")
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
        month = _at_least_nothing("lost_a_month", say("Loses in a month"), lost * (_MONTH_D / days), "%", working)
        if (month.value or 0.0) - (month.expanded_uncertainty or 0.0) > _MUCH and month.bound != AT_MOST:
            said.append(say("That is more than such a battery loses by itself: something draws on it, or a cell is bad."))
        return {"lost_a_month": month}, said

    def _of_capacitor(self, before: d.Value, after: d.Value, days: float, working: str) -> dict[str, d.Finding]:
        fell = before - after
        found = {"volts_a_day": _at_least_nothing("volts_a_day", say("Falls in a day"), fell * (1 / days), "V", working)}
        if fell.value > 2 * (fell.u or 0.0) and after.value > 0:
            ratio = before / after
            half_s = _HALF * days * _DAY_S / ratio.through(math.log, 1 / ratio.value)
            found["half_after"] = d.Finding.made(
                "half_after", say("Half of its volts after"), half_s, "s", say("as it leaks the less the less is in it")
            )
        return found

    def doubts(self, account: d.Account, record: d.Record) -> Iterable[d.Doubt]:
        """What only stands does not fill itself."""
        yield from super().doubts(account, record)
        seen = self.seen(record)
        shown = np.flatnonzero(seen.whole("%"))
        yield from of_display([(float(seen.table.time_s[k]), float(seen.column("%")[k]), float(seen.table.half[_P][k])) for k in shown])
        volts = seen.column("V")[seen.whole("V")]
        for one, other in zip(volts[:-1].tolist(), volts[1:].tolist(), strict=True):
            if other > (1 + _APART_V) * one:
                text = words("Its volts rise from {a} to {b} V while it only stands: was it charged meanwhile, or did a digit slip?")
                yield d.Doubt("rises", say(text, a=show(one, 4), b=show(other, 4)))
                return


def _at_least_nothing(key: str, name: str, value: d.Value, unit: str, working: str) -> d.Finding:
    """What may be nothing is at most so much."""
    made = d.Finding.made(key, name, value, unit, working)
    room = made.expanded_uncertainty or 0.0
    if value.value + room < 0:
        raise d.ReadingsError(
            say("There is more in it at the last look than at the first: was it charged meanwhile, or are the two swapped?")
        )
    if made.value is not None and made.value - room > 0:
        return made
    return d.Finding(key, name, max((made.value or 0.0) + room, 0.0), unit, made.contributions, working, bound=AT_MOST)


def _kind(setup: d.Setup) -> Chemistry | None:
    return setup.label.kind_of_cell if setup.label is not None else None


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
