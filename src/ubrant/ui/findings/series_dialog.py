"""A series side by side: every run that was made as the same again, filling as it goes."""

from __future__ import annotations

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QGuiApplication, QHideEvent, QShowEvent
from PyQt6.QtWidgets import QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from ubrant.core.account import Account
from ubrant.logbook.records import Run
from ubrant.runs.kept.accounts import live_account
from ubrant.runs.studies.series import SeriesTable, kept_account, series_of, side_by_side
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import button, label, row
from ubrant.ui.widgets.text import in_a_line

_EVERY_MS = 1000


class SeriesDialog(Dialog):
    """Stays open beside the window; a run of the series that is going on fills its column."""

    def __init__(self, bench: Workbench, run: Run, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bench, self._run = bench, run
        self.shown = SeriesTable((), ())
        self._kept: dict[int, Account] = {}
        self.setWindowTitle(self.tr("Series"))
        self.resize(820, 560)
        self.said = label("", "quiet")
        self.table = QTableWidget()
        self.table.setAccessibleName(self.tr("The runs of the series side by side"))
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        if (numbers := self.table.verticalHeader()) is not None:
            numbers.hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(self.tr("The same again, side by side"), "title"))
        layout.addWidget(self.said)
        layout.addWidget(self.table, 1)
        again = button(self.tr("Same again …"), lambda: bench.again_wanted.emit(self._run.id))
        layout.addLayout(
            row(QWidget(), again, button(self.tr("Copy the table"), self.copy), button(self.tr("Close"), self.accept, "chief"), stretch=0)
        )
        self._timer = QTimer(self)
        self._timer.setInterval(_EVERY_MS)
        self._timer.timeout.connect(self.look)
        bench.shelf_changed.connect(self._look_anew)
        bench.closing.connect(self.close)
        self.look()

    def showEvent(self, a0: QShowEvent | None) -> None:
        super().showEvent(a0)
        self._look_anew()
        self._timer.start()

    def hideEvent(self, a0: QHideEvent | None) -> None:
        super().hideEvent(a0)
        self._timer.stop()

    def _look_anew(self) -> None:
        self._kept.clear()
        self.look()

    def look(self) -> None:
        """As it stands now."""
        if not self.isVisible() and self.shown.headings:
            return
        runs = series_of(self._bench.logbook, self._run)
        made = side_by_side(self._bench.logbook, runs, self._account)
        if made == self.shown:
            return
        self.shown = made
        self.said.setText(self.tr("{count} runs").format(count=len(runs)))
        self.table.setColumnCount(1 + len(made.headings))
        self.table.setHorizontalHeaderLabels(["", *map(in_a_line, made.headings)])
        self.table.setRowCount(len(made.rows))
        for line, (name, cells) in enumerate(made.rows):
            for column, text in enumerate((name, *cells)):
                self.table.setItem(line, column, QTableWidgetItem(in_a_line(text)))
        if (header := self.table.horizontalHeader()) is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)

    def _account(self, run: Run) -> Account:
        """Of the run that is going on as it stands; of an ended one worked out once."""
        bench = self._bench
        if bench.run is not None and bench.session is not None and bench.run.id == run.id and bench.is_running:
            return live_account(bench.run, bench.session, bench.expected)
        if run.state == "running":
            return Account()
        if run.id not in self._kept:
            self._kept[run.id] = kept_account(bench.logbook, run)
        return self._kept[run.id]

    def copy(self) -> None:
        """For a spreadsheet."""
        if (clipboard := QGuiApplication.clipboard()) is not None:
            clipboard.setText(self.shown.text())
