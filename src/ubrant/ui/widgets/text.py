"""What comes from data is shown as plain text: no markup in it is taken for such, what cannot be seen is written out, what is endless is cut."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QMessageBox, QTableWidgetItem, QWidget

from ubrant.core.wording import visible

_MOST, _MOST_IN_A_LINE = 4000, 160
"""Characters: of a text that may wrap, and of a name in a line of its own."""


def in_a_line(text: str) -> str:
    """A name as one line of bounded length."""
    return cut(visible(text).replace("\n", "‹0A›").replace("\t", "‹09›"), _MOST_IN_A_LINE)


def cut(text: str, most: int = _MOST) -> str:
    """The middle left out where there is too much."""
    return text if len(text) <= most else f"{text[: most * 2 // 3]} … {text[len(text) - most // 4 :]}"


def in_a_menu(text: str) -> str:
    """As :func:`in_a_line`, where an ampersand would underline the letter behind it."""
    return in_a_line(text).replace("&", "&&")


def on_a_button(text: str) -> str:
    """A text that may have several lines, where an ampersand would underline the letter behind it."""
    return cut(visible(text)).replace("&", "&&")


def set_tip(widget: QWidget, text: str) -> None:
    """A tooltip, which Qt would else look through for markup."""
    widget.setToolTip(f"<qt>{escape(cut(visible(text)))}</qt>" if text else "")


def set_item_tip(item: QTableWidgetItem, text: str) -> None:
    """As :func:`set_tip`, of a cell."""
    item.setToolTip(f"<qt>{escape(cut(visible(text)))}</qt>" if text else "")


def message_box(parent: QWidget | None, title: str, text: str) -> QMessageBox:
    """A message box that takes its text as it is."""
    box = QMessageBox(parent)
    box.setWindowTitle(in_a_line(title))
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(cut(visible(text)))
    return box


class Text(QLabel):
    """A label that takes its text as it is."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)

    def setText(self, text: str | None) -> None:
        super().setText(cut(visible(text or "")))
