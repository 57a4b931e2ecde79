"""Whether the meters are good enough, above the button that starts: its room is kept before anything is said."""

from __future__ import annotations

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QPainter, QPaintEvent

from ubrant.runs.making.meter_fit import HARDLY, ROUGHLY, YES, MeterFit
from ubrant.ui.widgets.forms import label
from ubrant.ui.widgets.text import Text, set_tip
from ubrant.ui.widgets.theme import color

_LINES, _BAR = 4, 10
_TONES = {YES: "good", ROUGHLY: "caution", HARDLY: "loss"}


class FitLine(Text):
    """One sentence with a bar at its left; empty where nothing can be told."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName(label("", "quiet").objectName())
        self.setWordWrap(True)
        self.setAlignment(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft)
        self.setContentsMargins(_BAR, 0, 0, 0)
        self.ensurePolished()
        self.setFixedHeight(_LINES * self.fontMetrics().lineSpacing() + 4)
        self._word = ""

    def show_fit(self, fit: MeterFit | None) -> None:
        self._word = fit.word if fit is not None else ""
        self.setText(fit.sentence if fit is not None else "")
        set_tip(self, fit.sentence if fit is not None else "")
        self.setAccessibleName(self.text())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self._word:
            painter = QPainter(self)
            room = QRect(0, 0, self.width() - _BAR, self.height())
            high = min(self.fontMetrics().boundingRect(room, Qt.TextFlag.TextWordWrap, self.text()).height() + 6, self.height())
            painter.fillRect(0, (self.height() - high) // 2, 4, high, color(_TONES[self._word]))
