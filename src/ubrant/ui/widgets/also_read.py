"""Which further meters are read along: a button with a list of them to tick."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QMenu, QPushButton, QWidget

from ubrant.core.equipment.meter import Meter

_INDENT = "\u2002"
"""A style sheet's padding does not move the words of a button that has a menu."""


class AlsoRead(QPushButton):
    """Offers every meter that is connected; those at the taps of the path are ticked until the person says otherwise."""

    changed = pyqtSignal()

    def __init__(self, taps: tuple[str, ...], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("menu")
        self.setAccessibleName(self.tr("Read along"))
        self._taps = taps
        self._meters: list[Meter] = []
        self._said: dict[str, bool] = {}
        self._menu = QMenu(self)
        self.setMenu(self._menu)

    def offer(self, meters: list[Meter], besides: tuple[str, ...] = (), taps: tuple[str, ...] = ()) -> None:
        """Every connected meter but those ``besides``, by what tells them apart; ``taps`` are those of the path."""
        self._taps = taps or self._taps
        self._meters = [
            m
            for m in meters
            if m.details.role == "meter" and m.details.connection != "display" and m.details.address and m.uid not in besides
        ]
        self._menu.clear()
        for meter in self._meters:
            action = QAction(self.tr("{name}, at: {tap}").format(name=meter.name, tap=meter.details.tap), self._menu)
            action.setCheckable(True)
            action.setChecked(self._is_chosen(meter))
            action.toggled.connect(lambda on, name=meter.uid: self._say(name, on))
            self._menu.addAction(action)
        self.setEnabled(bool(self._meters))
        self._show()

    def chosen(self) -> tuple[Meter, ...]:
        return tuple(m for m in self._meters if self._is_chosen(m))

    def _is_chosen(self, meter: Meter) -> bool:
        return self._said.get(meter.uid, meter.details.tap in self._taps)

    def _say(self, name: str, on: bool) -> None:
        self._said[name] = on
        self._show()
        self.changed.emit()

    def _show(self) -> None:
        chosen = self.chosen()
        if len(chosen) > 1:
            words = self.tr("{count} more").format(count=len(chosen))
        else:
            words = chosen[0].name if chosen else self.tr("no other meter")
        self.setText(_INDENT + words)
