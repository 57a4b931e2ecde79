"""The answer card as a picture, and on the clipboard as both picture and text."""

from __future__ import annotations

from PyQt6.QtCore import QMimeData, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QGuiApplication, QImage, QPainter

from ubrant.report.card import Card
from ubrant.ui.widgets.text import in_a_line
from ubrant.ui.widgets.theme import LARGE, NORMAL, SMALL, color, font

_WIDE, _EDGE, _SHARP = 620, 28, 2.0
"""Logical pixels, and how many of the picture's each is."""


def copy(card: Card) -> None:
    """Put it on the clipboard: whoever takes text gets the text, whoever takes pictures the picture."""
    clipboard = QGuiApplication.clipboard()
    if clipboard is None:
        return
    data = QMimeData()
    data.setText(card.text())
    data.setImageData(picture_of(card))
    clipboard.setMimeData(data)


def picture_of(card: Card) -> QImage:
    """As high as it needs to be."""
    high = _Sheet(None).draw(card)
    picture = QImage(int(_WIDE * _SHARP), int(high * _SHARP), QImage.Format.Format_RGB32)
    picture.setDevicePixelRatio(_SHARP)
    picture.fill(color("paper"))
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    _Sheet(painter).draw(card)
    painter.end()
    return picture


class _Sheet:
    """Writes line below line; without a painter it only measures."""

    def __init__(self, painter: QPainter | None) -> None:
        self._painter, self._top = painter, float(_EDGE)

    def draw(self, card: Card) -> float:
        self._write(card.heading, font(NORMAL), "quiet")
        self._space(4)
        self._write(card.sentence, font(LARGE + 1, bold=True), "ink")
        self._space(12)
        for answer in card.answers:
            self._pair(answer.name, f"{answer.value}  {answer.uncertainty}".strip())
            if answer.working:
                self._write(answer.working, font(SMALL), "quiet")
            self._space(5)
        self._space(7)
        for title, words in card.conditions:
            self._write(f"{title}: {words}", font(SMALL), "quiet")
        self._space(_EDGE)
        if self._painter is not None:
            self._painter.fillRect(QRectF(0, 0, 6, self._top), color("voltage"))
        return self._top

    def _pair(self, name: str, value: str) -> None:
        """A name at the left, its value at the right of the same line."""
        large = font(LARGE, bold=True)
        high = QFontMetricsF(large).height()
        self._text(
            QRectF(_EDGE, self._top, _WIDE - 2 * _EDGE, high), in_a_line(name), font(NORMAL), color("ink"), Qt.AlignmentFlag.AlignLeft
        )
        self._text(QRectF(_EDGE, self._top, _WIDE - 2 * _EDGE, high), value, large, color("voltage"), Qt.AlignmentFlag.AlignRight)
        self._top += high

    def _write(self, text: str, typeface: QFont, tint: str) -> None:
        room = QRectF(_EDGE, self._top, _WIDE - 2 * _EDGE, 4000)
        flags = int(Qt.TextFlag.TextWordWrap) | int(Qt.AlignmentFlag.AlignLeft)
        high = QFontMetricsF(typeface).boundingRect(room, flags, text).height() if text else 0.0
        self._text(QRectF(_EDGE, self._top, _WIDE - 2 * _EDGE, high + 1), text, typeface, color(tint), Qt.AlignmentFlag.AlignLeft)
        self._top += high

    def _text(self, room: QRectF, text: str, typeface: QFont, tint: QColor, side: Qt.AlignmentFlag) -> None:
        if self._painter is not None:
            self._painter.setFont(typeface)
            self._painter.setPen(tint)
            self._painter.drawText(room, int(Qt.TextFlag.TextWordWrap) | int(side | Qt.AlignmentFlag.AlignVCenter), text)

    def _space(self, high: float) -> None:
        self._top += high
