"""Verdicts: meets, below, spent, cannot tell, not like for like. Decision rule of JCGM 106: on the right side of a limit by more than a guard."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from ubrant.core.battery.conditions import LIMITS_C
from ubrant.core.battery.ending import EMPTIED, GAVE_UP
from ubrant.core.gate.check import AT_LEAST, DECIDES_NOTHING, Objection
from ubrant.core.quantities.label import Label
from ubrant.core.quantities.quantity import plain, show, show_with
from ubrant.core.record.alone import Alone
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.gaps import BridgedGap
from ubrant.core.uncertainty.contributions import COVERAGE, Contribution, merged
from ubrant.core.uncertainty.decision import GUARD, ONCE, Repeats, as_judged, decided, guard, guard_t
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.sources import ErrorKind
from ubrant.core.wording import say, words

MEETS, BELOW, SPENT, CANNOT_TELL, NOT_ALIKE = "meets", "below", "spent", "cannot tell", "not like for like"
SPENT_SHARE = 80.0
"""Percent of rated capacity below which a battery is spent: IEEE 450 and IEEE 1188 for lead-acid (value from memory),
the usual figure for lithium too (common practice)."""


@dataclass(frozen=True)
class Verdict:
    """A word, a sentence, and where it is *cannot tell* what would settle it."""

    word: str
    sentence: str
    settle: str = ""


@dataclass(frozen=True)
class Circumstances:
    """What a verdict needs to know beside the figures."""

    label: Label | None
    cutoff: Cutoff | None
    ended_by: str
    temperature_c: float | None
    tap: str
    gaps: tuple[BridgedGap, ...]
    alone: tuple[Alone, ...] = ()
    objections: tuple[Objection, ...] = ()
    repeats: Repeats = ONCE

    def objection(self, effect: str) -> Objection | None:
        """The first that has this effect."""
        return next((o for o in self.objections if o.effect == effect), None)


_KNOWN_TO = 0.35
"""What is left of the doubt of a temperature once it was written down: the thermometer's, and that of the coefficient."""


