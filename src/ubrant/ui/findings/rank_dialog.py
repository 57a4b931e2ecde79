"""Which converter or inverter to take for one job, by what was measured of each."""

from __future__ import annotations

import contextlib
from typing import Any

from PyQt6.QtWidgets import QCheckBox, QGridLayout, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from ubrant.core.conversion.candidates import Job
from ubrant.core.quantities.quantity import QuantityError, parse_number, parse_quantity, show, show_with
from ubrant.logbook.logbook import Logbook
from ubrant.runs.studies.ranking import Measured, candidates_of, ranked_for
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.fitting import Dialog
from ubrant.ui.widgets.forms import button, label
from ubrant.ui.widgets.plain_field import plain_field
from ubrant.ui.widgets.text import in_a_line
from ubrant.ui.widgets.work import quietly

_FIELDS = (
    ("output", "Output wanted", "5 V"),
    ("load", "Load", "10 W"),
    ("lowest", "Input from", "11.5 V"),
    ("highest", "up to", "13.6 V"),
    ("hours", "Hours a day", "6"),
    ("battery", "Battery", "500 Wh"),
    ("price", "Price of 1 kWh", "0.30"),
)
_COLUMNS = ("", "Takes in", "Efficiency", "Runs for", "A year", "Costs a year", "")


class RankDialog(Dialog):
    """Worked out anew on every keystroke."""

    def __init__(self, logbook: Logbook, parent: QWidget | None = None, told: dict[str, str] | None = None) -> None:
        super().__init__(parent)
        self._measured: list[Measured] | None = None
        self.setWindowTitle(self.tr("Rank for a job"))
        self.resize(860, 520)
        self.fields = {name: plain_field(self.tr(title), (told or {}).get(name, text)) for name, title, text in _FIELDS}
        self.always_on = QCheckBox(self.tr("It stays on all day: idle draw counts"))
        self.sentence = Callout()
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setHorizontalHeaderLabels([self.tr(c) for c in _COLUMNS])
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setAccessibleName(self.tr("Candidates, best first"))
        if (numbers := self.table.verticalHeader()) is not None:
            numbers.hide()
        if (header := self.table.horizontalHeader()) is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            header.setStretchLastSection(True)
        grid = QGridLayout()
        for place, (name, title, _) in enumerate(_FIELDS):
            grid.addWidget(label(self.tr(title)), place // 4 * 2, place % 4)
            grid.addWidget(self.fields[name], place // 4 * 2 + 1, place % 4)
        grid.addWidget(self.always_on, 3, 3)
        layout = QVBoxLayout(self)
        layout.addLayout(grid)
        layout.addWidget(self.sentence)
        layout.addWidget(self.table, 1)
        layout.addWidget(button(self.tr("Close"), self.accept))
        for field in self.fields.values():
            field.textChanged.connect(lambda _: self._work_out())
        self.always_on.toggled.connect(lambda _: self._work_out())
        self.sentence.say("plain", self.tr("Working it out …"))
        where = logbook.place

        def work() -> list[Measured]:
            with contextlib.closing(Logbook(where)) as beside:  # a connection of its own, beside the window
                return candidates_of(beside)

        quietly(self, work, self._have)

    def _have(self, found: Any) -> None:
        """What was measured; once, however often another job is typed."""
        if isinstance(found, Exception):
            self.sentence.say("bad", str(found))
            return
        self._measured = found
        self._work_out()

    def _work_out(self) -> None:
        try:
            text = {name: field.text() for name, field in self.fields.items()}
            output = parse_quantity(text["output"], "V") if text["output"].strip() else None
            job = Job(
                parse_quantity(text["lowest"], "V"),
                parse_quantity(text["highest"], "V"),
                parse_quantity(text["load"], "W"),
                parse_number(text["hours"]),
                parse_quantity(text["battery"], "Wh"),
                parse_number(text["price"]),
                self.always_on.isChecked(),
            )
        except QuantityError as error:
            self.sentence.say("bad", str(error))
            return
        if not (job.load_w > 0 and job.battery_wh > 0 and 0 < job.hours_a_day <= 24 and 0 < job.lowest_v <= job.highest_v):
            self.sentence.say("bad", self.tr("Load, battery and hours have to be more than 0, and the input has to go from low to high."))
            return
        if self._measured is None:
            return
        rows, said = ranked_for(self._measured, job, output)
        self.sentence.say("plain", said)
        self.table.setRowCount(len(rows))
        for line, row in enumerate(rows):
            cells = (
                row.name,
                f"{show(row.input_w)} W",
                f"{_with(row.efficiency, row.efficiency_u)} %",
                f"{_with(row.runtime_h, row.runtime_u)} h",
                f"{show(row.kwh_a_year, 3)} kWh",
                f"{row.cost_a_year:.2f}",
                row.refused or row.caveat,
            )
            for column, cell in enumerate(cells):
                self.table.setItem(line, column, QTableWidgetItem(in_a_line(cell)))


def _with(value: float, uncertainty: float | None) -> str:
    return " ± ".join(show_with(value, uncertainty)) if uncertainty else show(value, 3)
