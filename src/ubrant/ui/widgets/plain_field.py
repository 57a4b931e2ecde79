"""A line to type into, with its name for those who cannot see the label beside it."""

from __future__ import annotations

from PyQt6.QtWidgets import QLineEdit


def plain_field(name: str, text: str = "", hint: str = "") -> QLineEdit:
    """A line with something in it already, or a hint of what to write."""
    field = QLineEdit(text)
    field.setAccessibleName(name)
    field.setPlaceholderText(hint)
    return field
