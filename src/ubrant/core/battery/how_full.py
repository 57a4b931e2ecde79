"""How full a battery is, by its volts at rest: about so much, between so much and so much, at most, at least, or that volts cannot tell."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ubrant.core.battery.label_doubt import LOW_SHARE
from ubrant.core.battery.state_of_charge import CHART_DOUBT_POINTS, OWN_CHART_POINTS, charge_by, chart_name
from ubrant.core.quantities.chemistry import Chemistry
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.uncertainty.contributions import COVERAGE
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST, BETWEEN, Finding
from ubrant.core.uncertainty.value import Value
from ubrant.core.wording import say, words

CHARGED, USED, NOT_SAID = "charged", "used", "not said"
OVER_FULL, ANOTHER, FLOWS = 1.02, 1.3, 0.002
"""So many times what a full one has at rest is surface charge, and so many are another battery's; of its Ah in A, more than that is no rest. Common
practice, no source."""
NO_BATTERY = 0.5
"""Under this share of the least that one may be emptied to, nothing of it is read. Common practice, no source."""
_USUAL_V = 0.01
"""A voltmeter of nobody's accuracy is off by so much, for how wide the answer is. Common practice, no source."""


@dataclass(frozen=True)
class HowFull:
    """Findings by key, a sentence, and the same in a few words."""

    findings: dict[str, Finding]
    sentence: str
    short: str


def how_full(
    rest: Value,
    cells: int,
    kind: Chemistry,
    rested_h: float | None,
    before: str,
    *,
    label_ah: float = 0.0,
    label_wh: float = 0.0,
    flows: Value | None = None,
) -> HowFull:
    """By a chart of its kind.

    Parameters
    ----------
    rest : volts at its terminals
    rested_h : how long nothing had flowed, None where nobody said
    before : whether it was CHARGED or USED before that, or NOT_SAID
    flows : amperes that still flow, where they were read

    Raises
    ------
    ReadingsError
        Volts cannot tell of its kind, it is no rest, or nobody can say.
    """
    if not kind.rest_chart:
        raise ReadingsError(say("Of {kind} the volts at rest cannot tell how full it is: count ampere-hours.", kind=kind.name))
    if flows is not None and abs(flows.value) > max(FLOWS * label_ah, COVERAGE * (flows.u or 0.0)):
        raise ReadingsError(
            say(
                "{a} A flow: that is no rest. Switch everything off, the charger too, and wait {h} h.",
                a=show(flows.value, 2),
                h=plain(kind.rest_hours),
            )
        )
    if rest.value < NO_BATTERY * kind.floor_v * cells:
        text = words(
            "{v} V are no battery's at rest: has its protection opened, or did a tip slip off? Charge it a little, and read it again."
        )
        raise ReadingsError(say(text, v=show(rest.value, 3)))
    full_v = kind.rest_chart[0][0] * cells
    if rest.value > ANOTHER * full_v:
        text = words("{v} V are no volts of what its label says, {full} V when full: is this its label, or was another place read?")
        raise ReadingsError(say(text, v=show(rest.value, 4), full=show(full_v, 4)))
    if rest.value > OVER_FULL * full_v:
        raise ReadingsError(
            say(
                "{v} V are more than the {full} V that a full one has at rest: it is being charged, or was just now. Take the charger off, and wait {h} h.",
                v=show(rest.value, 4),
                full=show(full_v, 4),
                h=plain(kind.rest_hours),
            )
        )
    low, high = _between(rest, cells, kind)
    rested = rested_h is not None and rested_h >= kind.rest_hours
    says_nothing = before == NOT_SAID or (before == CHARGED and high >= 100.0) or (before == USED and low <= 0.0)
    if not rested and says_nothing:
        raise ReadingsError(
            say(
                "It has to rest {h} h with everything off before its volts tell anything: say how long it rested, or whether it was charged or used before.",
                h=plain(kind.rest_hours),
            )
        )
    working = say("{v} V at rest, by {chart}", v=show(rest.value, 4), chart=chart_name(kind))
    name = say("Charge left")
    if not rested:
        bound, percent = (AT_MOST, high) if before == CHARGED else (AT_LEAST, low)
        found = Finding("charge_now", name, float(round(percent)), "%", (), working, bound=bound)
        why = (
            say("it was charged before, and its volts still fall")
            if before == CHARGED
            else say("it was used before, and its volts still rise")
        )
        return HowFull(
            {"charge_now": found},
            say("{much} full: {why}. After {h} h of rest it can be told.", much=_capital(found), why=why, h=plain(kind.rest_hours)),
            say("{much} full", much=found.value_text()),
        )
    charged = charge_by(rest, cells, kind)
    if low <= 0.0 and charged is None:
        found = Finding("charge_now", name, float(round(high)), "%", (), working, bound=AT_MOST)
        return HowFull(
            {"charge_now": found}, say("{much} full: charge it soon.", much=_capital(found)), say("{much} full", much=found.value_text())
        )
    short = say("{low} to {high} % full", low=f"{low:.0f}", high=f"{high:.0f}")
    if charged is None or high - low > _WIDE:
        found = Finding.between("charge_now", name, (low, high), "%", working)
        sentence = say(
            "Anywhere from {low} to {high} %: there its volts hardly change. Count ampere-hours from full.",
            low=f"{low:.0f}",
            high=f"{high:.0f}",
        )
    else:
        known = charged if rest.parts is not None else Value(charged.value, None)  # what its meter is off by nobody knows
        found = Finding.made("charge_now", name, known, "%", working)
        if found.span is not None:
            low, high = max(found.span[0], 0.0), min(found.span[1], 100.0)
        short = say("about {percent} % full, {low} to {high}", percent=f"{charged.value:.0f}", low=f"{low:.0f}", high=f"{high:.0f}")
        sentence = say(
            "About {percent} % full, between {low} and {high} %.", percent=f"{charged.value:.0f}", low=f"{low:.0f}", high=f"{high:.0f}"
        )
    findings = {"charge_now": found}
    if label_wh:
        ends = low / 100 * LOW_SHARE * label_wh, high / 100 * label_wh
        how = say("of {wh} Wh on its label, {least} to 100 % of it", wh=plain(label_wh, 3), least=plain(100 * LOW_SHARE))
        findings["energy_now"] = Finding.between("energy_now", say("Energy left"), ends, "Wh", how)
    return HowFull(findings, sentence, short)


