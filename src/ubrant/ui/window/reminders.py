"""Look in again: what a person asked to be told after so long. It outlives the window: what came due meanwhile is told when the logbook is opened again."""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from uuid import uuid4

from PyQt6.QtCore import QObject, QSettings, QTimer
from PyQt6.QtWidgets import QApplication, QWidget

from ubrant.core.quantities.quantity import show_duration
from ubrant.runs.kept.due_list import Due
from ubrant.ui.window.desktop import Desktop

_AT_ONCE_MS = 2**31 - 1
_LONGEST_S = 100 * 365 * 86_400.0
_KEPT = "reminders"


class Reminders(QObject):
    """``timers`` are those that were asked for; ``source`` names what the run that is going on is made on, ``book`` the logbook it is of."""

    def __init__(
        self,
        window: QWidget,
        source: Callable[[], str],
        desktop: Desktop,
        tell: Callable[[str], None],
        book: Callable[[], str] = lambda: "",
    ) -> None:
        super().__init__(window)
        self._window, self._source, self._desktop, self._tell, self._book = window, source, desktop, tell, book
        self.clock: Callable[[], datetime] = lambda: datetime.now(UTC)
        self.timers: list[QTimer] = []
        self._left_ms: dict[QTimer, int] = {}
        self._keys: dict[QTimer, str] = {}

    def remind(self, seconds: float) -> None:
        """Look in again after so long."""
        seconds = min(seconds, _LONGEST_S)
        key = uuid4().hex
        what = self._source() or self.tr("Look in again")
        self._keep([*self._all(), {"book": self._book(), "at": self.clock().timestamp() + seconds, "what": what, "key": key}])
        self._wait(key, seconds)
        self._tell(self.tr("You will be told in {time}.").format(time=show_duration(seconds)))

    def begin(self) -> None:
        """Those that were asked for before go on; what came due meanwhile is told now."""
        for timer in self._left_ms:
            timer.stop()
        self._left_ms.clear()
        self._keys.clear()
        now, told = self.clock(), {one["key"] for one in self._all() if one.get("told")}
        for one in self.pending():
            if not one.is_due(now):
                self._wait(one.key, (one.at - now).total_seconds())
            elif one.key not in told:
                self._say(one)

    def pending(self) -> list[Due]:
        """Of this logbook, not done yet."""
        mine = [one for one in self._all() if one["book"] == self._book()]
        return [
            Due(datetime.fromtimestamp(one["at"]).astimezone(), one["what"], self.tr("you asked to be told"), one["key"]) for one in mine
        ]

    def done(self, key: str) -> None:
        """It is looked at: it is told no more."""
        self._keep([one for one in self._all() if one["key"] != key])

    def put_off(self, key: str, seconds: float) -> None:
        """Told again so much later than now."""
        later = (self.clock() + timedelta(seconds=seconds)).timestamp()
        self._keep([{**one, "at": later, "told": False} if one["key"] == key else one for one in self._all()])
        self._wait(key, seconds)

    def _all(self) -> list[dict]:  # type: ignore[type-arg]  # as JSON has it
        try:
            found = json.loads(str(QSettings().value(_KEPT) or "[]"))
            return [
                one for one in found if isinstance(one, dict) and {"book", "at", "what", "key"} <= one.keys() and float(one["at"]) < 1e11
            ]
        except (ValueError, TypeError):
            return []

    def _keep(self, kept: list[dict]) -> None:  # type: ignore[type-arg]
        QSettings().setValue(_KEPT, json.dumps(kept, ensure_ascii=False))

    def _wait(self, key: str, seconds: float) -> None:
        timer = QTimer(self)
        timer.setSingleShot(True)
        timer.timeout.connect(lambda: self._goes_on(timer))
        self._left_ms[timer] = round(seconds * 1000)
        self._keys[timer] = key
        self._goes_on(timer)
        self.timers.append(timer)

    def _goes_on(self, timer: QTimer) -> None:
        """A timer counts no further than 24 days at once."""
        left = self._left_ms[timer]
        if left <= 0:
            self._now(timer)
            return
        self._left_ms[timer] = left - min(left, _AT_ONCE_MS)
        timer.start(min(left, _AT_ONCE_MS))

    def _now(self, timer: QTimer) -> None:
        key = self._keys.pop(timer, "")
        one = next((due for due in self.pending() if due.key == key), None)
        if one is not None:  # else it was done, or its logbook is not open here
            self._say(one)
        del self._left_ms[timer]
        timer.deleteLater()

    def _say(self, one: Due) -> None:
        """Once: it stays in the list until it is done, and is told no second time."""
        self._keep([{**kept, "told": True} if kept["key"] == one.key else kept for kept in self._all()])
        self._desktop.tell(self.tr("Look in again"), one.what)
        self._tell(self.tr("Look in again: that is what you asked for."))
        QApplication.alert(self._window)
