"""Which column of a log is what, where its headings do not say it; seen as a table and as a trace before anything is kept."""

from __future__ import annotations

import contextlib
import hashlib
from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from ubrant.core.quantities.readings import Series
from ubrant.logbook.logs.columns import LEAVE_OUT, columns_of
from ubrant.logbook.logs.guessing import guess, shape_of
from ubrant.logbook.logs.headings import read_heading
from ubrant.logbook.logs.log_file import ColumnsError, LogError, LogFile
from ubrant.logbook.logs.read import read_logs, table_in
from ubrant.logbook.logs.text import TextTable
from ubrant.runs.coming_in.arriving import Arrival
from ubrant.runs.coming_in.bringing_in import parts_of
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import Choice, button, label, row
from ubrant.ui.widgets.text import in_a_line
from ubrant.ui.widgets.trace import Trace

_ROWS = 8
UNITS = {"time": ("s", "ms", "min", "h"), "voltage": ("V", "mV"), "current": ("A", "mA"), "power": ("W", "mW")}
"""What a column may be in where its heading does not say it, or says it wrongly."""


class MappingDialog(Dialog):
    """``logs`` are the runs as they were read by the columns chosen; ``columns`` how."""

    def __init__(self, path: Path, sheet: TextTable, why: str, parent: QWidget | None = None, label_v: Sequence[float] = ()) -> None:
        super().__init__(parent)
        self._path, self._sheet, self._label_v = path, sheet, label_v
        self.logs: list[LogFile] = []
        self.columns = ""
        self.setWindowTitle(self.tr("Which column is what"))
        self.resize(980, 640)
        self.boxes = {
            key: Choice(name)
            for key, name in (
                ("time", self.tr("Time")),
                ("voltage", self.tr("Voltage")),
                ("current", self.tr("Current")),
                ("power", self.tr("Power")),
                ("run", self.tr("Runs told apart by")),
            )
        }
        for key, box in self.boxes.items():
            if key in {"power", "run"}:
                box.addItem(self.tr("none"), 0)
            for number, heading in enumerate(sheet.headings, start=1):
                box.addItem(f"{number}: {in_a_line(heading)}", number)
            box.setMinimumContentsLength(15)
        self.units = {key: Choice(self.tr("Unit of {what}").format(what=self.boxes[key].accessibleName())) for key in UNITS}
        for key, box in self.units.items():
            box.setMinimumContentsLength(9)
            box.addItem(self.tr("as headed"), "")
            for unit in UNITS[key]:
                box.addItem(unit, unit)
        self.split = QCheckBox(self.tr("A very long gap ends one run and begins the next"))
        self.leave_out = QCheckBox(self.tr("Lines with a cell that cannot be read are left out"))
        self.beneath = {key: label("", "beneath") for key in self.boxes}
        self.trace = Trace(quantities="VA")
        self.said, self.trouble = Callout("plain"), Callout("bad", why)
        self.use = button(self.tr("Use these"), self.accept, "chief")
        self._build()
        self._guess()
        for box in (*self.boxes.values(), *self.units.values()):
            box.currentIndexChanged.connect(lambda _: self.look())
        self.split.toggled.connect(lambda _: self.look())
        self.leave_out.toggled.connect(lambda _: self.look())
        self.look()

    def _build(self) -> None:
        table = QTableWidget(min(_ROWS, len(self._sheet.first_rows(_ROWS))), len(self._sheet.headings))
        table.setHorizontalHeaderLabels([f"{k}: {h}" for k, h in enumerate(self._sheet.headings, start=1)])
        table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        table.setMaximumHeight(132)
        table.setAccessibleName(self.tr("The first lines"))
        for line, cells in enumerate(self._sheet.first_rows(_ROWS)[:_ROWS]):
            for column, cell in enumerate(cells[: len(self._sheet.headings)]):
                table.setItem(line, column, QTableWidgetItem(in_a_line(cell.strip())))
        grid = QGridLayout()
        grid.setVerticalSpacing(1)
        for line, (key, box) in enumerate(self.boxes.items()):
            grid.addWidget(label(box.accessibleName()), 2 * line, 0)
            grid.addWidget(box, 2 * line, 1)
            if key in self.units:
                grid.addWidget(self.units[key], 2 * line, 2)
            self.beneath[key].setFixedHeight(self.beneath[key].fontMetrics().height() - 2)
            grid.addWidget(self.beneath[key], 2 * line + 1, 1, 1, 2)
        grid.setColumnStretch(1, 1)
        left = QVBoxLayout()
        left.addLayout(grid)
        left.addWidget(self.split)
        left.addWidget(self.leave_out)
        left.addStretch(1)
        beside = QHBoxLayout()
        beside.setSpacing(16)
        beside.addLayout(left)
        beside.addWidget(self.trace, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(self._sheet.name, "title"))
        layout.addWidget(table)
        layout.addLayout(beside, 1)
        layout.addWidget(self.said)
        layout.addWidget(self.trouble)
        layout.addLayout(row(QWidget(), button(self.tr("Leave it"), self.reject), self.use, stretch=0))

    def _guess(self) -> None:
        """By the headings where they say it, else by what stands in the columns; their place only where neither tells."""
        named = {quantity: self._sheet.headings.index(text) for quantity, text in self._named().items() if text in self._sheet.headings}
        alone = {h.quantity: h.index for k, text in enumerate(self._sheet.headings) if (h := read_heading(text, k)).quantity}
        like = guess(self._sheet, self._label_v) | alone | named
        free = (k for k in range(len(self._sheet.headings)) if k not in like.values())
        for key, box in self.boxes.items():
            if key in like:
                box.setCurrentIndex(box.findData(like[key] + 1))
            elif key not in {"power", "run"}:
                box.setCurrentIndex(box.findData(next(free, 0) + 1))

    def _named(self) -> dict[str, str]:
        """What the headings say by themselves; empty where they do not say enough."""
        try:
            return columns_of(self._sheet).used()
        except LogError:
            return {}

    def look(self) -> None:
        """Read the log by what is chosen, and draw it."""
        chosen = {key: int(box.currentData() or 0) for key, box in self.boxes.items()}
        self.columns = ",".join(
            f"{key}={number}{self._unit_of(key)}" for key, number in chosen.items() if number and not (key == "current" and chosen["power"])
        )
        self.columns += f",{LEAVE_OUT}" if self.leave_out.isChecked() else ""
        for beneath in self.beneath.values():
            beneath.setText("")
        try:
            self.logs = [part for log in read_logs(self._path, self.columns, split_gaps=self.split.isChecked()) for part in parts_of(log)]
        except LogError as error:
            self.logs = []
            self._say(error, chosen)
            self.use.setEnabled(False)
            return
        log = self.logs[0]
        self.trouble.say("bad", "")
        self.use.setEnabled(True)
        runs = self.tr("{count} runs; this is the first of them.").format(count=len(self.logs)) if len(self.logs) > 1 else ""
        self.said.say("plain", " ".join(s for s in (runs, log.left_out_sentence(), *log.warnings) if s))
        self.trace.set_zero(float(log.time_s[0]))
        self.trace.set_measured("V", Series(log.time_s, log.voltage_v))
        self.trace.set_measured("A", Series(log.time_s, log.current_a))
        self.trace.set_span(float(log.time_s[0]), float(log.time_s[-1]))

    def _say(self, error: LogError, chosen: dict[str, int]) -> None:
        """What is amiss, beneath the column that it is about."""
        sentence = error.sentence if isinstance(error, ColumnsError) else str(error)
        about = next(
            (
                k
                for k, number in chosen.items()
                if isinstance(error, ColumnsError) and error.column is not None and number == error.column + 1
            ),
            None,
        )
        if about is not None and isinstance(error, ColumnsError):
            self.beneath[about].setText(in_a_line(error.what or error.sentence))
        self.trouble.say("bad", sentence)

    def _unit_of(self, key: str) -> str:
        unit = str(self.units[key].currentData() or "") if key in self.units else ""
        return f" in {unit}" if unit else ""

    def accept(self) -> None:
        remember_columns(shape_of(self._sheet), self.columns)
        super().accept()


