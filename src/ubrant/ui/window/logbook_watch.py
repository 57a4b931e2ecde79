"""The open logbook, looked after: read whole once after it was opened, and looked for under its name as long as it is open."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QWidget

from ubrant.logbook.checksums import Damage
from ubrant.logbook.file import DamagedError, LogbookError
from ubrant.logbook.logbook import Logbook
from ubrant.ui.widgets.work import quietly

_CHECKED_AFTER_MS = 4000
"""Once what a person came for is there."""


class LogbookWatch(QTimer):
    """Says by ``warn`` what is amiss with the file. Itself the timer of the one reading of all of it."""

    def __init__(self, window: QWidget, warn: Callable[[str], None]) -> None:
        super().__init__(window)
        self._window, self._warn = window, warn
        self._logbook: Logbook | None = None
        self._is_rescued = False
        self.setSingleShot(True)
        self.setInterval(_CHECKED_AFTER_MS)
        self.timeout.connect(self.check)

    def begin(self, logbook: Logbook) -> None:
        """Another logbook was opened."""
        self._logbook, self._is_rescued = logbook, False
        self.start()

    def check(self) -> None:
        """Read all of the logbook, in the background, and say what of it is not as it was written."""
        if self._logbook is not None:
            quietly(self._window, self._logbook.damages, self._checked)

    def _checked(self, found: list[Damage] | Exception) -> None:
        if isinstance(found, DamagedError):
            self._warn(str(found))
        elif not isinstance(found, Exception) and found:
            of_runs = [d for d in found if d.run is not None]
            self._warn(
                self.tr(
                    "The logbook is damaged: {runs} of its runs, {others} other things. What is damaged is said where it is shown; "
                    "File → Save what can be read makes a sound logbook of the rest."
                ).format(runs=len({d.run for d in of_runs}), others=len(found) - len(of_runs))
            )

    def look(self) -> None:
        """Whether the open file still stands under its name; if not, what is open is saved under another."""
        if self._logbook is not None and not self._is_rescued and not self._logbook.is_in_place():
            self._is_rescued = True
            self._rescue(self._logbook)

    def last_look(self) -> None:
        """Before it is closed: what was added since goes to the rescued file as well."""
        if self._logbook is not None and self._is_rescued:
            self._rescue(self._logbook)

    def _rescue(self, logbook: Logbook) -> None:
        name = logbook.path.name
        try:
            place = logbook.rescue()
        except LogbookError as error:
            self._warn(self.tr("{name} was removed or replaced while it was open. {error}").format(name=name, error=error))
            return
        self._warn(
            self.tr("{name} was removed or replaced while it was open. All of it, and what is still added, is saved as {place}.").format(
                name=name, place=place.name
            )
        )
