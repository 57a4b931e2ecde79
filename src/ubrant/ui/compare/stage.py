"""Compare: what differs between runs, their difference with its own ±, and how a unit ages."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QShowEvent
from PyQt6.QtWidgets import QFileDialog, QHeaderView, QPushButton, QSizePolicy, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from ubrant.core.drawings import DASHED, DOTTED
from ubrant.runs.kept.naming import name_of
from ubrant.runs.studies.compare import (
    BY,
    Compared,
    Differing,
    Pair,
    compared_runs,
    differing,
    life_of,
    life_plot,
    line_style,
    overlay,
    pair_of,
)
from ubrant.runs.studies.worth_comparing import worth_comparing
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.compare.nothing_laid import NothingLaid
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import Choice, button, clear, label, row
from ubrant.ui.widgets.plot import PlotView
from ubrant.ui.widgets.stage_frame import StageFrame
from ubrant.ui.widgets.text import in_a_line
from ubrant.ui.widgets.theme import LARGE, color, font
from ubrant.writing import write_whole

_DATES = "dates"
_SHOWN, _OTHERS = 6, 3
_STYLES = {DASHED: Qt.PenStyle.DashLine, DOTTED: Qt.PenStyle.DotLine}


class Swatch(QWidget):
    """The line that a run is drawn with."""

    def __init__(self, place: int) -> None:
        super().__init__()
        self._style, self._tint = line_style(place)
        self.setFixedSize(QSize(40, 20))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(color(self._tint), 2.4, _STYLES.get(self._style, Qt.PenStyle.SolidLine)))
        painter.drawLine(QPointF(2, 10), QPointF(38, 10))


class CompareStage(StageFrame):
    """The first run against each of the others."""

    def __init__(self, bench: Workbench, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bench = bench
        self._numbers: list[int] = []
        self._by = "charge"
        self.runs: list[Compared] = []
        self.pairs: list[Pair] = []
        self._stale = True
        self.path_view.hide()
        self.plot, self.life = PlotView(), PlotView()
        self.plot.setMinimumHeight(230)
        self.life.setMinimumHeight(170)
        self.table = QTableWidget(0, 0)
        self.table.setAccessibleName(self.tr("What differs"))
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.sentence, self.settle, self.ages = Callout(), Callout("plain"), Callout("plain")
        self.run_box = Choice(self.tr("Lay a run beside them"))
        self._laid, self._answers = QVBoxLayout(), QVBoxLayout()
        self._buttons: dict[str, QPushButton] = {}
        self._build()
        self.run_box.activated.connect(lambda _: self._add_chosen())
        bench.shelf_changed.connect(self._shelf_changed)

    def _build(self) -> None:
        names = {"time": self.tr("Time"), "charge": self.tr("Ah"), "energy": self.tr("Wh"), "percent": self.tr("Percent")}
        for by, _ in BY:
            made = button(names[by], partial(self._show_by, by))
            made.setObjectName("segment")
            made.setCheckable(True)
            made.setAutoExclusive(True)
            self._buttons[by] = made
        self.nothing = NothingLaid(self._lay)
        self._ways = QWidget()
        ways = row(*self._buttons.values(), QWidget(), stretch=len(self._buttons))
        ways.setContentsMargins(0, 0, 0, 0)
        self._ways.setLayout(ways)
        self.main.addWidget(self._ways)
        self.main.addWidget(self.nothing, 1)
        self.main.addWidget(self.plot, 3)
        self._differs_title = label(self.tr("What differs"), "heading")
        self.main.addWidget(self._differs_title)
        self.main.addWidget(self.table, 2)
        self.main.addWidget(self.life, 2)
        side = self.side
        side.addWidget(label(self.tr("Laid side by side"), "heading"))
        side.addLayout(self._laid)
        side.addWidget(self.run_box)
        for widget in (self.sentence, self.settle, self.ages):
            side.addWidget(widget)
        self._answers_title = label(self.tr("Answers"), "heading")
        side.addWidget(self._answers_title)
        side.addLayout(self._answers)
        side.addSpacing(6)
        self.report_button = button(self.tr("Report …"), self._save_report)
        self.csv_button = button(self.tr("CSV …"), self._save_csv)
        side.addLayout(row(self.report_button, self.csv_button))
        side.addWidget(button(self.tr("Choose for a job …"), self._choose))
        side.addStretch(1)

    def _shelf_changed(self) -> None:
        self._stale = True
        if self.isVisible():
            self.offer()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self._stale:
            self.offer()

    # which runs

    def offer(self) -> None:
        """The runs that can be laid there; the two newest wholes where nobody chose any."""
        self._stale = False
        known = {run.id for run, _ in self._bench.logbook.runs(limit=-1)}
        self._numbers = [n for n in self._numbers if n in known]
        self.run_box.clear()
        self.run_box.addItem(self.tr("lay a run beside them …"), 0)
        for run, name in self._bench.logbook.runs(limit=200):
            if run.state != "running":
                self.run_box.addItem(f"{name_of(run, name)} · {run.started[:10]} · {run.method}", run.id)
        self.look()

    @property
    def count(self) -> int:
        return len(self._numbers)

    def add_run(self, run_id: int) -> None:
        """One more, unless it is there."""
        if self._stale:
            self.offer()
        if run_id and run_id not in self._numbers:
            self._numbers = [*self._numbers, run_id][-_SHOWN:]
        self.look()

    def _lay(self, runs: tuple[int, int]) -> None:
        """A pair that was offered."""
        self._numbers = list(runs)
        self.look()

    def _add_chosen(self) -> None:
        number = int(self.run_box.currentData() or 0)
        self.run_box.setCurrentIndex(0)
        self.add_run(number)

    def _drop(self, run_id: int) -> None:
        self._numbers.remove(run_id)
        self.look()

    def _first(self, run_id: int) -> None:
        """The one that the others are held against."""
        self._numbers.remove(run_id)
        self._numbers.insert(0, run_id)
        self.look()

    # what follows

    def look(self) -> None:
        """Everything anew."""
        self.runs = compared_runs(self._bench.logbook, self._numbers)
        self.pairs = [pair_of(self.runs[0], other) for other in self.runs[1:]]
        self._show_laid()
        for widget in (self._ways, self.report_button, self.csv_button):
            widget.setVisible(bool(self.runs))
        self.nothing.setVisible(not self.runs)
        if not self.runs:
            self.nothing.offer(worth_comparing(self._bench.logbook))
        names = list(dict.fromkeys(c.name for c in self.runs))
        self.title.setText(self.tr(" and ").join(in_a_line(n) for n in names) if names else self.tr("Compare"))
        chief = self.pairs[0] if self.pairs else None
        tone = "plain"
        if chief is not None and chief.differences:
            first = next(iter(chief.differences.values()))
            tone = "caution" if first.apart is False else "good" if first.apart else "plain"
        self.sentence.say(tone, "\n".join(p.sentence for p in self.pairs) or self._nothing())
        self.settle.say("plain", next((p.settle for p in self.pairs if p.settle), ""))
        self._show_answers()
        self._show_differs(differing(self.runs) if len(self.runs) > 1 else [])
        self._show_by(self._by)
        self._show_life()
        for made in (self.report_button, self.csv_button):
            made.setEnabled(bool(self.pairs))

    def _nothing(self) -> str:
        if self.runs:
            return self.tr("Lay another run beside it: choose one below, or “Compare …” in Findings or on a card of the shelf.")
        return self.tr("Lay two runs side by side: choose them below, or “Compare …” in Findings or on a card of the shelf.")

    def _show_laid(self) -> None:
        clear(self._laid)
        for place, one in enumerate(self.runs):
            name = button(one.title, partial(self._first, one.run.id), "link")
            name.setToolTip(self.tr("Hold the others against this one"))
            told = label(one.account.short or one.account.sentence, "quiet")
            column = QVBoxLayout()
            column.setSpacing(0)
            column.addWidget(name, alignment=Qt.AlignmentFlag.AlignLeft)
            column.addWidget(told)
            line = row(Swatch(place))
            line.addLayout(column, 1)
            line.addWidget(button("×", partial(self._drop, one.run.id), "link"))
            self._laid.addLayout(line)

    def _show_answers(self) -> None:
        clear(self._answers)
        self._answers_title.setVisible(bool(self.pairs))
        for pair in self.pairs[:_OTHERS]:
            if len(self.pairs) > 1:
                self._answers.addWidget(label(self.tr("{other} against {one}").format(other=pair.other.title, one=pair.one.title), "quiet"))
            for found in list(pair.differences.values())[:_SHOWN]:
                value = found.difference.with_uncertainty()
                if (found.difference.value or 0.0) > 0:
                    value = f"+{value}"
                said = label(value)
                said.setFont(font(LARGE, bold=True))
                name = label(found.difference.name)
                name.setWordWrap(True)
                self._answers.addLayout(row(name, said, stretch=0))
                more = self.tr("each alone {alone}").format(alone=found.alone_text) + (
                    self.tr("; shared errors cancel") if found.cancels else ""
                )
                if found.apart is False:
                    more = self.tr("cannot be told apart") + "; " + more
                self._answers.addWidget(label(more, "quiet"))

    def _show_differs(self, rows: list[Differing]) -> None:
        self._differs_title.setVisible(bool(rows))
        self.table.setVisible(bool(rows))
        self.table.setRowCount(len(rows))
        self.table.setColumnCount(len(self.runs))
        self.table.setHorizontalHeaderLabels([in_a_line(c.title) for c in self.runs])
        self.table.setVerticalHeaderLabels([r.name for r in rows])
        for k, one in enumerate(rows):
            for j, (value, is_odd) in enumerate(zip(one.values, one.odd, strict=True)):
                item = QTableWidgetItem(in_a_line(f"{value} ≠" if is_odd else value))
                if is_odd:
                    item.setForeground(QColor(color("caution")))
                self.table.setItem(k, j, item)
        if (header := self.table.horizontalHeader()) is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
            header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)

    def _show_by(self, by: str) -> None:
        self._by = by
        self._buttons[by].setChecked(True)
        drawn = overlay(self.runs, by)
        self.plot.setVisible(drawn is not None)
        if drawn is not None:
            self.plot.show_plot(drawn)

    def _show_life(self) -> None:
        """Of the first run's unit, where it was measured on several dates."""
        unit_id = self.runs[0].run.unit_id if self.runs else None
        found = life_of(self._bench.logbook, unit_id) if unit_id else None
        self.life.setVisible(found is not None)
        self.ages.say(
            "caution" if found is not None and found.trend is not None and found.trend.ages else "plain",
            found.sentence if found is not None else "",
        )
        if found is not None:
            self.life.show_plot(life_plot(found))

    # what goes out

    def _choose(self) -> None:
        from ubrant.ui.compare.choose_dialog import ChooseDialog

        ChooseDialog(self._bench.logbook, self).exec()

    def _save_report(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, self.tr("Save the comparison"), "comparison.pdf", self.tr("Reports (*.pdf *.html)"))
        if path:
            self.save_report(Path(path))

    def save_report(self, path: Path) -> None:
        """As a page, PDF or HTML."""
        from ubrant.report.comparison import comparison_page
        from ubrant.report.document import ReportError, pdf_of

        try:
            page = comparison_page(self.runs, self._by)
            self._write(path, page.encode() if path.suffix.lower() == ".html" else pdf_of(page))
        except ReportError as error:
            self._bench.said.emit(str(error))

    def _save_csv(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, self.tr("Save the differences"), "comparison.csv", self.tr("Tables (*.csv)"))
        if path:
            self.save_csv(Path(path))

    def save_csv(self, path: Path) -> None:
        """The differences as a table."""
        from ubrant.report.comparison import comparison_csv

        self._write(path, comparison_csv(self.runs).encode())

    def _write(self, path: Path, whole: bytes) -> None:
        try:
            write_whole(path, lambda beside: beside.write_bytes(whole))
        except OSError as error:
            self._bench.said.emit(self.tr("{path} could not be written: {why}.").format(path=path, why=error.strerror or error))
            return
        self._bench.saved.emit(self.tr("Saved as {path}.").format(path=path), str(path))
