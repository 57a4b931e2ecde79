"""Volts and amperes across the whole screen, to be read from the other end of the bench."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFont, QKeyEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from ubrant.ui.theme import FAMILY, color


class Readout(QWidget):
    """F11 or Escape puts it away again."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle(self.tr("Readout"))
        self.setAccessibleName(self.tr("Readout"))
        self._lines: tuple[tuple[str, str], ...] = ()
        self._foot = ""

    def show_values(self, volts: str, amps: str, foot: str) -> None:
        self._lines, self._foot = ((volts, "voltage"), (amps, "current")), foot
        self.setAccessibleDescription(f"{volts}, {amps}, {foot}")
        self.update()

    def lines(self) -> list[str]:
        """What is to be read, line by line."""
        return [text for text, _ in self._lines] + [self._foot]

    def toggle(self) -> None:
        if self.isVisible():
            self.hide()
        else:
            self.showFullScreen()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Escape, Qt.Key.Key_F11):
            self.hide()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), color("paper"))
        room = QRectF(self.rect()).adjusted(40, 20, -40, -20)
        share = room.height() * 0.42
        for place, (text, tint) in enumerate(self._lines):
            painter.setPen(color(tint))
            self._fit(painter, QRectF(room.left(), room.top() + place * share, room.width(), share), text, bold=True)
        painter.setPen(color("quiet"))
        self._fit(
            painter, QRectF(room.left(), room.bottom() - room.height() * 0.14, room.width(), room.height() * 0.12), self._foot, bold=False
        )

    def _fit(self, painter: QPainter, area: QRectF, text: str, *, bold: bool) -> None:
        """As large as the area allows."""
        typeface = QFont(FAMILY)
        typeface.setBold(bold)
        typeface.setPixelSize(max(12, int(area.height() * 0.8)))
        painter.setFont(typeface)
        wide = painter.fontMetrics().horizontalAdvance(text)
        if wide > area.width():
            typeface.setPixelSize(max(12, int(area.height() * 0.8 * area.width() / wide)))
            painter.setFont(typeface)
        painter.drawText(area, Qt.AlignmentFlag.AlignCenter, text)