def judge(findings: dict[str, Finding], about: Circumstances) -> Verdict:
    """Judge a capacity against its label.

    In this order: not like for like → spent → below → meets → cannot tell. A faster run that meets the label meets it.
    What rests on gaps in which nothing was read, or on readings that stand alone between others, decides nothing.
    A run that did not reach its cut-off, or did not begin at a known full, is *at least* so much: it can meet the label, and nothing else.
    What the gate objects to comes before all of it. A label is held against what the battery gives, not against what it gave once:
    how nearly it gives the same again is part of the doubt, and the mean of runs like this one is what is judged.
    """
    share = findings["label_share"]
    if about.label is None or share.value is None:
        return Verdict(CANNOT_TELL, say("Cannot tell: there is no label to judge it against."), say("Give the label, like “50 Ah 12.8 V”."))
    measured, rated = _measured(findings, about.label)
    told = as_judged(share, about.repeats)
    uncertainty = guard(told)
    lasting = told.value or 0.0
    if resting := _resting_on_little(findings, about, measured.with_uncertainty(), rated):
        return resting
    if doubt := about.objection(DECIDES_NOTHING):
        return Verdict(
            CANNOT_TELL,
            say(
                "Cannot tell: {figure} was read, but {doubt}{stop}",
                figure=measured.with_uncertainty() if uncertainty is not None else measured.value_text(),
                doubt=doubt.sentence,
                stop="" if doubt.sentence.endswith("?") else ".",
            ),
            doubt.remedy,
        )
    apart = _differences(findings, about)
    faster_only = [d.kind for d in apart] == ["faster"]
    above = decided(told, 100) > 0
    if apart and not (faster_only and above):
        even_so = say(" Even so it gave more than the label says.") if above else ""
        part = about.objection(AT_LEAST) if not above else None
        reasons = [d.sentence for d in apart] + ([part.sentence] if part is not None else [])
        remedies = ([part.remedy] if part is not None else []) + [apart[0].remedy]
        return Verdict(NOT_ALIKE, say("Not like for like: {value}.{even_so}", value=_and(reasons), even_so=even_so), " ".join(remedies))
    if uncertainty is None:
        return Verdict(
            CANNOT_TELL,
            say(
                "Cannot tell: {value_text} is {value:.1f} % of the label, but nobody said how accurate the meter is.",
                value_text=measured.value_text(),
                value=share.value,
            ),
            say("Give the meter's accuracy as its manual says it, like “0.5 % + 5 mA”."),
        )
    figure = measured.with_uncertainty()
    limit = about.objection(AT_LEAST) or _left_in_it(about)
    if above and (too_deep := _deeper_than_usual(about)):
        return Verdict(
            CANNOT_TELL,
            say("Cannot tell: {figure} against {rated}, but {why}.", figure=figure, rated=rated, why=too_deep),
            say("Judge it to the usual cut-off."),
        )
    emptied = about.ended_by in EMPTIED
    at_least = limit is not None or not emptied
    if not at_least and decided(told, SPENT_SHARE) < 0:
        return Verdict(
            SPENT,
            say(
                "Spent: {figure} is {value:.0f} % of the {rated} on the label, under 80 %, the usual replacement point.",
                figure=figure,
                value=share.value,
                rated=rated,
            ),
            say(
                "80 % is that of IEEE 450 and IEEE 1188 for standby batteries, common practice elsewhere; the endurance tests of IEC 61960-3 and IEC 61951-2 end at 60 %. "
                "Whether it has aged, or never was what its label says, only an earlier run tells."
            ),
        )
    if not at_least and decided(told, 100) < 0:
        return Verdict(
            BELOW,
            say(
                "Below its label: {figure} is {with_uncertainty} of the {rated} it claims.{share}",
                figure=figure,
                with_uncertainty=share.with_uncertainty(),
                rated=rated,
                share=_more_on_below(share, about),
            ),
        )
    if above:
        least = "at least " if at_least else ""
        faster = say(" And that at a faster rate than the label's.") if faster_only else ""
        return Verdict(
            MEETS,
            say(
                "Meets its label: {least}{figure} against {rated}, {with_uncertainty}.{faster}",
                least=least,
                figure=figure,
                rated=rated,
                with_uncertainty=share.with_uncertainty(),
                faster=faster,
            ),
        )
    if emptied and limit is not None:
        return Verdict(
            CANNOT_TELL,
            say(
                "Cannot tell: it gave at least {figure} of {rated}, {share}; {why}.{sure}",
                figure=figure,
                rated=rated,
                share=share.with_uncertainty(),
                why=limit.sentence,
                sure=_sure(lasting - uncertainty),
            ),
            limit.remedy,
        )
    if at_least:
        why = (
            say("no cut-off was named")
            if about.cutoff is None
            else say("its cut-off was not reached")
            if about.ended_by == "running"
            else say("it ended by {ended_by} before the cut-off", ended_by=ending_text(about.ended_by))
        )
        remedy = (
            say("Name the cut-off that ended it.")
            if about.cutoff is None
            else say("Run it on to {voltage_v} V.", voltage_v=plain(about.cutoff.voltage_v))
        )
        return Verdict(
            CANNOT_TELL,
            say(
                "Cannot tell: it gave at least {figure} of {rated}, but {why}.{sure}",
                figure=figure,
                rated=rated,
                why=why,
                sure=_sure(lasting - uncertainty),
            ),
            remedy,
        )
    return Verdict(
        CANNOT_TELL,
        say(
            "Cannot tell: {figure} lies too close to the label's {rated}. From one run to the next a battery gives about {again} % more or less: "
            "it holds {low} to {high} % of it.{sure}",
            figure=figure,
            rated=rated,
            again=plain(100 * about.repeats.of_one, 2),
            low=show(lasting - uncertainty, 3),
            high=show(lasting + uncertainty, 3),
            sure=_sure(lasting - uncertainty),
        ),
        _what_would_settle(share, about.repeats, measured),
    )


