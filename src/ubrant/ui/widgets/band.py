"""The band across the top: the menus, the stages in the middle, what is open and what goes on. All of it fits however narrow the window is."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QMenuBar, QPushButton, QSizePolicy, QWidget

from ubrant.ui.widgets.sides import equally_wide, side_of_band
from ubrant.ui.widgets.text import Text
from ubrant.ui.widgets.theme import LARGE, font

_NAME_FROM, _BRAND_FROM, _MENUS_FROM = 1500, 1300, 1010
"""Under these widths there is no room for the name of the logbook, which the title of the window says too, and for the brand; the stages stand closer."""


class FoldingMenus(QMenuBar):
    """Menus side by side; where there is no room for that, one with all of them in it."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setNativeMenuBar(False)
        self.setSizePolicy(QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Fixed)
        self._menus: list[QMenu] = []
        self._all = QMenu(name, self)
        self._one = self.addMenu(self._all)

    def put(self, *menus: QMenu) -> None:
        """In their order."""
        self._menus += menus
        for menu in menus:
            self._all.addMenu(menu)
        self.ensurePolished()
        self.set_narrow(narrow=False)

    def set_narrow(self, *, narrow: bool) -> None:
        for menu in self._menus:
            action = menu.menuAction()
            assert action is not None
            (self.removeAction if narrow else self.addAction)(action)
        if self._one is not None:
            self._one.setVisible(narrow)
        self.setMinimumWidth(0)
        self.setMinimumWidth(self.sizeHint().width())  # else what has no room goes behind an arrow


class Band(QWidget):
    """``stages`` are buttons, one of them down."""

    def __init__(self, menus: FoldingMenus, name: Text, status: Text, stages: Sequence[str]) -> None:
        super().__init__()
        self.setObjectName("band")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(50)
        self._name = name
        self._brand = QLabel("Ubrant")
        self._brand.setFont(font(LARGE + 3, bold=True))
        name.setObjectName("quietband")
        self.stages = [QPushButton(text) for text in stages]
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 0, 20, 0)
        row.setSpacing(10)
        left, right = side_of_band(self._brand, menus, name), side_of_band(status)
        left.addStretch(1)
        right.insertStretch(0, 1)
        self._left = equally_wide(left)
        row.addWidget(self._left, 1)
        for stage in self.stages:
            stage.setObjectName("stage")
            stage.setCheckable(True)
            stage.setAutoExclusive(True)
            row.addWidget(stage)
        row.addWidget(equally_wide(right), 1)
        self._menus = menus

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        narrow = self.width() < _BRAND_FROM
        self._name.setVisible(self.width() >= _NAME_FROM)
        self._brand.setVisible(not narrow)
        for stage in self.stages:
            _set_narrow(stage, narrow)
        self._menus.set_narrow(narrow=self.width() < _MENUS_FROM)
        self._left.setMinimumWidth(self._menus.sizeHint().width() if narrow else 0)  # else a menu goes behind an arrow


def _set_narrow(widget: QWidget, narrow: bool) -> None:
    """With less room at its sides, as the style says it."""
    style = widget.style()
    if bool(widget.property("narrow")) is narrow or style is None:
        return
    widget.setProperty("narrow", narrow)
    style.unpolish(widget)
    style.polish(widget)
