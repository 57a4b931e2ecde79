"""The table of what is on its way in: a row each run, with whose it is, how it was read, what it would say and what is lacking."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QBrush
from PyQt6.QtWidgets import QWidget

from ubrant.runs.coming_in.arriving import Arrival, Arrivals
from ubrant.ui.widgets.callout import TONES, VERDICT_TONES
from ubrant.ui.widgets.text import in_a_line
from ubrant.ui.widgets.theme import color

FILE, UNIT, METHOD, BEGAN, READ, METER, SAYS, LACKS = range(8)


class ArrivalsModel(QAbstractTableModel):
    """The first column is ticked for what is to be kept."""

    ticked = pyqtSignal()

    def __init__(self, arrivals: Arrivals, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.arrivals = arrivals
        self._titles = (
            self.tr("File"),
            self.tr("Unit"),
            self.tr("Method"),
            self.tr("Began"),
            self.tr("Read"),
            self.tr("Meter"),
            self.tr("It says"),
            self.tr("Lacks"),
        )

    def refresh(self) -> None:
        """Everything may be another; no row comes or goes."""
        self.dataChanged.emit(self.index(0, 0), self.index(self.rowCount() - 1, LACKS))

    def put(self, row: Arrival, by: list[Arrival]) -> None:
        """What a file holds, once it can be read, in the place of what could not."""
        self.beginResetModel()
        self.arrivals.put(row, by)
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.arrivals.rows) if parent is None or not parent.isValid() else 0

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return len(self._titles) if parent is None or not parent.isValid() else 0

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if orientation != Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        return self._titles[section] if role == Qt.ItemDataRole.DisplayRole else None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        if index.column() == FILE and not self.arrivals.rows[index.row()].trouble:
            flags |= Qt.ItemFlag.ItemIsUserCheckable
        return flags

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        row = self.arrivals.rows[index.row()]
        if role == Qt.ItemDataRole.CheckStateRole and index.column() == FILE and not row.trouble:
            return Qt.CheckState.Checked if row.is_wanted else Qt.CheckState.Unchecked
        if role == Qt.ItemDataRole.DisplayRole:
            return in_a_line(self.text(row, index.column()))
        if role == Qt.ItemDataRole.ToolTipRole:
            full = self._in_full(row, index.column())
            return f"<qt>{escape(full)}</qt>" if full else None
        if role == Qt.ItemDataRole.ForegroundRole:
            return self._brush(row, index.column())
        return None

    def _in_full(self, row: Arrival, column: int) -> str:
        if column == SAYS and row.told is not None:
            return row.told.sentence
        if column == BEGAN and row.started is not None:
            return row.started.astimezone().strftime("%-d %b %Y, %H:%M")
        return row.extent() if column == READ else self.text(row, column)

    def _brush(self, row: Arrival, column: int) -> QBrush | None:
        if column != SAYS or row.told is None:
            return None
        if row.told.is_trouble:
            return QBrush(color("loss"))
        tone = VERDICT_TONES.get(row.told.word)
        return QBrush(color(TONES[tone])) if tone in {"good", "bad"} else None

    def text(self, row: Arrival, column: int) -> str:
        """What stands in a cell."""
        if column == FILE:
            return row.name
        if column == UNIT:
            return self._unit(row)
        if column == METHOD:
            return self.arrivals.method_of(row)
        if column == BEGAN:
            begun = row.started
            return begun.astimezone().strftime("%-d %b %Y") if begun is not None else self.tr("not said") if not row.trouble else ""
        if column == READ:
            return row.length()
        if column == METER:
            return self._meter(row)
        if column == SAYS:
            return row.told.short if row.told is not None else self.tr("being worked out …")
        return self.arrivals.lacks(row)

    def _unit(self, row: Arrival) -> str:
        if row.trouble:
            return ""
        unit = self.arrivals.unit_of(row)
        if unit is None:
            return self.tr("none")
        return self.tr("{name} (new)").format(name=unit.name) if row.owner in self.arrivals.new else unit.name

    @staticmethod
    def _meter(row: Arrival) -> str:
        if row.whole is not None:
            return ", ".join(dict.fromkeys(m.name for m in row.whole.run.head.setup.meters.values() if m.name))
        return row.said.meter.name if row.said.meter is not None else ", ".join(a for a in row.said.accuracies if a)

    def setData(self, index: QModelIndex, value: object, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if role != Qt.ItemDataRole.CheckStateRole or index.column() != FILE:
            return False
        self.arrivals.rows[index.row()].is_wanted = Qt.CheckState(value) == Qt.CheckState.Checked
        self.dataChanged.emit(index, index)
        self.ticked.emit()
        return True
