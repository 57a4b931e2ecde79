"""Two sides of a band that are equally wide, so that what is between them stands still."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QWidget


def side_of_band(*widgets: QWidget) -> QHBoxLayout:
    made = QHBoxLayout()
    made.setContentsMargins(0, 0, 0, 0)
    made.setSpacing(10)
    for widget in widgets:
        made.addWidget(widget, alignment=Qt.AlignmentFlag.AlignVCenter)
    return made


def equally_wide(layout: QHBoxLayout) -> QWidget:
    """As wide as the other side, whatever stands in it: what is between them stands still."""
    side = QWidget()
    side.setLayout(layout)
    side.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
    return side
