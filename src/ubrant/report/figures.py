"""The trace and the power path as vector or pixel figures. Line style and hatch carry the meaning, so that black and white will do."""

from __future__ import annotations

import io
from collections.abc import Sequence
from importlib import resources
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from ubrant.core.drawings import (
    DASHED,
    DOTTED,
    HELD,
    OFF,
    OUTSIDE,
    PLANNED,
    SOLID,
    TAKEN,
    Agreements,
    Area,
    Bars,
    Chains,
    Contours,
    Curve,
    Dots,
    Drawing,
    Ladder,
    Plot,
    Rule,
    Sticks,
    TraceDrawing,
)
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.record.pyramid import Pyramid
from ubrant.core.wording import visible
from ubrant.writing import write_whole

if TYPE_CHECKING:
    from matplotlib.figure import Figure

INK, QUIET, VOLTAGE, CURRENT, POWER, LOSS, CAUTION = "#1F2A33", "#5E666D", "#17685F", "#A8541C", "#6D3B73", "#B23A2E", "#B97A0A"
GOOD = "#3F6B2E"
TINTS = {"voltage": VOLTAGE, "current": CURRENT, "power": POWER, "loss": LOSS, "caution": CAUTION, "good": GOOD, "ink": INK, "quiet": QUIET}
_POINTS = 1500
_AXES = {"V": ("Voltage V", VOLTAGE), "A": ("Current A", CURRENT), "W": ("Power W", POWER)}


def figures_of(drawings: Sequence[Drawing]) -> list[Figure]:
    """What an account is drawn as: a trace by itself, plots and bars beside each other, a ladder."""
    use_shipped_type()
    from matplotlib.figure import Figure

    figures = [trace_figure(d) for d in drawings if isinstance(d, TraceDrawing) and d.measured and len(d.measured["V"])]
    beside = [d for d in drawings if (isinstance(d, Plot) and d.layers) or (isinstance(d, Bars) and d.rows)]
    if beside:
        figure = Figure(figsize=(7.1, 2.7), layout="constrained")
        for axis, drawing in zip(np.atleast_1d(figure.subplots(1, len(beside))), beside, strict=True):
            if isinstance(drawing, Plot):
                _plot(axis, drawing)
            elif isinstance(drawing, Bars):
                _bars(axis, drawing)
            axis.spines[["top", "right"]].set_visible(False)
        figures.append(figure)
    figures += [_named(path_figure(path), name) for d in drawings if isinstance(d, Chains) for name, path in d.rows]
    figures += [_agreements_figure(d) for d in drawings if isinstance(d, Agreements)]
    return figures + [_ladder_figure(d) for d in drawings if isinstance(d, Ladder)]


def _named(figure: Figure, name: str) -> Figure:
    figure.text(0.01, 0.93, name, fontsize=8.5, fontweight="bold", color=INK, va="center")
    return figure


def trace_figure(trace: TraceDrawing) -> Figure:
    """Voltage, current and power over the time since the load came on, with cut-off, events and gaps."""
    use_shipped_type()
    from matplotlib.figure import Figure

    time = trace.measured["V"].time_s
    length = float(time[-1] - trace.zero_s)
    unit_s, unit = (3600.0, "hours") if length > 3 * 3600 else (60.0, "minutes") if length > 120 else (1.0, "seconds")
    read = [(key, *_AXES[key]) for key in "VAW" if key in trace.measured and len(trace.measured[key])]
    figure = Figure(figsize=(7.1, 0.1 + 1.2 * len(read)), layout="constrained")
    axes = np.atleast_1d(figure.subplots(len(read), 1, sharex=True, height_ratios=(3, *[2] * (len(read) - 1))))

    def place(seconds: float) -> float:
        return (seconds - trace.zero_s) / unit_s

    for axis, (key, name, tint) in zip(axes, read, strict=True):
        series = trace.measured[key]
        drawn = Pyramid(series).view(float(time[0]), float(time[-1]), _POINTS)
        axis.plot((drawn.time_s - trace.zero_s) / unit_s, drawn.value, color=tint, linewidth=1.1)
        axis.set_ylabel(name, color=tint)
        axis.grid(color="#DDD8CC", linewidth=0.5)
        axis.spines[["top", "right"]].set_visible(False)
        for from_s, to_s in trace.gaps:
            axis.axvspan(place(from_s), place(to_s), facecolor="none", edgecolor=CAUTION, hatch="///", linewidth=0)
        for moment, words in trace.marks:
            axis.axvline(place(moment), color=CAUTION, linewidth=0.8, linestyle=(0, (5, 2)))
            if axis is axes[0]:
                axis.annotate(
                    words,
                    (place(moment), 0.35),
                    xycoords=("data", "axes fraction"),
                    xytext=(3, 0),
                    textcoords="offset points",
                    fontsize=7,
                    color=CAUTION,
                )
    if trace.limit_v is not None:
        axes[0].axhline(trace.limit_v, color=LOSS, linewidth=1, linestyle="--")
        axes[0].annotate(
            f"stop at {plain(trace.limit_v)} V",
            (0.01, trace.limit_v),
            xycoords=("axes fraction", "data"),
            xytext=(0, 3),
            textcoords="offset points",
            fontsize=7,
            color=LOSS,
        )
    axes[-1].set_xlabel(f"{unit} since the load came on")
    return figure


