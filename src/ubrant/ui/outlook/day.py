"""The day of an outlook, drawn: loads stacked, what comes in, what is left with its band; and below, when each load is on, to be dragged."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ubrant.core.outlook.answers import OutlookAnswer
from ubrant.core.outlook.duty import DAY_S, Duty, clock
from ubrant.core.quantities.quantity import plain
from ubrant.core.quantities.readings import Array
from ubrant.ui.widgets.axes import ticks
from ubrant.ui.widgets.theme import SMALL, color, font

LEFT, RIGHT = 56.0, 12.0
ROW = 32
_HOUR_STEPS = (300, 600, 900, 1800, 3600, 7200, 10800, 14400, 21600, 43200, 86400, 172800, 432000, 864000)
_SNAP_S = 300.0
_GRIP = 7.0
_SHADES = (235, 165, 110, 75)
_HATCHES = (Qt.BrushStyle.NoBrush, Qt.BrushStyle.BDiagPattern, Qt.BrushStyle.Dense6Pattern, Qt.BrushStyle.FDiagPattern)


def shade(place: int) -> tuple[QColor, Qt.BrushStyle]:
    """A load's colour and its hatch, so that colour is never alone."""
    return color("current", _SHADES[place % len(_SHADES)]), _HATCHES[place % len(_HATCHES)]


class TimeAxis:
    """Seconds from when it is switched on, over the width of a widget."""

    def __init__(self) -> None:
        self.span_s, self.starts_s, self.by_clock = DAY_S, 0.0, False

    def fit(self, looked: OutlookAnswer) -> None:
        """Past the end of the band, or a day where there is none."""
        kit = looked.middle.kit
        horizon = float(looked.middle.horizon_s)
        end = looked.runtime_s if looked.runtime_s is not None else min(DAY_S, horizon)
        late = min(looked.high_s, 1.6 * max(end, 60.0)) if math.isfinite(looked.high_s) else end
        self.span_s = max(min(1.12 * max(end, late), horizon), 60.0)
        if kit.varies:
            self.span_s = max(self.span_s, min(DAY_S / 2, horizon))
        self.starts_s, self.by_clock = kit.starts_s, kit.varies and self.span_s <= 4 * DAY_S

    def x(self, seconds: float, width: float) -> float:
        return LEFT + seconds / self.span_s * max(width - LEFT - RIGHT, 1.0)

    def seconds(self, x: float, width: float) -> float:
        return (x - LEFT) / max(width - LEFT - RIGHT, 1.0) * self.span_s

    def ticks(self, width: float) -> list[tuple[float, str]]:
        """(seconds, its words): by the clock where that matters, else hours from the start."""
        wanted = max(int((width - LEFT - RIGHT) / 90), 2)
        step = next((s for s in _HOUR_STEPS if self.span_s / s <= wanted), _HOUR_STEPS[-1])
        if not self.by_clock:
            unit, name = (86400.0, "d") if step >= 86400 else (3600.0, "h") if step >= 1800 else (60.0, "min")
            return [(k * step, f"{plain(k * step / unit, 3)} {name}") for k in range(int(self.span_s / step) + 1)]
        first = math.ceil(self.starts_s / step) * step
        return [(at - self.starts_s, clock(at)) for at in np.arange(first, self.starts_s + self.span_s + 1, step).tolist()]


