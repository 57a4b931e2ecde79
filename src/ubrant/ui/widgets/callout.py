"""A sentence set apart: what it means, or what to watch for."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QWidget

from ubrant.core.battery.verdict import BELOW, CANNOT_TELL, MEETS, NOT_ALIKE, SPENT
from ubrant.ui.widgets.text import Text
from ubrant.ui.widgets.theme import color

TONES = {"good": "good", "caution": "caution", "bad": "loss", "plain": "quiet"}
VERDICT_TONES = {MEETS: "good", BELOW: "bad", SPENT: "bad", CANNOT_TELL: "caution", NOT_ALIKE: "caution"}


class Callout(QWidget):
    """A block with a bar at its left. Tone is ``good``, ``caution``, ``bad`` or ``plain``; the words carry the meaning."""

    def __init__(self, tone: str = "plain", text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._tone = tone
        self._label = Text(text)
        self._label.setWordWrap(True)
        self._label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._layout = QHBoxLayout(self)
        self._layout.setContentsMargins(17, 9, 12, 10)
        self._layout.setSpacing(14)
        self._layout.addWidget(self._label, 1)
        self._offered: list[QWidget] = []
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        if not text:
            self.hide()  # never shown here: without a parent yet it would be a window of its own

    def text(self) -> str:
        return self._label.text()

    def say(self, tone: str, text: str) -> None:
        """Show this; nothing at all when the text is empty."""
        self._offer_nothing()
        if (tone, text) == (self._tone, self._label.text()):
            return
        self._tone = tone
        self._label.setText(text)
        self.setAccessibleName(text)
        self.setVisible(bool(text))
        self.update()

    def offer(self, *things: QWidget) -> None:
        """What can be done about it, at its right, until something else is said."""
        for thing in things:
            self._layout.addWidget(thing, alignment=Qt.AlignmentFlag.AlignTop)
            self._offered.append(thing)

    def _offer_nothing(self) -> None:
        while self._offered:
            thing = self._offered.pop()
            self._layout.removeWidget(thing)
            thing.hide()
            thing.deleteLater()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        name = TONES[self._tone]
        wash = {"quiet": "plain_wash"}.get(name, f"{name}_wash")
        painter.fillRect(self.rect(), color(wash))
        painter.fillRect(0, 0, 4, self.height(), color(name))
