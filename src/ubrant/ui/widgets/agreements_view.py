"""Readings beside what the rest says of each: a row each, a dot on a scale of its own, inside the band where it agrees."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QFontMetricsF, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from ubrant.core.drawings import AgreementRow, Agreements
from ubrant.ui.widgets.theme import NORMAL, SMALL, color, font

_TOP, _HEAD, _ROW, _MARGIN = 30.0, 30.0, 30.0, 14.0
_WHERE, _WHEN, _READ, _REST, _SCALE, _OFF = 0.0, 0.21, 0.36, 0.48, 0.69, 0.88
"""Where each column begins, in parts of the width; figures end where the next begins."""
_MOST = 2.0


class AgreementsView(QWidget):
    """``show_agreements`` draws them."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.agreements = Agreements("", ())

    def show_agreements(self, agreements: Agreements) -> None:
        self.agreements = agreements
        self.setFixedHeight(round(_TOP + _HEAD + _ROW * len(agreements.rows) + 12))
        self.setAccessibleName(agreements.title)
        self.setAccessibleDescription("; ".join(map(self._in_words, agreements.rows)))
        self.update()

    def _in_words(self, row: AgreementRow) -> str:
        agrees = self.tr("agrees") if row.agrees else self.tr("does not agree")
        return f"{row.where} {row.when}: {row.read}, {row.rest}, {row.off_by}, {agrees}"

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(color("ink"))
        painter.setFont(font(NORMAL, bold=True))
        painter.drawText(QPointF(0, 18), self.agreements.title)
        card = QRectF(0.5, _TOP, self.width() - 1, self.height() - _TOP - 2)
        painter.setPen(QPen(color("line"), 1))
        painter.setBrush(QBrush(color("card")))
        painter.drawRoundedRect(card, 3, 3)
        painter.setFont(font(SMALL + 0.5))
        heads = (self.tr("where"), self.tr("when"), self.tr("read"), self.tr("the rest says"), self.tr("agrees?"), self.tr("off by"))
        self._cells(painter, _TOP, heads, ("quiet",) * 6)
        painter.setPen(QPen(color("line"), 1))
        painter.drawLine(QPointF(1, _TOP + _HEAD), QPointF(self.width() - 1, _TOP + _HEAD))
        for k, row in enumerate(self.agreements.rows):
            self._line(painter, _TOP + _HEAD + k * _ROW, row)

    def _line(self, painter: QPainter, top: float, row: AgreementRow) -> None:
        if not row.agrees:
            painter.fillRect(QRectF(1, top, self.width() - 2, _ROW), color("loss", 28))
        far = "ink" if row.agrees else "loss"
        painter.setFont(font(NORMAL, bold=not row.agrees))
        self._cells(painter, top, (row.where, "", row.read, "", "", row.off_by), ("ink", "ink", "ink", "ink", "ink", far))
        painter.setFont(font(NORMAL))
        self._cells(painter, top, ("", row.when, "", row.rest, "", ""), ("quiet",) * 6)
        left, right = self._edge(_SCALE) + 18, self._edge(_OFF) - 8
        middle, half, y = (left + right) / 2, (right - left) / 2, top + _ROW / 2
        painter.setPen(QPen(color("line"), 1.4))
        painter.drawLine(QPointF(left, y), QPointF(right, y))
        painter.fillRect(QRectF(middle - half / _MOST, y - 7, 2 * half / _MOST, 14), color("voltage", 34))
        painter.setPen(QPen(color("quiet"), 1.2))
        painter.drawLine(QPointF(middle, y - 8), QPointF(middle, y + 8))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QBrush(color("voltage" if row.agrees else "loss")))
        at = QPointF(middle + half * max(-1.0, min(1.0, row.apart / _MOST)), y)
        if row.agrees:
            painter.drawEllipse(at, 5, 5)
        else:  # another shape, too: colour alone tells nobody
            painter.drawRect(QRectF(at.x() - 5, at.y() - 5, 10, 10))

    def _edge(self, share: float) -> float:
        return _MARGIN + share * (self.width() - 2 * _MARGIN)

    def _cells(self, painter: QPainter, top: float, texts: tuple[str, ...], tints: tuple[str, ...]) -> None:
        starts = (_WHERE, _WHEN, _READ, _REST, _SCALE, _OFF)
        ends = (_WHEN, _READ, _REST, _SCALE, _OFF, 1.0)
        metrics = QFontMetricsF(painter.font())
        for k, (text, start, end) in enumerate(zip(texts, starts, ends, strict=True)):
            cell = QRectF(self._edge(start), top, self._edge(end) - self._edge(start) - (6 if k < 5 else 0), _ROW)
            side = Qt.AlignmentFlag.AlignLeft if k == 0 else Qt.AlignmentFlag.AlignHCenter if k == 4 else Qt.AlignmentFlag.AlignRight
            painter.setPen(color(tints[k]))
            painter.drawText(
                cell, side | Qt.AlignmentFlag.AlignVCenter, metrics.elidedText(text, Qt.TextElideMode.ElideRight, cell.width())
            )
