"""What the stages are made of, loaded in the moments after the window is there, so that the first step into each is as quick as the second."""

from __future__ import annotations

import importlib
from collections.abc import Callable, Iterator

from PyQt6.QtCore import QObject, QTimer

_AFTER_MS, _APART_MS = 600, 30
"""The window is painted and listens first, and a person who does something comes in between."""
_HEAVY = ("numpy.testing", "numpy.f2py", "numpy.random", "scipy.special", "pyqtgraph", "pydantic")
"""The first three are what SciPy takes in with the fourth: a third of a second, if it were one piece."""
_STAGES = ("run", "prepare", "findings", "compare", "outlook")


def load_in_idle_moments(window: QObject) -> None:
    """Begin; it ends with the window. In its own thread, a piece at a time: two threads that import at once can meet half a module."""
    pieces = _pieces()

    def load() -> None:
        if (piece := next(pieces, None)) is not None:
            piece()
            _later(window, _APART_MS, load)

    _later(window, _AFTER_MS, load)


def _pieces() -> Iterator[Callable[[], object]]:
    from ubrant.methods.registry import entries

    for name in _HEAVY:
        yield lambda name=name: importlib.import_module(name)  # type: ignore[misc]
    for entry in entries():
        yield lambda entry=entry: entry.method  # type: ignore[misc]
    for stage in _STAGES:
        yield lambda stage=stage: importlib.import_module(f"ubrant.ui.{stage}.stage")  # type: ignore[misc]


def _later(window: QObject, after_ms: int, do: Callable[[], None]) -> None:
    timer = QTimer(window)
    timer.setSingleShot(True)
    timer.timeout.connect(do)
    timer.timeout.connect(timer.deleteLater)
    timer.start(after_ms)
