"""What a sweep is drawn as: the grid of its points, and the map of its efficiency."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ubrant.core.conversion.efficiency_map import efficiency_map, levels
from ubrant.core.conversion.sweep import Sweep, states_of
from ubrant.core.drawings import OFF, OUTSIDE, PLANNED, TAKEN, Contours, Dots, Layer, Plot
from ubrant.core.quantities.quantity import plain
from ubrant.core.wording import say

Setting = tuple[float, float]


def grid(plan: Sequence[Setting], taken: Sequence[Setting] = (), states: Sequence[str] = ()) -> Plot:
    """Input voltage over load: points to come hollow, taken ones filled, those outside tolerance or off in a shape of their own, the latest ringed."""
    both = [*plan, *taken] or [(0.0, 0.0)]
    volts, amps = [v for v, _ in both], [a for _, a in both]
    wide, high = max(max(amps) - min(amps), 0.1), max(max(volts) - min(volts), 0.5)
    layers: list[Layer] = [_dots(plan, (PLANNED,) * len(plan))]
    known = tuple(states) + (TAKEN,) * (len(taken) - len(states))
    if taken:
        layers.append(_dots(taken, known, len(taken) - 1 if len(taken) < len(plan) else None))
    counts = {state: known.count(state) for state in (OUTSIDE, OFF)}
    description = say(
        "{taken} of {plan} points; {out} outside tolerance, {off} off",
        taken=len(taken),
        plan=len(plan),
        out=counts[OUTSIDE],
        off=counts[OFF],
    )
    return Plot(
        say("Points, down and up again"),
        say("load, A     ● within tolerance   ◆ outside   × off"),
        say("input, V"),
        (min(amps) - 0.05 * wide, max(amps) + 0.05 * wide),
        (min(volts) - 0.06 * high, max(volts) + 0.06 * high),
        tuple(layers),
        description,
    )


def _dots(settings: Sequence[Setting], states: tuple[str, ...], ringed: int | None = None) -> Dots:
    rising = tuple(k > 0 and settings[k - 1][1] == amps and volts > settings[k - 1][0] for k, (volts, amps) in enumerate(settings))
    return Dots(np.array([a for _, a in settings]), np.array([v for v, _ in settings]), states, rising, ringed)


def efficiency_plot(sweep: Sweep | None) -> Plot:
    """Efficiency over load and input voltage as contours, with the measured points on it."""
    title, along, up = say("Efficiency, %"), say("load, W     ● within tolerance   ◆ outside"), say("input, V")
    if sweep is None or not len(sweep.points):
        return Plot(title, along, up, (0.0, 1.0), (0.0, 1.0), by_root=True)
    load, volts = sweep.points.output_w, sweep.points.input_v
    high = max(float(np.ptp(volts)), 0.5)
    made = efficiency_map(sweep)
    layers: list[Layer] = []
    description = ""
    if made is not None:
        from contourpy import contour_generator  # needed only for a map

        generator = contour_generator(made.load_w, made.input_v, np.ma.masked_invalid(made.percent))
        lines = [(level, tuple(np.asarray(line) for line in generator.lines(level))) for level in levels(made)]
        layers.append(Contours(tuple((plain(level, 3), found_lines) for level, found_lines in lines)))
        description = say("contours at {levels} %", levels=", ".join(plain(level, 3) for level, _ in lines))
    states = states_of(sweep)
    on = [k for k, state in enumerate(states) if state != OFF]
    layers.append(Dots(load[on], volts[on], tuple(states[k] for k in on)))
    spans = ((0.0, 1.06 * max(float(load.max()), 0.1)), (float(volts.min()) - 0.06 * high, float(volts.max()) + 0.06 * high))
    return Plot(title, along, up, *spans, tuple(layers), description, by_root=True)
