"""How Prepare, Run and Findings are laid out: path on top, trace in the middle, a panel at the right."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QScrollArea, QSplitter, QVBoxLayout, QWidget

from ubrant.ui.widgets.forms import PANEL, label, row, side_panel
from ubrant.ui.widgets.power_path_view import PowerPathView


class StageFrame(QWidget):
    """``path_view`` over the width; ``main`` is the column under the title; ``side`` the column at the right."""

    def __init__(self, parent: QWidget | None = None, panel_width: int = PANEL) -> None:
        super().__init__(parent)
        self.path_view = PowerPathView()
        self.title, self.aside, self.aside_quiet = label("", "title"), label(""), label("", "quiet")
        self.aside_quiet.setWordWrap(False)
        self.main = QVBoxLayout()
        self.main.setContentsMargins(20, 12, 18, 12)
        self.main.setSpacing(10)
        self.title.setWordWrap(True)
        self.main.addLayout(row(self.title, self.aside, self.aside_quiet, stretch=0))
        self.panel, self.side = side_panel(panel_width)
        ground = QWidget()
        ground.setObjectName("ground")
        ground.setLayout(self.main)
        below = QHBoxLayout()
        below.setSpacing(0)
        below.addWidget(ground, 1)
        below.addWidget(self.panel)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.path_view)
        layout.addLayout(below, 1)

    def add_split(self, above: QWidget, below: QWidget, heights: tuple[int, int], least: int) -> None:
        """Two parts of the middle, the border between them to be drawn along; the lower one is never lower than ``least``."""
        split = QSplitter(Qt.Orientation.Vertical)
        split.setChildrenCollapsible(False)
        split.addWidget(above)
        split.addWidget(below)
        split.setSizes(list(heights))
        below.setMinimumHeight(least)
        self.main.addWidget(split, 1)

    def to_top(self) -> None:
        """The panel begins where it begins."""
        for area in self.panel.findChildren(QScrollArea, options=Qt.FindChildOption.FindDirectChildrenOnly):
            if (bar := area.verticalScrollBar()) is not None:
                bar.setValue(0)

    def add_footer(self, widget: QWidget) -> None:
        """A widget at the foot of the panel that stays there however the panel is scrolled."""
        foot = QHBoxLayout()
        foot.setContentsMargins(17, 8, 16, 12)
        foot.addWidget(widget)
        column = self.panel.layout()
        assert isinstance(column, QVBoxLayout)
        column.addLayout(foot)
