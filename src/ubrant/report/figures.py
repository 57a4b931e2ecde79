"""The trace and the power path as vector or pixel figures. Line style and hatch carry the meaning, so that black and white will do."""

from __future__ import annotations

import io
from importlib import resources
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from ubrant.core.course import power_of
from ubrant.core.power_path import PowerPath
from ubrant.core.pyramid import Pyramid
from ubrant.core.quantity import plain, show
from ubrant.core.readings import Series
from ubrant.workshop.views import RunView

if TYPE_CHECKING:
    from matplotlib.figure import Figure

INK, QUIET, VOLTAGE, CURRENT, POWER, LOSS, CAUTION = "#1F2A33", "#5E666D", "#17685F", "#A8541C", "#6D3B73", "#B23A2E", "#B97A0A"
_POINTS = 1500


def trace_figure(view: RunView) -> Figure:
    """Voltage, current and power over the time since the load came on, with cut-off, events and gaps."""
    use_shipped_type()
    from matplotlib.figure import Figure

    readings, found = view.record.readings, view.found
    length = float(readings.time_s[-1] - found.load_on_s)
    unit_s, unit = (3600.0, "hours") if length > 3 * 3600 else (60.0, "minutes") if length > 120 else (1.0, "seconds")
    figure = Figure(figsize=(7.1, 3.7), layout="constrained")
    axes = figure.subplots(3, 1, sharex=True, height_ratios=(3, 2, 2))
    columns = (readings.voltage_v, readings.current_a, power_of(readings))
    for axis, values, name, tint in zip(axes, columns, ("Voltage V", "Current A", "Power W"), (VOLTAGE, CURRENT, POWER), strict=True):
        drawn = Pyramid(Series(readings.time_s, values)).view(float(readings.time_s[0]), float(readings.time_s[-1]), _POINTS)
        axis.plot((drawn.time_s - found.load_on_s) / unit_s, drawn.value, color=tint, linewidth=1.1)
        axis.set_ylabel(name, color=tint)
        axis.grid(color="#DDD8CC", linewidth=0.5)
        axis.spines[["top", "right"]].set_visible(False)
        for gap in found.gaps:
            place = [(t - found.load_on_s) / unit_s for t in (gap.from_s, gap.to_s)]
            axis.axvspan(*place, facecolor="none", edgecolor=CAUTION, hatch="///", linewidth=0)
        for event in view.events:
            if event.kind in {"jotting", "paused", "resumed"}:
                axis.axvline((event.time_s - found.load_on_s) / unit_s, color=CAUTION, linewidth=0.8, linestyle=(0, (5, 2)))
                if axis is axes[0]:
                    axis.annotate(event.text, ((event.time_s - found.load_on_s) / unit_s, 0.35), xycoords=("data", "axes fraction"),
                                  xytext=(3, 0), textcoords="offset points", fontsize=7, color=CAUTION)  # fmt: skip
    if view.record.cutoff is not None:
        volts = view.record.cutoff.voltage_v
        axes[0].axhline(volts, color=LOSS, linewidth=1, linestyle="--")
        axes[0].annotate(f"stop at {plain(volts)} V", (0.01, volts), xycoords=("axes fraction", "data"), xytext=(0, 3),
                         textcoords="offset points", fontsize=7, color=LOSS)  # fmt: skip
    axes[-1].set_xlabel(f"{unit} since the load came on")
    return figure


def path_figure(path: PowerPath) -> Figure:
    """Boxes, ribbons as thick as the energy they carry, losses hatched downward."""
    use_shipped_type()
    from matplotlib.figure import Figure
    from matplotlib.patches import Polygon, Rectangle

    figure = Figure(figsize=(7.1, 1.5))
    axis = figure.add_axes((0, 0, 1, 1))
    axis.set_axis_off()
    axis.set_xlim(0, 710)
    axis.set_ylim(0, 150)
    boxes = np.linspace(5, 585, len(path.nodes))
    largest = max((f.amount or 0.0 for f in path.flows), default=0.0) or 1.0
    for k, flow in enumerate(path.flows):
        thick = max(2.0, 36 * (flow.amount or 0.0) / largest)
        axis.add_patch(
            Rectangle((boxes[k] + 120, 80 - thick / 2), boxes[k + 1] - boxes[k] - 120, thick, facecolor="#DDB191", edgecolor=CURRENT)
        )
        middle = (boxes[k] + 120 + boxes[k + 1]) / 2
        axis.text(
            middle, 80, f"{show(flow.amount or 0.0, 4)} {path.unit}", ha="center", va="center", fontsize=10, fontweight="bold", color=INK
        )
        axis.plot([middle, middle], [80 + thick / 2, 118], color=INK, linewidth=0.8)
        axis.plot(middle, 120, "o", markersize=5, markeredgecolor=INK, markerfacecolor=INK if flow.meter else "white")
        axis.text(middle, 132, flow.meter or "worked out", ha="center", va="center", fontsize=7.5, color=INK)
    for k, node in enumerate(path.nodes):
        style = "--" if node.kind == "leads" else "-"
        axis.add_patch(Rectangle((boxes[k], 57), 120, 46, facecolor="white", edgecolor=INK, linestyle=style, linewidth=1.1))
        axis.text(boxes[k] + 8, 88, node.title, fontsize=9, fontweight="bold", color=INK, va="center", clip_on=True)
        axis.text(boxes[k] + 8, 70, node.detail, fontsize=7, color=QUIET, va="center")
        axis.text(boxes[k], 46, node.note, fontsize=7, color=QUIET, va="center")
        if path.losses[k]:
            x = boxes[k] + 60
            axis.add_patch(
                Polygon([(x - 5, 57), (x + 5, 57), (x + 5, 38), (x, 28), (x - 5, 38)], facecolor="white", edgecolor=LOSS, hatch="////")
            )
            axis.text(x + 10, 32, str(path.losses[k]), fontsize=8, color=LOSS, va="center")
    return figure


def svg_of(figure: Figure) -> str:
    """A figure as an SVG element, to be put into a page."""
    from matplotlib import rc_context

    out = io.StringIO()
    with rc_context({"svg.fonttype": "none"}):  # the page brings the type along; letters as outlines would be slow and dead
        figure.savefig(out, format="svg", metadata={"Date": None, "Creator": "Ubrant"})
    text = out.getvalue()
    return text[text.index("<svg") :]


def save(figure: Figure, path: Path) -> None:
    """Write a figure as ``.svg``, ``.pdf`` or ``.png`` (200 dots an inch), by its name's ending."""
    figure.savefig(path, dpi=200, facecolor="white")


def use_shipped_type() -> None:
    """B612 for every figure."""
    import matplotlib as mpl
    from matplotlib import font_manager

    if mpl.rcParams["font.family"] != ["B612"]:
        for name in ("B612-Regular.otf", "B612-Bold.otf"):
            font_manager.fontManager.addfont(str(resources.files("ubrant.ui").joinpath(f"fonts/{name}")))
        mpl.rcParams.update(
            {"font.family": ["B612"], "font.size": 8, "svg.fonttype": "path", "svg.hashsalt": "ubrant", "axes.edgecolor": QUIET}
        )
