"""Plots, ladders and bars, drawn from their data."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ubrant.core.drawings import (
    DASHED,
    DOTTED,
    HELD,
    OFF,
    OUTSIDE,
    PLANNED,
    SOLID,
    TAKEN,
    Area,
    Bars,
    Contours,
    Curve,
    Dots,
    Ladder,
    Layer,
    Plot,
    Rule,
    Sticks,
)
from ubrant.core.quantities.quantity import plain
from ubrant.core.quantities.readings import Array
from ubrant.ui.widgets.axes import Axes, ticks
from ubrant.ui.widgets.text import in_a_line
from ubrant.ui.widgets.theme import SMALL, color, font

_STYLES = {SOLID: Qt.PenStyle.SolidLine, DOTTED: Qt.PenStyle.DotLine, DASHED: Qt.PenStyle.DashLine}
_KEYS = {SOLID: "—  ", DOTTED: "····  ", DASHED: "– –  "}
_HATCHES = (Qt.BrushStyle.Dense4Pattern, Qt.BrushStyle.BDiagPattern, Qt.BrushStyle.FDiagPattern)
_GOING_UP = QPointF(8, 0)
"""Points taken with the input going up stand beside those taken going down."""
_MOST_DRAWN = 4000


class PlotView(Axes):
    """Draws the layers of a plot over each other."""

    def __init__(self, plot: Plot | None = None, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.plot: Plot | None = None
        if plot is not None:
            self.show_plot(plot)

    def show_plot(self, plot: Plot) -> None:
        self.plot = plot
        self.name_axes(plot.title, plot.along, plot.up, by_root=plot.by_root)
        self.spans, self.up_marks = (plot.x_span, plot.y_span), list(plot.up_marks) or None
        self.setAccessibleName(plot.title)
        self.setAccessibleDescription(plot.told)
        self.update()

    def draw(self, painter: QPainter) -> None:
        keyed = 0
        for layer in self.plot.layers if self.plot is not None else ():
            painter.save()
            painter.setBrush(Qt.BrushStyle.NoBrush)
            self._layer(painter, layer, keyed)
            painter.restore()
            keyed += isinstance(layer, Curve) and layer.keyed

    def _layer(self, painter: QPainter, layer: Layer, line: int) -> None:
        match layer:
            case Curve():
                self._curve(painter, layer, line)
            case Area():
                self._area_of(painter, layer)
            case Dots():
                self._dots(painter, layer)
            case Rule():
                self._level(painter, layer)
            case Sticks():
                self._sticks(painter, layer)
            case Contours():
                self._contours(painter, layer)

    def _places(self, x: Array, y: Array) -> list[QPointF]:
        thin = max(len(x) // _MOST_DRAWN, 1)
        return [self.place(float(a), float(b)) for a, b in zip(x[::thin], y[::thin], strict=True)]

    def _curve(self, painter: QPainter, curve: Curve, line: int) -> None:
        painter.setPen(QPen(color(curve.tint), 1.6, _STYLES[curve.style]))
        places = self._places(curve.x, curve.y)
        if len(places) == 1:
            painter.setBrush(QBrush(color(curve.tint)))
            painter.drawEllipse(places[0], 4, 4)
        else:
            painter.drawPolyline(QPolygonF(places))
        if not curve.label or not places:
            return
        if curve.keyed:
            self._words(painter, self._key_at(painter), 32 + 20 * line, _KEYS[curve.style] + curve.label)
        else:
            at = self.place(float(curve.x[-1]), float(np.mean(curve.y[len(curve.y) // 2 :])))
            room = painter.fontMetrics().horizontalAdvance(curve.label) + 8
            left = self.place(self.spans[0][0], 0).x() + 4  # what ends at the left is named inside all the same
            self._words(painter, max(at.x() - room, left), at.y() - 24, curve.label)

    def _key_at(self, painter: QPainter) -> float:
        """Where the names of the curves begin: at the left, or at the right where they hide less of the curves."""
        curves = [layer for layer in self.plot.layers if isinstance(layer, Curve)] if self.plot is not None else []
        keyed = [_KEYS[c.style] + c.label for c in curves if c.keyed and c.label]
        wide = max((painter.fontMetrics().horizontalAdvance(text) + 8 for text in keyed), default=0)
        (x0, x1), _ = self.spans
        left, right = self.place(x0, 0).x() + 4, self.place(x1, 0).x() - wide - 4
        places = [at for c in curves for at in self._places(c.x, c.y) if at.y() < 32 + 20 * len(keyed)]
        hidden = [sum(start <= at.x() <= start + wide for at in places) for start in (left, right)]
        return right if hidden[1] < hidden[0] else left

    def _words(self, painter: QPainter, x: float, y: float, text: str) -> None:
        box = QRectF(x, y, painter.fontMetrics().horizontalAdvance(text) + 8, 18)
        painter.fillRect(box, color("paper"))
        painter.setPen(color("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, in_a_line(text))

    def _area_of(self, painter: QPainter, area: Area) -> None:
        upper = self._places(area.x, area.high)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QBrush(color(area.tint), _HATCHES[area.hatch]))
        painter.drawPolygon(QPolygonF([*upper, *self._places(area.x[::-1], area.low[::-1])]))
        painter.setPen(QPen(color(area.tint), 1))
        painter.drawPolyline(QPolygonF(upper))
        if area.label and area.high[-1] - area.low[-1] > 0.06 * self.spans[1][1]:
            at = self.place(float(area.x[-1]), float(area.low[-1] + area.high[-1]) / 2)
            room = painter.fontMetrics().horizontalAdvance(area.label) + 8
            self._words(painter, at.x() - room - 6, at.y() - 9, area.label)

    def _dots(self, painter: QPainter, dots: Dots) -> None:
        places = self._places(dots.x, dots.y)
        for k, at in enumerate(places):
            shifted = at + _GOING_UP if k < len(dots.rising) and dots.rising[k] else at
            draw_point(painter, shifted, dots.states[k] if k < len(dots.states) else TAKEN)
            if k == dots.ringed:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(color("current"), 2))
                painter.drawEllipse(shifted, 8, 8)

    def _level(self, painter: QPainter, rule: Rule) -> None:
        (x0, x1), _ = self.spans
        painter.setPen(QPen(color(rule.tint), 1.4, Qt.PenStyle.DashLine))
        painter.drawLine(self.place(x0, rule.y), self.place(x1, rule.y))
        at = self.place(x0, rule.y)
        painter.setPen(color("ink"))
        painter.drawText(QRectF(at.x() + 6, at.y() + (2 if rule.below else -18), 200, 16), Qt.AlignmentFlag.AlignLeft, rule.label)

    def _sticks(self, painter: QPainter, sticks: Sticks) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QBrush(color(sticks.tint)))
        width = max((self.place(2, 0).x() - self.place(1, 0).x()) * 0.6, 2.0)
        for x, y in zip(sticks.x, sticks.y, strict=True):
            top, base = self.place(float(x), float(y)), self.place(float(x), 0.0)
            painter.drawRect(QRectF(top.x() - width / 2, top.y(), width, base.y() - top.y()))

    def _contours(self, painter: QPainter, contours: Contours) -> None:
        """Each level's lines, and its words on one of them where no other's stand."""
        painter.setPen(QPen(color(contours.tint), 1.4))
        lines = [(words, [self.place(float(x), float(y)) for x, y in line]) for words, contour in contours.levels for line in contour]
        for _, places in lines:
            painter.drawPolyline(QPolygonF(places))
        painter.setFont(font(SMALL))
        painter.setPen(color(contours.tint))
        taken: list[QRectF] = []
        for words, places in reversed(lines):
            if len(places) <= 8:
                continue
            boxes = (QRectF(at.x() - 13, at.y() - 8, 26, 16) for at in (places[len(places) * k // 8] for k in (4, 2, 6, 3, 5, 1, 7)))
            box = next((b for b in boxes if not any(b.adjusted(-2, -1, 2, 1).intersects(t) for t in taken)), None)
            if box is not None:
                taken.append(box)
                painter.fillRect(box, color("paper"))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def draw_point(painter: QPainter, at: QPointF, state: str) -> None:
    """A dot; a ring for what is planned, a diamond for outside tolerance, a cross for off, a triangle for held."""
    if state == OFF:
        painter.setPen(QPen(color("loss"), 1.6))
        painter.drawLine(at + QPointF(-4, -4), at + QPointF(4, 4))
        painter.drawLine(at + QPointF(-4, 4), at + QPointF(4, -4))
        return
    if state == PLANNED:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(color("quiet"), 1))
        painter.drawEllipse(at, 3.2, 3.2)
        return
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QBrush(color("voltage" if state == TAKEN else "caution")))
    if state == TAKEN:
        painter.drawEllipse(at, 4, 4)
    elif state == OUTSIDE:
        painter.drawPolygon(QPolygonF([at + QPointF(0, -5.5), at + QPointF(5.5, 0), at + QPointF(0, 5.5), at + QPointF(-5.5, 0)]))
    elif state == HELD:
        painter.drawPolygon(QPolygonF([at + QPointF(0, -6), at + QPointF(5.5, 4), at + QPointF(-5.5, 4)]))


class LadderView(QWidget):
    """Findings of one quantity on one axis, each with its ±."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.ladder: Ladder | None = None
        self.setMinimumHeight(120)
        self.setMaximumHeight(140)

    def show_ladder(self, ladder: Ladder) -> None:
        self.ladder = ladder
        self.setAccessibleName(ladder.title)
        self.setAccessibleDescription(", ".join(f"{r.name}: {r.finding.with_uncertainty()}" for r in ladder.rungs))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        ladder = self.ladder
        if ladder is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), color("paper"))
        painter.setPen(color("ink"))
        painter.setFont(font(SMALL + 1, bold=True))
        painter.drawText(QRectF(10, 4, 300, 20), Qt.AlignmentFlag.AlignLeft, ladder.title)
        painter.setFont(font(SMALL))
        left, right, base = 58.0, self.width() - 30.0, self.height() - 26.0
        low, high = ladder.span

        def x_of(value: float) -> float:
            return left + (value - low) / max(high - low, 1e-9) * (right - left)

        painter.setPen(QPen(color("ink"), 1.4))
        painter.drawLine(QPointF(left, base), QPointF(right, base))
        for value in ticks(low, high):
            painter.setPen(color("ink"))
            painter.drawLine(QPointF(x_of(value), base), QPointF(x_of(value), base + 4))
            painter.drawText(QRectF(x_of(value) - 30, base + 5, 60, 16), Qt.AlignmentFlag.AlignCenter, plain(value, 4))
        places = [
            (r, r.finding.value or 0.0, r.finding.expanded_uncertainty or 0.0, 34.0 + 20 * line) for line, r in enumerate(ladder.rungs)
        ]
        for rung, value, half, y in places:
            painter.setPen(QPen(color(rung.tint), 2))
            painter.drawLine(QPointF(x_of(value), y), QPointF(x_of(value), base))
            painter.drawLine(QPointF(x_of(value - half), y), QPointF(x_of(value + half), y))
        for rung, value, half, y in places:  # over the lines, so that none goes through the words
            text = f"{rung.name} {rung.finding.with_uncertainty()}"
            room = painter.fontMetrics().horizontalAdvance(text) + 8
            at = x_of(value + half) + 6
            at = at if at + room < self.width() else x_of(value - half) - room - 2
            box = QRectF(at, y - 9, room, 18)
            painter.fillRect(box, color("paper"))
            painter.setPen(color("ink"))
            painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)