class DayView(QWidget):
    """Loads stacked with what comes in below them; under that what is left, with its band, and when it goes dark."""

    def __init__(self, axis: TimeAxis, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._axis = axis
        self._looked: OutlookAnswer | None = None
        self.setMinimumHeight(210)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(self.tr("The day"))

    def show_looked(self, looked: OutlookAnswer | None, told: str = "") -> None:
        self._looked = looked
        self.setAccessibleDescription(told)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), color("paper"))
        if self._looked is None:
            return
        high = self.height()
        upper = QRectF(LEFT, 12, self.width() - LEFT - RIGHT, high * 0.56 - 12)
        lower = QRectF(LEFT, upper.bottom() + 14, upper.width(), high - upper.bottom() - 14 - 24)
        self._grid(painter, upper, lower)
        self._loads(painter, upper, self._looked)
        self._left(painter, lower, self._looked)
        self._dark(painter, QRectF(upper.left(), upper.top(), upper.width(), lower.bottom() - upper.top()), self._looked)

    def _grid(self, painter: QPainter, upper: QRectF, lower: QRectF) -> None:
        painter.setFont(font(SMALL))
        for at, words in self._axis.ticks(self.width()):
            x = self._axis.x(at, self.width())
            painter.setPen(QPen(color("faint"), 1))
            painter.drawLine(QPointF(x, upper.top()), QPointF(x, lower.bottom()))
            painter.setPen(color("ink"))
            painter.drawText(QRectF(x - 45, lower.bottom() + 4, 90, 18), Qt.AlignmentFlag.AlignCenter, words)
        painter.setPen(QPen(color("line"), 1))
        for area in (upper, lower):
            painter.drawLine(area.topLeft(), area.bottomLeft())

    def _loads(self, painter: QPainter, area: QRectF, looked: OutlookAnswer) -> None:
        walked, kit = looked.middle, looked.middle.kit
        shown = walked.time_s[:-1] <= self._axis.span_s
        time, watts = walked.time_s[:-1][shown], walked.demand.load_w[shown]
        into = walked.demand.into_w[shown, 0]
        ends = np.minimum(walked.time_s[1:][shown], self._axis.span_s)
        dark = np.minimum(ends, float(walked.end_s[0])) if looked.runtime_s is not None else ends
        top = max(float(watts.sum(axis=1).max(initial=0.0)), 1e-9) * 1.12
        low = max(float(into.max(initial=0.0)), 0.0) * 1.15
        zero = area.top() + area.height() * top / (top + low)

        def y(value: float) -> float:
            return zero - value / (top + low) * area.height()

        painter.setFont(font(SMALL))
        for value in [v for v in ticks(-low, top) if v >= -low]:
            painter.setPen(QPen(color("faint"), 1))
            painter.drawLine(QPointF(area.left(), y(value)), QPointF(area.right(), y(value)))
            painter.setPen(color("current" if value >= 0 else "voltage"))
            text = plain(abs(value), 3)
            painter.drawText(QRectF(0, y(value) - 9, LEFT - 8, 18), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
        painter.setPen(color("current"))
        painter.drawText(QRectF(area.left() + 6, area.top() - 4, 200, 18), Qt.AlignmentFlag.AlignLeft, self.tr("loads, W"))
        lit = time < (float(walked.end_s[0]) if looked.runtime_s is not None else math.inf)
        below = np.zeros(len(time))
        for place in range(len(kit.loads)):
            above = below + watts[:, place]
            tint, hatch = shade(place)
            self._steps(painter, time[lit], dark[lit], above[lit], below[lit], y, tint, hatch)
            below = above
        if low > 0:
            self._steps(painter, time, ends, np.zeros(len(time)), -into, y, color("voltage", 95), Qt.BrushStyle.NoBrush)
            painter.setPen(color("voltage"))
            painter.drawText(QRectF(area.left() + 6, y(0) + 2, 240, 18), Qt.AlignmentFlag.AlignLeft, self.tr("comes in"))
        painter.setPen(QPen(color("ink"), 1))
        painter.drawLine(QPointF(area.left(), y(0)), QPointF(area.right(), y(0)))

    def _steps(
        self, painter: QPainter, start: Array, end: Array, above: Array, below: Array, y: object, tint: QColor, hatch: Qt.BrushStyle
    ) -> None:
        """An area of steps, alike ones drawn as one."""
        assert callable(y)
        if not len(start):
            return
        change = np.flatnonzero((np.diff(above) != 0) | (np.diff(below) != 0)) + 1
        firsts, lasts = np.r_[0, change], np.r_[change, len(start)] - 1
        width = self.width()
        painter.setPen(Qt.PenStyle.NoPen)
        for first, last in zip(firsts.tolist(), lasts.tolist(), strict=True):
            if above[first] - below[first] == 0:
                continue
            x0, x1 = self._axis.x(float(start[first]), width), self._axis.x(float(end[last]), width)
            body = QRectF(x0, y(float(above[first])), max(x1 - x0, 0.5), y(float(below[first])) - y(float(above[first])))
            painter.fillRect(body, tint)
            if hatch != Qt.BrushStyle.NoBrush:
                painter.fillRect(body, QBrush(color("paper", 120), hatch))

    def _left(self, painter: QPainter, area: QRectF, looked: OutlookAnswer) -> None:
        walked = looked.middle
        kit, width = walked.kit, self.width()

        def place(seconds: Array, share: Array) -> QPolygonF:
            points = [
                QPointF(self._axis.x(min(s, self._axis.span_s), width), area.bottom() - v * area.height())
                for s, v in zip(seconds.tolist(), np.clip(share, 0, 1).tolist(), strict=True)
            ]
            return QPolygonF(points)

        painter.setFont(font(SMALL))
        for value in (0, 50, 100):
            y = area.bottom() - value / 100 * area.height()
            painter.setPen(QPen(color("faint"), 1))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            painter.setPen(color("voltage"))
            text = f"{value} %"
            painter.drawText(QRectF(0, y - 9, LEFT - 8, 18), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
        time, low, high = looked.band
        shown = time <= self._axis.span_s
        if len(time) and shown.sum() > 1:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(color("voltage", 55))
            edge = place(time[shown], high[shown])
            back = place(time[shown][::-1], low[shown][::-1])
            painter.drawPolygon(QPolygonF([*(edge.at(k) for k in range(edge.count())), *(back.at(k) for k in range(back.count()))]))
            painter.setBrush(Qt.BrushStyle.NoBrush)
        end = looked.runtime_s if looked.runtime_s is not None else math.inf
        until = walked.time_s <= min(end, self._axis.span_s) + 1e-6
        if until.sum() > 1:
            painter.setPen(QPen(color("voltage"), 2))
            painter.drawPolyline(place(walked.time_s[until], walked.left[until, 0]))
        whole = sum(s.energy_wh for s in kit.sources)
        kept = 1 - sum(s.usable_wh for s in kit.sources) / whole if whole else 0.0
        if kept > 1e-6 and all(s.full.value == 1 for s in kit.sources):
            y = area.bottom() - kept * area.height()
            painter.setPen(QPen(color("loss"), 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            painter.drawText(QRectF(area.left() + 6, y - 18, 200, 16), Qt.AlignmentFlag.AlignLeft, self.tr("kept back"))
        painter.setPen(color("voltage"))
        painter.drawText(QRectF(area.right() - 160, area.top() - 2, 154, 18), Qt.AlignmentFlag.AlignRight, self.tr("left"))
        for at, name in walked.hand_overs:
            if at <= self._axis.span_s:
                x = self._axis.x(at, width)
                painter.setPen(QPen(color("caution"), 1.4, Qt.PenStyle.DashDotLine))
                painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
                painter.drawText(
                    QRectF(x + 4, area.top(), 200, 18), Qt.AlignmentFlag.AlignLeft, self.tr("{name} takes over").format(name=name)
                )

    def _dark(self, painter: QPainter, area: QRectF, looked: OutlookAnswer) -> None:
        if looked.runtime_s is None or looked.beyond:
            return
        width = self.width()
        x = self._axis.x(min(looked.runtime_s, self._axis.span_s), width)
        low, high = (self._axis.x(min(max(s, 0.0), self._axis.span_s), width) for s in (looked.low_s, looked.high_s))
        if high - low > 1:
            painter.fillRect(QRectF(low, area.top(), high - low, area.height()), QBrush(color("loss", 60)))
            painter.fillRect(QRectF(low, area.top(), high - low, area.height()), QBrush(color("loss", 90), Qt.BrushStyle.BDiagPattern))
        painter.setPen(QPen(color("loss"), 2))
        painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
        painter.setFont(font(SMALL, bold=True))
        side = Qt.AlignmentFlag.AlignRight if x > area.center().x() else Qt.AlignmentFlag.AlignLeft
        room = QRectF(x - 106, area.top() - 3, 100, 16) if side == Qt.AlignmentFlag.AlignRight else QRectF(x + 6, area.top() - 3, 100, 16)
        painter.drawText(room, side, self.tr("dark"))


class Strips(QWidget):
    """When each load is on, a row each on the day's own axis. A stretch is dragged by its middle or an end, a new one drawn where there is none."""

    dragged = pyqtSignal(int, object, bool)

    def __init__(self, axis: TimeAxis, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._axis = axis
        self._duties: list[Duty] = []
        self._held: tuple[int, int, str, float] | None = None
        self._windows: list[tuple[float, float]] = []
        self._drawn_from = 0.0
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(self.tr("When each load is on"))

    def sizeHint(self) -> QSize:
        return QSize(400, max(len(self._duties), 1) * ROW)

    def show_duties(self, duties: list[Duty]) -> None:
        self._duties = duties
        self.setFixedHeight(max(len(duties), 1) * ROW)
        self.setAccessibleDescription("; ".join(d.text() for d in duties))
        self.update()

    def stretches(self, row: int) -> list[tuple[float, float, int]]:
        """(from, to, which window) in seconds from the start, as far as the axis goes."""
        found = []
        for k, (start, end) in enumerate(self._duties[row].windows):
            day = -1
            while day * DAY_S + start - self._axis.starts_s < self._axis.span_s:
                a, b = (day * DAY_S + s - self._axis.starts_s for s in (start, end))
                if b > 0:
                    found.append((max(a, 0.0), min(b, self._axis.span_s), k))
                day += 1
        return found

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), color("ground"))
        width = self.width()
        for row, duty in enumerate(self._duties):
            middle = row * ROW + ROW / 2
            painter.setPen(QPen(color("line"), 1))
            painter.drawLine(QPointF(LEFT, middle), QPointF(width - RIGHT, middle))
            tint, hatch = shade(row)
            if not duty.windows:
                self._bar(painter, 0.0, self._axis.span_s, middle, tint, hatch, duty)
            for start, end, _ in self.stretches(row):
                self._bar(painter, start, end, middle, tint, hatch, duty)

    def _bar(self, painter: QPainter, start: float, end: float, middle: float, tint: QColor, hatch: Qt.BrushStyle, duty: Duty) -> None:
        x0, x1 = self._axis.x(start, self.width()), self._axis.x(end, self.width())
        body = QRectF(x0, middle - 8, max(x1 - x0, 2.0), 16)
        share = duty.share.value
        if share < 1:
            painter.fillRect(body, color("current", 40))
            body = QRectF(body.left(), body.bottom() - 16 * share, body.width(), 16 * share)
        painter.fillRect(body, tint)
        if hatch != Qt.BrushStyle.NoBrush:
            painter.fillRect(body, QBrush(color("paper", 120), hatch))
        if share < 1:
            painter.setFont(font(SMALL))
            painter.setPen(color("ink"))
            words = f"{plain(100 * share, 3)} %"
            painter.drawText(QRectF(x0 + 4, middle - 9, 120, 18), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words)

    # dragging

    def _at(self, x: float, y: float) -> tuple[int, int, str] | None:
        """(row, window, what of it) under a place."""
        row = int(y // ROW)
        if not 0 <= row < len(self._duties):
            return None
        for start, end, k in self.stretches(row):
            x0, x1 = self._axis.x(start, self.width()), self._axis.x(end, self.width())
            if abs(x - x0) <= _GRIP:
                return row, k, "start"
            if abs(x - x1) <= _GRIP:
                return row, k, "end"
            if x0 < x < x1:
                return row, k, "all"
        return row, -1, "new"

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position()
        found = self._at(at.x(), at.y())
        if found is None:
            return
        seconds = self._snapped(at.x())
        self._windows = list(self._duties[found[0]].windows)
        self._held, self._drawn_from = (*found, seconds), seconds

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = event.position()
        if self._held is None:
            found = self._at(at.x(), at.y())
            shapes = {"start": Qt.CursorShape.SizeHorCursor, "end": Qt.CursorShape.SizeHorCursor, "all": Qt.CursorShape.OpenHandCursor}
            self.setCursor(shapes.get(found[2], Qt.CursorShape.CrossCursor) if found is not None else Qt.CursorShape.ArrowCursor)
            return
        self._drag(self._snapped(at.x()), final=False)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._held is not None:
            self._drag(self._snapped(event.position().x()), final=True)
            self._held = None

    def _snapped(self, x: float) -> float:
        return round((self._axis.seconds(x, self.width()) + self._axis.starts_s) / _SNAP_S) * _SNAP_S

    def _drag(self, to: float, *, final: bool) -> None:
        assert self._held is not None
        row, k, what, start = self._held
        if to == start and (what == "new" or not final):
            return
        windows = list(self._windows)
        if what == "new":
            windows.append((min(start, to), max(start, to)))
        else:
            a, b = windows[k]
            moved = to - start
            windows[k] = {
                "start": (min(a + moved, b - _SNAP_S), b),
                "end": (a, max(b + moved, a + _SNAP_S)),
                "all": (a + moved, b + moved),
            }[what]
        self.dragged.emit(row, _in_a_day(windows), final)


def _in_a_day(windows: list[tuple[float, float]]) -> tuple[tuple[float, float], ...]:
    """Starting within a day, at most a day long, in order."""
    found = []
    for start, end in windows:
        length = min(end - start, DAY_S)
        begin = start % DAY_S
        found.append((begin, begin + length))
    return tuple(sorted(found))
