"""Volts and amperes across the whole screen, to be read from the other end of the bench; by hand the next step, and the row that is typed by number pad."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QKeyEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from ubrant.ui.widgets.theme import FAMILY, color

_LONG = 28
"""More letters than this are broken into lines."""


class Readout(QWidget):
    """F11 or Escape puts it away again. Where a person types, numbers and Enter are taken here, too."""

    entered = pyqtSignal(str)
    """What was typed, at Enter."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle(self.tr("Readout"))
        self.setAccessibleName(self.tr("Readout"))
        self._lines: tuple[tuple[str, str], ...] = ()
        self._foot = ""
        self._typed: str | None = None

    def show_values(self, volts: str, amps: str, foot: str) -> None:
        self._typed = None
        self._show(((volts, "voltage"), (amps, "current")), foot)

    def show_step(self, step: str, so_far: str, foot: str) -> None:
        """By hand: what to set and read next, the row as far as it was typed, how long until the next reading."""
        self._typed = self._typed or ""
        self._show(((step, "ink"), (f"{so_far} {self._typed}▏".strip(), "current")), foot)

    def _show(self, lines: tuple[tuple[str, str], ...], foot: str) -> None:
        self._lines, self._foot = lines, foot
        self.setAccessibleDescription(", ".join([text for text, _ in lines] + [foot]))
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
        elif event is not None and self._typed is not None and self._takes(event):
            self.update()
        else:
            super().keyPressEvent(event)

    def _takes(self, event: QKeyEvent) -> bool:
        """A number, a space, the key that takes one back, Enter."""
        typed = self._typed or ""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._typed = ""
            self.entered.emit(typed.strip())
        elif event.key() == Qt.Key.Key_Backspace:
            self._typed = typed[:-1]
        elif event.text() and event.text().isprintable():
            self._typed = typed + event.text()
        else:
            return False
        return True

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
        """As large as the area allows; a sentence over several lines."""
        if len(text) > _LONG:
            self._wrap(painter, area, text)
            return
        typeface = QFont(FAMILY)
        typeface.setBold(bold)
        typeface.setPixelSize(max(12, int(area.height() * 0.8)))
        painter.setFont(typeface)
        wide = painter.fontMetrics().horizontalAdvance(text)
        if wide > area.width():
            typeface.setPixelSize(max(12, int(area.height() * 0.8 * area.width() / wide)))
            painter.setFont(typeface)
        painter.drawText(area, Qt.AlignmentFlag.AlignCenter, text)

    def _wrap(self, painter: QPainter, area: QRectF, text: str) -> None:
        """The largest size at which it fits with its lines broken."""
        typeface, how = QFont(FAMILY), int(Qt.AlignmentFlag.AlignCenter) | int(Qt.TextFlag.TextWordWrap)
        for pixels in range(int(area.height() * 0.5), 11, -2):
            typeface.setPixelSize(pixels)
            painter.setFont(typeface)
            needed = painter.boundingRect(area, how, text)
            if needed.height() <= area.height() and needed.width() <= area.width():
                break
        painter.drawText(area, how, text)