_ROOM = {"lead-acid": 0.045}
_ROOM_ELSE = 0.11
"""By so much of the usual one a cut-off that nobody's label says may differ: the end of a lithium cell is steep, that of lead is not. Common practice, no source."""


def _freely(about: Circumstances) -> tuple[float, float]:
    """(how much higher than usual the cut-off is, as a share; the usual one): 0 where the label says its own, or it is near."""
    label = about.label
    kind = label.kind_of_cell if label is not None else None
    if label is None or kind is None or not label.series or about.cutoff is None or label.standard_cutoff_v is not None:
        return 0.0, 0.0
    usual = kind.usual_cutoff_v * label.series
    more = about.cutoff.voltage_v / usual - 1
    return (more if abs(more) > _ROOM.get(kind.key, _ROOM_ELSE) else 0.0), usual


def _left_in_it(about: Circumstances) -> Objection | None:
    """A cut-off above what is usual leaves something in it: it gave at least so much."""
    more, usual = _freely(about)
    if more <= 0 or about.cutoff is None:
        return None
    text = words("it was stopped at {volts} V, above the {usual} V that is usual for its kind, and what was left in it is not known")
    return Objection(
        "cut-off",
        AT_LEAST,
        say(text, volts=plain(about.cutoff.voltage_v), usual=plain(usual, 3)),
        say("Run it on to {usual} V, or write the cut-off that its maker means on the label.", usual=plain(usual, 3)),
    )


def _deeper_than_usual(about: Circumstances) -> str:
    """A cut-off below what is usual takes more out than a label means; empty where it is none."""
    more, usual = _freely(about)
    if more >= 0 or about.cutoff is None:
        return ""
    text = words("it was emptied to {volts} V, below the {usual} V that is usual for its kind")
    return say(text, volts=plain(about.cutoff.voltage_v), usual=plain(usual, 3))


def _sure(least: float) -> str:
    """What is certain all the same."""
    return say(" It is not spent.") if least > SPENT_SHARE else ""


def _resting_on_little(findings: dict[str, Finding], about: Circumstances, figure: str, rated: str) -> Verdict | None:
    """*Cannot tell* where a verdict would be another one without what lies in gaps, or without readings that stand alone."""
    told = as_judged(findings["label_share"], about.repeats)
    charge, share, uncertainty = findings["charge"].value, told.value, findings["label_share"].expanded_uncertainty
    if not charge or share is None or uncertainty is None:
        return None
    room = guard(told) or 0.0
    bridged = 100 * sum(g.charge_ah for g in about.gaps if not g.may_have_stopped) / charge  # where it may have, the ± has it
    alone = [100 * a.charge_ah / charge for a in about.alone]
    more, less = sum(max(a, 0.0) for a in alone), -sum(min(a, 0.0) for a in alone)

    def word(value: float) -> str:
        return MEETS if value - room > 100 else SPENT if value + room < SPENT_SHARE else BELOW if value + room < 100 else ""

    now = word(share)
    if now == MEETS and word(share * (1 - bridged / 100)) != MEETS:
        why = say("{bridged:.0f} % of it lies in gaps, in which nobody knows whether the load was on", bridged=bridged)
        remedy = say("Say when the load was on, or run it again without a break.")
    elif max(more, less) > uncertainty:  # then the figure itself is not what its ± says
        why = say("{share:.0f} % of it hangs on readings that stand alone between others", share=max(more, less))
        remedy = say("Look whether a digit slipped there.")
    else:
        return None
    return Verdict(CANNOT_TELL, say("Cannot tell: {figure} against {rated}, but {why}.", figure=figure, rated=rated, why=why), remedy)


@dataclass(frozen=True)
class _Difference:
    kind: str
    sentence: str
    remedy: str


