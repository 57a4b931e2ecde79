"""How large everything is: kept with the desktop's settings, drawn from the next start on, which is offered at once."""

from __future__ import annotations

import os
import sys
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QSettings

from ubrant.ui.widgets.forms import button

if TYPE_CHECKING:
    from ubrant.ui.window.shell import MainWindow

ZOOMS = (80, 90, 100, 110, 125, 150, 175, 200)
"""Percent."""
_QT, _OURS = "QT_SCALE_FACTOR", "UBRANT_SCALE"


def zoom() -> int:
    """Percent, as a person chose."""
    kept = int(QSettings().value("zoom", 100) or 100)
    return kept if kept in ZOOMS else 100


def prepare_zoom() -> None:
    """Tell Qt before the application is made. What somebody set for Qt by hand stays."""
    if os.environ.get(_QT) == os.environ.get(_OURS, ""):
        os.environ.pop(_QT, None)
    os.environ.pop(_OURS, None)
    if _QT not in os.environ and zoom() != 100:
        os.environ[_QT] = os.environ[_OURS] = f"{zoom() / 100:g}"


class Zoom(QObject):
    """Steps of one window; ``wants_start`` once a person wants it started again."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        self._drawn = zoom()
        self.wants_start = False

    def step(self, by: int) -> None:
        """One larger or smaller; 0 for how it was at first."""
        place = ZOOMS.index(zoom()) + by if by else ZOOMS.index(100)
        wanted = ZOOMS[min(max(place, 0), len(ZOOMS) - 1)]
        QSettings().setValue("zoom", wanted)
        if wanted == self._drawn:
            self._window.tell(self.tr("Everything stays at {percent} %.").format(percent=wanted))
            return
        self._window.tell(self.tr("Everything is drawn at {percent} % from the next start.").format(percent=wanted))
        if not self._window.bench.is_running:
            self._window.offer(button(self.tr("Start again now"), self._start, "link"))

    def _start(self) -> None:
        self.wants_start = True
        self._window.close()


def start_again(arguments: list[str]) -> None:
    """The program once more, in the place of this one."""
    os.execv(sys.executable, [sys.executable, "-m", "ubrant", *arguments])
