"""Look in again: what a person asked to be told after so long."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QApplication, QWidget

from ubrant.core.quantities.quantity import show_duration
from ubrant.ui.window.desktop import Desktop

_AT_ONCE_MS = 2**31 - 1
_LONGEST_S = 100 * 365 * 86_400.0


class Reminders(QObject):
    """``timers`` are those that were asked for; ``source`` names what the run that is going on is made on."""

    def __init__(self, window: QWidget, source: Callable[[], str], desktop: Desktop, tell: Callable[[str], None]) -> None:
        super().__init__(window)
        self._window, self._source, self._desktop, self._tell = window, source, desktop, tell
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
        self._tell(self.tr("You will be told in {time}.").format(time=show_duration(seconds)))

    def _goes_on(self, timer: QTimer) -> None:
        """A timer counts no further than 24 days at once."""
        left = self._left_ms[timer]
        if left <= 0:
            self._now(timer)
            return
        self._left_ms[timer] = left - min(left, _AT_ONCE_MS)
        timer.start(min(left, _AT_ONCE_MS))

    def _now(self, timer: QTimer) -> None:
        self._desktop.tell(self.tr("Look in again"), self._source())
        self._tell(self.tr("Look in again: that is what you asked for."))
        QApplication.alert(self._window)
        del self._left_ms[timer]
        timer.deleteLater()