_WIDE = 60.0
"""Points between least and most from which on nobody calls it about so much."""


def _between(rest: Value, cells: int, kind: Chemistry) -> tuple[float, float]:
    """The least and the greatest percent, with the volts' doubt and what charts differ by."""
    volts, percents = (np.array(column) for column in zip(*reversed(kind.rest_chart), strict=True))
    doubt = OWN_CHART_POINTS if kind.own_chart else CHART_DOUBT_POINTS
    room = (COVERAGE * rest.u if rest.u is not None else _USUAL_V * rest.value) / cells
    at = rest.value / cells
    low, high = (float(np.interp(at + side * room, volts, percents)) + side * doubt for side in (-1, 1))
    if any(kind.is_flat_at(at + side * room * part) for side in (-1, 1) for part in (0.0, 0.5, 1.0)):
        flat = [float(percent) for v, percent in kind.rest_chart if kind.is_flat_at(v)]
        low, high = min(low, min(flat) - doubt), max(high, max(flat) + doubt)
    return max(low, 0.0), min(high, 100.0)


def _capital(found: Finding) -> str:
    text = found.value_text()
    return f"{text[:1].upper()}{text[1:]}"


def percents_of(charge: Finding) -> tuple[float, float]:
    """The least and the most of a charge in percent."""
    value, u = charge.value or 0.0, charge.expanded_uncertainty or 0.0
    if charge.bound == AT_MOST:
        return 0.0, value
    low, high = charge.span if charge.bound == BETWEEN and charge.span is not None else (value - u, value + u)
    return max(low, 0.0), min(high, 100.0)


def charge_at_rest(rest: Value, cells: int, kind: Chemistry) -> Finding:
    """Percent that are in it by its volts, taken for those at rest.

    Raises
    ------
    ReadingsError
        Volts cannot tell of its kind, or are none of such a battery at rest.
    """
    return how_full(rest, cells, kind, kind.rest_hours, NOT_SAID).findings["charge_now"]