class BarsView(QWidget):
    """One bar a finding, with its value and ±; what belongs to it in another unit as an outline."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.bars = Bars(())
        self.setMinimumSize(240, 180)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(self.tr("Bars"))

    def show_bars(self, bars: Bars) -> None:
        self.bars = bars
        self.setAccessibleDescription(", ".join(f"{f.name}: {f.with_uncertainty()}" for f, _, _ in bars.rows))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), color("paper"))
        painter.setFont(font(SMALL + 1))
        rows = self.bars.rows
        if not rows:
            return
        longest = max(max(f.value or 0.0, other or 0.0) for f, other, _ in rows) or 1.0
        names = max(painter.fontMetrics().horizontalAdvance(f.name) for f, _, _ in rows) + 20
        room = max(self.width() - names - 210, 60)
        step = min(58.0, (self.height() - 14) / len(rows))
        tall = min(32.0, step - 8)
        for line, (finding, other, beside) in enumerate(rows):
            y = min(24.0, step - tall) + step * line
            painter.setPen(color("ink"))
            painter.drawText(QRectF(10, y, names - 14, tall), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, finding.name)
            end = room * (finding.value or 0.0) / longest
            painter.fillRect(QRectF(names, y, end, tall), color("power"))
            if other is not None:
                painter.setPen(QPen(color("power"), 1.2, Qt.PenStyle.DashLine))
                painter.drawRect(QRectF(names, y, room * other / longest, tall))
                end = max(end, room * other / longest)
            painter.setPen(color("ink"))
            text = finding.with_uncertainty() + (f" · {beside}" if beside else "")
            left = names + end + 8
            place = QRectF(left, y - 8, max(self.width() - left - 6, 120), tall + 16)
            painter.drawText(place, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap, text)
