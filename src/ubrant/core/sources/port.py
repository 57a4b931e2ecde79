"""An input port: its window, the law learned from points (which limit holds where), and what each source would give it."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import QuantityError, parse_number, plain, show
from ubrant.core.quantities.readings import Array, LackingError, ReadingsError
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.sources import ErrorKind
from ubrant.core.uncertainty.value import Value, as_read, digit, mean_of, rectangular, within
from ubrant.core.wording import say, words

ALIKE = 0.03
"""Two currents, or two powers, within this share of each other are one limit. Common practice, no source."""
_ABSURD = 4.0
APART = 0.1
"""Voltages have to be this share apart for a limit to show itself."""
_N = r"\d+(?:[.,]\d+)?"
_SPAN = rf"({_N})\s*V?\s*(?:-|–|to|\.\.)\s*({_N})\s*V\b"
CURRENT, POWER, NEITHER = "current limit", "power limit", "neither"


@dataclass(frozen=True)
class PortLabel:
    """What is printed at the port; None for what is not."""

    window: tuple[float, float] | None = None
    amps: float | None = None
    watts: float | None = None


@dataclass(frozen=True)
class PortSource:
    """A source for it, with its lowest loaded and its highest volts: full charge, a cold panel."""

    name: str
    low_v: float
    high_v: float


def read_port(text: str) -> PortLabel:
    """``input 12-60 V 10 A 200 W``; what stands behind *input* or *in*, where that word is there."""
    part = re.split(r"\b(?:input|in|solar|dc in)\b", text, flags=re.I)[-1]
    part = re.split(r"\b(?:output|out)\b", part, flags=re.I)[0]
    span = re.search(_SPAN, part)
    amps, watts = re.search(rf"({_N})\s*A\b(?!h)", part), re.search(rf"({_N})\s*W\b(?!h)", part)
    window = (parse_number(span[1]), parse_number(span[2])) if span else None
    return PortLabel(
        window if window is None or window[0] < window[1] else None,
        parse_number(amps[1]) if amps else None,
        parse_number(watts[1]) if watts else None,
    )


def read_candidates(text: str) -> tuple[PortSource, ...]:
    """``pack 10.8-14.6 V; panel 16-24 V``.

    Raises
    ------
    QuantityError
        One has no span of volts.
    """
    found: list[PortSource] = []
    for part in filter(None, (p.strip() for p in text.split(";"))):
        match = re.fullmatch(rf"(.*?)[\s,:]*{_SPAN}\s*", part)
        if match is None or not parse_number(match[2]) <= parse_number(match[3]):
            raise QuantityError(
                say("“{part}” has no span of volts: write its lowest under load and its highest, like “pack 10.8-14.6 V”.", part=part)
            )
        found.append(PortSource(match[1].strip() or say("source {n}", n=len(found) + 1), parse_number(match[2]), parse_number(match[3])))
    return tuple(found)


@dataclass(frozen=True)
class Port:
    """What points at a port say.

    Attributes
    ----------
    findings : by key
    states : which limit holds at each point
    amps, watts : the limits that the law is made of: learned, else the label's; None for none
    warnings : sentences
    took : W by the name of a source in lower case, the most where it was tried more than once
    """

    findings: Mapping[str, Finding]
    states: tuple[str, ...]
    amps: float | None
    watts: float | None
    warnings: tuple[str, ...]
    took: Mapping[str, float] = field(default_factory=dict)


def analyse_port(
    volts: Array,
    amps: Array,
    names: Sequence[str],
    voltage: Accuracy | None,
    current: Accuracy | None,
    half: Mapping[str, Array],
    label: PortLabel,
) -> Port:
    """Findings of a port.

    Raises
    ------
    ReadingsError
        No point with volts and amperes.
    """
    good = np.flatnonzero(np.isfinite(volts) & np.isfinite(amps))
    if not len(good):
        raise LackingError(say("No point was taken yet: type volts and amperes at the input, like “input 13.2 V 8.1 A”."))
    volts, amps = volts[good], amps[good]
    half = {key: column[good] for key, column in half.items()}
    absurd = label.amps * _ABSURD if label.amps else _ABSURD * 5 * float(np.median(np.abs(amps)))
    if (np.abs(amps) > absurd).any() and absurd > 0:
        worst = float(amps[int(np.argmax(np.abs(amps)))])
        raise ReadingsError(say("{a} A cannot be at this port: amperes for milliamperes, or a digit that slipped.", a=show(worst)))
    if (amps < 0).all():
        raise ReadingsError(say("The current flows out of the port: the clamp is on backwards, or this is an output."))
    watts = volts * amps
    findings: dict[str, Finding] = {}
    said: list[str] = []
    names_at = np.array([names[place].strip(' "').lower() for place in good.tolist()])
    for k, place in enumerate(good.tolist(), start=1):
        name = names[place] or say("at {v} V", v=show(float(volts[k - 1]), 3))
        power = _power(float(volts[k - 1]), float(amps[k - 1]), voltage, current, half, k - 1)
        working = f"{show(float(volts[k - 1]))} V × {show(float(amps[k - 1]))} A"
        findings[f"port_power_{k}"] = Finding.made(f"port_power_{k}", say("It takes, {name}", name=name), power, "W", working)
    amps_at, watts_at = _limit(volts, amps), _limit(volts, watts)
    if amps_at is not None and watts_at is not None and set(amps_at) == set(watts_at):
        watts_at = None
    for at, column, key, title, unit in (
        (amps_at, amps, "current_limit", say("Current limit"), "A"),
        (watts_at, watts, "power_limit", say("Power limit"), "W"),
    ):
        if at is None:
            continue
        each = [as_read(float(amps[k]), current) * (as_read(float(volts[k]), voltage) if unit == "W" else 1.0) for k in at]
        apart = within(float(np.ptp(column[at])) / 2, words("between the points"), unit, when=title, kind=ErrorKind.BETWEEN)
        working = say("the same at {a} and {b} V", a=show(float(volts[at].min()), 3), b=show(float(volts[at].max()), 3))
        findings[key] = Finding.made(key, title, mean_of(each) + apart, unit, working)
    learned_a = findings["current_limit"].value if "current_limit" in findings else None
    learned_w = findings["power_limit"].value if "power_limit" in findings else None
    states = tuple(_state(float(a), float(w), learned_a, learned_w) for a, w in zip(amps, watts, strict=True))
    if learned_a is not None and learned_w is not None and learned_a > 0:
        findings["crossover"] = Finding(
            "crossover", say("Power limits from"), learned_w / learned_a, "V", None, say("power limit ÷ current limit")
        )
    if learned_a is None and learned_w is None:
        said.append(
            say("No limit has shown itself: the same amperes, or the same watts, at two voltages that lie a tenth apart would be one.")
        )
    free = sum(1 for state, a in zip(states, amps.tolist(), strict=True) if state == NEITHER and a > 0)
    if free and (learned_a is not None or learned_w is not None):
        said.append(
            say(
                "At {n} of {m} points neither limit holds: it may still have ramped, the source itself may limit, or it tapers near full.",
                n=free,
                m=len(states),
            )
        )
    said += _outside(volts, voltage, label)
    return Port(
        findings,
        states,
        learned_a if learned_a is not None else label.amps,
        learned_w if learned_w is not None else label.watts,
        tuple(said),
        {name: max(watts[names_at == name].tolist()) for name in set(names_at.tolist()) if name},
    )


def _power(volts: float, amps: float, of_v: Accuracy | None, of_a: Accuracy | None, half: Mapping[str, Array], k: int) -> Value:
    wide_v, wide_a = (float(half[key][k]) if key in half else 0.0 for key in "VA")
    when = str(k + 1)
    return (as_read(volts, of_v) + digit(wide_v, "V", when=when)) * (as_read(amps, of_a) + digit(wide_a, "A", when=when))


def _limit(volts: Array, column: Array) -> list[int] | None:
    """The points at its largest that are alike although their voltages lie apart; None where there are none."""
    top = float(column.max())
    if not top > 0:
        return None
    at = np.flatnonzero(column >= (1 - ALIKE) * top)
    if len(at) < 2 or float(np.ptp(volts[at])) < APART * float(volts[at].max()):
        return None
    return [int(k) for k in at]


def _state(amps: float, watts: float, limit_a: float | None, limit_w: float | None) -> str:
    if limit_w is not None and watts >= (1 - ALIKE) * limit_w:
        return POWER
    if limit_a is not None and amps >= (1 - ALIKE) * limit_a:
        return CURRENT
    return NEITHER


def _outside(volts: Array, of_v: Accuracy | None, label: PortLabel) -> list[str]:
    """A record over the window gets a remark with its excess; the rest is answered all the same."""
    if label.window is None:
        return []
    low, high = label.window
    said = []
    top = float(volts.max())
    if top > high:
        u = 2 * rectangular(of_v.limit(top)) if of_v is not None else None
        excess = f"{show(top - high, 2)}" + (f" ± {show(u, 2)}" if u is not None else "")
        said.append(
            say(
                "{v} V are {excess} V over its window of {high} V: over the window is damage.", v=show(top), excess=excess, high=plain(high)
            )
        )
    if float(volts.min()) < low:
        said.append(say("{v} V are under its window from {low} V on.", v=show(float(volts.min())), low=plain(low)))
    return said


def would_give(one: PortSource, port: PortLabel, limit_a: float | None, limit_w: float | None) -> tuple[str, tuple[float, float] | None]:
    """What a source would give: a word, and W from its lowest loaded to its highest volts; None where it may not, or nobody knows."""
    if port.window is not None:
        low, high = port.window
        if one.high_v > high:
            return say("too high: never plug it in"), None
        if one.high_v < low:
            return say("too low: needs a step-up"), None
    watts = []
    for volts in (one.low_v, one.high_v):
        if port.window is not None and volts < port.window[0]:
            watts.append(0.0)
            continue
        limits = [x for x in (volts * limit_a if limit_a is not None else None, limit_w) if x is not None]
        if not limits:
            return say("its limits are not known"), None
        watts.append(min(limits))
    if watts[0] == 0.0:
        return say("works while it is high, and stops as it falls"), (watts[0], watts[1])
    return say("works"), (watts[0], watts[1])


def was_tried(one: PortSource, port: Port) -> bool:
    """Whether what it gives is known by having been read alone: no limit has shown itself."""
    return one.name.lower() in port.took and not port.findings.keys() & {"current_limit", "power_limit"}


def foretold(one: PortSource, label: PortLabel, port: Port) -> tuple[str, tuple[float, float] | None]:
    """What a source gives, by the limits that have shown themselves; where none has, as it was read with it, and only else by those on the label."""
    word, watts = would_give(one, label, port.amps, port.watts)
    if watts is None or not was_tried(one, port):
        return word, watts
    took = port.took[one.name.lower()]
    return word, (took, took)
