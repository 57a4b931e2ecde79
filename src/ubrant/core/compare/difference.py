"""The difference of two findings with its own ±: what one meter is wrong by in both drops out of it, what differs does not."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, replace

from ubrant.core.quantities.quantity import show
from ubrant.core.uncertainty.contributions import COVERAGE, LINEARITY, Contribution, Contributions, combined, coverage, merged
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say

A_YEAR_S = 365.25 * 86400.0
"""After so long a meter has drifted, and nothing cancels. Common practice, no source."""
_GAIN, _ZERO = re.compile(r"\bgain\b"), re.compile(r"\bzero\b")


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
    value = other.value - one.value
    known = one.contributions is not None and other.contributions is not None
    parts = _of_both(one.contributions or (), other.contributions or (), shared, 1.0, -1.0) if known else None
    working = f"{show(other.value)} − {show(one.value)} {one.unit}"
    sides = (other.sides[0] + one.sides[1], other.sides[1] + one.sides[0])
    found = Finding("difference", one.name, value, one.unit, parts, working, sides=sides)
    share = None
    if one.value > 0 and not any(sides):
        of_share = (
            _of_both(one.contributions or (), other.contributions or (), shared, 100 / one.value, -100 * other.value / one.value**2)
            if known
            else None
        )
        share = Finding("share", one.name, 100 * other.value / one.value, "%", of_share, f"{show(other.value)} ÷ {show(one.value)}")
    cancels = parts is not None and _would_be(one, other) > 1.02 * combined(parts)
    span = found.span
    apart = None if span is None else not span[0] <= 0 <= span[1]
    room = math.hypot(found.expanded_uncertainty or 0.0, COVERAGE * repeat * math.hypot(one.value, other.value))
    within = bool(apart) and abs(value) <= room
    texts = " · ".join(f.uncertainty_text() or f.value_text() for f in (one, other))
    both = one.expanded_uncertainty, other.expanded_uncertainty
    return Difference(found, share, False if within else apart, both, cancels, within, texts)


def _would_be(one: Finding, other: Finding) -> float:
    return float((combined(one.contributions or ()) ** 2 + combined(other.contributions or ()) ** 2) ** 0.5)


def _of_both(one: Contributions, other: Contributions, shared: Shared, of_other: float, of_one: float) -> Contributions:
    """Contributions of ``of_other``·other + ``of_one``·one; what is shared keeps one name, less a quarter of a gain that is not the same."""
    parts: list[Contribution] = []
    for parts_of, factor, whose in ((other, of_other, say("of the second")), (one, of_one, say("of the first"))):
        for part in parts_of:
            scaled = part.times(factor)
            if shared.meters and _GAIN.search(part.source):
                parts.append(scaled)
                parts.append(Contribution(f"{part.source}, {say('not linear')} {whose}", LINEARITY * scaled.amount))
            elif shared.meters and shared.zeros and _ZERO.search(part.source):
                parts.append(scaled)
            else:
                parts.append(replace(scaled, source=f"{part.source} {whose}"))
    return merged(parts)


def settle(found: Difference, shared: Shared, differs: tuple[str, ...]) -> str:
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


def expanded(parts: Contributions) -> float:
    """U of contributions."""
    return coverage(parts) * combined(parts)
