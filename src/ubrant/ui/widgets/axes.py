"""A plain pair of axes that drawings stand on."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ubrant.core.quantities.quantity import plain
from ubrant.ui.widgets.theme import SMALL, color, font

_LEFT, _RIGHT, _TOP, _BOTTOM = 58, 14, 30, 40


def _near(share: float) -> float:
    """Of the span, at most a few spans outside; what is no number, at the edge."""
    return min(max(share, -_FAR), _FAR) if share == share else 0.0


_FAR = 4.0


class Axes(QWidget):
    """Draws ground, grid lines and titles; ``draw`` is what a drawing adds. ``spans`` are (low, high) of x and y; ``up_marks`` names places on the
    axis upward where round numbers would not do. ``by_root``: the axis along goes by the square root, so that small values have room."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._title = self._along = self._up = ""
        self.by_root = False
        self.spans = ((0.0, 1.0), (0.0, 1.0))
        self.up_marks: list[tuple[float, str]] | None = None
        self.setMinimumSize(240, 130)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def name_axes(self, title: str, along: str, up: str, *, by_root: bool = False) -> None:
        self._title, self._along, self._up, self.by_root = title, along, up, by_root

    def place(self, x: float, y: float) -> QPointF:
        """Where a point of the data stands in the widget; what lies far outside, just outside: a dashed line over a million pixels is never done."""
        (x0, x1), (y0, y1) = self.spans
        area = self._area()
        if self.by_root:
            x, x0, x1 = (math.sqrt(max(value, 0.0)) for value in (x, x0, x1))
        along, up = (x - x0) / max(x1 - x0, 1e-12), (y - y0) / max(y1 - y0, 1e-12)
        return QPointF(area.left() + _near(along) * area.width(), area.bottom() - _near(up) * area.height())

    def _area(self) -> QRectF:
        return QRectF(_LEFT, _TOP, max(self.width() - _LEFT - _RIGHT, 10), max(self.height() - _TOP - _BOTTOM, 10))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), color("paper"))
        painter.setPen(color("ink"))
        painter.setFont(font(SMALL + 1, bold=True))
        painter.drawText(QRectF(10, 4, self.width() - 20, 22), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self._title)
        painter.setFont(font(SMALL))
        self._rule(painter)
        self.draw(painter)

    def _rule(self, painter: QPainter) -> None:
        area, (across, upward) = self._area(), self.spans
        grid = QPen(color("line"), 1)
        for value in root_ticks(across[1]) if self.by_root else ticks(*across):
            x = self.place(value, upward[0]).x()
            painter.setPen(grid)
            painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
            painter.setPen(color("ink"))
            painter.drawText(QRectF(x - 40, area.bottom() + 2, 80, 16), Qt.AlignmentFlag.AlignCenter, plain(value, 4))
        marks = self.up_marks if self.up_marks is not None else [(v, plain(v, 4)) for v in ticks(*upward)]
        for value, text in marks:
            y = self.place(across[0], value).y()
            painter.setPen(grid)
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            painter.setPen(color("ink"))
            painter.drawText(QRectF(4, y - 9, _LEFT - 10, 18), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
        painter.setPen(color("quiet"))
        painter.drawText(QRectF(area.left(), area.bottom() + 18, area.width(), 18), Qt.AlignmentFlag.AlignCenter, self._along)
        painter.drawText(
            QRectF(self.width() - 160, 4, 150, 22), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"↑ {self._up}"
        )

    def draw(self, painter: QPainter) -> None:
        """What stands on the axes."""


def ticks(low: float, high: float) -> list[float]:
    """Round values between two ends, four to eight of them."""
    if not high > low:
        return [low]
    raw = (high - low) / 6
    power = 10 ** math.floor(math.log10(raw))
    step = next(s * power for s in (1, 2, 5, 10) if s * power >= raw)
    first = math.ceil(low / step - 1e-9) * step
    return [round(first + k * step, 10) for k in range(int((high - first) / step + 1e-9) + 1)]


def root_ticks(high: float) -> list[float]:
    """0 and round values up to an end, for an axis that goes by the square root: none closer to its neighbour than a fourteenth of the axis."""
    if not high > 0:
        return [0.0]
    power = 10.0 ** (math.floor(math.log10(high)) - 2)
    ticks = [high * 2]
    for value in sorted((s * power * 10**k for k in range(3) for s in (1, 2, 3, 5, 7)), reverse=True):
        if value <= high and math.sqrt(ticks[-1]) - math.sqrt(value) >= math.sqrt(high) / 14 and math.sqrt(value) >= math.sqrt(high) / 14:
            ticks.append(round(value, 10))
    return [0.0, *reversed(ticks[1:])]
