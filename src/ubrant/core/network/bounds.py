"""Between what something lies that nothing determines: the laws narrow every interval until none gives any more."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from ubrant.core.network.graph import Graph, Joint, Key, Stage
from ubrant.core.network.laws import LEAST_SHARE, can_turn, most_loss_w

Interval = tuple[float, float]
_ROUNDS, _LEAST_GAIN, _APART = 40, 1e-9, 1e-6


@dataclass
class Box:
    """By quantity its least and greatest value; and the first that would have to be over and under something at once: its key, at least, at most."""

    of: dict[Key, Interval]
    broken: tuple[Key, float, float] | None = None

    def __getitem__(self, key: Key) -> Interval:
        return self.of[key]

    def meet(self, key: Key, low: float, high: float) -> None:
        """Narrow one; what cannot be is left as it was, and said."""
        now = self.of[key]
        narrowed = max(now[0], low), min(now[1], high)
        if narrowed[0] <= narrowed[1]:
            self.of[key] = narrowed
        elif self.broken is None and narrowed[0] - narrowed[1] > _APART * max(abs(end) for end in narrowed):
            self.broken = (key, *narrowed)


def bounded(graph: Graph, known: Mapping[Key, Interval], held: Iterable[tuple[Key, Interval]] = ()) -> Box:
    """Every quantity's least and greatest value under laws, labels and usual limits; without end where nothing bounds it.

    Parameters
    ----------
    known : what was read, each with both of its limits of error
    held : between what something lies besides, such as by a label

    Notes
    -----
    Each law is applied by itself, over and over (hull consistency): the truth is never cut off, and one reading more never widens anything.
    """
    box = Box({key: _to_begin_with(key) for key in graph.every_key()})
    for key, between in (*known.items(), *held):
        box.meet(key, *between)
    for _ in range(_ROUNDS):
        before = dict(box.of)
        for edge in graph.edges:
            _power(box, edge, alternating=edge in graph.alternating)
        for joint in graph.joints:
            _currents(box, joint)
            _one_voltage(box, joint)
            _powers(box, joint)
        for stage in graph.stages:
            _loss(box, stage)
        if all(_alike(box[key], before[key]) for key in before):
            break
    return box


def _to_begin_with(key: Key) -> Interval:
    edge, quantity = key
    return (-math.inf, math.inf) if can_turn(edge) and quantity != "V" else (0.0, math.inf)


def _alike(one: Interval, other: Interval) -> bool:
    return all(a == b or abs(a - b) <= _LEAST_GAIN * min(abs(a), abs(b)) < math.inf for a, b in zip(one, other, strict=True))


def times(one: Interval, other: Interval) -> Interval:
    products = [0.0 if 0.0 in {a, b} else a * b for a in one for b in other]
    return min(products), max(products)


def over(one: Interval, other: Interval) -> Interval:
    """Quotient; without end where the divisor may be nothing."""
    low, high = other
    if low <= 0.0 <= high:
        if low == 0.0 and high > 0.0 and one[0] >= 0.0:
            return (one[0] / high if math.isfinite(high) else 0.0), math.inf
        return -math.inf, math.inf
    return times(one, (1 / high if math.isfinite(high) else 0.0, 1 / low if math.isfinite(low) else 0.0))


def _power(box: Box, edge: str, *, alternating: bool) -> None:
    volts, amps, watts = ((edge, quantity) for quantity in "VAW")
    product = times(box[volts], box[amps])
    if alternating:  # up to volts × amperes
        box.meet(watts, -math.inf, product[1])
        box.meet(amps, over(box[watts], box[volts])[0], math.inf)
        box.meet(volts, over(box[watts], box[amps])[0], math.inf)
        return
    box.meet(watts, *product)
    box.meet(amps, *over(box[watts], box[volts]))
    box.meet(volts, *over(box[watts], box[amps]))


def _currents(box: Box, joint: Joint) -> None:
    _balance(box, joint, "A", 0.0)


def _powers(box: Box, joint: Joint) -> None:
    """Watts balance like amperes, but for what leads drop of the one voltage."""
    _balance(box, joint, "W", joint.drop)


def _balance(box: Box, joint: Joint, quantity: str, drop: float) -> None:
    """What goes through each edge is what goes through the others, each of those more or less by a share."""
    signs = dict.fromkeys(joint.inward, 1.0) | dict.fromkeys(joint.outward, -1.0)
    for edge, sign in signs.items():
        low = high = 0.0
        for other, its in signs.items():
            if other != edge:
                a, b = sorted(-its * sign * end for end in times(box[other, quantity], (1 - drop, 1 + drop)))
                low, high = low + a, high + b
        if not (math.isnan(low) or math.isnan(high)):
            box.meet((edge, quantity), low, high)


def _one_voltage(box: Box, joint: Joint) -> None:
    for edge in joint.edges:
        for other in joint.edges:
            if other != edge:
                low, high = box[other, "V"]
                box.meet((edge, "V"), low * (1 - joint.drop), high * (1 + joint.drop))


def _loss(box: Box, stage: Stage) -> None:
    into, out = (stage.into, "W"), (stage.out, "W")
    box.meet(out, (box[into][0] - most_loss_w(stage)) * LEAST_SHARE, box[into][1])
    box.meet(into, box[out][0], box[out][1] / LEAST_SHARE + most_loss_w(stage))
