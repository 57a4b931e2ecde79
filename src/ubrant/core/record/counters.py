"""Counters (Ah, Wh, kWh) and percent displays: readings that are added up elsewhere."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array, Series
from ubrant.core.uncertainty.contributions import COVERAGE
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import Value, digit, rectangular, scattered, within
from ubrant.core.wording import say, say_many, words

HALF_POINT = 0.5
"""A display in whole percent: ± half a point at each end."""


@dataclass(frozen=True)
class Count:
    """What a counter counted between its first reading and its last.

    Attributes
    ----------
    amount : in the counter's unit
    resets, rollovers : how often it began again, or ran over its largest figure
    standard_uncertainty : of its digits: two ends, and two more for every reset
    cut_off : what it may lack where it cuts off what is under its last digit, and does not round: half of one for each stretch that it counted
        from nothing; between two of its readings that cancels
    counts_down : it shows what is left
    lost : a stretch between the last reading before a reset and the reset itself is in nobody's count
    """

    amount: float
    resets: int
    rollovers: int
    standard_uncertainty: float
    lost: bool
    counts_down: bool = False
    cut_off: float = 0.0

    def value(self, whose: str = "") -> Value:
        """What it counted, with what its digits leave open; ``whose`` counter it is tells it from others."""
        digits = scattered(
            self.standard_uncertainty, words("counter's digits"), when=whose, note=say("half of the last digit at each end, ÷ √3")
        )
        return self.amount + digits + within(self.cut_off, words("counted from nothing, cut off or rounded"), when=whose)

    def sentence(self, unit: str) -> str:
        """What a person should know of it; empty when it simply ran on."""
        sentences = []
        if self.counts_down:
            sentences.append(say("the counter counts down: what is left of it was taken off what it began with"))
        if self.rollovers:
            sentences.append(
                say_many(
                    self.rollovers, "the counter ran over once, and that was added", "the counter ran over {n} times, and that was added"
                )
            )
        if self.resets:
            sentences.append(
                say_many(
                    self.resets,
                    "it was reset once; what it counted before was added",
                    "it was reset {n} times; what it counted before was added",
                )
            )
        if self.lost:
            sentences.append(
                say(
                    "what flowed between the last reading before a reset and the reset is missing: at least {amount} {unit}",
                    amount=plain(self.amount),
                    unit=unit,
                )
            )
        text = "; ".join(sentences)
        return f"{text[0].upper()}{text[1:]}." if text else ""


def counted(series: Series, half_width: Array, full_scale: float | None = None) -> Count:
    """Add up a counter's readings.

    A reading under the one before it is a roll-over where the counter stood in the last tenth of its scale and now stands in the
    first tenth, and a reset otherwise.

    Parameters
    ----------
    series : (n,) readings of the counter, in its unit
    half_width : (n,) half of the last digit
    full_scale : where it begins again at 0 (99 999 for a five-digit one, plus one digit); None when it is not known
    """
    if len(series) < 2:
        return Count(0.0, 0, 0, 0.0, lost=False)
    value = series.value
    steps = np.diff(value)
    if (
        len(steps) > 1 and (steps <= float(half_width[0])).all() and value[-1] < value[0] - 2 * float(half_width[0])
    ):  # it shows what is left
        u = math.hypot(rectangular(float(half_width[0])), rectangular(float(half_width[-1])))
        return Count(float(value[0] - value[-1]), 0, 0, u, lost=False, counts_down=True)
    amount, resets, rollovers, ends = 0.0, 0, 0, [float(half_width[0]), float(half_width[-1])]
    cut_off = 0.0 if value[0] else float(half_width[0])
    for k in range(1, len(value)):
        step = float(value[k] - value[k - 1])
        if step >= -float(half_width[k]):
            amount += max(step, 0.0)
        elif full_scale and value[k - 1] > 0.9 * full_scale and value[k] < 0.1 * full_scale:
            amount += step + full_scale
            rollovers += 1
        else:
            amount += float(value[k])
            resets += 1
            ends += [float(half_width[k - 1]), float(half_width[k])]
            cut_off += float(half_width[k])
    u = math.sqrt(sum(rectangular(h) ** 2 for h in ends))
    return Count(amount, resets, rollovers, u, lost=resets > 0, cut_off=cut_off)


def counted_finding(count: Count, unit: str, wrong: Value) -> Finding:
    """A counter's total as a finding; ``wrong`` by what its meter may be off in it."""
    key, name = ("counted_charge", "Charge by its counter") if unit == "Ah" else ("counted_energy", "Energy by its counter")
    working = "difference of two readings" + (f", {count.rollovers} roll-over" if count.rollovers else "")
    return Finding.made(key, name, count.value(unit) + wrong, unit, working, tuple(s for s in (count.sentence(unit),) if s))


def agreement(by_counter: Finding, by_integral: Finding) -> str:
    """A sentence where counter and integral disagree by more than both may be off; empty where they agree. What one meter is wrong by in both is no reason."""
    if by_counter.value is None or by_integral.value is None or by_integral.contributions is None or by_counter.contributions is None:
        return ""
    difference = by_counter.known - by_integral.known
    limit, apart = COVERAGE * (difference.u or 0.0), abs(difference.value)
    if apart <= limit:
        return ""
    return say(
        "The counter says {value_text} and the readings add up to {value_text_2}: {apart} {unit} apart, and {limit} would be within the ±. One of them is wrong, or something drew between the readings.",
        value_text=by_counter.value_text(),
        value_text_2=by_integral.value_text(),
        apart=show(apart, 2),
        unit=by_counter.unit,
        limit=show(limit, 2),
    )


def points_used(series: Series) -> Finding:
    """How many points a percent display fell, from its highest reading on to its lowest; ± half a point at each end."""
    if len(series) < 2:
        return Finding("points", "Points used", None, "points", None, say("fewer than two readings in percent"))
    start = int(np.argmax(series.value))
    used = float(series.value[start] - series.value[start:].min())
    start_digit, end_digit = (digit(HALF_POINT, "points", when=say(w), of=words("whole percent")) for w in ("at the start", "at the end"))
    working = f"from {plain(float(series.value[start]))} % to {plain(float(series.value[start:].min()))} %"
    note = say("It may not be linear, and often ignores small loads.")
    if not used:
        note = say("It never moved: this bounds nothing but that less than its first point was used.")
    value = used + start_digit - end_digit
    return Finding.made("points", "Points used", value, "points", working, (f"{working} = {plain(used)} points", note))


def energy_per_point(energy: Finding, points: Finding) -> Finding:
    """Watt-hours for each point of a percent display."""

    if not energy.value or not points.value or points.value <= 0:
        return Finding("energy_per_point", "Energy a point", None, "Wh", None, say("no points used"))
    value = energy.known / points.known
    working = f"{show(energy.value)} Wh ÷ {plain(points.value)} points"
    return Finding.made("energy_per_point", "Energy a point", value, "Wh", working, (f"{working} = {show(value.value)} Wh a point",))
