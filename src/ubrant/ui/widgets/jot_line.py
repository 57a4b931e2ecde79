"""The jot line: a note or an event, one line, one Enter."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLineEdit, QWidget

from ubrant.core.jot import Jotting, parse_jot


class JotLine(QLineEdit):
    """Enter records what was typed and empties the line."""

    jotted = pyqtSignal(Jotting)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(self.tr("Jot line"))
        self.setPlaceholderText(self.tr("Jot something down ( / ):  case warm at terminals   ·   -5min fan started"))
        self.setMinimumHeight(36)
        self.returnPressed.connect(self._record)

    def _record(self) -> None:
        jotting = parse_jot(self.text())
        if jotting is not None:
            self.clear()
            self.jotted.emit(jotting)
