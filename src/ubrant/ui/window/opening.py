"""Open a logbook; where that fails, say why in a sentence and offer a way on."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from ubrant.logbook.file import DamagedError, LogbookError, salvage
from ubrant.logbook.logbook import Logbook
from ubrant.ui.widgets.text import message_box


def open_or_ask(path: Path, parent: QWidget | None) -> Logbook | None:
    """The logbook, or another one that the person chooses instead; None where they leave it."""
    while True:
        try:
            return Logbook(path)
        except LogbookError as error:
            chosen = _another_way(path, error, parent)
            if chosen is None:
                return None
            path = chosen


def _another_way(path: Path, error: LogbookError, parent: QWidget | None) -> Path | None:
    box = message_box(parent, QMessageBox.tr("This logbook does not open"), str(error))
    other = box.addButton(box.tr("Open another …"), QMessageBox.ButtonRole.AcceptRole)
    new = box.addButton(box.tr("Start a new one …"), QMessageBox.ButtonRole.ActionRole)
    rescue = (
        box.addButton(box.tr("Save what can be read …"), QMessageBox.ButtonRole.ActionRole) if isinstance(error, DamagedError) else None
    )
    box.addButton(box.tr("Leave it"), QMessageBox.ButtonRole.RejectRole)
    box.exec()
    kinds = box.tr("Ubrant logbook (*.ubrant)")
    clicked = box.clickedButton()
    if clicked is other:
        chosen, _ = QFileDialog.getOpenFileName(parent, box.tr("Open a logbook"), str(path.parent), kinds)
        return Path(chosen) if chosen else None
    if clicked is new or (rescue is not None and clicked is rescue):
        title = box.tr("New logbook") if clicked is new else box.tr("Save what can be read as")
        chosen, _ = QFileDialog.getSaveFileName(parent, title, str(path.with_name(f"{path.stem} saved.ubrant")), kinds)
        if not chosen:
            return None
        target = Path(chosen if chosen.endswith(".ubrant") else chosen + ".ubrant")
        if clicked is new:
            return target
        try:
            salvage(path, target)
        except LogbookError as error:
            return _another_way(path, error, parent)
        return target
    return None
