"""Runs that were thrown away: to have them back, or to be rid of them for good."""

from __future__ import annotations

from datetime import datetime

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QMessageBox, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from ubrant.logbook.records import Run
from ubrant.methods.registry import title_of
from ubrant.runs.kept.naming import name_of
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import button, row
from ubrant.ui.widgets.text import in_a_line, message_box


class ThrownDialog(Dialog):
    """One row a run, the last thrown away first; several can be chosen."""

    def __init__(self, bench: Workbench, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bench = bench
        self._runs: list[Run] = []
        self.setWindowTitle(self.tr("Thrown away"))
        self.resize(720, 420)
        self.sentence = Callout()
        self.table = QTableWidget(0, 4)
        self.table.setAccessibleName(self.tr("Runs that were thrown away"))
        self.table.setHorizontalHeaderLabels([self.tr("Of"), self.tr("Test"), self.tr("Run on"), self.tr("Thrown away")])
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        if (side := self.table.verticalHeader()) is not None:
            side.hide()
        if (head := self.table.horizontalHeader()) is not None:
            head.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
            head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.back = button(self.tr("Put back"), self._put_back, "chief")
        self.rid = button(self.tr("Delete for good …"), self._delete)
        layout = QVBoxLayout(self)
        layout.addWidget(self.sentence)
        layout.addWidget(self.table, 1)
        layout.addLayout(row(self.back, self.rid, QWidget(), button(self.tr("Close"), self.accept), stretch=2))
        self.table.itemSelectionChanged.connect(self._allow)
        bench.shelf_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """What is there now."""
        thrown = self._bench.logbook.thrown()
        self._runs = [run for run, _, _ in thrown]
        self.table.setRowCount(len(thrown))
        for k, (run, name, at) in enumerate(thrown):
            for j, text in enumerate((name_of(run, name), title_of(run.method), _day(run.started), _day(at))):
                self.table.setItem(k, j, QTableWidgetItem(in_a_line(text)))
        self.table.setVisible(bool(thrown))
        self.sentence.say(
            "plain",
            self.tr("These runs are shown nowhere and count for nothing. All of them is kept until it is deleted for good.")
            if thrown
            else self.tr("Nothing was thrown away. Edit → Throw the run away takes the one in Findings."),
        )
        if thrown:
            self.table.selectRow(0)
        self._allow()

    def chosen(self) -> list[Run]:
        model = self.table.selectionModel()
        return [self._runs[index.row()] for index in model.selectedRows()] if model is not None and self._runs else []

    def _allow(self) -> None:
        may = bool(self.chosen()) and not self._bench.logbook.read_only
        self.back.setEnabled(may)
        self.rid.setEnabled(may)

    def _put_back(self) -> None:
        self._bench.put_back(self.chosen())

    def _delete(self) -> None:
        runs = self.chosen()
        box = message_box(
            self,
            self.tr("Delete for good"),
            self.tr("{count} with all that was read in it: this cannot be undone.").format(
                count=self.tr("One run") if len(runs) == 1 else self.tr("{n} runs").format(n=len(runs))
            ),
        )
        agreed = box.addButton(self.tr("Delete for good"), QMessageBox.ButtonRole.DestructiveRole)
        box.setDefaultButton(box.addButton(self.tr("Keep it"), QMessageBox.ButtonRole.RejectRole))
        box.exec()
        if box.clickedButton() is agreed:
            self._bench.delete_for_good(runs)


def _day(utc: str) -> str:
    return datetime.fromisoformat(utc).astimezone().strftime("%-d %b %Y, %H:%M")
