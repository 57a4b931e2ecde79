"""The difference of two findings with its own ±: what one meter is wrong by in both drops out of it, what differs does not."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ubrant.core.quantities.quantity import show
from ubrant.core.uncertainty.decision import COMMON_DOF, decided
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.sources import ErrorKind
from ubrant.core.uncertainty.value import Value, as_of_run, scattered
from ubrant.core.wording import say, words

A_YEAR_S = 365.25 * 86400.0
"""After so long a meter has drifted, and nothing cancels. Common practice, no source."""


@dataclass(frozen=True)
class Shared:
    """What two runs have in common: the same meters at the same places and ranges; and their zeros, where they were not zeroed between."""

    meters: bool = False
    zeros: bool = False


@dataclass(frozen=True)
class Difference:
    """Other less one, and other over one in percent; whether they can be told apart, and the ± of each alone."""

    difference: Finding
    share: Finding | None
    apart: bool | None
    alone: tuple[float | None, float | None]
    cancels: bool
    within_repeat: bool = False
    alone_text: str = ""


def difference_of(one: Finding, other: Finding, shared: Shared, repeat: float = 0.0) -> Difference | None:
    """``other`` held against ``one``; None where either has no value, or they are not of one kind.

    Parameters
    ----------
    repeat : relative standard uncertainty with which the same thing gives the same again: within it they are not told apart
    """
    if one.value is None or other.value is None or one.unit != other.unit or one.bound or other.bound:
        return None
    if one.unit == "s":
        one, other = (f.in_unit("min", 1 / 60) for f in (one, other))
    assert one.value is not None
    assert other.value is not None
    first = as_of_run(one.known, say("of the first"), meters=shared.meters, zeros=shared.zeros)
    second = as_of_run(other.known, say("of the second"), meters=shared.meters, zeros=shared.zeros)
    value = second - first
    working = f"{show(other.value)} − {show(one.value)} {one.unit}"
    sides = (other.sides[0] + one.sides[1], other.sides[1] + one.sides[0])
    found = Finding.made("difference", one.name, value, one.unit, working, sides=sides)
    share = None
    if one.value > 0 and not any(sides):
        share = Finding.made("share", one.name, 100 * second / first, "%", f"{show(other.value)} ÷ {show(one.value)}")
    cancels = value.u is not None and _would_be(one, other) > 1.02 * value.u
    span = found.span
    apart = None if span is None else not span[0] <= 0 <= span[1]
    again = Finding.made(
        "difference", one.name, value + _again(repeat, one.value, "one") + _again(repeat, other.value, "other"), one.unit, ""
    )
    within = bool(apart) and repeat > 0 and not decided(again, 0.0)
    texts = " · ".join(f.uncertainty_text() or f.value_text() for f in (one, other))
    both = one.expanded_uncertainty, other.expanded_uncertainty
    return Difference(found, share, False if within else apart, both, cancels, within, texts)


def _again(repeat: float, value: float, when: str) -> Value:
    """What it gives from one run to the next. A value around 0."""
    return scattered(repeat * abs(value), words("what it gives from one run to the next"), COMMON_DOF, when=when, kind=ErrorKind.REPEAT)


def _would_be(one: Finding, other: Finding) -> float:
    return math.hypot(one.standard_uncertainty or 0.0, other.standard_uncertainty or 0.0)


def would_settle(found: Difference, shared: Shared, differs: tuple[str, ...]) -> str:
    """What would tell them apart, where nothing does yet."""
    if found.apart is not False:
        return ""
    if found.within_repeat:
        return say("Each once or twice more would tell: what it differs by from one time to the next would average away.")
    if not shared.meters:
        return say("One meter for both would narrow it: its errors drop out of the difference.")
    if differs:
        return say("They were not made alike ({what}): the same again alike would tell.", what=", ".join(differs))
    u = found.difference.expanded_uncertainty or 0.0
    return say("A meter that is better than {u} {unit} would tell, or there is nothing to tell.", u=show(u, 2), unit=found.difference.unit)