def columns_asked(path: Path, why: str, parent: QWidget, label_v: Sequence[float]) -> list[Arrival] | None:
    """A person says which column of a file is what: its runs by that, none where it was left; None for a file without columns."""
    sheet = None
    with contextlib.suppress(LogError):
        sheet = table_in(path)
    if sheet is None or len(sheet.headings) < 2:
        return None
    dialog = MappingDialog(path, sheet, why, parent, label_v)
    used = dialog.exec()
    dialog.deleteLater()
    return [Arrival(path, log) for log in dialog.logs] if used else []


def remember_columns(shape: tuple[str, ...], columns: str) -> None:
    """Keep which column is what for logs of this shape."""
    QSettings().setValue(_key(shape), columns)


def learnt(shape: tuple[str, ...]) -> str:
    """Which column is what in logs of this shape, as it was said before; empty where nobody said so."""
    return str(QSettings().value(_key(shape), "") or "")


def forget(shape: tuple[str, ...]) -> None:
    """The next log of this shape is looked at anew."""
    QSettings().remove(_key(shape))


def columns_remembered(path: Path) -> str | None:
    """The columns chosen before for a log of this shape."""
    try:
        sheet = table_in(path)
    except LogError:
        return None
    return learnt(shape_of(sheet)) or None if sheet is not None else None


def _key(shape: tuple[str, ...]) -> str:
    return f"columns/{hashlib.sha256(chr(10).join(shape).encode()).hexdigest()[:16]}"
