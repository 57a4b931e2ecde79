"""What is due: reminders, visits, checks of meters, in one list; done, put off, or into a calendar."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QGridLayout, QVBoxLayout, QWidget

from ubrant.runs.kept.due_list import Due, calendar_of_due
from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import button, label, row
from ubrant.ui.widgets.settings import folder
from ubrant.ui.window.reminders import Reminders
from ubrant.writing import write_whole

_LATER_S = 3600.0


class DueDialog(Dialog):
    """``found`` gives what is due; what was asked for by a person can be done or put off here."""

    def __init__(
        self, found: Callable[[], list[Due]], reminders: Reminders, now: Callable[[], datetime], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._found, self._reminders, self._now = found, reminders, now
        self.setWindowTitle(self.tr("What is due"))
        self.setMinimumWidth(640)
        self._rows = QGridLayout()
        self._rows.setColumnStretch(0, 1)
        self._rows.setVerticalSpacing(8)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.setSpacing(10)
        layout.addWidget(label(self.tr("What is due"), "title"))
        layout.addLayout(self._rows)
        layout.addStretch(1)
        self.calendar_button = button(self.tr("Calendar …"), self._save)
        layout.addLayout(row(QWidget(), self.calendar_button, button(self.tr("Close"), self.accept), stretch=0))
        self.look()

    def look(self) -> None:
        """As it stands now."""
        while (item := self._rows.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        found = self._found()
        self.calendar_button.setEnabled(bool(found))
        if not found:
            self._rows.addWidget(label(self.tr("Nothing is due.")), 0, 0)
        for place, one in enumerate(found):
            what = label(one.told(self._now()))
            what.setWordWrap(True)
            self._rows.addWidget(what, 2 * place, 0)
            self._rows.addWidget(label(one.why, "quiet"), 2 * place + 1, 0)
            if one.key:
                self._rows.addWidget(button(self.tr("In an hour"), partial(self._later, one.key)), 2 * place, 1)
                self._rows.addWidget(button(self.tr("Done"), partial(self._done, one.key)), 2 * place, 2)

    def _later(self, key: str) -> None:
        self._reminders.put_off(key, _LATER_S)
        self.look()

    def _done(self, key: str) -> None:
        self._reminders.done(key)
        self.look()

    def _save(self) -> None:
        path, _ = QFileDialog.getSaveFileName(
            self, self.tr("What is due, for a calendar"), f"{folder()}/due.ics", self.tr("Calendars (*.ics)")
        )
        if path:
            data = calendar_of_due(self._found(), self._now())
            write_whole(Path(path), lambda target: target.write_bytes(data))
