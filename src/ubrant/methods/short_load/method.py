"""A battery's volts at rest and under a load of some seconds: its resistance by the slope, held against what is usual for its kind and size."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from ubrant.core.gate.readings import Takes
from ubrant.core.record.head import SIMULATED
from ubrant.methods import declared as d
from ubrant.methods.declared import BY_HAND, plain, say, show, words
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.short_load.person import loads_shortly

_V, _A = ("battery", "V"), ("battery", "A")
_TYPICAL, _PROTECTION_OHM = 2.0, 0.01
"""Up to so many times what cells of its kind have, and so much for terminals and a protection in it, is usual. Common practice, no source."""
_BAD, _GOOD, _BEYOND, _STIFF = 2.0, 1.0, 20.0, 0.1
"""Times the most that is usual from which on it is bad, up to which nothing is wrong, and beyond which it is a slip; under such a share of what its
cells have it is one, too. Common practice, no source."""
_FURTHER, _SHORT_S, _LOW_PERCENT, _APART = 1.5, 120.0, 40.0, 0.2
_BENT, _ONE_LOAD, _NO_LOAD = 3.0, 0.05, 0.01
"""From one load to the next the same volts an ampere are lost, give or take so many times; within a twentieth it is one load, and a hundredth of the heaviest is none. Common
practice, no source."""
_GOOD_SAID = words("nothing wrong seen; not proved")


@dataclass(frozen=True)
class ShortLoadPlan:
    """``amps`` that it is to carry, and the volts it may fall to; None for not said."""

    amps: float | None
    lowest: float | None


class ShortLoadMethod(d.TypedMethod):
    key, title, Plan, plan_from_label = "short-load", "A load of some seconds", ShortLoadPlan, False
    unplanned = ShortLoadPlan(None, None)
    taps, roads, reads, like = ("battery",), (BY_HAND, SIMULATED), (_V, _A), "12.10 V 18.0 A"
    answers = ("resistance", "left_at", "times_usual")
    person = loads_shortly

    def form(self, setup: d.Setup) -> tuple[d.Field, ...]:
        return (
            d.Field("amps", "It is to carry", d.QuantityKind("A", may_be_empty=True), "", "20 A"),
            d.Field("lowest", "and stay above", d.QuantityKind("V", may_be_empty=True), "", "11 V"),
        )

    def asks(self, prepared: d.Prepared) -> Iterable[d.Ask]:
        text = say("The load ready, and off. The voltmeter's tips on the battery's own terminals, not on the clips of the load.")
        yield d.Ask(text, (d.cautions.LOOK_FIRST, d.cautions.FUSE, d.cautions.WARM))

    def rows(self, prepared: d.Prepared) -> Iterable[d.Prompt]:
        yield self.row(say("Nothing on: type its volts and no amperes, like “12.72 V 0 A”."), say("at rest"), "12.72 V 0 A")
        about = prepared.plan.amps
        text = say("Load on; after ten seconds type “{example}”, then off again.", example=self.like)
        yield self.row(text, say("about {a} A", a=plain(about)) if about else say("loaded"))

    def further(self, prepared: d.Prepared) -> d.Prompt:
        return self.row(say("A heavier load the same way makes it surer. Or close the run."))

    def facts(self, prepared: d.Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return say("two looks"), ""

    def sums(self, seen: d.Seen) -> d.Account:
        read = seen.whole("V", "A")
        volts, amps = (np.abs(seen.column(q)[read]) for q in "VA")
        if len(amps) < 2 or not np.ptp(amps) > _APART * amps.max():
            text = words("Two looks are needed: at rest, like “12.72 V 0 A”, and loaded, like “{example}”.")
            raise d.ReadingsError(say(text, example=self.like))
        asked = seen.plan.amps
        made = seen.by_errors(lambda values: _figures(values, asked or 0.0), {"V": volts, "A": amps}, read)
        ohm, left = made["ohm"], made["left"]
        if ohm is None or not ohm.value > 0:
            raise d.ReadingsError(say("Its volts do not fall under load: are the rows mixed up, or did something charge it?"))
        bent = d.within(
            _apart(amps, volts), words("the loads telling it differently"), "Ω", note=say("its resistance is not the same under each")
        )
        ohm += bent
        if asked and left is not None:
            left -= asked * bent
        most = float(amps.max())
        found = {"resistance": d.Finding.made("resistance", say("Resistance, after some seconds"), ohm, "Ω", _how(amps))}
        said = self._of_time(seen, read) + self._of_charge(seen, volts, amps)
        if asked and left is not None:
            if asked <= _FURTHER * most:
                found["left_at"] = d.Finding.made("left_at", say("Left at {a} A", a=plain(asked)), left, "V", say("on the same line"))
            else:
                said.append(
                    say(
                        "{a} A were not tried: {most} A were the most. Further up it may sag more than a line says.",
                        a=plain(asked),
                        most=show(most, 3),
                    )
                )
        if (cells := _of_cells(seen.setup)) is not None:
            most_usual = _TYPICAL * cells + _PROTECTION_OHM
            how = say(
                "{ohm} mΩ ÷ {most} mΩ, up to which is usual for its kind and size",
                ohm=show(1000 * ohm.value, 3),
                most=show(1000 * most_usual, 2),
            )
            found["times_usual"] = d.Finding.made("times_usual", say("Of the most that is usual"), ohm / most_usual, "", how)
        drop = show(float(volts.max() - volts.min()), 2)
        judged = self._judged(found.get("times_usual"), nearly_empty=_is_low(seen, volts, amps))
        wish = self._of_wish(found.get("left_at"), seen.plan)
        sentence = say("{drop} V lower under {a} A, {ohm} inside", drop=drop, a=show(most, 3), ohm=found["resistance"].with_uncertainty())
        drawn = d.Plot(
            say("Volts under load"),
            "A",
            "V",
            (0.0, 1.05 * most),
            (0.98 * float(volts.min()), 1.01 * float(volts.max())),
            (d.Dots(amps, volts),),
            sentence,
        )
        return d.Account(
            found,
            sentence=f"{'; '.join(filter(None, (sentence, wish, judged)))}.",
            warnings=(*said, *d.no_accuracy(found["resistance"])),
            drawings=lambda: (drawn,),
            short="; ".join(filter(None, (say("{drop} V lower under {a} A", drop=drop, a=show(most, 3)), judged))),
        )

    def _judged(self, times: d.Finding | None, *, nearly_empty: bool) -> str:
        """A quick look shows a bad one, and proves no good one."""
        if times is None or times.value is None or nearly_empty:
            return ""
        room = times.expanded_uncertainty or 0.0
        if times.value - room > _BAD:
            return say("{n} times the most that is usual: a bad cell, or a bad clip between", n=show(times.value, 2))
        return say(_GOOD_SAID) if times.value <= _GOOD else say("more than usual, and not by enough to call it bad")

    def _of_wish(self, left: d.Finding | None, plan: ShortLoadPlan) -> str:
        if left is None or left.value is None or plan.lowest is None or not plan.amps:
            return ""
        room = left.expanded_uncertainty or 0.0
        if left.value - room > plan.lowest:
            return say("{v} are left at {a} A, above {low} V", v=left.with_uncertainty(), a=plain(plan.amps), low=plain(plan.lowest))
        if left.value + room < plan.lowest:
            return say("{v} are left at {a} A, under {low} V", v=left.with_uncertainty(), a=plain(plan.amps), low=plain(plan.lowest))
        return say(
            "{v} are left at {a} A: too close to {low} V to tell", v=left.with_uncertainty(), a=plain(plan.amps), low=plain(plan.lowest)
        )

    def _of_time(self, seen: d.Seen, read: np.ndarray) -> list[str]:
        apart = float(np.ptp(seen.table.time_s[read])) / max(int(read.sum()) - 1, 1)
        return [say("The looks lie minutes apart: what it gave meanwhile is in its fall, too.")] if apart > _SHORT_S else []

    def _of_charge(self, seen: d.Seen, volts: np.ndarray, amps: np.ndarray) -> list[str]:
        if not _is_low(seen, volts, amps):
            return []
        return [say("It is nearly empty, where every battery sags more: charge it, and look again before it is called bad.")]

    def takes(self, record: d.Record) -> Takes:
        """The more flows the lower are its volts."""
        return replace(super().takes(record), steady=((_V,),), falling=((_V, _A),))

    def doubts(self, account: d.Account, record: d.Record) -> Iterable[d.Doubt]:
        """Nothing has so little resistance, and none falls to nothing."""
        yield from super().doubts(account, record)
        times = account.findings.get("times_usual")
        seen = self.seen(record)
        read = seen.whole("V", "A")
        order = np.argsort(np.abs(seen.column("A")[read]))
        volts, amps = (np.abs(seen.column(q)[read])[order] for q in "VA")
        if len(amps):  # what was read twice at one load is one look: it has recovered a little by the second
            levels = np.cumsum(np.diff(amps, prepend=amps[0]) > _ONE_LOAD * amps + _NO_LOAD * amps[-1])
            volts, amps = (np.bincount(levels, column) / np.bincount(levels) for column in (volts, amps))
        steps = -np.diff(volts) / np.maximum(np.diff(amps), 1e-9)
        if len(steps) > 1 and not float(steps.max()) < _BENT * float(steps.min()):
            yield d.Doubt("line", say("Its volts do not fall in step with the amperes: which of the rows is a slip?"))
        ohm, cells = account.findings.get("resistance"), _of_cells(record.head.setup)
        if (
            ohm is not None
            and ohm.value is not None
            and cells is not None
            and ohm.value + (ohm.expanded_uncertainty or 0.0) < _STIFF * cells
        ):
            text = words(
                "{ohm} inside, where its cells alone have about {cells} mΩ: did so many amperes flow, and were they read in their unit?"
            )
            yield d.Doubt("stiff", say(text, ohm=ohm.value_text(), cells=show(1000 * cells, 2)))
        if ohm is not None and times is not None and times.value is not None and times.value > _BEYOND:
            text = words("{ohm} inside would be {n} times the most that is usual: are the amperes in their unit, and is this its label?")
            yield d.Doubt("soft", say(text, ohm=ohm.value_text(), n=show(times.value, 2)))


def _figures(values: d.Columns, asked: float) -> dict[str, float | None]:
    slope, rest = np.polyfit(values["A"], values["V"], 1)
    return {"ohm": float(-slope), "left": float(rest + slope * asked)}


def _apart(amps: np.ndarray, volts: np.ndarray) -> float:
    """Half of what the slopes from the least load to each of the others lie apart, Ω; 0 for two looks."""
    order = np.argsort(amps)
    rest, *loaded = order.tolist()
    slopes = [(volts[rest] - volts[k]) / (amps[k] - amps[rest]) for k in loaded if amps[k] > amps[rest]]
    return float(np.ptp(slopes)) / 2


def _how(amps: np.ndarray) -> str:
    return say("slope of volts over amperes, {n} points", n=len(amps))


def _of_cells(setup: d.Setup) -> float | None:
    """Ω that such cells have, one after the other; None where its kind is not known."""
    label = setup.label
    kind = label.kind_of_cell if label is not None else None
    if label is None or kind is None or not label.series or not label.charge_ah:
        return None
    return kind.usual_ohm(label.series, label.charge_ah)


def _is_low(seen: d.Seen, volts: np.ndarray, amps: np.ndarray) -> bool:
    """By its volts with next to nothing on it."""
    label = seen.setup.label
    kind = label.kind_of_cell if label is not None else None
    if label is None or kind is None or not label.series or not kind.rest_chart or not amps.min() < 0.05 * amps.max():
        return False
    chart_v, percents = (np.array(column) for column in zip(*reversed(kind.rest_chart), strict=True))
    return float(np.interp(float(volts[int(np.argmin(amps))]) / label.series, chart_v, percents)) < _LOW_PERCENT
