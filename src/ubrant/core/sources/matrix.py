"""Batteries and panels against ports: what each would give into which, judged on its highest and lowest loaded voltage."""

from __future__ import annotations

from dataclasses import dataclass, replace

from ubrant.core.quantities.label import Label
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.sources.port import PortLabel, PortSource, would_give
from ubrant.core.wording import say

COLD = 1.14
"""A cold panel's open voltage over what was read of it in mild weather. Common practice, no source."""
_ROW = (2, 3, 4)


@dataclass(frozen=True)
class Feeder:
    """What may be plugged in.

    Attributes
    ----------
    candidate : its name, lowest loaded and highest volts
    most_w : it gives no more than this; None where nobody knows
    energy_wh : it holds so much; None for a panel, or where nobody knows
    why : where its voltages come from
    """

    candidate: PortSource
    most_w: float | None
    energy_wh: float | None
    why: str


@dataclass(frozen=True)
class Fit:
    """One feeder at one port: a word, what it gives (W at its lowest and highest volts), for how long, whether it may be plugged in."""

    word: str
    watts: tuple[float, float] | None
    hours: float | None

    def text(self) -> str:
        """``works: 118 to 146 W, for 4 h 30 min``."""
        if self.watts is None or self.watts[1] <= 0:
            return self.word
        low, high = self.watts
        if low <= 0:
            return say("{word}: up to {w} W", word=self.word, w=plain(high, 3))
        span = plain(high, 3) if high - low < 0.03 * high else say("{low} to {high}", low=plain(low, 3), high=plain(high, 3))
        text = say("{word}: {span} W", word=self.word, span=span)
        return say("{what}, for {time}", what=text, time=show_duration(3600 * self.hours)) if self.hours else text


def feeder_of_battery(name: str, label: Label, energy_wh: float | None) -> Feeder | None:
    """By its cells: from nearly empty under load to the end of charging. None where its cells are not known."""
    kind = label.kind_of_cell
    if kind is None or not label.series:
        return None
    low, high = kind.usual_cutoff_v * label.series, kind.charged_v[2] * label.series
    why = say(
        "{n} {kind} cells, {low} V each when nearly empty to {high} V at the end of charging",
        n=label.series,
        kind=say(kind.name),
        low=plain(kind.usual_cutoff_v, 3),
        high=plain(kind.charged_v[2], 3),
    )
    return Feeder(PortSource(name, low, high), None, energy_wh, why)


def feeder_of_panel(name: str, open_v: float, power_v: float, power_w: float) -> Feeder:
    """By what was measured of it, colder than it was then."""
    why = say("{v} V open as measured, × {cold} when it is cold", v=show(open_v, 3), cold=plain(COLD))
    return Feeder(PortSource(name, power_v, COLD * open_v), power_w, None, why)


def gives_into(feeder: Feeder, port: PortLabel) -> Fit:
    """What it would give into a port with these limits."""
    one = feeder.candidate
    word, watts = would_give(one, port, port.amps, port.watts)
    if watts is None:
        return Fit(_in_a_row(one, port, word), None, None)
    if feeder.most_w is not None:
        watts = (min(watts[0], feeder.most_w), min(watts[1], feeder.most_w))
    mean = sum(watts) / 2
    return Fit(word, watts, feeder.energy_wh / mean if feeder.energy_wh and watts[0] > 0 else None)


def _in_a_row(one: PortSource, port: PortLabel, word: str) -> str:
    """Too low by itself: how many like it in series would be inside the window."""
    if port.window is None or one.high_v >= port.window[0]:
        return word
    low, high = port.window
    fits = next((n for n in _ROW if n * one.low_v >= low and n * one.high_v <= high), None)
    return say("{word}, or {n} like it in series", word=word, n=fits) if fits else word


def with_learned(port: PortLabel, amps: float | None, watts: float | None) -> PortLabel:
    """With the limits that were learned from points in place of the label's."""
    return replace(port, amps=amps if amps is not None else port.amps, watts=watts if watts is not None else port.watts)
