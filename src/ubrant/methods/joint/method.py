"""A lead, fuse, clip or switch as a resistance: volts across it at several currents; the slope, so that the voltmeter's zero cancels."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from ubrant.methods import declared as d
from ubrant.methods.declared import BY_HAND, plain, say, show, words

_V, _A = ("input", "V"), ("input", "A")
_WARM_W, _MOST_V, _APART, _LARGE_OHM, _TOLD_TO, _LEAST_OHM = 1.0, 2.0, 0.2, 0.01, 0.6, 5e-6
"""Over so many watts a joint gets warm; no joint drops so many volts; currents differ by so much of the largest; so
many ohms are much, and so few next to nothing; over such a share of itself its ± is no answer. Common practice, no source."""


@dataclass(frozen=True)
class JointPlan:
    currents: tuple[float, ...] = ()


class JointMethod(d.TypedMethod):
    key, title, Plan, by_eye, plan_from_label = "joint", "Drop across a joint", JointPlan, False, False
    taps, roads, reads, like = ("input",), (BY_HAND,), (_V, _A), "12.3 mV 5.02 A"
    answers = ("resistance", "burnt")

    def form(self, setup: d.Setup) -> tuple[d.Field, ...]:
        return (d.Field("currents", "Currents", d.Loads(12.0), "1, 5, 10 A"),)

    def checks(self, prepared: d.Prepared, load: d.LoadRating) -> Iterable[d.Problem]:
        if len(prepared.plan.currents) < 2:
            yield d.refused(say("At least two currents are needed: the slope is what counts."))

    def asks(self, prepared: d.Prepared) -> Iterable[d.Ask]:
        text = words(
            "Let the current flow through it, and press the voltmeter's tips on both sides of the joint, not on the current's own clips."
        )
        yield d.Ask(say(text), (d.cautions.WARM,))

    def rows(self, prepared: d.Prepared) -> Iterable[d.Prompt]:
        text = words("{a} A: type what falls across it and the current, like “{example}”; write “warm” behind it where it is.")
        for a in prepared.plan.currents:
            yield self.row(say(text, a=plain(a), example=self.like), f"{plain(a)} A", expected={_A: a} if a > 0 else {})

    def doubts(self, account: d.Account, record: d.Record) -> Iterable[d.Doubt]:
        """Lines that were left out for their volts, and are in line with all the others."""
        yield from super().doubts(account, record)
        seen, found = self.seen(record), account.findings.get("resistance")
        volts, amps = (np.abs(np.nan_to_num(seen.column(q))) for q in "VA")
        if found is not None and found.value and len(amps) > 2 and (found.expanded_uncertainty or 0.0) > _TOLD_TO * found.value:
            text = words("{r}: these points lie on no line. Which of them is a slip, or did it get warm meanwhile?")
            yield d.Doubt("line", say(text, r=found.with_uncertainty()))
        out = volts > _MOST_V
        ohm = found.value if found is not None and found.value else 0.0
        if 0 < ohm < _LEAST_OHM:
            text = words(
                "{r} is less than a hand's width of thick copper: did the tips lie on one side of the joint, or are the volts in another unit?"
            )
            yield d.Doubt("little", say(text, r=found.value_text() if found is not None else ""))
        if ohm > _LARGE_OHM and out.any() and (np.abs(volts[out] / np.maximum(amps[out], 1e-9) / ohm - 1) < _APART).all():
            text = words(
                "What was left out lies on the same line, {r}: were the tips across more than the joint, or are all of them millivolts?"
            )
            yield d.Doubt("across", say(text, r=show(ohm, 3) + " Ω"))

    def sums(self, seen: d.Seen) -> d.Account:
        read = seen.whole("V", "A")
        there = read & (np.abs(np.nan_to_num(seen.column("V"))) <= _MOST_V)
        text = words("No joint drops {v} V: were millivolts written as volts? It was left out.")
        said = [say(text, v=plain(abs(float(v)))) for v in seen.column("V")[read & ~there]]
        turned = there.any() and np.ptp(np.sign(seen.column("V")[there] * seen.column("A")[there])) > 1
        said += [say("In some lines it drops the other way: were the tips swapped? They count as the others.")] if turned else []
        volts, amps = (np.abs(seen.column(q)[there]) for q in "VA")
        if len(amps) < 2 or not np.ptp(amps) > _APART * amps.max():
            lacking = say("Two currents that lie apart are needed: volts and amperes of each, like “{example}”.", example=self.like)
            raise d.ReadingsError(" ".join((*said, lacking)))
        made = seen.by_errors(_figures, {"V": volts, "A": amps}, there)
        ohm, burns, most = made["ohm"], made["burns"], float(amps.max())
        if ohm is None or burns is None or not ohm.value > 0:
            raise d.ReadingsError(say("It drops less with more current: is a line mixed up, or did a tip slip off the joint?"))
        left = d.scattered(_left(amps, volts), words("scatter of the points"), max(len(amps) - 2, 1))
        how = say("slope of volts over amperes, {n} points", n=len(amps))
        found = d.Finding.made("resistance", say("Resistance of the joint"), ohm + left, "Ω", how)
        burnt = d.Finding.made("burnt", say("Burns at {a} A", a=show(most, 3)), burns + left * most**2, "W", say("R × I²"))
        r, w = found.with_uncertainty(), burnt.with_uncertainty()
        said += [say("It gets warm: {w} in it. Tighten or clean it, or take a better one.", w=w)] if (burnt.value or 0) > _WARM_W else []
        said += [say("It was warm to the hand.")] if any("warm" in note for note in seen.table.notes) else []
        sentence = say("{r} across it; at {a} A it burns {w}.", r=r, a=show(most, 3), w=w)
        drawn = d.Plot(
            say("Drop"), "A", "mV", (0.0, 1.05 * most), (0.0, 1100 * float(volts.max())), (d.Dots(amps, 1000 * volts),), sentence
        )
        return d.Account({f.key: f for f in (found, burnt)}, sentence=sentence, warnings=tuple(said), drawings=lambda: (drawn,))


def _figures(values: d.Columns) -> dict[str, float | None]:
    return {"ohm": (ohm := float(np.polyfit(values["A"], values["V"], 1)[0])), "burns": ohm * float(values["A"].max()) ** 2}


def _left(amps: np.ndarray, volts: np.ndarray) -> float:
    """Standard uncertainty of the slope by what the points leave of the line; 0 for two."""
    return float(np.polyfit(amps, volts, 1, cov=True)[1][0, 0] ** 0.5) if len(amps) > 2 else 0.0
