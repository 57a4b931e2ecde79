"""Slips that show in what a converter loses: more than it can carry off, or less than nothing."""

from __future__ import annotations

import math

import numpy as np

from ubrant.core.quantities.quantity import plain
from ubrant.core.quantities.readings import Array, ReadingsError
from ubrant.core.record.points import Mask, Points
from ubrant.core.wording import say

_WORST_SHARE, _LOADED_SHARE = 0.25, 0.05
"""From a twentieth of its rating on, a converter that works passes more than a quarter of what a linear regulator would. Common practice, no source."""
_THOUSAND = 100.0
"""From so many times more in than out on, milliamperes are likelier than a slipped digit."""


def without_lost(points: Points, rated_w: float | None, warnings: list[str]) -> Points:
    """Without those that would lose more than any such converter does: a thousand, or ten times too much was written.

    The worst that works is a linear regulator: rated output × (input V ÷ output V - 1) at its rating, efficiency output V ÷ input V. Common
    practice, no source.

    Raises
    ------
    ReadingsError
        Most of them are so, or fewer than two are left.
    """
    if not rated_w:
        return points
    ratio = np.divide(points.input_v, points.output_v, out=np.full(len(points), math.inf), where=points.output_v > 0)
    worst = np.maximum(ratio, 1.0)
    burnt = points.input_w - points.output_w > rated_w * worst
    wasted = (points.output_w > _LOADED_SHARE * rated_w) & (points.output_w < _WORST_SHARE * points.input_w / worst)
    lost = burnt | wasted
    if not lost.any():
        return points
    shown = _shown(points, lost, rated_w)
    if len(points) - int(lost.sum()) < 2 or lost.mean() > 0.5:
        raise ReadingsError(
            say(
                "{watts} W in and {out} W out: a converter rated {rated} W cannot lose so much. Look whether {slip}, and mend the input’s readings.",
                **shown,
            )
        )
    warnings.append(
        say(
            "At {count} of {all} points more is lost than a converter rated {rated} W can lose ({watts} W in, {out} W out): look whether {slip}. They were left out.",
            count=int(lost.sum()),
            all=len(points),
            **shown,
        )
    )
    return points.where(~lost)


def _shown(points: Points, lost: Mask, rated_w: float) -> dict[str, str]:
    """The worst of them, and the likeliest slip behind it."""
    worst = int(np.argmax(np.where(lost, points.input_w, -math.inf)))
    into, out = float(points.input_w[worst]), float(points.output_w[worst])
    slip = say("milliamperes stand there as amperes") if into > _THOUSAND * out else say("the input current is ten times too much")
    return {"watts": plain(into, 3), "out": plain(out, 3), "rated": plain(rated_w, 3), "slip": slip}


_BEYOND_SWAPPED = 20.0


def more_out_than_in(loaded: Points, above: int) -> str:
    """The likeliest slip behind it."""
    ratio = float(np.median(loaded.output_w / np.maximum(np.abs(loaded.input_w), 1e-12)))
    if ratio > _BEYOND_SWAPPED:
        return say(
            "{ratio} times as much comes out as goes in: is one of the currents in milliamperes? Mend its heading, or say “output current in mA” when it is brought in.",
            ratio=plain(ratio, 2),
        )
    return say(
        "More comes out than goes in at {above} of {loaded} points, {ratio} times as much: input and output look swapped, or one of the meters was on another range. Look at the columns and the meters.",
        above=above,
        loaded=len(loaded),
        ratio=plain(ratio, 3),
    )


_MORE_OUT, _GAINS, _FALLS = 1.2, 0.03, 0.15
"""From a fifth more out on losses do not fall; two meters' gains may be off by so much of what changed, and a loss by itself wanders by so much. Common practice, no source."""


def loses_less(input_w: Array, output_w: Array, off_w: Array) -> tuple[int, int] | None:
    """(heavier, lighter): two loads of which the heavier loses far less than the lighter; None where there are none.

    What a converter loses is an always-on, a proportional and a resistive part, none of which falls as its load rises.

    Parameters
    ----------
    input_w, output_w : (n,) W
    off_w : (n,) W by which digits may have spoilt each loss
    """
    loss = input_w - output_w
    rises = output_w[None, :] - output_w[:, None]  # (lighter, heavier), as all below
    heavier = output_w[None, :] > _MORE_OUT * output_w[:, None] + 0.02 * float(np.max(output_w, initial=0.0))
    changed = np.abs(input_w[None, :] - input_w[:, None]) + rises
    off = _GAINS * changed + _FALLS * np.abs(loss)[:, None] + off_w[:, None] + off_w[None, :]
    return first_pair(heavier & (loss[:, None] - loss[None, :] > off))


def first_pair(found: Mask) -> tuple[int, int] | None:
    """(heavier, lighter) of the first pair that is so, ``found`` being (lighter, heavier); None where none is."""
    at = np.argwhere(found)
    return (int(at[0][1]), int(at[0][0])) if len(at) else None
