"""Protection and breakers: at how much they open, how fast, and whether that is what their maker's curve says."""

from __future__ import annotations

import itertools
import math
import re
from dataclasses import dataclass

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import NUMBER, QuantityError, parse_number, plain, show, show_duration
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.sources import ErrorKind
from ubrant.core.uncertainty.value import as_read, rectangular, within
from ubrant.core.wording import say, words

_SECONDS = {"ms": 0.001, "s": 1.0, "min": 60.0, "h": 3600.0}


@dataclass(frozen=True)
class Overload:
    """One step: ``amps`` held; ``opened_s`` after which it opened, None where it held for ``held_s``; ``inrush_a`` as it was reset into the load; ``rested_s``
    since it opened before, None for the first and where nobody knows."""

    amps: float
    held_s: float
    opened_s: float | None = None
    inrush_a: float | None = None
    rested_s: float | None = None

    @property
    def is_warm(self) -> bool:
        """It has just opened, so that it opens sooner: no second test of it, and none against a curve."""
        return self.rested_s is not None and self.rested_s < COOLS_S


SAME_A = 0.05
"""Amperes within such a share of each other are the same. Common practice, no source."""
COOLS_S, _MANY_TIMES = 15 * 60.0, 2.0
"""After so long one that has opened is cold again; warm it opens so many times sooner, and more. Common practice, no source."""


@dataclass(frozen=True)
class CurvePoint:
    """At ``multiple`` times its rating it opens between ``fastest_s`` and ``slowest_s`` (infinite: it may hold for ever)."""

    multiple: float
    fastest_s: float
    slowest_s: float


def parse_curve(text: str) -> tuple[CurvePoint, ...]:
    """Read a time-current curve as its points: ``1.05: over 1 h; 1.35: 60 s..30 min; 2: 4..60 s``.

    Raises
    ------
    QuantityError
        A point that is not understood; says how to write it.
    """
    points = []
    for term in re.split(r"\s*;\s*", text.strip()) if text.strip() else ():
        match = re.fullmatch(rf"({NUMBER})\s*[x×]?\s*:\s*(.+)", term)
        if match is None:
            raise _not_read(term)
        multiple, rest = parse_number(match[1]), match[2].strip()
        if found := re.fullmatch(rf"(over|>|under|<)\s*({NUMBER})\s*(ms|s|min|h)", rest):
            seconds = parse_number(found[2]) * _SECONDS[found[3]]
            points.append(CurvePoint(multiple, seconds, math.inf) if found[1] in {"over", ">"} else CurvePoint(multiple, 0.0, seconds))
        elif found := re.fullmatch(rf"({NUMBER})\s*(ms|s|min|h)?\s*\.\.\.?\s*({NUMBER})\s*(ms|s|min|h)", rest):
            low = parse_number(found[1]) * _SECONDS[found[2] or found[4]]
            high = parse_number(found[3]) * _SECONDS[found[4]]
            if not low < high:
                raise QuantityError(say("“{term}”: write the shorter time first.", term=term))
            points.append(CurvePoint(multiple, low, high))
        else:
            raise _not_read(term)
    return tuple(sorted(points, key=lambda p: p.multiple))


def _not_read(term: str) -> QuantityError:
    return QuantityError(say("“{term}” is no point of a curve: write it like “1.35: 60 s..30 min; 2: 4..60 s; 1.05: over 1 h”.", term=term))


def band_at(curve: tuple[CurvePoint, ...], multiple: float) -> tuple[float, float] | None:
    """(fastest, slowest) seconds between two points of the curve, straight on double-logarithmic paper; None outside it."""
    for point in curve:
        if abs(point.multiple - multiple) <= 0.01 * multiple:
            return point.fastest_s, point.slowest_s
    for one, other in itertools.pairwise(curve):
        if one.multiple < multiple < other.multiple:
            share = math.log(multiple / one.multiple) / math.log(other.multiple / one.multiple)
            return _between(one.fastest_s, other.fastest_s, share), _between(one.slowest_s, other.slowest_s, share)
    return None


def _between(one: float, other: float, share: float) -> float:
    if not math.isfinite(one) or not math.isfinite(other):
        return math.inf
    return math.exp((1 - share) * math.log(max(one, 1e-3)) + share * math.log(max(other, 1e-3)))


