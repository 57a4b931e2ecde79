"""Look in again: what a person asked to be told after so long."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QApplication

from ubrant.core.quantities.quantity import show_duration

if TYPE_CHECKING:
    from ubrant.ui.shell import MainWindow


_AT_ONCE_MS = 2**31 - 1
_LONGEST_S = 100 * 365 * 86_400.0


class Reminders(QObject):
    """``timers`` are those that were asked for."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        self.timers: list[QTimer] = []
        self._left_ms: dict[QTimer, int] = {}

    def remind(self, seconds: float) -> None:
        """Look in again after so long."""
        timer = QTimer(self)
        timer.setSingleShot(True)
        timer.timeout.connect(lambda: self._goes_on(timer))
        self._left_ms[timer] = round(min(seconds, _LONGEST_S) * 1000)
        self._goes_on(timer)
        self.timers.append(timer)
        self._window.tell(self.tr("You will be told in {time}.").format(time=show_duration(seconds)))

    def _goes_on(self, timer: QTimer) -> None:
        """A timer counts no further than 24 days at once."""
        left = self._left_ms[timer]
        if left <= 0:
            self._now(timer)
            return
        self._left_ms[timer] = left - min(left, _AT_ONCE_MS)
        timer.start(min(left, _AT_ONCE_MS))

    def _now(self, timer: QTimer) -> None:
        run = self._window.bench.run
        self._window.desktop.tell(self.tr("Look in again"), run.source if run else "")
        self._window.tell(self.tr("Look in again: that is what you asked for."))
        QApplication.alert(self._window)
        del self._left_ms[timer]
        timer.deleteLater()