_STYLES = {SOLID: "-", DOTTED: ":", DASHED: "--"}
_HATCHES = ("....", "////", "\\\\\\")
_MARKERS = {TAKEN: "o", OUTSIDE: "D", OFF: "x", HELD: "^", PLANNED: "."}


def _plot(axis: Any, plot: Plot) -> None:
    """A plot's layers on matplotlib's axes."""
    labelled = False
    for layer in plot.layers:
        match layer:
            case Curve():
                axis.plot(
                    layer.x,
                    layer.y,
                    _STYLES[layer.style] if len(layer.x) > 1 else "o",
                    color=TINTS[layer.tint],
                    linewidth=1,
                    label=layer.label or None,
                )
                labelled |= bool(layer.label)
            case Area():
                axis.fill_between(
                    layer.x,
                    layer.low,
                    layer.high,
                    facecolor="none",
                    edgecolor=TINTS[layer.tint],
                    hatch=_HATCHES[layer.hatch],
                    linewidth=0.6,
                    label=layer.label or None,
                )
                labelled |= bool(layer.label)
            case Dots():
                for state in dict.fromkeys(layer.states):
                    chosen = [k for k, s in enumerate(layer.states) if s == state]
                    axis.plot(
                        layer.x[chosen],
                        layer.y[chosen],
                        _MARKERS.get(state, "o"),
                        markersize=3,
                        color=VOLTAGE if state == TAKEN else CAUTION,
                    )
            case Rule():
                axis.axhline(layer.y, color=TINTS[layer.tint], linestyle="--", linewidth=1)
            case Sticks():
                axis.bar(layer.x, layer.y, color=TINTS[layer.tint], width=0.6)
            case Contours():
                for words, lines in layer.levels:
                    for line in lines:
                        axis.plot(line[:, 0], line[:, 1], color=TINTS[layer.tint], linewidth=0.9)
                        axis.annotate(words, line[len(line) // 2], fontsize=6, color=TINTS[layer.tint])
    axis.set(xlabel=plot.along.split("     ")[0], ylabel=plot.up, title=plot.title, xlim=plot.x_span, ylim=plot.y_span)
    axis.title.set_fontsize(8)
    axis.grid(color="#DDD8CC", linewidth=0.5)
    if plot.up_marks:
        axis.set_yticks([value for value, _ in plot.up_marks], [words for _, words in plot.up_marks])
    if labelled:
        axis.legend(fontsize=6.5, frameon=False, loc="upper left")


def _bars(axis: Any, bars: Bars) -> None:
    rows = list(reversed(bars.rows))
    axis.barh([f.name for f, _, _ in rows], [f.value or 0.0 for f, _, _ in rows], color=POWER, height=0.5)
    for place, (finding, other, beside) in enumerate(rows):
        if other is not None:
            axis.barh(place, other, facecolor="none", edgecolor=POWER, linestyle="--", height=0.5)
        axis.annotate(
            f" {finding.with_uncertainty()}{f' · {beside}' if beside else ''}",
            (max(finding.value or 0.0, other or 0.0), place),
            va="center",
            fontsize=7,
        )
    axis.set_xlim(0, 1.5 * max((max(f.value or 0.0, o or 0.0) for f, o, _ in rows), default=1.0))


def _agreements_figure(agreements: Agreements) -> Figure:
    from matplotlib.figure import Figure

    figure = Figure(figsize=(7.1, 0.6 + 0.26 * len(agreements.rows)), layout="constrained")
    axis = figure.subplots()
    axis.axvspan(-1, 1, color=TINTS["voltage"], alpha=0.12, linewidth=0)
    axis.axvline(0, color=QUIET, linewidth=1)
    for line, row in enumerate(reversed(agreements.rows)):
        tint, mark = (TINTS["voltage"], "o") if row.agrees else (TINTS["loss"], "s")
        axis.plot(max(-2.0, min(2.0, row.apart)), line, mark, color=tint, markersize=5)
        axis.annotate(f"{row.where} {row.when}".strip(), (-8.6, line), fontsize=7, va="center", annotation_clip=False)
        axis.annotate(f"{row.read}   {row.rest}", (-4.6, line), fontsize=7, va="center", annotation_clip=False)
        axis.annotate(row.off_by, (2.3, line), fontsize=7, va="center", color=INK if row.agrees else tint, annotation_clip=False)
    axis.set(xlim=(-8.7, 4.0), ylim=(-0.7, len(agreements.rows) - 0.3), title=agreements.title, yticks=[], xticks=[])
    axis.title.set_fontsize(8)
    axis.spines[["top", "right", "left", "bottom"]].set_visible(False)
    return figure


def _ladder_figure(ladder: Ladder) -> Figure:
    from matplotlib.figure import Figure

    figure = Figure(figsize=(7.1, 0.5 + 0.28 * len(ladder.rungs)), layout="constrained")
    axis = figure.subplots()
    for line, rung in enumerate(reversed(ladder.rungs)):
        axis.errorbar(
            rung.finding.value or 0.0, line, xerr=rung.finding.expanded_uncertainty or 0.0, fmt="|", color=TINTS[rung.tint], capsize=3
        )
        axis.annotate(f"  {rung.name} {rung.finding.with_uncertainty()}", (rung.finding.value or 0.0, line), fontsize=7, va="bottom")
    axis.set(xlim=ladder.span, ylim=(-0.6, len(ladder.rungs) - 0.2), title=ladder.title, yticks=[])
    axis.title.set_fontsize(8)
    axis.spines[["top", "right", "left"]].set_visible(False)
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
            middle,
            80,
            flow.between if flow.amount is None and flow.between else f"{show(flow.amount or 0.0, 4)} {path.unit}",
            ha="center",
            va="center",
            fontsize=10,
            fontweight="bold",
            color=INK,
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
    if path.joins is not None:
        _join(axis, boxes[1] + 60, *path.joins, path.unit)
    return figure


def _join(axis: Any, x: float, node: PathNode, flow: Flow, unit: str) -> None:
    """What meets the others at the second box, under it; which way it goes in words."""
    from matplotlib.patches import Rectangle

    axis.annotate(
        "",
        xy=(x, 57) if (flow.amount or 0.0) >= 0 else (x, 27),
        xytext=(x, 27) if (flow.amount or 0.0) >= 0 else (x, 57),
        arrowprops={"arrowstyle": "-|>", "color": CURRENT, "linewidth": 2.5},
    )
    axis.add_patch(Rectangle((x - 60, 3), 120, 24, facecolor="white", edgecolor=INK, linewidth=1.1))
    axis.text(x - 52, 15, node.title, fontsize=8, fontweight="bold", color=INK, va="center", clip_on=True)
    word = "takes" if (flow.amount or 0.0) < 0 else "gives"
    told = f"{word} {show(abs(flow.amount), 4)} {unit}" if flow.amount is not None else ""
    axis.text(x + 68, 15, told, fontsize=9, fontweight="bold", color=INK, va="center")


def svg_of(figure: Figure) -> str:
    """A figure as an SVG element, to be put into a page."""
    from matplotlib import rc_context

    _as_it_is(figure)
    out = io.StringIO()
    with rc_context({"svg.fonttype": "none"}):  # the page brings the type along; letters as outlines would be slow and dead
        figure.savefig(out, format="svg", metadata={"Date": None, "Creator": "Ubrant"})
    text = out.getvalue()
    return text[text.index("<svg") :]


def save(figure: Figure, path: Path) -> None:
    """Write a figure as ``.svg``, ``.pdf`` or ``.png`` (200 dots an inch), by its name's ending."""
    _as_it_is(figure)
    write_whole(path, lambda beside: figure.savefig(beside, dpi=200, facecolor="white"))


def _as_it_is(figure: Figure) -> None:
    """Nothing in a text is taken for mathematics, nothing in it is unseen."""
    from matplotlib.text import Text

    for text in figure.findobj(Text):
        assert isinstance(text, Text)
        text.set_parse_math(False)
        text.set_text(visible(text.get_text()))


def use_shipped_type() -> None:
    """B612 for every figure."""
    import matplotlib as mpl
    from matplotlib import font_manager

    if mpl.rcParams["font.family"] != ["B612"]:
        for name in ("B612-Regular.otf", "B612-Bold.otf"):
            font_manager.fontManager.addfont(str(resources.files("ubrant.ui").joinpath(f"fonts/{name}")))
        mpl.rcParams.update(
            {
                "font.family": ["B612"],
                "font.size": 8,
                "svg.fonttype": "path",
                "svg.hashsalt": "ubrant",
                "text.parse_math": False,
                "axes.edgecolor": QUIET,
            }
        )