def trip_findings(
    steps: list[Overload], rated_a: float, curve: tuple[CurvePoint, ...] = (), current: Accuracy | None = None, timing_s: float = 0.5
) -> tuple[dict[str, Finding], str, list[str]]:
    """Findings, one sentence, warnings.

    Parameters
    ----------
    rated_a : of the breaker or protection
    timing_s : half of what lies between two looks at it

    Raises
    ------
    ReadingsError
        No step was taken.
    """
    if not steps:
        raise ReadingsError(say("No overload step was taken."))
    findings: dict[str, Finding] = {}
    warnings: list[str] = []
    outside = []
    for number, step in enumerate(steps, start=1):
        multiple = step.amps / rated_a
        where = f"At {show(step.amps, 3)} A ({plain(multiple, 3)} ×{say(', warm') if step.is_warm else ''})"
        key = f"opens_{number}"
        band = band_at(curve, multiple) if not step.is_warm else None
        if step.opened_s is None:
            findings[key] = Finding(key, f"{where}: held", step.held_s, "s", (), say("it did not open while it was watched"))
            if band is not None and step.held_s > band[1]:
                outside.append(
                    say(
                        "{where} it held for {held_s}, and the curve says it opens within {show_duration}.",
                        where=where,
                        held_s=show_duration(step.held_s),
                        show_duration=show_duration(band[1]),
                    )
                )
        else:
            after = step.opened_s + within(timing_s, words("between two looks"), "s", when=str(number), kind=ErrorKind.MOMENT)
            said = "" if band is None else f"curve: {_span(band)}"
            findings[key] = Finding.made(key, f"{where}: opens after", after, "s", said)
            if band is not None and step.opened_s + 2 * rectangular(timing_s) < band[0]:
                outside.append(
                    say(
                        "{where} it opened after {opened_s}, sooner than the {show_duration} of the curve.",
                        where=where,
                        opened_s=show_duration(step.opened_s),
                        show_duration=show_duration(band[0]),
                    )
                )
            elif band is not None and step.opened_s - 2 * rectangular(timing_s) > band[1]:
                outside.append(
                    say(
                        "{where} it opened after {opened_s}, later than the {show_duration} of the curve.",
                        where=where,
                        opened_s=show_duration(step.opened_s),
                        show_duration=show_duration(band[1]),
                    )
                )
    cold = [s for s in steps if not s.is_warm]
    held = [s.amps for s in cold if s.opened_s is None]
    opened = [s.amps for s in cold if s.opened_s is not None]
    if held and opened and max(held) < min(opened):
        low, high = max(held), min(opened)
        middle = as_read((low + high) / 2, current) + within((high - low) / 2, words("bracket"), "A")
        findings["trip_current"] = Finding.made(
            "trip_current", "Opens from", middle, "A", say("held {low} A, opened at {high} A", low=show(low, 3), high=show(high, 3))
        )
    inrush = [s.inrush_a for s in steps if s.inrush_a is not None]
    if inrush:
        findings["inrush"] = Finding(
            "inrush", say("Inrush on reset"), max(inrush), "A", (), f"{plain(max(inrush) / rated_a, 3)} × its rating"
        )
        warnings.append(say("Reset it only with the load off: the inrush into a load that is still on can trip the next device."))
    warnings = [*outside, *warnings]
    warnings += _of_warm_ones(steps)
    quick = [s for s in cold if s.opened_s is not None and s.amps < 0.99 * rated_a]
    if quick:
        warnings.insert(
            0,
            say(
                "It opened at {amps} A, under its rating of {rated_a} A: warm, worn, or the wrong one.",
                amps=show(quick[0].amps, 3),
                rated_a=show(rated_a, 3),
            ),
        )
    if not opened:
        sentence = say(
            "It held {show} A ({plain} × its rating) for as long as it was watched.",
            show=show(max(held), 3),
            plain=plain(max(held) / rated_a, 3),
        )
    else:
        fastest = min((s for s in cold if s.opened_s is not None), key=lambda s: s.amps)
        sentence = say(
            "Opens at {amps} A ({plain} ×) after {show_duration}",
            amps=show(fastest.amps, 3),
            plain=plain(fastest.amps / rated_a, 3),
            show_duration=show_duration(fastest.opened_s or 0.0),
        )
        sentence += say("; not as its curve says.") if outside or (quick and curve) else say("; within its curve.") if curve else "."
    return findings, sentence, warnings


def _of_warm_ones(steps: list[Overload]) -> list[str]:
    """That one was warm, and how much sooner it opened for that."""
    said = []
    for number, step in enumerate(steps):
        if not step.is_warm:
            continue
        before = next((s for s in steps[:number] if s.opened_s and not s.is_warm and abs(s.amps / step.amps - 1) < SAME_A), None)
        many = before.opened_s / step.opened_s if before is not None and before.opened_s and step.opened_s else 0.0
        rested = show_duration(step.rested_s or 0.0)
        if many >= _MANY_TIMES:
            text = words(
                "At {amps} A it opened {many} times as soon as cold, {rested} after it had opened: it was warm. That is no contradiction, and no second test: leave it 15 min. Each trip wears it."
            )
            said.append(say(text, amps=show(step.amps, 3), many=show(many, 2), rested=rested))
        else:
            text = words(
                "At {amps} A it was warm, {rested} after it had opened: it opens sooner then. Leave it 15 min; each trip wears it."
            )
            said.append(say(text, amps=show(step.amps, 3), rested=rested))
    return said


def _span(band: tuple[float, float]) -> str:
    return f"over {show_duration(band[0])}" if math.isinf(band[1]) else f"{show_duration(band[0])} to {show_duration(band[1])}"
