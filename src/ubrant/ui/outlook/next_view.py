"""What to measure next for an outlook, in its sidebar: a line each, with what it takes, to be begun from there."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ubrant.runs.kits.worth_measuring import WorthMeasuring
from ubrant.ui.widgets.forms import button, clear, label


class NextView(QWidget):
    """The tests that would narrow it, most for least first; or that there is no need."""

    wanted = pyqtSignal(str, str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._rows = QVBoxLayout(self)
        self._rows.setContentsMargins(0, 0, 0, 0)
        self._rows.setSpacing(2)
        self.setVisible(False)

    def show_worth(self, found: WorthMeasuring | None) -> None:
        """Of the outlook that stands there; None for nothing in doubt."""
        clear(self._rows)
        self.setVisible(found is not None)
        if found is None:
            return
        self._rows.addWidget(label(self.tr("What to measure next"), "heading"))
        for text in (found.no_need, found.mostly):
            if text:
                self._say(text)
        if found.no_need:
            return
        for test in found.tests:
            begin = button(f"{test.title}: {test.unit}", partial(self.wanted.emit, test.unit, test.entry.key), "link")
            self._rows.addWidget(begin)
            self._say(test.detail(), "quiet")
        if found.pair:
            self._say(found.pair)

    def _say(self, text: str, style: str = "") -> None:
        line = label(text, style)
        line.setWordWrap(True)
        self._rows.addWidget(line)