def _measured(findings: dict[str, Finding], label: Label) -> tuple[Finding, str]:
    if label.charge_ah:
        return findings["charge"], f"{plain(label.charge_ah)} Ah"
    return findings["energy"], f"{plain(label.energy_wh or 0)} Wh"


def _differences(findings: dict[str, Finding], about: Circumstances) -> list[_Difference]:
    """In what the run differs from how the label was made: rate 10 %, cut-off 2 %, 20 ± 5 °C, metered at the battery."""
    label, differences = about.label, []
    assert label is not None
    rate, standard = findings["c_rate"].value, label.standard_rate_c
    spread = findings["c_rate"].expanded_uncertainty or 0.0  # a rate that may well be right is not held against the run
    if (
        about.tap == "battery"
        and rate is not None
        and standard is not None
        and (rate + spread < 0.9 * standard or rate - spread > 1.1 * standard)
    ):
        kind = "faster" if rate > standard else "slower"
        amps = f"{plain(standard * (label.charge_ah or 0), 3)} A"
        differences.append(
            _Difference(
                kind,
                say("it ran at {rate} C, and the label means {standard} C", rate=plain(rate, 2), standard=plain(standard)),
                say("Run it again at {amps}.", amps=amps),
            )
        )
    wanted = label.standard_cutoff_v
    if about.cutoff is not None and wanted is not None and abs(about.cutoff.voltage_v / wanted - 1) > 0.02:
        differences.append(
            _Difference(
                "cut-off",
                say(
                    "it stopped at {voltage_v} V, and the label means {wanted} V",
                    voltage_v=plain(about.cutoff.voltage_v),
                    wanted=plain(wanted),
                ),
                say("Judge it to {wanted} V.", wanted=plain(wanted)),
            )
        )
    if about.temperature_c is not None and not LIMITS_C[0] <= about.temperature_c <= LIMITS_C[1]:
        differences.append(
            _Difference(
                "temperature",
                say("the battery was at {temperature_c} °C, too far from where labels hold", temperature_c=plain(about.temperature_c, 2)),
                say("Run it again in a room at about 20 °C."),
            )
        )
    mean = findings["mean_voltage"].value
    if about.tap != "battery":
        differences.append(
            _Difference(
                "tap", say("it was metered at the {tap}, not at the battery", tap=about.tap), say("Meter it at the battery's terminals.")
            )
        )
    elif mean is not None and label.voltage_v and label.charge_ah and not label.is_like(mean):
        differences.append(
            _Difference(
                "tap",
                say(
                    "the readings are at {mean} V, and the label's Ah hold at {voltage_v} V",
                    mean=plain(mean, 3),
                    voltage_v=plain(label.voltage_v),
                ),
                say("Compare watt-hours, or meter at the cells."),
            )
        )
    return differences


def _more_on_below(share: Finding, about: Circumstances) -> str:
    more = ""
    if share.value is not None and (share.value - (share.expanded_uncertainty or 0)) < SPENT_SHARE:
        more = say(" Whether it is spent (under 80 %) is within the ±.")
    kind = about.label.kind_of_cell if about.label else None
    if kind and kind.key in {"lifepo4", "li-ion"}:
        more += say(" A lithium battery gets up to five cycles before this is final (IEC 61960-3).")
    elif kind and kind.key == "nimh":
        more += say(" NiMH gets up to five cycles before this is final (IEC 61951-2).")
    elif kind and kind.key == "lead-acid":
        more += say(" A new lead-acid battery gets some cycles before this is final.")
    return more


