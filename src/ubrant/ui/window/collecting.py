"""Garbage is collected in the window's own thread only: what it frees may be widgets, and a widget that goes in another thread takes the program with it."""

from __future__ import annotations

import gc

from PyQt6.QtCore import QObject, QTimer

_LOOKS_MS = 500


class Collector(QObject):
    """In the place of Python's own collections, which come in whichever thread has just made something."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.look)
        self._timer.start(_LOOKS_MS)

    def look(self) -> None:
        """Collect as much as Python would by now."""
        generation = next((k for k in (2, 1, 0) if gc.get_count()[k] > gc.get_threshold()[k] > 0), None)
        if generation is not None:
            gc.collect(generation)
