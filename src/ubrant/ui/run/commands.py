"""The page of commands and answers."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QPlainTextEdit, QVBoxLayout, QWidget

from ubrant.bench.command_log import CommandLog
from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import button, label, row
from ubrant.ui.widgets.settings import folder
from ubrant.writing import write_whole

_SHOWN = 2000


class CommandsDialog(Dialog):
    """Read it, copy it, save it."""

    def __init__(self, log: CommandLog | None, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("Commands and answers"))
        self.resize(760, 520)
        self._log = log
        self.text = QPlainTextEdit(log.text(_SHOWN) if log else "")
        self.text.setReadOnly(True)
        self.text.setPlaceholderText(self.tr("Nothing has been said to an instrument yet: start a run."))
        self.text.setAccessibleName(self.windowTitle())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(self.windowTitle(), "title"))
        layout.addWidget(self.text, 1)
        copy, save = button(self.tr("Copy"), self._copy), button(self.tr("Save …"), self._save)
        layout.addLayout(row(QWidget(), copy, save, button(self.tr("Close"), self.accept, "chief"), stretch=0))
        bar = self.text.verticalScrollBar()
        if bar is not None:
            bar.setValue(bar.maximum())

    def _copy(self) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None and self._log is not None:
            clipboard.setText(self._log.text())

    def _save(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, self.tr("Save commands and answers"), str(folder() / "commands.txt"))
        if path and self._log is not None:
            try:
                text = self._log.text() + "\n"
                write_whole(Path(path), lambda beside: beside.write_text(text, "utf-8"))
            except OSError as error:
                self.text.setPlainText(self.tr("{path} could not be written: {why}.").format(path=path, why=error.strerror))