def _what_would_settle(share: Finding, repeats: Repeats, measured: Finding) -> str:
    """The one change that would bring the guard of the share below its distance to 100 %: tried here before it is named."""
    told = as_judged(share, repeats)
    value = told.value or 0.0
    margin = abs(value - 100)
    parts = merged(told.contributions or ())
    if not parts or margin < 0.05:
        return say("It gives what the label says as closely as anyone could measure; no better meter would change that.")
    k = guard_t(told) * GUARD / COVERAGE
    for part in parts:
        others = k * math.hypot(*(p.amount for p in parts if p is not part))
        if others >= margin:
            continue
        needed = math.sqrt(margin**2 - others**2) / (k * abs(part.amount))
        if remedy := _remedy(part, needed, value):
            return remedy
    for more in range(1, _MOST_RUNS + 1):  # dearer than any of these
        if decided(as_judged(share, Repeats((*repeats.others, *(repeats.mean,) * more))), 100):
            return _more_runs(more)
    if _better_meters_and_runs(share, repeats):
        return say("Better meters would settle it together with three more runs like it: neither does by itself.")
    per_percent = (measured.value or 0.0) / value if value else 0.0
    return say(
        "Only a much better measurement would: the ± would have to come down to {value} {unit}.",
        value=show_with(margin * per_percent, margin * per_percent)[0],
        unit=measured.unit,
    )


_MOST_RUNS = 4


def _more_runs(more: int) -> str:
    return (
        say("One more run like it would settle it, if that gives as much.")
        if more == 1
        else say("{more} more runs like it would settle it, if they give as much.", more=("", "", "Two", "Three", "Four")[more])
    )


def _better_meters_and_runs(share: Finding, repeats: Repeats) -> bool:
    """Whether meters four times better, and three runs more, decide it."""
    better = replace(share, contributions=tuple(c.times(0.25) for c in share.contributions or ()))
    return bool(decided(as_judged(better, Repeats((*repeats.others, *(repeats.mean,) * 3))), 100))


def _remedy(part: Contribution, needed: float, share: float) -> str:
    """What makes one part of the ± so much smaller (a factor); empty where nothing that is named here does."""
    kind, quantity = part.source.kind, part.source.quantity
    if (kind, quantity) == (ErrorKind.GAIN, "A"):
        limit = needed * 100 * abs(part.amount) * math.sqrt(3) / share
        return say(
            "A current meter good to {limit} % of its reading would settle it; a shunt instead of a clamp, say.", limit=plain(limit, 1)
        )
    if (kind, quantity) == (ErrorKind.ZERO, "A"):
        return say("Zero the current meter: its zero has to be {plain} times better.", plain=plain(1 / needed, 2))
    if part.source.is_of_meter and quantity == "V":
        return say(
            "A voltmeter {plain} times better would settle it, or a deeper cut-off, where the voltage falls faster.",
            plain=plain(1 / needed, 2),
        )
    if kind is ErrorKind.GAP:
        return say("A run without gaps would settle it.")
    if kind is ErrorKind.CONDITION:
        return say("Write down the battery's temperature at the start: to 1 °C would settle it.") if needed > _KNOWN_TO else ""
    return say("More readings would settle it.") if kind in {ErrorKind.BETWEEN, ErrorKind.MOMENT, ErrorKind.NOISE} else ""


_ENDINGS = {
    "end of log": "the end of the log",
    "person": "your stop",
    "program": "the end of the program",
    "running": "now",
    "interrupted": "an interruption",
    "time": "the time you set",
    "charge": "the charge you set",
    "energy": "the energy you set",
    "temperature": "its temperature",
    "resistance": "its resistance",
    "slow gain": "gaining too slowly",
    GAVE_UP: "switching itself off",
    "protection": "its protection",
    "instrument lost": "an instrument that was lost",
    "load draws nothing": "a load that drew nothing",
    "load's own time limit": "the load's own time limit",
    "guardian": "the guardian, which switched off",
}
"""What ended a run, as a sentence says it."""


def ending_text(ended_by: str) -> str:
    """What ended a run, for a sentence: ``an interruption``, ``your stop``."""
    return _ENDINGS.get(ended_by, ended_by)


def _and(sentences: list[str]) -> str:
    return sentences[0] if len(sentences) == 1 else "; ".join(sentences)
