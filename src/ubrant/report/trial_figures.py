"""What a trial is drawn as in a report: losses and output over load, waves, a course over time, trip times."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from ubrant.report.figures import CAUTION, CURRENT, INK, LOSS, POWER, VOLTAGE, use_shipped_type
from ubrant.workshop.trials.trial import TrialView

if TYPE_CHECKING:
    from matplotlib.figure import Figure

_STYLES = ("-", ":", "--")


def trial_figure(view: TrialView) -> Figure | None:
    """The drawing of a trial; None where there is nothing to draw."""
    drawn = [draw for draw, there in (
        (_losses, view.sweep is not None and view.sweep.model is not None), (_output, view.sweep is not None), (_wave, bool(view.waves)),
        (_course, bool(view.course) and not view.waves), (_trip, bool(view.overloads)),
    ) if there]  # fmt: skip
    if not drawn:
        return None
    use_shipped_type()
    from matplotlib.figure import Figure

    figure = Figure(figsize=(7.1, 2.7), layout="constrained")
    axes = np.atleast_1d(figure.subplots(1, len(drawn)))
    for axis, draw in zip(axes, drawn, strict=True):
        draw(axis, view)
        axis.grid(color="#DDD8CC", linewidth=0.5)
        axis.spines[["top", "right"]].set_visible(False)
    return figure


def _losses(axis: Any, view: TrialView) -> None:
    assert view.sweep is not None and view.sweep.model is not None
    points, model = view.sweep.points, view.sweep.model
    loads = np.linspace(0, float(points.output_w.max()), 60)
    parts = np.array([model.parts_w(float(p)) for p in loads]).clip(0).T
    lower = np.zeros(len(loads))
    for part, hatch, name in zip(parts, ("....", "////", "\\\\\\\\"), ("always on", "proportional", "resistive"), strict=True):
        axis.fill_between(loads, lower, lower + part, facecolor="none", edgecolor=LOSS, hatch=hatch, linewidth=0.6, label=name)
        lower = lower + part
    good = view.sweep.in_tolerance
    axis.plot(points.output_w[good], (points.input_w - points.output_w)[good], "o", markersize=3, color=VOLTAGE)
    axis.set(xlabel="load W", ylabel="loss W")
    axis.legend(fontsize=6.5, frameon=False, loc="upper left")


def _output(axis: Any, view: TrialView) -> None:
    assert view.sweep is not None
    points = view.sweep.points
    over_load = view.run.method == "steps"
    along = points.output_w if over_load else points.input_v
    on = points.output_v > 0.3 * float(points.output_v.max())
    axis.plot(along[on], points.output_v[on], "o", markersize=3, color=VOLTAGE)
    if view.tolerance is not None:
        for volts in (view.tolerance.low, view.tolerance.high):
            axis.axhline(volts, color=CAUTION, linestyle="--", linewidth=1)
    axis.set(xlabel="load W" if over_load else "input V", ylabel="output V")


def _wave(axis: Any, view: TrialView) -> None:
    for wave, style in zip([view.waves[-1], view.waves[0]] if len(view.waves) > 1 else view.waves, _STYLES, strict=False):
        axis.plot(
            1000 * wave.time_s, wave.volts, style, color=VOLTAGE, linewidth=1, label=f"{wave.load_w:.0f} W" if wave.load_w else "no load"
        )
    axis.set(xlabel="ms", ylabel="V")
    axis.legend(fontsize=6.5, frameon=False, loc="upper right")


def _course(axis: Any, view: TrialView) -> None:
    for (name, series), style in zip(view.course, _STYLES, strict=False):
        axis.plot(series.time_s, series.value, style if len(series) > 1 else "o", color=POWER, linewidth=1, label=name)
    axis.set(xlabel="s", ylabel="V" if view.run.method == "waveform" else "W taken in")
    axis.legend(fontsize=6.5, frameon=False)


def _trip(axis: Any, view: TrialView) -> None:
    if len(view.curve) > 1:
        multiples = [p.multiple for p in view.curve]
        slowest = [min(p.slowest_s, 36_000.0) for p in view.curve]
        axis.fill_between(
            multiples,
            [max(p.fastest_s, 0.01) for p in view.curve],
            slowest,
            facecolor="none",
            edgecolor=CURRENT,
            hatch="////",
            linewidth=0.6,
        )
    for step in view.overloads:
        axis.plot(
            step.amps / view.rated_a, step.opened_s or step.held_s, "o" if step.opened_s is not None else "^", color=INK, markersize=4
        )
    axis.set_yscale("log")
    axis.set(xlabel="× its rating (triangle: held)", ylabel="s")
