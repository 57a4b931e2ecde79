"""What gives up first: the limits of battery, leads, fuse, breaker and converter in one lead, laid over each other as time over current."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ubrant.core.conversion.protection import CurvePoint, Overload, band_at
from ubrant.core.drawings import DASHED, PLANNED, TAKEN, Area, Curve, Dots, Layer, Plot
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.quantities.readings import Array
from ubrant.core.wording import say, words

_H = 3600.0
USUAL_CURVES: dict[str, tuple[CurvePoint, ...]] = {
    "fuse": (
        CurvePoint(1.1, 100 * _H, math.inf),
        CurvePoint(1.35, 0.75, 600.0),
        CurvePoint(1.6, 0.25, 50.0),
        CurvePoint(2.0, 0.15, 5.0),
        CurvePoint(3.5, 0.04, 0.5),
        CurvePoint(6.0, 0.02, 0.1),
    ),
    "breaker": (
        CurvePoint(1.13, _H, math.inf),
        CurvePoint(1.45, 1.0, _H),
        CurvePoint(2.55, 1.0, 60.0),
        CurvePoint(5.0, 0.1, 15.0),
        CurvePoint(10.0, 0.001, 0.1),
    ),
}
"""Blade fuses: ISO 8820-3; breakers of type C up to 32 A: IEC 60898-1, table 7. Both from memory; between 1.45 and 1.13 times a breaker's time is open."""
CURVE_OF = {"fuse": words("a blade fuse by ISO 8820-3"), "breaker": words("a breaker of type C by IEC 60898-1")}
_SHORTEST_S, _LONGEST_S = 0.1, 36_000.0
_ROUND_S = (0.1, 1.0, 10.0, 60.0, 600.0, 3600.0, 36_000.0)
_BEYOND, _SOON_MET = 1.3, 1.5


@dataclass(frozen=True)
class LeadLimit:
    """One thing in the lead: how it is called, the amperes there that it is made for, and what it is: *fuse*, *breaker*, or another."""

    name: str
    amps: float
    kind: str = ""

    def opens_within(self, amps: float) -> tuple[float, float] | None:
        """(soonest, latest) seconds by the usual curve of its kind; None under it, and for what has none."""
        curve = USUAL_CURVES.get(self.kind)
        if curve is None or amps < curve[0].multiple * self.amps:
            return None
        return band_at(curve, min(amps / self.amps, curve[-1].multiple))


def met(limits: Sequence[LeadLimit], amps: float) -> list[LeadLimit]:
    """Those that a rising current passes until it is so much, the first first."""
    return sorted((one for one in limits if one.amps <= amps), key=lambda one: one.amps)


def order_foretold(limits: Sequence[LeadLimit], amps: float, w_per_a: float) -> str:
    """In which order they are met, and how soon what melts or opens does so at so much; empty where none is met.

    Parameters
    ----------
    amps : the most that is planned; what is met by half as much again is told as well
    w_per_a : watts at the output for an ampere in the lead
    """
    order = met(limits, _SOON_MET * amps)
    if len(limits) < 2 or not order:
        return ""
    told = ", ".join(say("{name} at about {w} W", name=one.name, w=show(one.amps * w_per_a, 2)) for one in order)
    text = say("What gives up first as the load rises: {in_order}.", in_order=told)
    for one in order:
        if (within := one.opens_within(amps)) is not None and math.isfinite(within[1]):
            more = words("At about {a} A in the lead, {name} opens after {soonest} to {latest}, as is usual for {kind}.")
            times = {"soonest": show_duration(within[0]), "latest": show_duration(within[1])}
            text += " " + say(more, a=show(amps, 2), name=one.name, **times, kind=say(CURVE_OF[one.kind]))
    return text


def against_foretold(limits: Sequence[LeadLimit], amps: float, kind: str, what: str) -> str:
    """That something else gave up than the labels foretold, in a sentence; empty where it did as foretold, or nothing was.

    Parameters
    ----------
    amps : that flowed when it went off
    kind, what : of what gave up, and how it is called
    """
    order = met(limits, amps)
    if not kind or not order or order[0].kind == kind:
        return ""
    text = words("By the labels {name} would give up first, from {a} A on: it carried {b} A, and {what} gave up.")
    return say(text, name=order[0].name, a=show(order[0].amps, 2), b=show(amps, 3), what=what)


