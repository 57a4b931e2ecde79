"""The stages, one of them shown: a window that is smaller than the stage wants scrolls it, so that all of it can be reached."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtWidgets import QFrame, QScrollArea, QStackedWidget

_LEAST = QSize(1000, 420)
"""Narrower or lower than this a stage is scrolled, whatever it holds."""


class Pages(QStackedWidget):
    """``area`` is what is laid out. Only the page that is shown says how much room it wants."""

    def __init__(self) -> None:
        super().__init__()
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.area.setObjectName("ground")
        self.area.setWidget(self)
        self.currentChanged.connect(lambda _: self.updateGeometry())

    def minimumSizeHint(self) -> QSize:
        page = self.currentWidget()
        return _LEAST if page is None else page.minimumSizeHint().expandedTo(_LEAST)

    def heightForWidth(self, width: int) -> int:
        """The least: what wraps wants more where it is narrow."""
        page = self.currentWidget()
        layout = page.layout() if page is not None else None
        least = self.minimumSizeHint().height()
        return max(least, layout.minimumHeightForWidth(width)) if layout is not None and layout.hasHeightForWidth() else least

    def sizeHint(self) -> QSize:
        return self.minimumSizeHint()
