"""Power paths one below the other on one scale: ribbons as thick as what they carry, what is burnt hatched below the box in the middle."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QFontMetricsF, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from ubrant.core.drawings import Chains
from ubrant.core.quantities.quantity import show
from ubrant.core.record.power_path import PathNode, PowerPath
from ubrant.ui.widgets.theme import NORMAL, SMALL, color, font

_ROW, _BOX_H, _THICKEST, _TOP = 94.0, 46.0, 40.0, 22.0
_MARGIN, _SHARE = 18.0, 0.21


class ChainsView(QWidget):
    """``show_chains`` draws them."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.chains = Chains(())

    def show_chains(self, chains: Chains) -> None:
        self.chains = chains
        self.setFixedHeight(round(_ROW * len(chains.rows) + 10))
        self.setAccessibleName(self.tr("Ways on one scale"))
        self.setAccessibleDescription("; ".join(f"{name}: {_words(path)}" for name, path in chains.rows))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), color("paper"))
        largest = max((f.amount or 0.0 for _, path in self.chains.rows for f in path.flows), default=0.0)
        for k, (name, path) in enumerate(self.chains.rows):
            self._row(painter, 8 + k * _ROW, name, path, largest)
        painter.setPen(color("quiet"))
        painter.setFont(font(SMALL))
        if len(self.chains.rows) > 1:
            place = QRectF(0, 8, self.width() - _MARGIN, 18)
            painter.drawText(place, Qt.AlignmentFlag.AlignRight, self.tr("all on one scale"))

    def _row(self, painter: QPainter, top: float, name: str, path: PowerPath, largest: float) -> None:
        painter.setPen(color("ink"))
        painter.setFont(font(NORMAL, bold=True))
        painter.drawText(QPointF(_MARGIN, top + 15), name)
        wide = self.width() - 2 * _MARGIN
        count = len(path.nodes)
        box_w = min(_SHARE * wide, 190.0)
        step = (wide - box_w) / max(count - 1, 1)
        boxes = [QRectF(_MARGIN + k * step, top + _TOP, box_w, _BOX_H) for k in range(count)]
        for k, flow in enumerate(path.flows):
            self._ribbon(painter, boxes[k], boxes[k + 1], flow.amount, largest, path.unit)
        for k, node in enumerate(path.nodes):
            self._box(painter, boxes[k], node)
            if path.losses[k] is not None:
                self._loss(painter, boxes[k], str(path.losses[k]), path.loss_amounts[k], largest)

    def _ribbon(self, painter: QPainter, left: QRectF, right: QRectF, amount: float | None, largest: float, unit: str) -> None:
        middle = left.center().y()
        if not amount:
            painter.setPen(QPen(color("current"), 2, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(left.right(), middle), QPointF(right.left(), middle))
            return
        thick = max(3.0, _THICKEST * amount / largest)
        body = QRectF(left.right(), middle - thick / 2, right.left() - left.right(), thick)
        painter.fillRect(body, color("current", 205))
        inside = thick > 20
        painter.setFont(font(NORMAL, bold=True))
        painter.setPen(color("paper" if inside else "ink"))
        place = body if inside else QRectF(body.left(), body.bottom() + 1, body.width(), 18)
        painter.drawText(place, Qt.AlignmentFlag.AlignCenter, f"{show(amount, 3)} {unit}")

    def _box(self, painter: QPainter, box: QRectF, node: PathNode) -> None:
        painter.setPen(QPen(color("ink"), 1.4))
        painter.setBrush(QBrush(color("card")))
        painter.drawRoundedRect(box, 3, 3)
        room = box.width() - 18
        for text, face, tint, down in ((node.title, font(NORMAL, bold=True), "ink", 5), (node.detail, font(SMALL), "quiet", 24)):
            painter.setFont(face)
            painter.setPen(color(tint))
            short = QFontMetricsF(face).elidedText(text, Qt.TextElideMode.ElideRight, room)
            painter.drawText(QRectF(box.left() + 9, box.top() + down, room, 19), Qt.AlignmentFlag.AlignLeft, short)

    def _loss(self, painter: QPainter, box: QRectF, text: str, amount: float, largest: float) -> None:
        wide = max(5.0, _THICKEST * amount / largest) if largest > 0 else 5.0
        shape = QRectF(box.center().x() - wide / 2, box.bottom(), wide, 17)
        painter.setPen(QPen(color("loss"), 1.1))
        painter.setBrush(QBrush(color("loss"), Qt.BrushStyle.BDiagPattern))
        painter.drawRect(shape)
        painter.setFont(font(SMALL + 0.5))
        painter.drawText(QPointF(shape.right() + 7, shape.bottom() - 3), text)


def _words(path: PowerPath) -> str:
    flows = [f"{show(f.amount, 3)} {path.unit}" for f in path.flows if f.amount]
    return ", ".join((*flows, *(loss for loss in path.losses if loss)))
