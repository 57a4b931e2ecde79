"""Every control of every stage and dialog, asked whether it lies inside its window and shows its text whole: a process for each scale.

``python -m tests.ui.geometry``, with QT_SCALE_FACTOR: prints a line for each that does not.
"""

from __future__ import annotations

import os
import re
import sys
import tempfile
from collections.abc import Collection, Iterator
from pathlib import Path

SIZES = ((1280, 800), (1920, 1080), (1024, 700))
"""The smallest last: a window grows to its right size at once, and is narrowed with everything in it."""


def troubles(root) -> Iterator[str]:  # type: ignore[no-untyped-def]
    """What is cut off in a window, a line each."""
    from PyQt6.QtCore import QPoint, QRect
    from PyQt6.QtWidgets import QWidget

    whole = QRect(QPoint(0, 0), root.size())
    for widget in root.findChildren(QWidget):
        if not widget.isVisibleTo(root) or widget.window() is not root or not widget.width() or not widget.height():
            continue
        wanted = _wanted(widget)
        place = QRect(widget.mapTo(root, QPoint(0, 0)), widget.size())
        seen = place.intersected(whole)
        area = _scrolls_in(widget, root)
        if area is not None and _is_control(widget):
            left = widget.mapTo(area.widget(), QPoint(0, 0)).x() if area.widget() is not None else 0
            if left < 0 or left + widget.width() > area.viewport().width():
                yield f"{_name(widget)}: sticks out of what scrolls by {left + widget.width() - area.viewport().width()}"
        elif seen != place and _is_control(widget):
            yield f"{_name(widget)}: outside the window: {place.getRect()} in {whole.size().width()} × {whole.size().height()}"
        if wanted is not None and (widget.width() + 1 < wanted[0] or widget.height() + 1 < wanted[1]):
            yield f"{_name(widget)}: {widget.width()} × {widget.height()}, wants {wanted[0]} × {wanted[1]}"


def _is_control(widget) -> bool:  # type: ignore[no-untyped-def]
    from PyQt6.QtWidgets import QAbstractButton, QComboBox, QLabel, QLineEdit

    return isinstance(widget, QAbstractButton | QComboBox | QLineEdit) or (isinstance(widget, QLabel) and bool(widget.text()))


def _scrolls_in(widget, root):  # type: ignore[no-untyped-def]
    from PyQt6.QtWidgets import QScrollArea

    parent = widget.parentWidget()
    while parent is not None and parent is not root:
        if isinstance(parent, QScrollArea):
            return (
                parent if widget is not parent.viewport() and parent.widget() is not None and parent.widget().isAncestorOf(widget) else None
            )
        parent = parent.parentWidget()
    return None


def _wanted(widget) -> tuple[int, int] | None:  # type: ignore[no-untyped-def]
    """Width and height that its text needs; None where it shows none."""
    from PyQt6.QtWidgets import QAbstractButton, QComboBox, QLabel, QLineEdit, QStyle, QStyleOptionComboBox

    metrics = widget.fontMetrics()
    if isinstance(widget, QLabel) and widget.text():
        if widget.wordWrap():
            return 0, widget.heightForWidth(widget.width())
        hint = widget.sizeHint()
        return hint.width(), hint.height()
    if isinstance(widget, QAbstractButton) and widget.text():
        text = re.sub(r"&(?=\S)", "", widget.text())
        wide = max(metrics.horizontalAdvance(line) for line in text.split("\n"))
        return wide + 4, metrics.height() * (text.count("\n") + 1)
    if isinstance(widget, QComboBox) and widget.currentText():
        option = QStyleOptionComboBox()
        widget.initStyleOption(option)
        field = widget.style().subControlRect(QStyle.ComplexControl.CC_ComboBox, option, QStyle.SubControl.SC_ComboBoxEditField, widget)
        return metrics.horizontalAdvance(widget.currentText()) + widget.width() - field.width(), metrics.height()
    if isinstance(widget, QLineEdit):
        margins = widget.textMargins()
        text = widget.text() or widget.placeholderText()
        return metrics.horizontalAdvance(text) + margins.left() + margins.right() + 8, metrics.height()
    return None


def _name(widget) -> str:  # type: ignore[no-untyped-def]
    text = getattr(widget, "text", getattr(widget, "currentText", lambda: ""))()
    shown = text or widget.accessibleName() or (widget.placeholderText() if hasattr(widget, "placeholderText") else "")
    return f"{type(widget).__name__} “{shown[:60]}”"


def looked_at(window, wanted: Collection[str]) -> Iterator[tuple[str, object]]:  # type: ignore[no-untyped-def]
    """Every stage and dialog in turn, filled as in use; only these, where some are named."""
    from tests.ui.scenes import SCENES

    for name, scene in SCENES.items():
        if not wanted or name in wanted:
            yield from ((f"{name}{part}", root) for part, root in scene(window))


def main() -> int:
    os.environ["HOME"] = os.environ["XDG_CONFIG_HOME"] = tempfile.mkdtemp()
    from PyQt6.QtCore import QEvent
    from PyQt6.QtWidgets import QApplication

    from ubrant.logbook.logbook import Logbook
    from ubrant.ui.window.application import make_application
    from ubrant.ui.window.shell import MainWindow

    app = make_application()
    said: dict[str, str] = {}
    seen: set[str] = set()
    window = MainWindow(Logbook(Path(tempfile.mkdtemp()) / "geometry.ubrant"))
    window._beat.stop()  # what it says at the right would change between laying out and looking
    window.show()

    def settle() -> None:
        for _ in range(4):
            QApplication.processEvents()
            QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)

    for name, root in looked_at(window, sys.argv[1:]):
        is_first = name.split()[0] not in seen
        seen.add(name.split()[0])
        for wide, high in SIZES if root is window and is_first else SIZES[-1:]:
            if root is window:
                root.resize(wide, high)
            settle()
            if root.width() > wide or root.height() > high:
                said[f"{root.width()} × {root.height()} is too large"] = f"{name} at {wide} × {high}"
            for trouble in troubles(root):
                said.setdefault(trouble, f"{name} at {wide} × {high}")
    print("\n".join(f"{where}: {trouble}" for trouble, where in said.items()))
    window.bench.close()
    del app
    return bool(said)


if __name__ == "__main__":
    sys.stdout.flush()
    code = main()
    sys.stdout.flush()
    os._exit(code)
