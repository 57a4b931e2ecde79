"""The power path: boxes joined by ribbons as thick as the power they carry; losses peel off downward, hatched."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QBrush, QFontMetricsF, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ubrant.core.quantities.quantity import show
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.ui.widgets.theme import LARGE, NORMAL, SMALL, color, font

_BOX_H, _MAX_RIBBON, _PIN = 54.0, 44.0, 32.0
_JOINED_H, _BRANCH, _ARROW = 236, 110.0, 12.0


class PowerPathView(QWidget):
    """Draws one PowerPath. ``wiring`` shows meter names at the pins in place of values, for clipping the meters on."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._path: PowerPath | None = None
        self._wiring = False
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(self.tr("Power path"))
        self.hide()  # until there is a path: an empty band says nothing

    def sizeHint(self) -> QSize:
        return QSize(800, _JOINED_H if self._path is not None and self._path.joins is not None else 168)

    def show_path(self, path: PowerPath, *, wiring: bool = False) -> None:
        if (path, wiring) == (self._path, self._wiring):
            return
        self._path, self._wiring = path, wiring
        self.setVisible(bool(path.nodes))
        self.updateGeometry()
        self.setAccessibleDescription(self.words())
        self.update()

    def words(self) -> str:
        """The drawing in words, for those who do not see it."""
        if self._path is None:
            return ""
        parts = []
        for k, node in enumerate(self._path.nodes):
            parts.append(" ".join(x for x in (node.title, node.detail) if x))
            if self._path.losses[k]:
                parts.append(str(self._path.losses[k]))
            if k < len(self._path.flows):
                parts.append(self._flow_text(self._path.flows[k]) or "→")
        if self._path.joins is not None:
            node, flow = self._path.joins
            parts.append(" ".join(x for x in (node.title, self._joined_text(flow)) if x))
        return ", ".join(parts)

    def _flow_text(self, flow: Flow) -> str:
        if flow.amount is None or self._path is None:
            return flow.between
        return f"{show(flow.amount, 4 if flow.amount >= 10 else 3)} {self._path.unit}"

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), color("paper"))
        painter.fillRect(QRectF(0, self.height() - 1, self.width(), 1), color("line"))
        if self._path is None or not self._path.nodes:
            return
        if self._path.joins is not None:
            self._paint_joined(painter, self._path, *self._path.joins)
            return
        boxes = self._boxes(self._path)
        middle = boxes[0].center().y()
        largest = max((f.amount or 0.0 for f in self._path.flows), default=0.0)
        for k, flow in enumerate(self._path.flows):
            self._ribbon(painter, boxes[k].right(), boxes[k + 1].left(), middle, flow, largest)
        for k, node in enumerate(self._path.nodes):
            self._loss(painter, boxes[k], self._path.losses[k], self._path.loss_amounts[k], largest)
            self._box(painter, boxes[k], node)
        self._legend(painter, boxes[-1].left() if self._path.losses[-1] else self.width())

    def _boxes(self, path: PowerPath) -> list[QRectF]:
        """Boxes wide enough for their words, spread over the width with ribbons of one length between them."""
        margin, title, small = 24.0, QFontMetricsF(font(NORMAL, bold=True)), QFontMetricsF(font(SMALL))
        widths = [max(title.horizontalAdvance(n.title), small.horizontalAdvance(n.detail), 90.0) + 22 for n in path.nodes]
        room = self.width() - 2 * margin - sum(widths)
        gap = max(60.0, min(420.0, room / max(1, len(path.flows))))
        x, boxes = margin, []
        for width in widths:
            boxes.append(QRectF(x, 66.0, width, _BOX_H))
            x += width + gap
        return boxes

    def _ribbon(self, painter: QPainter, left: float, right: float, middle: float, flow: Flow, largest: float) -> None:
        share = (flow.amount or 0.0) / largest if largest > 0 else 0.0
        thick = max(3.0, _MAX_RIBBON * share) if flow.amount else 2.0
        body = QRectF(left, middle - thick / 2, right - left, thick)
        if flow.amount is None or flow.amount <= 0:
            painter.setPen(QPen(color("current"), 2, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(left, middle), QPointF(right, middle))
            self._paint_between(painter, (left + right) / 2, middle, flow)
        else:
            painter.fillRect(body, color("current", 205))
            text = self._flow_text(flow)
            painter.setFont(font(LARGE, bold=True))
            inside = thick > 24
            painter.setPen(color("paper" if inside else "ink"))
            place = body if inside else QRectF(left, middle + thick / 2 + 1, right - left, 20)
            painter.drawText(place, Qt.AlignmentFlag.AlignCenter, text)
        self._pin(painter, (left + right) / 2, middle - thick / 2, flow)

    def _joined_text(self, flow: Flow) -> str:
        """Which way it goes, in words."""
        if flow.amount is None or self._path is None:
            return flow.between
        watts = f"{show(abs(flow.amount), 4 if abs(flow.amount) >= 10 else 3)} {self._path.unit}"
        return self.tr("takes {watts}").format(watts=watts) if flow.amount < 0 else self.tr("gives {watts}").format(watts=watts)

    def _paint_joined(self, painter: QPainter, path: PowerPath, second: PathNode, flow: Flow) -> None:
        """Two branches from the left into a node, one out of it to the right; an arrow at the second where it takes."""
        title, small = QFontMetricsF(font(NORMAL, bold=True)), QFontMetricsF(font(SMALL))

        def width(node: PathNode) -> float:
            return max(title.horizontalAdvance(node.title), small.horizontalAdvance(node.detail), 90.0) + 22

        first, middle, *after = path.nodes
        left = max(width(first), width(second))
        top_box, low_box = QRectF(24, 46, left, _BOX_H), QRectF(24, 46 + _BRANCH, left, _BOX_H)
        right = self.width() - 24.0
        begins = self.width() * (0.52 if len(after) < 2 else 0.34)
        at = QRectF(begins - width(middle) / 2, 46 + _BRANCH / 2, width(middle), _BOX_H)
        room = (right - at.right() - sum(map(width, after))) / len(after) if after else 0.0
        boxes = [at]
        for node in after:
            boxes.append(QRectF(boxes[-1].right() + room, at.top(), width(node), _BOX_H))
        largest = max((abs(f.amount or 0.0) for f in (*path.flows, flow)), default=0.0)
        self._branch(
            painter, QPointF(top_box.right(), top_box.center().y()), QPointF(at.left(), at.center().y() - 8), path.flows[0], largest
        )
        self._branch(painter, QPointF(low_box.right(), low_box.center().y()), QPointF(at.left(), at.center().y() + 8), flow, largest)
        for k, one in enumerate(path.flows[1:]):
            start, end = boxes[k], boxes[k + 1]
            self._branch(painter, QPointF(start.right(), start.center().y()), QPointF(end.left(), end.center().y()), one, largest)
        for box, node in ((top_box, first), (low_box, second), *zip(boxes[1:], after, strict=True)):
            self._box(painter, box, node)
        for k, box in enumerate(boxes[1:], start=2):
            self._loss(painter, box, path.losses[k], path.loss_amounts[k], largest)
        self._box(painter, at, PathNode(middle.kind, middle.title, middle.detail))
        painter.setPen(color("quiet"))
        painter.setFont(font(NORMAL))
        painter.drawText(
            QRectF(at.right() + 20, at.bottom() + 16, self.width() - at.right() - 40, 20), Qt.AlignmentFlag.AlignLeft, middle.note
        )
        self._legend(painter, self.width())

    def _branch(self, painter: QPainter, start: QPointF, end: QPointF, flow: Flow, largest: float) -> None:
        """One ribbon with its words on or under it and its pin; an arrow at its start where it runs backwards."""
        amount = flow.amount or 0.0
        thick = max(3.0, _MAX_RIBBON * 0.75 * abs(amount) / largest) if largest > 0 and amount else 2.0
        back = _ARROW if amount < 0 else 0.0
        straight = end.x() - (end.x() - start.x()) * (0.35 if start.y() != end.y() else 0.0)
        line = QPainterPath(QPointF(start.x() + back, start.y()))
        line.lineTo(straight, start.y())
        if start.y() != end.y():
            bend = (straight + end.x()) / 2
            line.cubicTo(QPointF(bend, start.y()), QPointF(bend, end.y()), end)
        pen = QPen(color("current", 205), thick, Qt.PenStyle.SolidLine if amount else Qt.PenStyle.DotLine, Qt.PenCapStyle.FlatCap)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(pen)
        painter.drawPath(line)
        if back:
            wing = max(thick / 2 + 4, 7.0)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QBrush(color("current", 205)))
            tip = QPointF(start.x() + 2, start.y())
            painter.drawPolygon(QPolygonF([tip, QPointF(tip.x() + back, tip.y() - wing), QPointF(tip.x() + back, tip.y() + wing)]))
        middle = (start.x() + straight) / 2
        if amount:
            inside = thick > 22
            text = self._joined_text(flow) if start.y() != end.y() else self._flow_text(flow)
            large = font(LARGE if inside else NORMAL, bold=True)
            is_short = QFontMetricsF(large).horizontalAdvance(text) > straight - start.x() - 6
            painter.setFont(font(SMALL + 0.5, bold=True) if is_short else large)
            painter.setPen(color("paper" if inside else "ink"))
            place = QRectF(middle - 110, start.y() - 11 if inside else start.y() + thick / 2 + 2, 220, 22)
            painter.drawText(place, Qt.AlignmentFlag.AlignCenter, text)
        else:
            self._paint_between(painter, middle, start.y(), flow)
        self._pin(painter, middle, start.y() - thick / 2, flow, start.y() - 39)

    def _paint_between(self, painter: QPainter, x: float, y: float, flow: Flow) -> None:
        """Under the dots of what is not determined, between what it lies."""
        painter.setFont(font(NORMAL))
        painter.setPen(color("quiet"))
        painter.drawText(QRectF(x - 110, y + 4, 220, 20), Qt.AlignmentFlag.AlignCenter, flow.between)

    def _pin(self, painter: QPainter, x: float, ribbon_top: float, flow: Flow, top: float = 34.0) -> None:
        """A filled pin where a meter sits, a hollow one where the value is worked out; its values, or its meter, above."""
        painter.setPen(QPen(color("ink"), 1.2))
        painter.drawLine(QPointF(x, top + 5), QPointF(x, ribbon_top))
        painter.setBrush(QBrush(color("ink")) if flow.meter else QBrush(color("paper")))
        painter.drawEllipse(QPointF(x, top), 4.5, 4.5)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        area = QRectF(x - 110, top - 28, 220, 20)
        if self._wiring or flow.volts is None or flow.amps is None:
            painter.setFont(font(SMALL + 0.5))
            painter.drawText(
                area,
                Qt.AlignmentFlag.AlignCenter,
                flow.meter
                or (
                    self.tr("worked out")
                    if self._wiring or any(v is not None for v in (flow.amount, flow.volts, flow.amps))
                    else self.tr("not read")
                ),
            )
            return
        painter.setFont(font(NORMAL + 0.5))
        metrics = QFontMetricsF(painter.font())
        volts, amps = f"{show(flow.volts, 4)} V", f"{show(flow.amps, 4)} A"
        wide, gap = metrics.horizontalAdvance(volts), 12.0
        start = x - (wide + gap + metrics.horizontalAdvance(amps)) / 2
        painter.setPen(color("voltage"))
        painter.drawText(QPointF(start, top - 13), volts)
        painter.setPen(color("current"))
        painter.drawText(QPointF(start + wide + gap, top - 13), amps)

    def _box(self, painter: QPainter, box: QRectF, node: PathNode) -> None:
        style = Qt.PenStyle.DashLine if node.kind == "leads" else Qt.PenStyle.SolidLine
        painter.setBrush(QBrush(color("card")))
        painter.setPen(QPen(color("ink"), 1.6, style))
        painter.drawRoundedRect(box, 3, 3)
        if node.level is not None:
            painter.fillRect(QRectF(box.left() + 2, box.top() + 2, (box.width() - 4) * node.level, box.height() - 4), color("level"))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(color("ink"))
        painter.setFont(font(NORMAL, bold=True))
        painter.drawText(QRectF(box.left() + 10, box.top() + 7, box.width(), 20), Qt.AlignmentFlag.AlignLeft, node.title)
        painter.setFont(font(SMALL))
        painter.setPen(color("quiet"))
        painter.drawText(QRectF(box.left() + 10, box.top() + 28, box.width(), 18), Qt.AlignmentFlag.AlignLeft, node.detail)
        wide = QFontMetricsF(painter.font()).horizontalAdvance(node.note)
        painter.drawText(QPointF(min(box.left(), self.width() - 20 - wide), box.bottom() + 19), node.note)

    def _loss(self, painter: QPainter, box: QRectF, text: str | None, amount: float, largest: float) -> None:
        if text is None:
            return
        wide = max(7.0, _MAX_RIBBON * amount / largest) if largest > 0 else 7.0
        x, top = box.center().x(), box.bottom()
        shape = QPolygonF(
            [
                QPointF(x - wide / 2, top),
                QPointF(x + wide / 2, top),
                QPointF(x + wide / 2, top + 24),
                QPointF(x, top + 34),
                QPointF(x - wide / 2, top + 24),
            ]
        )
        painter.setPen(QPen(color("loss"), 1.2))
        painter.setBrush(QBrush(color("loss"), Qt.BrushStyle.BDiagPattern))
        painter.drawPolygon(shape)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setFont(font(NORMAL))
        painter.drawText(QPointF(x + wide / 2 + 8, top + 21), text)

    def _legend(self, painter: QPainter, right: float) -> None:
        painter.setFont(font(SMALL))
        metrics = QFontMetricsF(painter.font())
        x = right - 20.0
        for text, filled in ((self.tr("worked out"), False), (self.tr("metered"), True)):
            x -= metrics.horizontalAdvance(text)
            painter.setPen(color("quiet"))
            painter.drawText(QPointF(x, self.height() - 14), text)
            painter.setPen(QPen(color("ink"), 1.2))
            painter.setBrush(QBrush(color("ink" if filled else "paper")))
            painter.drawEllipse(QPointF(x - 9, self.height() - 18), 4, 4)
            x -= 26