def kind_of(label: str) -> str:
    """*breaker* or *fuse* by what a label says; empty for what has no usual curve."""
    return next((kind for kind in USUAL_CURVES if kind in label.lower()), "")


def beside_usual(steps: Sequence[Overload], rated_a: float, kind: str) -> list[str]:
    """Where one that was cold opened sooner or later than is usual for its kind: a remark, as that is not its maker's curve."""
    said = []
    for step in steps:
        band = LeadLimit("", rated_a, kind).opens_within(step.amps)
        lasted = step.opened_s if step.opened_s is not None else step.held_s
        if step.is_warm or band is None or (step.opened_s is None and lasted <= band[1]) or band[0] <= lasted <= band[1]:
            continue
        text = words("At {amps} A it opened after {time}; {kind} usually takes {soonest} to {latest}.")
        if step.opened_s is None:
            text = words("At {amps} A it held for {time}; {kind} has usually opened between {soonest} and {latest}.")
        times = {"time": show_duration(lasted), "soonest": show_duration(band[0]), "latest": show_duration(band[1])}
        said.append(say(text, amps=show(step.amps, 3), kind=say(CURVE_OF[kind]), **times))
    return said


def limits_plot(limits: Sequence[LeadLimit], planned_a: Sequence[float], ended: tuple[float, float | None] | None = None) -> Plot:
    """Time over current: a line where something is made for so much, a band where it opens after a while; what is planned, and where it went off.

    Parameters
    ----------
    planned_a : amperes of the steps
    ended : amperes, and seconds that they were held, None where nobody knows; None where it did not go off
    """
    most = _BEYOND * max([*planned_a, *(one.amps for one in limits), *([ended[0]] if ended else [])], default=1.0)
    low, high = math.log10(_SHORTEST_S), math.log10(_LONGEST_S)
    layers: list[Layer] = []
    for place, one in enumerate(limits):
        curve = USUAL_CURVES.get(one.kind, ())
        until = min(most / one.amps, curve[-1].multiple) if curve else 0.0
        multiples = [p.multiple for p in curve if p.multiple < until] + [until]
        if len(multiples) > 1:
            bands = [band_at(curve, multiple) or (_LONGEST_S, _LONGEST_S) for multiple in multiples]
            x, fast, slow = one.amps * np.array(multiples), _logs([band[0] for band in bands]), _logs([band[1] for band in bands])
            layers += [Area(x, fast, slow, "good", place % 3), Curve(x, slow, "good", DASHED, one.name)]
        else:
            named_at = low + (high - low) * (0.08 + 0.16 * (place % 3))  # one beside the other they do not lie over each other
            layers.append(Curve(np.full(3, one.amps), np.array([high, low, named_at]), "caution", DASHED, one.name))
    if len(planned_a):
        at = np.array(planned_a, float)
        layers.append(Dots(at, np.full(len(at), low), (PLANNED,) * len(at)))
    if ended is not None and ended[1] is not None:
        layers.append(Dots(np.array([ended[0]]), _logs([ended[1]]), (TAKEN,), ringed=0))
    elif ended is not None:
        layers.append(Curve(np.full(3, ended[0]), np.array([low, high, (low + high) / 2]), "bad", label=say("went off")))
    along = say("A in the battery's lead     ○ steps") if len(planned_a) else say("A in the battery's lead")
    marks = tuple((math.log10(s), show_duration(s)) for s in _ROUND_S)
    told = ", ".join(say("{name} {a} A", name=one.name, a=plain(one.amps, 3)) for one in limits)
    return Plot(say("What gives up first"), along, say("time"), (0.0, most), (low, high), tuple(layers), told, marks)


def _logs(seconds: Sequence[float]) -> Array:
    logs: Array = np.log10(np.clip(np.array(seconds, float), _SHORTEST_S, _LONGEST_S))
    return logs
