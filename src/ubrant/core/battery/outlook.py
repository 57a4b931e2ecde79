"""The first answer to "how long will it run": usable energy over what is drawn, with a band and its working.

P_source = P_load ÷ η + p_idle, where η excludes the idle draw; t = usable Wh ÷ (P_source − P_in), P_in at the source. Where as much
comes in as goes out it runs for as long as one likes. Turned round: watt-hours to buy for so many hours.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, replace

from ubrant.core.quantities.quantity import NUMBER, QuantityError, parse_quantity, plain, show, show_duration, show_with
from ubrant.core.uncertainty.contributions import COVERAGE, Contribution, Contributions, combined, merged, rectangular
from ubrant.core.wording import say

LABEL_HALF_WIDTH = 0.10
"""A label used as a value has this stated doubt: half-width, rectangular."""
_ABOUT = 0.10


@dataclass(frozen=True)
class Width:
    """A value and the rectangular half-width it may lie within, both in one unit."""

    value: float
    half: float = 0.0

    @property
    def u(self) -> float:
        return rectangular(self.half)


def parse_width(text: str, unit: str) -> Width:
    """Read ``45 W``, ``45 ± 3 W``, ``40..50 W``, ``~45 W`` (± 10 %).

    Raises
    ------
    QuantityError
        Not understood; says how to write it.
    """
    text = text.strip()
    if match := re.fullmatch(rf"({NUMBER})\s*(?:\.\.|…|–|to)\s*({NUMBER})\s*(\D*)", text):
        low, high = (parse_quantity(f"{part} {match[3]}".strip(), unit) for part in (match[1], match[2]))
        if high < low:
            raise QuantityError(say("“{what}”: the smaller value comes first, like “40..50 {unit}”.", what=text, unit=unit))
        return Width((low + high) / 2, (high - low) / 2)
    if match := re.fullmatch(rf"({NUMBER})\s*(?:±|\+/-|\+-)\s*({NUMBER})\s*(\D*)", text):
        value, half = (parse_quantity(f"{part} {match[3]}".strip(), unit) for part in (match[1], match[2]))
        return Width(value, abs(half))
    if text.startswith("~"):
        value = parse_quantity(text[1:], unit)
        return Width(value, abs(value) * _ABOUT)
    return Width(parse_quantity(text, unit))


@dataclass(frozen=True)
class Outlook:
    """What goes into a prediction.

    Attributes
    ----------
    energy_wh, energy_u : of the source, with its standard uncertainty; energy_from says where it comes from
    kept_back : share of the energy (0 to 1) that stays in; kept_back_wh instead where a task must still be done with it
    load_w, efficiency (0 to 1), idle_w, input_w : with their widths
    bought_share : what a unit like this gives of its label's Wh, measured; 1 where nothing was
    """

    energy_wh: float
    energy_u: float
    energy_from: str
    load_w: Width
    efficiency: Width = Width(1.0)
    idle_w: Width = Width(0.0)
    input_w: Width = Width(0.0)
    kept_back: float = 0.0
    kept_back_wh: float = 0.0
    bought_share: float = 1.0

    @property
    def usable_wh(self) -> float:
        return max(0.0, self.energy_wh * (1 - self.kept_back) - self.kept_back_wh)

    @property
    def stays_wh(self) -> float:
        """What is kept back."""
        return self.energy_wh - self.usable_wh

    @property
    def source_w(self) -> float:
        """What leaves the source."""
        return self.load_w.value / self.efficiency.value + self.idle_w.value

    @property
    def drain_w(self) -> float:
        """What leaves it more than comes in."""
        return self.source_w - self.input_w.value


@dataclass(frozen=True)
class Answer:
    """A predicted figure: hours or Wh, with its contributions; None means without end. ``working`` is the sum with its numbers."""

    value: float | None
    unit: str
    contributions: Contributions
    working: tuple[str, ...]

    @property
    def expanded_uncertainty(self) -> float:
        return COVERAGE * combined(self.contributions)

    @property
    def low(self) -> float:
        return max(0.0, (self.value or 0.0) - self.expanded_uncertainty)

    @property
    def high(self) -> float:
        return (self.value or 0.0) + self.expanded_uncertainty


def require_sound(outlook: Outlook) -> None:
    """Raise with a sentence when a value cannot be.

    Raises
    ------
    QuantityError
        Negative watts, an efficiency outside 0 to 100 %, nothing drawn, more kept back than there is.
    """
    if not 0 < outlook.efficiency.value <= 1:
        raise QuantityError(say("An efficiency lies above 0 and up to 100 %."))
    for name, width in (("load", outlook.load_w), ("idle draw", outlook.idle_w), ("input", outlook.input_w)):
        if width.value < 0:
            raise QuantityError(say("A {name} of {value} W cannot be: give it as 0 W or more.", name=name, value=plain(width.value)))
    if not outlook.source_w > 0:
        raise QuantityError(say("Nothing is drawn: give the load in watts."))
    if not outlook.usable_wh > 0:
        raise QuantityError(say("Nothing is left to use: keep less back."))


def runtime(outlook: Outlook) -> Answer:
    """Hours until the usable energy is gone.

    Raises
    ------
    QuantityError
        See :func:`require_sound`.
    """
    require_sound(outlook)
    drain, usable = outlook.drain_w, outlook.usable_wh
    lines = _drain_lines(outlook)
    if drain <= 0:
        more = say(
            "{value} W come in, {source_w} W go out: it runs for as long as they do.",
            value=show(outlook.input_w.value, 3),
            source_w=show(outlook.source_w, 3),
        )
        return Answer(None, "h", (), (*lines, more))
    hours = usable / drain
    parts = [
        Contribution(
            "energy", outlook.energy_u * (1 - outlook.kept_back) / drain, f"{outlook.energy_from}, ± {show(2 * outlook.energy_u, 2)} Wh"
        )
    ]
    parts += [part.times(-hours / drain) for part in _drain_parts(outlook)]
    lines += (f"{show(usable, 4)} Wh ÷ {show(drain, 4)} W = {show(hours, 4)} h",)
    return Answer(hours, "h", merged(parts), lines)


def to_buy(outlook: Outlook, hours: float) -> Answer:
    """Watt-hours on a label for so many hours, with what is kept back, and what such a unit gives of its label.

    Raises
    ------
    QuantityError
        See :func:`require_sound`; or no hours.
    """
    require_sound(replace(outlook, energy_wh=max(outlook.energy_wh, 1.0 + outlook.kept_back_wh / max(1e-9, 1 - outlook.kept_back))))
    if not hours > 0:
        raise QuantityError(say("Say for how many hours, like “5 h”."))
    drain = outlook.drain_w
    if drain <= 0:
        return Answer(0.0, "Wh", (), (say("More comes in than goes out: a small one that bridges the gaps will do."),))
    gives = (1 - outlook.kept_back) * outlook.bought_share
    needed = (hours * drain + outlook.kept_back_wh) / gives
    share_u = outlook.energy_u / outlook.energy_wh if outlook.energy_wh else 0.0
    parts = [part.times(hours / gives) for part in _drain_parts(outlook)]
    parts.append(Contribution("share of the label", needed * share_u, "what such a unit gives"))
    reserve = f" + {show(outlook.kept_back_wh, 3)} Wh" if outlook.kept_back_wh else ""
    factors = [say("{plain} not kept back", plain=plain(1 - outlook.kept_back, 3))] if outlook.kept_back else []
    factors += (
        [say("{bought_share} of a label's Wh, as measured", bought_share=plain(outlook.bought_share, 3))]
        if outlook.bought_share != 1
        else []
    )
    divided = f" ÷ ({' × '.join(factors)})" if factors else ""
    return Answer(
        needed,
        "Wh",
        merged(parts),
        (*_drain_lines(outlook), f"({show(hours, 3)} h × {show(drain, 4)} W{reserve}){divided} = {show(needed, 4)} Wh"),
    )


def _drain_lines(outlook: Outlook) -> tuple[str, ...]:
    source = f"{show(outlook.load_w.value, 3)} W"
    if outlook.efficiency.value != 1:
        source += f" ÷ {plain(outlook.efficiency.value, 3)}"
    if outlook.idle_w.value:
        source += f" + {show(outlook.idle_w.value, 3)} W idle"
    lines = (
        [say("{source} = {source_w} W out of the source", source=source, source_w=show(outlook.source_w, 4))]
        if source.count(" ") > 1
        else [say("{source} out of the source", source=source)]
    )
    if outlook.input_w.value:
        lines.append(f"{show(outlook.source_w, 4)} W − {show(outlook.input_w.value, 3)} W coming in = {show(outlook.drain_w, 4)} W")
    if outlook.kept_back or outlook.kept_back_wh:
        lines.append(
            say(
                "{energy_wh} Wh less what is kept back = {usable_wh} Wh",
                energy_wh=show(outlook.energy_wh, 4),
                usable_wh=show(outlook.usable_wh, 4),
            )
        )
    return tuple(lines)


def _drain_parts(outlook: Outlook) -> list[Contribution]:
    """What the drain may be off by, in W."""
    eta = outlook.efficiency
    return [
        Contribution("load", outlook.load_w.u / eta.value, f"± {show(outlook.load_w.half, 2)} W"),
        Contribution("efficiency", -outlook.load_w.value / eta.value**2 * eta.u, f"± {show(100 * eta.half, 2)} points"),
        Contribution("idle draw", outlook.idle_w.u, f"± {show(outlook.idle_w.half, 2)} W"),
        Contribution("input", -outlook.input_w.u, f"± {show(outlook.input_w.half, 2)} W"),
    ]


def sentence(answer: Answer) -> str:
    """The answer as one would say it."""
    if answer.value is None:
        return say("Runs on for as long as the input lasts.")
    if answer.unit == "h":
        text = say("Runs for about {show_duration}", show_duration=show_duration(answer.value * 3600))
        return (
            say(
                "{what}, somewhere from {show_duration} to {show_duration_2}.",
                what=text,
                show_duration=show_duration(answer.low * 3600),
                show_duration_2=show_duration(answer.high * 3600),
            )
            if answer.expanded_uncertainty
            else f"{text}."
        )
    value, uncertainty = show_with(answer.value, answer.expanded_uncertainty or None)
    return say("Buy {value} Wh{value_2} or more.", value=value, value_2=f" ± {uncertainty}" if uncertainty else "")


def what_buys_time(outlook: Outlook) -> list[tuple[str, float]]:
    """Changes within reach and the hours each would add, the best first."""
    base = runtime(outlook).value
    if base is None:
        return []
    changes = [("Load 10 % smaller", replace(outlook, load_w=Width(outlook.load_w.value * 0.9)))]
    if outlook.efficiency.value < 1 or outlook.idle_w.value:
        changes.append(("Straight from the source, no converter", replace(outlook, efficiency=Width(1.0), idle_w=Width(0.0))))
    if outlook.idle_w.value:
        changes.append(("No idle draw", replace(outlook, idle_w=Width(0.0))))
    if outlook.kept_back or outlook.kept_back_wh:
        changes.append(("Nothing kept back", replace(outlook, kept_back=0.0, kept_back_wh=0.0)))
    changes.append(("20 W more coming in", replace(outlook, input_w=Width(outlook.input_w.value + 20.0))))
    gains = [(name, (runtime(changed).value or math.inf) - base) for name, changed in changes if changed.source_w > 0]
    return sorted((g for g in gains if g[1] > 1 / 60), key=lambda g: -g[1])


def left_over_time(outlook: Outlook, points: int = 60) -> tuple[list[float], list[float], list[float], list[float]]:
    """For drawing: hours, Wh left, and the band (k = 2) around it, until the latest end."""
    answer = runtime(outlook)
    end = answer.high if answer.value is not None else 24.0
    drain_u = combined(_drain_parts(outlook))
    hours = [end * k / (points - 1) for k in range(points)]
    left = [outlook.energy_wh - outlook.drain_w * h for h in hours]
    uncertainty = [COVERAGE * math.hypot(outlook.energy_u, drain_u * h) for h in hours]
    return hours, left, [a - d for a, d in zip(left, uncertainty, strict=True)], [a + d for a, d in zip(left, uncertainty, strict=True)]
