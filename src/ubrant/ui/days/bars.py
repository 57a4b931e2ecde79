"""The plan as bars: a row each for what is tested and for what it takes, nights shaded, now a line; what has not begun may be dragged."""

from __future__ import annotations

import math
from datetime import datetime, timedelta

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ubrant.core.planning.schedule import moved_by_hand
from ubrant.core.planning.steps import REST, TEST, BenchPlan, Placed
from ubrant.core.wording import say
from ubrant.runs.bench_days.living import Days
from ubrant.ui.widgets.text import in_a_line, set_tip
from ubrant.ui.widgets.theme import SMALL, color, font

_LEFT, _RIGHT, _TOP, _ROW, _BAR = 128.0, 14.0, 26.0, 40.0, 26.0
_SNAP_S = 900.0
_EDGE_S = 1800.0


class DaysBars(QWidget):
    """``dragged`` tells of a step that was put elsewhere."""

    dragged = pyqtSignal(str, float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.days: Days | None = None
        self._shown = BenchPlan()
        self._troubles: dict[str, str] = {}
        self._now = 0.0
        self._held: tuple[str, float, float] | None = None
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(self.tr("The plan as bars"))

    def show_days(self, days: Days | None, now: float, plan: BenchPlan | None = None, troubles: dict[str, str] | None = None) -> None:
        """This plan; ``plan`` and ``troubles`` where a step is held elsewhere and why that cannot be."""
        self.days, self._now = days, now
        self._shown = plan if plan is not None else days.plan if days is not None else BenchPlan()
        self._troubles = troubles or {}
        self._held = None
        self.setMinimumHeight(round(_TOP + _ROW * len(self._rows()) + 22))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(640, self.minimumHeight())

    # where things are

    def _rows(self) -> list[tuple[str, bool]]:
        """(name, whether it is a tool), units in their order, then what they take."""
        if self.days is None:
            return []
        units = list(dict.fromkeys(step.unit for step in self.days.bench.steps))
        tools = sorted({tool for one in self._shown.placed.values() for tool in one.tools})
        return [(name, False) for name in units] + [(name, True) for name in tools]

    def _span(self) -> tuple[float, float]:
        start = min(self._shown.begins, self._now or math.inf) - _EDGE_S
        return start, max(self._shown.ends, start + 3600) + _EDGE_S

    def place_of(self, moment: float) -> float:
        start, end = self._span()
        return _LEFT + (moment - start) / (end - start) * max(self.width() - _LEFT - _RIGHT, 1.0)

    def moment_at(self, x: float) -> float:
        start, end = self._span()
        return start + (x - _LEFT) / max(self.width() - _LEFT - _RIGHT, 1.0) * (end - start)

    def bar_of(self, key: str) -> QRectF:
        """Where a step's bar is, in its unit's row."""
        assert self.days is not None
        one = self._shown.placed[key]
        names = [name for name, is_tool in self._rows() if not is_tool]
        top = _TOP + _ROW * names.index(self.days.bench.step(key).unit) + (_ROW - _BAR) / 2
        return QRectF(self.place_of(one.start), top, max(self.place_of(one.end) - self.place_of(one.start), 2.0), _BAR)

    # drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), color("paper"))
        if self.days is None or not self._shown.placed:
            return
        rows = self._rows()
        bottom = _TOP + _ROW * len(rows)
        self._nights(painter, bottom)
        self._hours(painter, bottom)
        painter.setFont(font(SMALL))
        for number, (name, is_tool) in enumerate(rows):
            top = _TOP + _ROW * number
            first_tool = is_tool and not rows[number - 1][1]
            painter.setPen(QPen(color("quiet" if first_tool else "line"), 1.4 if first_tool else 1))
            painter.drawLine(QPointF(0, top), QPointF(self.width(), top))
            painter.setPen(color("ink"))
            room = QRectF(4, top, _LEFT - 10, _ROW)
            text = painter.fontMetrics().elidedText(in_a_line(name), Qt.TextElideMode.ElideRight, int(room.width()))
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)
            if is_tool:
                self._taken(painter, name, top)
        for key, one in self._shown.placed.items():
            self._bar(painter, key, one)
        if self._now:
            painter.setPen(QPen(color("loss"), 1.6))
            x = self.place_of(self._now)
            painter.drawLine(QPointF(x, _TOP - 6), QPointF(x, bottom))
            painter.drawText(QRectF(x + 4, bottom + 2, 120, 18), Qt.AlignmentFlag.AlignLeft, say("now, {time}", time=_clock(self._now)))

    def _nights(self, painter: QPainter, bottom: float) -> None:
        assert self.days is not None
        start, end = self._span()
        edge = start
        for span in [*self.days.bench.here, None]:
            until = span.start if span is not None else end
            if until > edge:
                left, right = self.place_of(max(edge, start)), self.place_of(min(until, end))
                if right > left and edge >= self.days.begins.timestamp() - 1:
                    painter.fillRect(QRectF(left, _TOP, right - left, bottom - _TOP), color("faint"))
            if span is None or span.end >= end:
                break
            edge = span.end

    def _hours(self, painter: QPainter, bottom: float) -> None:
        start, end = self._span()
        step = next((h for h in (1, 2, 3, 6, 12, 24) if (end - start) / 3600 / h <= max((self.width() - _LEFT) / 70, 2)), 24)
        at = datetime.fromtimestamp(start).astimezone().replace(minute=0, second=0, microsecond=0)
        painter.setFont(font(SMALL))
        while at.timestamp() <= end:
            if at.hour % step == 0 and at.timestamp() >= start:
                x = self.place_of(at.timestamp())
                painter.setPen(QPen(color("line"), 1))
                painter.drawLine(QPointF(x, _TOP), QPointF(x, bottom))
                painter.setPen(color("ink"))
                told = f"{say(at.strftime('%a'))} {at:%H}" if at.hour == 0 or at.timestamp() - start < step * 3600 else f"{at:%H}"
                painter.drawText(QRectF(x - 30, 4, 60, 18), Qt.AlignmentFlag.AlignCenter, told)
            at = (at + timedelta(hours=1)).astimezone()

    def _taken(self, painter: QPainter, tool: str, top: float) -> None:
        for one in self._shown.placed.values():
            if tool in one.tools:
                bar = QRectF(
                    self.place_of(one.start), top + (_ROW - _BAR) / 2, max(self.place_of(one.end) - self.place_of(one.start), 2.0), _BAR
                )
                painter.setPen(QPen(color("quiet"), 1))
                painter.setBrush(QBrush(color("quiet", 130), Qt.BrushStyle.BDiagPattern))
                painter.drawRoundedRect(bar, 3, 3)

    def _bar(self, painter: QPainter, key: str, one: Placed) -> None:
        assert self.days is not None
        step, bar = self.days.bench.step(key), self.bar_of(key)
        bad = key in self._troubles
        name = "loss" if bad else "current" if step.kind == TEST else "voltage"
        if step.kind == REST and not bad:
            painter.setPen(QPen(color("quiet"), 1, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
        else:
            painter.setPen(QPen(color(name), 2 if bad else 1.2))
            painter.setBrush(QBrush(color(name, 235 if one.begun and step.kind == TEST else 60 if step.kind != TEST or bad else 150)))
        painter.drawRoundedRect(bar, 3, 3)
        told = f"{'✓ ' if one.ended else ''}{step.what}"
        painter.setPen(color("ink"))
        inside = bar.adjusted(6, 0, -4, 0)
        if inside.width() > 24:
            text = painter.fontMetrics().elidedText(in_a_line(told), Qt.TextElideMode.ElideRight, int(inside.width()))
            painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)

    # dragging

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.days is None:
            return
        at = event.position()
        for key, one in self._shown.placed.items():
            if not one.begun and self.bar_of(key).contains(at):
                self._held = (key, self.moment_at(at.x()), one.start)
                return

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.days is None:
            return
        if self._held is None:
            over = next((k for k, one in self._shown.placed.items() if self.bar_of(k).contains(event.position())), "")
            set_tip(self, self._told(over) if over else "")
            return
        key, grabbed, start = self._held
        moved = start + round((self.moment_at(event.position().x()) - grabbed) / _SNAP_S) * _SNAP_S
        self._shown = moved_by_hand(self.days.bench, self._shown, key, moved)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held is None:
            return
        key, _, start = self._held
        self._held = None
        if abs(self._shown.placed[key].start - start) >= 60:
            self.dragged.emit(key, self._shown.placed[key].start)

    def _told(self, key: str) -> str:
        assert self.days is not None
        one, step = self._shown.placed[key], self.days.bench.step(key)
        head = f"{step.unit}: {step.what}, {_clock(one.start)} – {_clock(one.end)}"
        return f"{head}\n{self._troubles[key]}" if key in self._troubles else head


def _clock(moment: float) -> str:
    at = datetime.fromtimestamp(moment).astimezone()
    return f"{say(at.strftime('%a'))} {at:%H:%M}"
