"""The trace: quantities stacked on one time axis. Measured is solid, expected is dotted; cut-off, events and gaps are drawn in."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QEvent, QRectF, Qt
from PyQt6.QtGui import QBrush, QFocusEvent, QFontMetricsF, QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from ubrant.core.drawings import TraceDrawing as TraceData
from ubrant.core.quantities.quantity import plain
from ubrant.core.quantities.readings import Array, Series, no_readings
from ubrant.core.record.pyramid import Pyramid
from ubrant.ui.widgets.label_places import Box, room_for
from ubrant.ui.widgets.text import in_a_line
from ubrant.ui.widgets.theme import SMALL, color, font

QUANTITIES = (("V", "Voltage V", "voltage"), ("A", "Current A", "current"), ("W", "Power W", "power"))
_DENSE = 200_000
_UNITS = ((1.0, "seconds"), (60.0, "minutes"), (3600.0, "hours"))


_HEIGHTS = (0.62, 0.5, 0.4, 0.3, 0.2, 0.74, 0.86, 0.1, 0.94)
_ALONG = (0.015, 0.25, 0.45, 0.65, 0.8)
"""Where the words of a mark may stand, and those of the limit, as shares of height and width."""


def _box(x0: float, x1: float, share: float, tall: float, bottom: float, top: float) -> Box:
    middle, half = bottom + share * (top - bottom), tall * (top - bottom) / 2
    return x0, x1, middle - half, middle + half


class Trace(pg.GraphicsLayoutWidget):  # type: ignore[misc]  # pyqtgraph is untyped
    """Voltage, current and power over the time since the load came on."""

    def __init__(self, parent: QWidget | None = None, quantities: str = "VAW") -> None:
        self._plots: dict[str, pg.PlotItem] = {}
        super().__init__(parent)
        self.ci.layout.setSpacing(2)
        self.ci.setContentsMargins(2, 6, 10, 2)
        self._zero_s = 0.0
        self._unit_s = 60.0
        self._measured: dict[str, pg.PlotDataItem] = {}
        self._expected: dict[str, pg.PlotDataItem] = {}
        self._filled: frozenset[str] = frozenset()
        self._pyramids: dict[str, Pyramid] = {}
        self._thin = dict.fromkeys("VAW", False)
        self._whole = (0.0, 1.0)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._expected_series: dict[str, Series] = {}
        self._marks: list[tuple[pg.PlotItem, pg.GraphicsObject]] = []
        self._events: Sequence[tuple[float, str]] = ()
        self._gaps: Sequence[tuple[float, float]] = ()
        self._cutoff_line: pg.InfiniteLine | None = None
        self._cutoff_v: float | None = None
        chosen = [q for q in QUANTITIES if q[0] in quantities]
        for row, (key, title, tint) in enumerate(chosen):
            self._plots[key] = self._add_plot(row, key, title, tint, is_last=row == len(chosen) - 1)
            self.ci.layout.setRowStretchFactor(row, 3 if key == "V" and len(chosen) > 1 else 2)
        self._restyle()
        self._first = next(iter(self._plots.values()))
        for plot in list(self._plots.values())[1:]:
            plot.setXLink(self._first)
        self._first.vb.sigXRangeChanged.connect(self._redraw)
        self.setAccessibleName(self.tr("Trace"))

    def _add_plot(self, row: int, key: str, title: str, tint: str, *, is_last: bool) -> pg.PlotItem:
        plot = self.addPlot(row=row, col=0, enableMenu=False)
        plot.hideButtons()
        plot.setMouseEnabled(x=True, y=False)
        plot.showGrid(x=True, y=True, alpha=0.12)
        for side in ("left", "bottom"):
            axis = plot.getAxis(side)
            axis.setTickFont(font(SMALL))
            axis.label.setFont(font(SMALL + 0.5))
            axis.enableAutoSIPrefix(False)
            axis.setStyle(maxTickLevel=0)
        plot.getAxis("left").setWidth(62)
        plot.getAxis("bottom").setStyle(showValues=is_last, tickLength=-5)
        plot.getAxis("bottom").setHeight(None if is_last else 8)
        plot.vb.setDefaultPadding(0.02)
        self._expected[key], self._measured[key] = plot.plot([], []), plot.plot([], [])
        plot.enableAutoRange("y", True)
        plot.vb.setAutoVisible(y=False)
        return plot

    def _restyle(self) -> None:
        """Everything that keeps a colour gets it from the ground in use."""
        self.setBackground(color("paper"))
        for key, title, tint in QUANTITIES:
            if (plot := self._plots.get(key)) is None:
                continue
            plot.setLabel("left", title, color=color(tint).name())
            for side in ("left", "bottom"):
                plot.getAxis(side).setPen(QPen(color("quiet"), 1))
                plot.getAxis(side).setTextPen(color(tint if side == "left" else "ink"))
            self._expected[key].setPen(pg.mkPen(color(tint, 200), width=1.3, style=Qt.PenStyle.DotLine))
            self._measured[key].setPen(self._pen(key))

    def _pen(self, key: str) -> QPen:
        tint = next(t for k, _, t in QUANTITIES if k == key)
        made: QPen = pg.mkPen(color(tint), width=1 if self._thin[key] else 2)
        return made

    def changeEvent(self, event: QEvent | None) -> None:
        super().changeEvent(event)
        if event is not None and event.type() in (QEvent.Type.PaletteChange, QEvent.Type.StyleChange) and self._plots:
            self._restyle()
            cutoff, self._cutoff_v = self._cutoff_v, None
            if cutoff is not None:
                self.set_cutoff(cutoff)
            self._place_marks()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Left and right move along, + and − go closer and away, Home shows everything."""
        low, high = self._first.vb.viewRange()[0]
        step = (high - low) / 5
        moves = {
            Qt.Key.Key_Left: (low - step, high - step),
            Qt.Key.Key_Right: (low + step, high + step),
            Qt.Key.Key_Plus: (low + step, high - step),
            Qt.Key.Key_Minus: (low - step, high + step),
            Qt.Key.Key_Home: self._whole,
        }
        if event is not None and event.key() in moves:
            self._first.setXRange(*moves[Qt.Key(event.key())], padding=0)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.viewport().update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.viewport().update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self.hasFocus():
            painter = QPainter(self.viewport())
            painter.setPen(QPen(color("voltage"), 2))
            painter.drawRect(self.viewport().rect().adjusted(1, 1, -1, -1))

    # what is shown

    def show_trace(self, made: TraceData, *, grow: bool = False) -> None:
        """Everything of a drawing; with ``grow`` a stretch that the person has chosen stays."""
        self.set_zero(made.zero_s)
        self.set_cutoff(made.limit_v)
        for key in self._plots:
            self.set_measured(key, made.measured.get(key, no_readings()), made.scaled.get(key))
            expected = made.expected.get(key)
            if expected is not self._expected_series.get(key):
                self.set_expected(key, expected)
        self.set_marks(made.marks, made.gaps)
        if made.span is not None:
            (self.grow_span if grow else self.set_span)(*made.span)

    def show_nothing(self) -> None:
        """Nothing but the axes. Not ``clear``: the layout of plots has one of its own, which takes the plots away."""
        self.show_trace(TraceData(span=(0.0, 600.0)))

    def set_zero(self, load_on_s: float) -> None:
        """The moment that counts as 0: when the load came on."""
        self._zero_s = load_on_s

    def set_span(self, from_s: float, to_s: float) -> None:
        """Show this stretch, in the readings' own time."""
        length = max(to_s - from_s, 1.0)
        self._unit_s, name = next(((u, n) for u, n in reversed(_UNITS) if length >= (3.0 if u == 3600 else 2.0) * u), _UNITS[0])
        last = list(self._plots.values())[-1]
        last.setLabel("bottom", self.tr("{unit} since the load came on").format(unit=self.tr(name)), color=color("ink").name())
        margin = 0.01 * length
        self._whole = self._x(from_s - margin), self._x(to_s + margin)
        self._first.setXRange(*self._whole, padding=0)
        self._place_marks()

    def grow_span(self, from_s: float, to_s: float) -> None:
        """Show this stretch, unless the person has gone closer or along: then leave the view as it is."""
        low, high = self._first.vb.viewRange()[0]
        tolerance = 0.01 * (self._whole[1] - self._whole[0])
        if abs(low - self._whole[0]) < tolerance and abs(high - self._whole[1]) < tolerance:
            self.set_span(from_s, to_s)

    def set_measured(self, key: str, series: Series, scaled: Pyramid | None = None) -> None:
        """What was read; a column that has only grown is looked at from where it ended."""
        known = self._pyramids.get(key)
        if scaled is None and known is not None and known.goes_on(series):
            known.extend(series)
        else:
            self._pyramids[key] = scaled or Pyramid(series)
        if not len(series) and key in self._filled:
            self._plots[key].setYRange(0.0, 1.0, padding=0)  # of what stood there before nothing stays, its scale neither
            self._plots[key].enableAutoRange("y", True)
        self._filled = self._filled | {key} if len(series) else self._filled - {key}
        self._redraw_one(key)

    def set_expected(self, key: str, series: Series | None) -> None:
        self._expected_series[key] = series if series is not None else Series(np.empty(0), np.empty(0))
        self._redraw_one(key)

    def set_cutoff(self, volts: float | None) -> None:
        """The line at which the run stops."""
        if volts == self._cutoff_v:
            return
        self._cutoff_v = volts
        plot = self._plots["V"]
        if self._cutoff_line is not None:
            plot.removeItem(self._cutoff_line)
            self._cutoff_line = None
        if volts is not None:
            self._cutoff_line = pg.InfiniteLine(
                volts,
                angle=0,
                pen=pg.mkPen(color("loss"), width=2, style=Qt.PenStyle.DashLine),
                label=self.tr("stop at {volts} V").format(volts=plain(volts)),
                labelOpts={"position": 0.015, "anchors": [(0, 1), (0, 1)], "color": color("loss")},
            )
            self._cutoff_line.label.setFont(font(SMALL + 0.5))
            plot.addItem(self._cutoff_line)

    def set_marks(self, events: Sequence[tuple[float, str]], gaps: Sequence[tuple[float, float]] = ()) -> None:
        """Events as upright lines with their words, gaps as hatched bands; times in the readings' own time."""
        self._events, self._gaps = events, gaps
        self._place_marks()

    def _place_marks(self) -> None:
        for plot, item in self._marks:
            plot.removeItem(item)
        self._marks = []
        for key, plot in self._plots.items():
            for start, end in self._gaps:
                band = pg.LinearRegionItem(
                    (self._x(start), self._x(end)),
                    movable=False,
                    pen=pg.mkPen(None),
                    brush=QBrush(color("caution", 130), Qt.BrushStyle.BDiagPattern),
                )
                self._mark(plot, band)
            low, high = self._first.vb.viewRange()[0]
            places = self._places_of_words() if key == "V" else []
            for number, (moment, text) in enumerate(self._events):
                side = self._side(moment, low, high)
                line = pg.InfiniteLine(
                    self._x(moment),
                    angle=90,
                    pen=pg.mkPen(color("caution"), width=2),
                    label=in_a_line(text).replace("{", "{{").replace("}", "}}") if key == "V" else None,  # it is a format
                    labelOpts={
                        "position": places[number] if places else 0.5,
                        "anchors": [(side, 0.5), (side, 0.5)],
                        "color": color("caution"),
                    },
                )
                if key == "V":
                    line.label.setFont(font(SMALL + 0.5))
                self._mark(plot, line)

    def _side(self, moment: float, low: float, high: float) -> int:
        """Near the right edge the words stand to the left of their mark."""
        return 1 if self._x(moment) > low + 0.85 * (high - low) else 0

    def _places_of_words(self) -> list[float]:
        """How high up the words of each mark stand, as a share of the height: where no curve goes and nothing else is written."""
        lines = self._lines()
        values = [v for _, y in lines for v in (np.nanmin(y), np.nanmax(y))] + ([self._cutoff_v] if self._cutoff_v is not None else [])
        if not values or not max(values) > min(values):
            return [0.62 - 0.13 * (number % 4) for number in range(len(self._events))]
        bottom, top = min(values), max(values)
        low, high = self._first.vb.viewRange()[0]
        view, metrics = self._plots["V"].vb, QFontMetricsF(font(SMALL + 0.5))
        per_x, tall = (high - low) / max(view.width(), 100.0), metrics.height() / max(view.height(), 60.0)
        taken, places = self._place_of_limit(lines, per_x, tall, bottom, top), []
        for moment, text in self._events:
            wide = per_x * (metrics.horizontalAdvance(in_a_line(text)) + 8)
            x = self._x(moment)
            x0 = x - wide if self._side(moment, low, high) else x
            boxes = [_box(x0, x0 + wide, share, tall, bottom, top) for share in _HEIGHTS]
            best = room_for(boxes, lines, taken)
            taken.append(boxes[best])
            places.append(_HEIGHTS[best])
        return places

    def _lines(self) -> list[tuple[Array, Array]]:
        """Volts as they are drawn, measured and expected."""
        drawn = [item.getData() for item in (self._measured["V"], self._expected["V"])]
        return [(x, y) for x, y in drawn if x is not None and len(x) and np.isfinite(y).any()]

    def _place_of_limit(self, lines: list[tuple[Array, Array]], per_x: float, tall: float, bottom: float, top: float) -> list[Box]:
        """The words of the limit go where no mark crosses them; what they take."""
        if self._cutoff_line is None or self._cutoff_v is None:
            return []
        low, high = self._first.vb.viewRange()[0]
        wide = per_x * (QFontMetricsF(font(SMALL + 0.5)).horizontalAdvance(self._cutoff_line.label.format) + 12)
        share = (self._cutoff_v - bottom) / (top - bottom)
        boxes = []
        for place in _ALONG:
            x0 = low + place * (high - low)
            boxes.append(_box(x0, x0 + wide, share + tall / 2, tall, bottom, top))
        marks = [(self._x(t) - per_x, self._x(t) + per_x, bottom - 1e9, top + 1e9) for t, _ in self._events]
        best = room_for(boxes, lines, marks)
        self._cutoff_line.label.setPosition(_ALONG[best])
        return [boxes[best]]

    def _mark(self, plot: pg.PlotItem, item: pg.GraphicsObject) -> None:
        plot.addItem(item, ignoreBounds=True)
        self._marks.append((plot, item))

    # how it is drawn

    def _x(self, time_s: float) -> float:
        return (time_s - self._zero_s) / self._unit_s

    def _redraw(self) -> None:
        for key in self._plots:
            self._redraw_one(key)

    def _redraw_one(self, key: str) -> None:
        low, high = self._first.vb.viewRange()[0]
        pixels = int(self._first.vb.width()) or 600
        pyramid = self._pyramids.get(key)
        if pyramid is not None and len(pyramid):
            part = pyramid.view(low * self._unit_s + self._zero_s, high * self._unit_s + self._zero_s, pixels)
            dense = len(pyramid) > _DENSE
            if dense is not self._thin[key]:  # a thick line through thousands of points is slow to paint and no easier to see
                self._thin[key] = dense
                self._measured[key].setPen(self._pen(key))
            self._measured[key].setData((part.time_s - self._zero_s) / self._unit_s, part.value)
        elif pyramid is not None:
            self._measured[key].setData([], [])
        expected = self._expected_series.get(key)
        if expected is not None:
            self._expected[key].setData((expected.time_s - self._zero_s) / self._unit_s, expected.value)

    def drawn(self, key: str) -> int:
        """How many measured points are on screen for a quantity."""
        data = self._measured[key].getData()[0]
        return 0 if data is None else len(data)

    def has_expected(self, key: str) -> bool:
        data = self._expected[key].getData()[0]
        return data is not None and len(data) > 0

    def visible_area(self) -> QRectF:
        return QRectF(self._first.vb.viewRect())
