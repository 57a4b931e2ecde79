"""No dialog is larger than its screen: one that would be is scrolled."""

from __future__ import annotations

from PyQt6.QtCore import QSize
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QDialog, QFrame, QScrollArea, QVBoxLayout, QWidget

_FRAME = QSize(16, 48)
"""What a desktop draws around a window, about."""
_NO_DESK = 600
"""A screen narrower than this is none that a person sits at."""


class Dialog(QDialog):
    """Any dialog of ours."""

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        fit_screen(self)


def fit_screen(dialog: QDialog, room: QSize | None = None) -> None:
    """Within its screen, or ``room``; what has no room there is scrolled."""
    screen = dialog.screen()
    if room is None and screen is None:
        return
    if room is None and screen is not None:
        room = screen.availableSize() - _FRAME
    assert room is not None
    if room.width() < _NO_DESK:
        return
    least = dialog.minimumSizeHint().expandedTo(dialog.minimumSize())
    if least.width() > room.width() or least.height() > room.height():
        _scroll(dialog, least)
    if dialog.width() > room.width() or dialog.height() > room.height():
        dialog.resize(dialog.size().boundedTo(room))


def _scroll(dialog: QDialog, least: QSize) -> None:
    layout = dialog.layout()
    if layout is None or isinstance(layout.itemAt(0), QScrollArea):
        return
    inside = QWidget()
    inside.setLayout(layout)  # which takes it, and all that is in it, from the dialog
    inside.setMinimumWidth(min(least.width(), inside.minimumSizeHint().width()))
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setWidget(inside)
    around = QVBoxLayout(dialog)
    around.setContentsMargins(0, 0, 0, 0)
    around.addWidget(area)
    dialog.setMinimumSize(0, 0)
